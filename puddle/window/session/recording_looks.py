"""Looks at recordings, each on a thread of its own: an outline at once, then all that is noted."""

from __future__ import annotations

from typing import Any

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.formats.recording_file import RecordingFile
from puddle.library.cleaning import cleaner
from puddle.library.cutting import Outline, first_look, looked_at
from puddle.library.hit_groups import HeardHits
from puddle.measure.hits import Noted
from puddle.stages import Equalizer
from puddle.tasks import Task, post, report
from puddle.window.session.background import Background

_LEFT = "It was not looked at to its end. Look at it again to find its hits."


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
        self._tasks: dict[str, Task[Any]] = {}

    def of(self, path: str) -> Looked | None:
        """What is known of a file; None where it was not asked for."""
        return self._known.get(path)

    def look(self, path: str) -> None:
        """Looks at a file."""
        known = self._known[path] = Looked(path)

        def work() -> tuple[Noted, Outline]:
            try:
                known.file = RecordingFile(path)
                known.heard = HeardHits(known.file)
                known.outline = first_look(known.file)
                post(self._show_first, known)
                found = looked_at(known.file, report)
                known.cleaner = cleaner(known.file, found[0])
            except BaseException:
                _close(known)
                raise
            return found

        def come(found: tuple[Noted, Outline]) -> None:
            known.noted, known.outline = found
            known.share = 1.0
            self.progressed.emit(1.0)
            self.looked.emit(path)

        def fail(error: Exception) -> None:
            known.error = str(error)
            self._show_first(known)

        def show(share: float) -> None:
            known.share = share
            self.progressed.emit(share)

        self._tasks[path] = self._background.start(
            work, come, key=("look", path), priority="long", failed=fail, progress=show,
            ended=lambda: _close(known) if known.noted is None else None,
        )  # fmt: skip

    def _show_first(self, known: Looked) -> None:
        self.outlined.emit(known.path)

    def leave(self, path: str) -> None:
        """Leaves a look that is under way."""
        known = self._known.get(path)
        if known is None or known.noted is not None:
            return
        self._cancel(path)
        known.error = _LEFT
        self.progressed.emit(1.0)
        self.outlined.emit(path)

    def forget(self, path: str) -> None:
        """Lets a file go; it is looked at anew when it is asked for."""
        self._cancel(path)
        known = self._known.pop(path, None)
        if known is not None and known.noted is not None:
            _close(known)  # else the look itself does, when it is left

    def _cancel(self, path: str) -> None:
        task = self._tasks.pop(path, None)
        if task is not None:
            task.cancel()

    def close(self) -> None:
        """Lets all files go."""
        for path in list(self._known):
            self.forget(path)


def _close(known: Looked) -> None:
    """Lets a file go; what was noted of it stays."""
    if known.file is not None:
        known.file.close()
