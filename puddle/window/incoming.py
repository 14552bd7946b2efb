"""What comes in: synthesized voices, and sound files that are dropped or chosen."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from puddle.errors import PuddleError
from puddle.formats.kitfile import SUFFIX
from puddle.formats.ownfile import STAGES_SUFFIX, VOICE_SUFFIX
from puddle.formats.sound import SUFFIXES
from puddle.kit import edits, splitting
from puddle.kit.document import Content, Kit, Sample, Sound
from puddle.kit.roles import ROLES
from puddle.voices import AnyVoice
from puddle.window.chooser import VoiceChooser
from puddle.window.dialogs import Working
from puddle.window.kits import Kits
from puddle.window.own import take_in
from puddle.window.session import Session

if TYPE_CHECKING:
    from puddle.measure.ordering import Strength

_MOST_DROPPED = 64


class Incoming:
    """New layers and new pads."""

    def __init__(self, session: Session, window: QWidget, kits: Kits) -> None:
        self._session = session
        self._window = window
        self._kits = kits
        self.working: Working | None = None
        self.chooser: VoiceChooser | None = None

    def ask_voice(self) -> None:
        """Asks for a voice, by ear, as a layer of the selected pad or on a pad of its own."""
        pad = self._session.pad
        if pad is None:
            self.ask_voice_for(None)
            return
        self.chooser = VoiceChooser(
            self._session, f"A voice for {pad.name}", self.add_voice, self._window, pad.role
        )
        self.chooser.open()

    def ask_voice_for(self, place: int | None) -> None:
        """Asks for a voice for an empty place."""
        self.chooser = VoiceChooser(
            self._session,
            "A voice for a new pad",
            lambda name, voice: self.pad_from_voice(name, voice, place),
            self._window,
        )
        self.chooser.open()

    def add_voice(self, name: str, voice: AnyVoice) -> None:
        """Puts a voice as a layer on the selected pad."""
        session, pad = self._session, self._session.pad
        if pad is not None:
            kit, layer = edits.add_layer(session.kit, pad.id, name, voice)
            session.edit(f"{pad.name}: {name} as a layer", kit)
            session.select_layer(layer.id)

    def pad_from_voice(self, name: str, voice: AnyVoice, place: int | None) -> None:
        """Puts a voice on a pad of its own."""
        session = self._session
        layer = edits.new_layer((), name, voice)
        sound = Sound(layers=(layer,))
        kit, pad = edits.add_pad(session.kit, name, _role(voice.role), sound, place)
        session.edit(f"{name} on a new pad", kit)
        session.select_pad(pad.id)
        session.shape_wanted.emit()

    def ask_files(self) -> None:
        """Asks for sound files."""
        pattern = " ".join(f"*{s}" for s in SUFFIXES)
        names, _ = QFileDialog.getOpenFileNames(
            self._window,
            "Add sound files",
            self._session.settings.last_folder,
            f"Sounds ({pattern})",
        )
        if names:
            self._session.settings.last_folder = str(Path(names[0]).parent)
            self.drop([Path(n) for n in names], self._session.pad_id, None)

    def drop(self, paths: list[Path], pad_id: str, place: int | None) -> None:
        """Kits open; sounds become layers of a pad, or pads at empty places.

        Decoding happens on a worker; files that are no sounds are named, and the rest land.
        """
        kits = [p for p in paths if p.suffix.lower() == SUFFIX]
        if kits:
            self._kits.open(kits[0])
            return
        own = [p for p in paths if p.suffix.lower() in (VOICE_SUFFIX, STAGES_SUFFIX)]
        if own:
            self._take_own_in(own)
            return
        if len(paths) > _MOST_DROPPED:
            self._session.told.emit(
                f"{len(paths)} files are too many at once: up to {_MOST_DROPPED} land."
            )
            paths = paths[:_MOST_DROPPED]
        journal = self._session.journal
        if journal is None or not paths:
            return
        landed: list[tuple[Content, str, Strength]] = []
        refused: list[str] = []

        def work(progress: Callable[[float], bool]) -> None:
            from puddle.measure.ordering import strength
            from puddle.measure.report import measured

            for n, path in enumerate(paths):
                if not progress(n / len(paths)):
                    return
                try:
                    content = journal.store.add_file(path)
                    decoded = journal.store.decoded(content.hash)
                    if decoded is None:
                        continue
                    found = measured(decoded.audio, decoded.rate_hz)
                    hard = strength(decoded.audio, decoded.rate_hz)
                    landed.append((content, str(found.get("role", "percussion")), hard))
                except PuddleError as error:
                    refused.append(str(error))

        def done(error: str | None) -> None:
            self._land(landed, pad_id, place)
            if refused:
                more = f" And {len(refused) - 1} more." if len(refused) > 1 else ""
                self._session.told.emit(refused[0] + more)
            elif error:
                self._session.told.emit(error)

        self.working = Working("Taking in sounds …", work, done, self._window)
        if len(paths) > 2:
            self.working.open()

    def _take_own_in(self, paths: list[Path]) -> None:
        """Starting points and stage sets that somebody shared."""
        for path in paths:
            try:
                self._session.told.emit(take_in(path))
            except PuddleError as error:
                self._session.told.emit(str(error))

    def _land(
        self, landed: list[tuple[Content, str, Strength]], pad_id: str, place: int | None
    ) -> None:
        session = self._session
        kit, chosen, last = session.kit, "", None
        added: list[str] = []
        for content, role, _ in landed:
            kit = edits.add_content(kit, content)
            name = content.name.rsplit(".", 1)[0] or content.name
            source = Sample(content=content.hash, end_ms=content.length_ms)
            if kit.pad(pad_id) is not None:
                kit, layer = edits.add_layer(kit, pad_id, name, source)
                chosen, last = pad_id, layer.id
                added.append(layer.id)
            else:
                made = Sound(layers=(edits.new_layer((), name, source),))
                free = place if place is not None and kit.pad_at(place) is None else None
                kit, pad = edits.add_pad(kit, name, _role(role), made, free)
                chosen, last = pad.id, None
        if not landed:
            return
        told = ""
        if len(added) > 1 and place is not None:  # on a pad, not on the strata
            kit, told = _taken_for(kit, pad_id, added, [hard for _, _, hard in landed])
        count = len(landed)
        name = landed[0][0].name if count == 1 else f"{count} files"
        session.edit(f"{name} dropped", kit)
        session.select_pad(chosen)
        session.select_layer(last)
        session.shape_wanted.emit()
        if told:
            session.told.emit(told)

    def ask_copy(self) -> None:
        """Asks which sound's layers are copied under the selected pad's."""
        session = self._session
        others = {p.name: p for p in session.kit.pads if p.id != session.pad_id}
        if session.pad is None or not others:
            return
        told = f"Its layers go under {session.pad.name}'s:"
        name, done = QInputDialog.getItem(
            self._window, "Copy another sound", told, list(others), 0, False
        )
        if done and name in others:
            kit, layers = session.kit, others[name].sound.layers
            session.try_edit(
                f"{session.pad.name}: layers of {name}",
                lambda: edits.copy_layers(kit, session.pad_id, layers),
            )

    def ask_file_for(self, place: int) -> None:
        pattern = " ".join(f"*{s}" for s in SUFFIXES)
        names, _ = QFileDialog.getOpenFileNames(
            self._window, "Sound files", self._session.settings.last_folder, f"Sounds ({pattern})"
        )
        if names:
            self.drop([Path(n) for n in names], "", place)


def _taken_for(kit: Kit, pad_id: str, ids: list[str], found: list[Strength]) -> tuple[Kit, str]:
    """Recordings dropped on a pad as strengths or as turns, whichever is likelier, and in words."""
    from puddle.measure.ordering import are_strengths, soft_to_hard

    order = soft_to_hard(found)
    names, count = [ids[n] for n in order], len(ids)
    if are_strengths(found):
        levels = sorted(s.loudness_lufs for s in found)
        made = splitting.as_strengths(kit, pad_id, names, levels)
        return made, f"{count} files taken for strengths, soft to hard. Map takes them for turns."
    return (
        splitting.as_turns(kit, pad_id, ids),
        f"{count} files taken for turns, one after another. Map takes them for strengths.",
    )


def _role(name: str) -> Any:
    """A measured role, or percussion."""
    return name if name in ROLES else "percussion"
