"""Work away from the window's thread whose results come back to it."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Hashable
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.render.workers import CLOSING_S, Workers
from puddle.wanted import UnwantedError, cancellable

log = logging.getLogger(__name__)

_FAILED = "Something could not be rendered. Your kit is unharmed; move any control to try again."
_FAILED_BESIDE = "Something failed that takes longer. Your kit is unharmed; try it again."


class Background(QObject):
    """Workers for what a hand waits for, and one more for what can wait."""

    told = pyqtSignal(str)  # a sentence for the person
    _came = pyqtSignal(object, object)

    def __init__(self) -> None:
        super().__init__()
        self.workers = Workers(failed=self._tell_failed)
        self.spare = Workers(1, failed=self._tell_failed)
        self._closed = False
        self._beside: list[threading.Thread] = []
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
        if then is not None and not self._closed:  # else there is nobody to be told any more
            self._came.emit(then, result)

    def run_beside(self, work: Callable[[Callable[[], bool]], None]) -> Callable[[], None]:
        """Runs long work on a thread of its own; returns what cancels it.

        `work` is given what tells whether it is still wanted; its checkpoints ask the same.
        """
        left = threading.Event()

        def wanted() -> bool:
            return not (left.is_set() or self._closed)

        def run() -> None:
            try:
                with cancellable(wanted):
                    work(wanted)
            except UnwantedError:
                pass
            except Exception:
                log.exception("long work failed")
                self.told.emit(_FAILED_BESIDE)

        thread = threading.Thread(target=run, name="puddle-work", daemon=True)
        self._beside = [t for t in self._beside if t.is_alive()] + [thread]
        thread.start()
        return left.set

    def close(self) -> None:
        """Drops what waits, has what runs left, and waits for it no longer than a blink."""
        self._closed = True
        end = time.monotonic() + CLOSING_S
        self.spare.close(0.0)
        self.workers.close()
        for thread in self._beside:
            thread.join(max(0.0, end - time.monotonic()))

    @property
    def busy(self) -> bool:
        """Whether anything that was left has still not ended."""
        return any(t.is_alive() for t in self._beside) or self.workers.alive or self.spare.alive
