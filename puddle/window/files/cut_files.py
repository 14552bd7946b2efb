"""What is written of a recording that is cut: its hits as files, its timing as MIDI."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from puddle.errors import PuddleError
from puddle.files import writable
from puddle.kit.playing.schedule import pattern_beats
from puddle.library.hit_files import write_hits
from puddle.window.session.cutter import Cutter
from puddle.window.session.sender import Sender
from puddle.window.session.session import Session
from puddle.window.widgets.promised_files import PromisedFiles, Writing

_KINDS = (
    "WAV files",
    "FLAC files",
    "WAV files, and a copy of the recording with cue points",
)


class CutFiles:
    """Asks where, and has it written."""

    def __init__(self, session: Session, cutter: Cutter, sender: Sender, parent: QWidget) -> None:
        self._session, self._cutter, self._sender = session, cutter, sender
        self._parent = parent
        self._writing: Writing | None = None

    def carried(self, hit: int) -> PromisedFiles:
        """What a drag of a hit takes along: itself for another group, and a WAV file of it."""
        cut, known = self._cutter.cut_in_groups, self._cutter.known
        name = dict(self._sender.names_of(self._cutter.groups)).get(hit, "hit")
        own = {"hit": str(hit).encode()}
        if cut is None or known is None or known.file is None:
            return PromisedFiles(None, (), **own)
        file, cleaner = known.file, self._cutter.cleaner

        def write(folder: Path) -> list[Path]:
            return write_hits(file, cut, [(hit, name)], folder, cleaner=cleaner)

        self.close()
        self._writing = Writing(write)
        return PromisedFiles(self._writing, (), **own)

    def close(self) -> None:
        """Removes what was written for the last drag."""
        writing, self._writing = self._writing, None
        if writing is not None:
            writing.remove()

    def ask_hits(self) -> None:
        """Asks for the kind of files and for a folder."""
        if self._cutter.cut is None:
            return
        kind, done = QInputDialog.getItem(
            self._parent, "Write the hits", "Each hit as a file of its own:", _KINDS, 0, False
        )
        if not done:
            return
        settings = self._session.settings
        chosen = QFileDialog.getExistingDirectory(
            self._parent, "A folder for the hits", settings.last_folder
        )
        if chosen:
            settings.last_folder = chosen
            self._sender.write_hits(Path(chosen), kind.split()[0], cue_points=kind == _KINDS[2])

    def ask_midi(self) -> None:
        """Asks where the timing goes."""
        made, shown = self._sender.pattern_alone(), self._cutter.recording
        if made is None or shown is None:
            return
        settings = self._session.settings
        chosen, _ = QFileDialog.getSaveFileName(
            self._parent,
            "Write the timing as MIDI",
            str(Path(settings.last_folder or Path.home()) / f"{writable(shown.name)}.mid"),
            "Standard MIDI File (*.mid)",
        )
        if chosen:
            settings.last_folder = str(Path(chosen).parent)
            self.write_midi(Path(chosen).with_suffix(".mid"))

    def write_midi(self, path: Path) -> None:
        """Writes the timing, a track for each group."""
        from puddle.formats.midi import write_midi

        made = self._sender.pattern_alone()
        if made is None:
            return
        kit, pattern = made

        def work() -> str:
            try:
                write_midi(path, kit, pattern, pattern_beats(pattern))
            except PuddleError as error:
                return str(error)
            return f"{path.name} is written: a track for each group."

        self._session.background.start(work, self._session.told.emit, key=("midi", str(path)))
