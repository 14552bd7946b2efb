"""Looks at recordings, each on a thread of its own: an outline at once, then all that is noted."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import PuddleError
from puddle.formats.recording_file import RecordingFile
from puddle.library.cleaning import cleaner
from puddle.library.cutting import Outline, first_look, looked_at
from puddle.library.hit_groups import HeardHits
from puddle.measure.hits import Noted
from puddle.stages import Equalizer
from puddle.wanted import UnwantedError
from puddle.window.session.background import Background

_LEFT = "It was not looked at to its end. Look at it again to find its hits."
_STEP = 0.01  # of the whole, after which progress is told


class Looked(msgspec.Struct, eq=False):
    """What is known of a file so far."""

    path: str
    file: RecordingFile | None = None
    heard: HeardHits | None = None  # of its hits
    outline: Outline | None = None
    noted: Noted | None = None  # once all of it was looked at
    cleaner: Equalizer | None = None  # what takes its hum and rumble away
    error: str = ""
    share: float = 0.0


class RecordingLooks(QObject):
    """What is known of files, by their paths."""

    outlined = pyqtSignal(str)  # a file's first outline is there, or why there is none
    looked = pyqtSignal(str)  # all of a file was looked at
    progressed = pyqtSignal(float)  # how much of the newest one, 0 to 1

    def __init__(self, background: Background, parent: QObject) -> None:
        super().__init__(parent)
        self._background = background
        self._known: dict[str, Looked] = {}
        self._leave: dict[str, Callable[[], None]] = {}

    def of(self, path: str) -> Looked | None:
        """What is known of a file; None where it was not asked for."""
        return self._known.get(path)

    def look(self, path: str) -> None:
        """Looks at a file."""
        known = self._known[path] = Looked(path)
        hand_over = self._background.hand_over

        def work(wanted: Callable[[], bool]) -> None:
            try:
                known.file = RecordingFile(path)
                known.heard = HeardHits(known.file)
                known.outline = first_look(known.file)
                hand_over(self._show_first, known)
                found = looked_at(known.file, tell)
                known.cleaner = cleaner(known.file, found[0])
                hand_over(come, found)
            except UnwantedError:
                _close(known)
            except PuddleError as error:
                known.error = str(error)
                _close(known)
                hand_over(self._show_first, known)

        def tell(share: float) -> None:
            if share - known.share >= _STEP:
                known.share = share
                hand_over(self._tell, share)

        def come(found: tuple[Noted, Outline]) -> None:
            known.noted, known.outline = found
            known.share = 1.0
            self.progressed.emit(1.0)
            if self._known.get(path) is known:
                self.looked.emit(path)
            else:
                _close(known)

        self._leave[path] = self._background.run_beside(work)

    def _show_first(self, known: Looked) -> None:
        if self._known.get(known.path) is known:
            self.outlined.emit(known.path)

    def _tell(self, share: float) -> None:
        self.progressed.emit(share)

    def leave(self, path: str) -> None:
        """Leaves a look that is under way."""
        known = self._known.get(path)
        if known is None or known.noted is not None:
            return
        self._leave.pop(path, lambda: None)()
        known.error = _LEFT
        self.progressed.emit(1.0)
        self.outlined.emit(path)

    def forget(self, path: str) -> None:
        """Lets a file go; it is looked at anew when it is asked for."""
        self._leave.pop(path, lambda: None)()
        known = self._known.pop(path, None)
        if known is not None and known.noted is not None:
            _close(known)  # else the look itself does, when it is left

    def close(self) -> None:
        """Lets all files go."""
        for path in list(self._known):
            self.forget(path)


def _close(known: Looked) -> None:
    """Lets a file go; what was noted of it stays."""
    if known.file is not None:
        known.file.close()
