"""Patterns as MIDI files: saved, dragged out, as sound too, and taken in."""

from __future__ import annotations

from collections.abc import Callable, Collection
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from PyQt6.QtWidgets import QFileDialog, QWidget

from puddle.errors import PuddleError
from puddle.files import writable
from puddle.kit.edits import patterns
from puddle.kit.edits.from_midi import pattern_from
from puddle.kit.edits.hits import Spot
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.playing.groove import groove_of
from puddle.kit.playing.schedule import pattern_beats
from puddle.units import note_name
from puddle.window.session.session import Session
from puddle.window.widgets.promised_files import PromisedFiles, Writing

if TYPE_CHECKING:
    from puddle.formats.midi import MidiNotes

replace = msgspec.structs.replace
SUFFIXES = (".mid", ".midi")


def only(pattern: Pattern, spots: Collection[Spot]) -> Pattern:
    """The pattern with some of its hits; all of it where none are named."""
    if not spots:
        return pattern
    lanes = [
        replace(lane, hits=tuple(h for h in lane.hits if Spot(lane.pad, h.at) in spots))
        for lane in pattern.lanes
    ]
    return replace(pattern, lanes=tuple(lane for lane in lanes if lane.hits))


class MidiFiles:
    """What leaves and enters of patterns."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self._session, self._window = session, window
        self._writing: Writing | None = None
        self._taken = 0

    def ask_export(self) -> None:
        """Asks where the pattern goes, and writes it."""
        pattern, settings = self._session.pattern, self._session.settings
        if pattern is None:
            return
        name = f"{writable(f'{self._session.kit.name} {pattern.name}')}.mid"
        chosen, _ = QFileDialog.getSaveFileName(
            self._window,
            "Export the pattern as MIDI",
            str(Path(settings.last_folder or Path.home()) / name),
            "Standard MIDI File (*.mid)",
        )
        if chosen:
            settings.last_folder = str(Path(chosen).parent)
            self.export(Path(chosen), pattern)

    def export(self, path: Path, pattern: Pattern) -> None:
        """Writes one pass of a pattern."""
        from puddle.formats.midi import left_out, write_midi

        path = path if path.suffix.lower() in SUFFIXES else path.with_suffix(".mid")
        kit, told = self._session.kit, self._session.told.emit

        def work() -> str:
            try:
                write_midi(path, kit, pattern, pattern_beats(pattern))
            except PuddleError as error:
                return str(error)
            return f"{path.name} is written: a track for each lane. {left_out(pattern)}".strip()

        self._session.background.start(work, told, key=("midi", str(path)))

    def carried(self, spots: Collection[Spot], *, sound: bool) -> PromisedFiles | None:
        """What a drag of the pattern carries: a MIDI file, or the sound of it."""
        shown = self._session.pattern
        if shown is None:
            return None
        kit, pattern, takes = self._session.kit, only(shown, spots), self._session.renders.takes
        name = writable(f"{kit.name} {pattern.name}")

        def write(folder: Path) -> list[Path]:
            if sound:
                from puddle.engine.offline import bounce_beats
                from puddle.formats.sound import write_wav

                beats = pattern_beats(pattern)
                made = bounce_beats(kit, groove_of(pattern), beats, takes)
                write_wav(folder / f"{name}.wav", made.master, made.rate_hz)
                return [folder / f"{name}.wav"]
            from puddle.formats.midi import write_midi

            write_midi(folder / f"{name}.mid", kit, pattern, pattern_beats(pattern))
            return [folder / f"{name}.mid"]

        if self._writing is not None:
            self._writing.remove()
        self._writing = Writing(write)
        return PromisedFiles(self._writing, ())

    def close(self) -> None:
        """Removes what the last drag wrote."""
        if self._writing is not None:
            self._writing.remove()
            self._writing = None

    def take_in(self, path: Path) -> None:
        """Reads a file, and makes a pattern of what finds a pad; what does not is told."""
        self.read(path, lambda found: self._land(path.stem, found))

    def read(self, path: Path, then: Callable[[MidiNotes], None]) -> None:
        """Reads a file on a worker; what cannot be read, or holds nothing, is told."""
        session = self._session

        def work() -> MidiNotes | str:
            from puddle.formats.midi import read_midi

            try:
                return read_midi(path)
            except PuddleError as error:
                return str(error)

        def come(found: MidiNotes | str) -> None:
            if isinstance(found, str):
                session.told.emit(found)
            elif not found.notes:
                session.told.emit(f"{path.name} holds no notes.")
            else:
                then(found)

        self._taken += 1
        session.background.start(work, come, key=("midi in", self._taken))

    def _land(self, name: str, found: MidiNotes) -> None:
        session = self._session
        lost: list[int] = []

        def add(kit: Kit) -> tuple[Kit, Pattern]:
            taken = pattern_from(kit, found.notes, name, found.meter)
            lost.extend(taken.lost)
            return patterns.add_pattern(kit, taken.pattern)

        made = session.make(f"Pattern from {name}", add)
        if made is None:
            return
        session.grooving.choose(made.id)
        words = list(found.problems)
        if lost:
            notes = ", ".join(note_name(n) for n in sorted(lost)[:8])
            more = f" and {len(lost) - 8} more" if len(lost) > 8 else ""
            words.append(f"No pad answers to {notes}{more}: those notes are left out.")
        if found.bpm is not None and abs(found.bpm - session.kit.tempo_bpm) > 0.05:
            words.append(f"The file was written at {found.bpm:.1f} bpm.")
        if words:
            session.told.emit(" ".join(words))
