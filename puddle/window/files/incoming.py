"""What comes in: synthesized voices, and sound files that are dropped or chosen."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from PyQt6.QtWidgets import QInputDialog, QWidget

from puddle.errors import PuddleError
from puddle.formats.kitfile import SUFFIX
from puddle.formats.ownfile import STAGES_SUFFIX, VOICE_SUFFIX
from puddle.home.own import take_in
from puddle.home.templates import TEMPLATE_SUFFIX
from puddle.kit import edits
from puddle.kit.edits import alternates
from puddle.kit.edits.landing import Landing, landed, layers_of, split, told
from puddle.kit.model.document import Kit, Pad, Sound
from puddle.kit.model.roles import ROLES
from puddle.kit.playing.voice_levels import role_lift_db
from puddle.library.intake import MOST_FILES, Drum, Found, found_in, sorted_drums, sound_files
from puddle.tasks import report
from puddle.voices import AnyVoice
from puddle.window.editors.voice_chooser import VoiceChooser
from puddle.window.files.asking_files import ask_sounds
from puddle.window.files.instruments import SUFFIX as INSTRUMENT
from puddle.window.files.instruments import Instruments
from puddle.window.files.kit_files import Kits
from puddle.window.files.sorting import Sorting
from puddle.window.files.working import Working
from puddle.window.session.session import Session
from puddle.window.widgets.asking import short
from puddle.window.widgets.passing import open_once

T = TypeVar("T")
_LAND_AT_ONCE = 16
_ON_MAP = "Map can make them a round robin, or all at once."


class Incoming:
    """New layers and new pads."""

    def __init__(self, session: Session, window: QWidget, kits: Kits) -> None:
        self._session = session
        self._window = window
        self._kits = kits
        self.working: Working | None = None
        self.chooser: VoiceChooser | None = None
        self.sorting: Sorting | None = None
        self.instruments = Instruments(session, window)

    def ask_voice(self) -> None:
        """Asks for a voice, by ear, as a layer of the selected pad or on a pad of its own."""
        pad = self._session.pad
        if pad is None:
            self.ask_voice_for(None)
            return
        self.chooser = VoiceChooser(
            self._session, f"A voice for {short(pad.name)}", self.add_voice, self._window, pad.role,
            self.ask_files,
        )  # fmt: skip
        open_once(self.chooser)

    def ask_voice_for(self, place: int | None) -> None:
        """Asks for a voice for an empty place."""
        self.chooser = VoiceChooser(
            self._session,
            "A voice for a new pad",
            lambda name, voice: self.pad_from_voice(name, voice, place),
            self._window,
            files=lambda: self.ask_file_for(place),
        )
        open_once(self.chooser)

    def add_voice(self, name: str, voice: AnyVoice) -> None:
        """Puts a voice as a layer on the selected pad."""
        session, pad = self._session, self._session.pad
        if pad is not None:
            layer = session.make(
                f"{pad.name}: {name} as a layer",
                lambda kit: edits.add_layer(kit, pad.id, name, voice),
            )
            if layer is not None:
                session.selection.select_layer(layer.id)

    def pad_from_voice(self, name: str, voice: AnyVoice, place: int | None) -> None:
        """Puts a voice on a pad of its own."""
        session = self._session
        layer = edits.new_layer((), name, voice)
        sound = Sound(layers=(layer,))
        role = _role(voice.role)

        def add(kit: Kit) -> tuple[Kit, Pad]:
            kit, pad = edits.add_pad(kit, name, role, sound, place)
            return edits.set_pad(kit, pad.id, level_db=role_lift_db(voice, role)), pad

        pad = session.make(f"{name} on a new pad", add)
        if pad is None:
            return
        session.selection.select_pad(pad.id)
        session.selection.select_layer(layer.id)
        session.sound_added.emit()

    def ask_files(self) -> None:
        """Asks for sound files."""
        names = ask_sounds(self._window, "Add sound files", self._session.settings)
        if names:
            self.drop(names, self._session.pad_id, None)

    def drop(self, paths: list[Path], pad_id: str, place: int | None) -> None:
        """Kits open; sounds become layers of a pad, or pads at empty places.

        Decoding happens on a worker; files that are no sounds are named, and the rest land.
        """
        kits = [p for p in paths if p.suffix.lower() in (SUFFIX, TEMPLATE_SUFFIX)]
        if kits:
            self._kits.open(kits[0])
            return
        own = [p for p in paths if p.suffix.lower() in (VOICE_SUFFIX, STAGES_SUFFIX)]
        if own:
            self._take_own_in(own)
            return
        instruments = [p for p in paths if p.suffix.lower() == INSTRUMENT]
        if instruments:
            self.instruments.take_in(instruments[0])
            return
        folders = any(path.is_dir() for path in paths)
        several = folders or (len(paths) > 1 and self._session.kit.pad(pad_id) is None)
        if several:
            self._take_in(
                paths, sorted_drums, lambda drums: self._sort(drums, place, shown_first=folders)
            )
        else:
            self._take_in(paths, list, lambda found: self._land(found, pad_id, place))

    def _take_in(
        self,
        paths: list[Path],
        made: Callable[[list[Found]], list[T]],
        then: Callable[[list[T]], None],
    ) -> None:
        """Reads and measures files, and those in folders, on a thread; then `then` has what was
        made of them there.

        Too many are told, not read; those that are no sounds are named.
        """
        journal = self._session.file.journal
        if journal is None or not paths:
            return
        taken: list[T] = []
        refused: list[str] = []

        give_back = journal.borrow()
        trims = self._session.settings.trim_starts

        def work() -> None:
            found: list[Found] = []
            files = sound_files(paths)
            if not files:
                refused.append("There are no sound files in there.")
            for n, path in enumerate(files[:MOST_FILES]):
                report(n / min(len(files), MOST_FILES))
                try:
                    content = journal.store.add_file(path)
                    decoded = journal.store.decoded(content.hash)
                    if decoded is None:
                        continue
                    raw = journal.store.raw(content.hash) or b""
                    audio, rate = decoded.audio, decoded.rate_hz
                    found.append(found_in(content, audio, rate, trims=trims, raw=raw))
                except PuddleError as error:
                    refused.append(str(error))
            taken.extend(made(_once_each(found)))
            if len(files) > MOST_FILES:
                left = len(files) - MOST_FILES
                refused.append(f"{left} more files were left: {MOST_FILES} land at once.")

        def done(error: str | None) -> None:
            if error == "" or self._session.file.journal is not journal:
                return  # stopped, or another kit is open by now: nothing lands
            if taken:
                then(taken)
            if refused:
                more = f" And {len(refused) - 1} more." if len(refused) > 1 else ""
                self._session.told.emit(refused[0] + more)
            elif error:
                self._session.told.emit(error)

        background = self._session.background
        self.working = Working(
            background, "Taking in sounds …", work, done, self._window, release=give_back
        )
        if len(paths) > 2 or any(path.is_dir() for path in paths):
            self.working.open()

    def _sort(self, drums: list[Drum], place: int | None, *, shown_first: bool) -> None:
        """Recordings for places that are empty: one drum lands at once, several are shown first.

        So are those of a folder, whatever is in it.
        """
        single = all(len(drum.found) == 1 for drum in drums)
        at_once = len(drums) == 1 or (single and len(drums) <= _LAND_AT_ONCE)
        if at_once and not shown_first:
            self._land_drums(drums, place)
            return
        self.sorting = Sorting(
            self._session, drums, lambda done: self._land_drums(done, place), self._window
        )
        open_once(self.sorting)

    def _land_drums(self, drums: list[Drum], place: int | None) -> None:
        session = self._session
        landings = [drum.landing() for drum in drums]
        if not landings:
            session.told.emit("Nothing is left to land.")
            return
        count = sum(len(landing.contents) for landing in landings)
        name = f"{count} files" if count > 1 else landings[0].contents[0].name
        pads = session.make(f"{name} dropped", lambda kit: landed(kit, landings, place or 0))
        if pads is None:
            return
        session.selection.select_pad(pads[-1 if len(pads) > 1 and count == len(pads) else 0].id)
        layers = pads[0].sound.layers  # of one recording, what was added is its layer
        session.selection.select_layer(layers[0].id if len(pads) == len(layers) == 1 else None)
        session.sound_added.emit()
        if len(landings) == 1 and count > 1:
            session.told.emit(f"{pads[0].name}: {told(landings[0])}. {_ON_MAP}")

    def _take_own_in(self, paths: list[Path]) -> None:
        """Starting points and stage sets that somebody shared."""
        for path in paths:
            try:
                self._session.told.emit(take_in(path))
            except PuddleError as error:
                self._session.told.emit(str(error))

    def _land(self, found: list[Found], pad_id: str, place: int | None) -> None:
        """Recordings as layers of a pad; as strengths or turns of it where it was a pad's drop."""
        session = self._session
        if session.kit.pad(pad_id) is None:
            self._sort(sorted_drums(found), place, shown_first=False)
            return
        landing, count = Drum("", found).landing(), len(found)
        splits = count > 1 and place is not None  # on a pad, not on the strata

        def add(kit: Kit) -> tuple[Kit, list[str]]:
            added: list[str] = []
            for one in found:
                kit = edits.add_content(kit, one.content)
                name = one.content.name.rsplit(".", 1)[0] or one.content.name
                kit, layer = edits.add_layer(kit, pad_id, name, one.source)
                added.append(layer.id)
            return split(kit, pad_id, landing, added) if splits else kit, added

        name = found[0].content.name if count == 1 else f"{count} files"
        added = session.make(f"{name} dropped", add)
        if added is None:
            return
        session.selection.select_pad(pad_id)
        session.selection.select_layer(added[-1])
        session.sound_added.emit()
        if splits:
            session.told.emit(f"{count} files taken for {_plainly(landing)}. {_ON_MAP}")

    # Alternates.

    def ask_alternates(self) -> None:
        """Asks for sound files, each to be an alternate of the selected pad."""
        names = self._ask_names()
        if names:
            self.add_alternates(names)

    def add_alternates(self, paths: list[Path]) -> None:
        """Files as alternates of the selected pad: a click apart, everything else as it is."""
        pad_id = self._session.pad_id

        def then(found: list[Found]) -> None:
            session, count = self._session, len(found)
            if session.kit.pad(pad_id) is None:
                return
            name = found[0].content.name if count == 1 else f"{count} files"
            refused: list[str] = []

            def add(kit: Kit) -> Kit:
                """As many as there is room for."""
                for one in found:
                    landing = Drum(one.content.name.rsplit(".", 1)[0], [one]).landing()
                    sound = Sound(layers=layers_of(landing))
                    grown = edits.add_content(kit, one.content)
                    try:
                        kit = alternates.add_alternate(grown, pad_id, landing.name, sound)
                    except PuddleError as error:
                        refused.append(str(error))
                        break
                return kit

            session.edit(f"{name} as alternates", add)
            for sentence in refused:
                session.told.emit(sentence)

        self._take_in(paths, list, then)

    def ask_voice_alternate(self) -> None:
        """Asks for a voice, by ear, as an alternate of the selected pad."""
        session, pad = self._session, self._session.pad
        if pad is None:
            return

        def add(name: str, voice: AnyVoice) -> None:
            sound = Sound(layers=(edits.new_layer((), name, voice),))
            session.edit(
                f"{name} as an alternate",
                lambda kit: alternates.add_alternate(kit, pad.id, name, sound),
            )

        self.chooser = VoiceChooser(
            session, f"An alternate for {short(pad.name)}", add, self._window, pad.role
        )
        open_once(self.chooser)

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
            layers = others[name].sound.layers
            session.edit(
                f"{session.pad.name}: layers of {name}",
                lambda kit: edits.copy_layers(kit, session.pad_id, layers),
            )

    def ask_file_for(self, place: int | None) -> None:
        names = self._ask_names()
        if names:
            self.drop(names, "", place)

    def _ask_names(self) -> list[Path]:
        return ask_sounds(self._window, "Sound files", self._session.settings)


def _once_each(found: list[Found]) -> list[Found]:
    """Files with one content land once."""
    return list({one.content.hash: one for one in found}.values())


def _plainly(landing: Landing) -> str:
    """What its recordings were taken for."""
    turns = max(len(rung) for rung in landing.rungs)
    if len(landing.rungs) == 1:
        return "a round robin, one after another"
    if turns == 1:
        return "velocities, soft to hard"
    return f"{len(landing.rungs)} velocities of {turns} round-robin takes each"


def _role(name: str) -> Any:
    """A measured role, or percussion."""
    return name if name in ROLES else "percussion"
