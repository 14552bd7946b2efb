"""How recordings come to Cut: asked for, recorded, made for the demo, found elsewhere."""

from __future__ import annotations

from pathlib import Path

from platformdirs import user_cache_path
from PyQt6.QtWidgets import QWidget

from puddle.demo.session import write_session
from puddle.errors import PuddleError
from puddle.formats.cue_points import read_cues
from puddle.kit.edits.recordings import add_marks
from puddle.window.files.asking_files import ask_sounds
from puddle.window.files.record_dialog import RecordDialog
from puddle.window.session.cutter import Cutter
from puddle.window.session.session import Session
from puddle.window.widgets.passing import open_once

_SAME_S = 0.01  # a cue point so near to a hit is that hit


class Bringing:
    """Asks, and hands what comes to the cutter."""

    def __init__(self, session: Session, cutter: Cutter, parent: QWidget) -> None:
        self._session, self._cutter, self._parent = session, cutter, parent

    def ask(self) -> None:
        """Asks for recordings."""
        for path in ask_sounds(self._parent, "A recording to cut", self._session.settings):
            self._cutter.bring(path)

    def record(self) -> None:
        """Records an input, and brings what was recorded."""
        open_once(RecordDialog(self._session, self._cutter.bring, self._parent))

    def relocate(self) -> None:
        """Asks where the recording that is shown lies now."""
        found = ask_sounds(self._parent, "Where the recording lies now", self._session.settings)
        if found:
            self._cutter.relocate(found[0])

    def take_cues(self) -> None:
        """Hits at the file's cue points, where none was found; one step."""
        shown, cut = self._cutter.recording, self._cutter.cut
        if shown is None or cut is None:
            self._session.told.emit("The recording is still being looked at.")
            return
        path, near = Path(shown.path), round(_SAME_S * cut.rate_hz)
        known = [int(start) for start in cut.starts]

        def work() -> list[int] | str:
            try:
                return read_cues(path)
            except PuddleError as error:
                return str(error)

        def come(found: list[int] | str) -> None:
            if isinstance(found, str):
                self._session.told.emit(found)
                return
            new = [at for at in found if at < cut.frames]
            if not new:
                self._session.told.emit(f"{path.name} has no cue points.")
                return
            self._cutter.change(
                f"{len(new)} cue points taken", lambda one: add_marks(one, new, known, near)
            )
            count = f"{len(new)} cue point{'s' if len(new) > 1 else ''}"
            self._session.told.emit(f"{count}: hits stand at those where none was found.")

        self._session.background.start(work, come, key=("cut", "cues"))

    def open_session(self) -> None:
        """Makes the demo's session where there is none yet, and opens it."""
        folder = user_cache_path("puddle") / "Boathouse"

        def work() -> list[Path] | str:
            try:
                return write_session(folder)
            except (PuddleError, OSError) as error:
                return str(error)

        def come(made: list[Path] | str) -> None:
            if isinstance(made, str):
                self._session.told.emit(made)
                return
            for path in reversed(made):
                self._cutter.bring(path)

        self._session.background.start(work, come, key=("cut", "demo"))
