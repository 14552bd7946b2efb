"""The window's tasks: work on other threads whose results come back to the window's."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any, TypeVar

from PyQt6 import sip
from PyQt6.QtCore import QObject, Qt, pyqtSignal

from puddle.errors import PuddleError
from puddle.tasks import Priority, Task, Tasks

T = TypeVar("T")

_FAILED = "Something could not be rendered. Your kit is unharmed; move any control to try again."
_FAILED_LONG = "Something failed that takes longer. Your kit is unharmed; try it again."


class Background(QObject):
    """Starts tasks and hands over what comes of them on the window's thread."""

    told = pyqtSignal(str)  # a sentence for the person
    _called = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.tasks = Tasks(self._called.emit, self._tell)
        # Queued also from the window's own thread: whoever starts a task is not called back in it.
        self._called.connect(self._call, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]

    @staticmethod
    def _call(function: Callable[[], None]) -> None:
        function()

    def _tell(self, task: Task[Any], error: Exception) -> None:
        generic = _FAILED_LONG if task.priority == "long" else _FAILED
        self.told.emit(str(error) if isinstance(error, PuddleError) else generic)

    def start(
        self,
        work: Callable[[], T],
        then: Callable[[T], Any] | None = None,
        *,
        key: Hashable = None,
        priority: Priority = "now",
        failed: Callable[[Exception], Any] | None = None,
        progress: Callable[[float], Any] | None = None,
        ended: Callable[[], Any] | None = None,
        release: Callable[[], None] | None = None,
    ) -> Task[T]:
        """Runs `work` on another thread; see `Task`. Callbacks run on the window's thread.

        Those that are methods of a deleted QObject are not called.
        """
        task = Task(
            work,
            _while_it_lives(then),
            key=key,
            priority=priority,
            failed=_while_it_lives(failed),
            progress=_while_it_lives(progress),
            ended=ended,
            release=release,
        )
        return self.tasks.start(task)

    def close(self) -> None:
        """Drops what waits, has what runs end, and waits for it no longer than a blink."""
        self.tasks.close()

    @property
    def busy(self) -> bool:
        """True while anything that was cancelled has not ended."""
        return self.tasks.alive


def _while_it_lives(then: Callable[[Any], Any] | None) -> Callable[[Any], Any] | None:
    """The function, unless it is a method of a QObject that is deleted by then."""
    receiver = getattr(then, "__self__", None)
    if then is None or not isinstance(receiver, QObject):
        return then

    def call(value: Any) -> None:
        if not sip.isdeleted(receiver):
            then(value)

    return call
