"""Work away from the window's thread whose results come back to it."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.render.workers import Workers

_FAILED = "Something could not be rendered. Your kit is unharmed; move any control to try again."


class Background(QObject):
    """Workers for what a hand waits for, and one more for what can wait."""

    told = pyqtSignal(str)  # a sentence for the person
    _came = pyqtSignal(object, object)

    def __init__(self) -> None:
        super().__init__()
        self.workers = Workers(failed=self._tell_failed)
        self.spare = Workers(1, failed=self._tell_failed)
        self._closed = False
        self._came.connect(self._call)

    def _call(self, then: Callable[[Any], None], result: Any) -> None:
        receiver = getattr(then, "__self__", None)
        gone = isinstance(receiver, QObject) and sip.isdeleted(receiver)
        if not (self._closed or gone):  # what was on its way when they went has nobody to go to
            then(result)

    def _tell_failed(self) -> None:
        self.told.emit(_FAILED)

    def ask(
        self,
        place: Hashable,
        work: Callable[[], Any],
        then: Callable[[Any], None] | None = None,
        *,
        spare: bool = False,
    ) -> None:
        """Runs `work` on a worker, then `then` on the window's thread with what came of it.

        A newer request for the same place takes the place of an older one.
        """
        workers = self.spare if spare else self.workers
        workers.request(place, work, lambda result: self.hand_over(then, result))

    def hand_over(self, then: Callable[[Any], None] | None, result: Any) -> None:
        """Calls `then` on the window's thread; from any other."""
        if then is not None:
            self._came.emit(then, result)

    def close(self) -> None:
        """Drops what waits, and ends the threads."""
        self._closed = True
        self.spare.close()
        self.workers.close()
