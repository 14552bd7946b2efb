"""Work beside the thread that asked for it: tasks, their threads, progress and cancellation.

A task is a function and what becomes of it. It runs on a thread of `Tasks`; its result, its failure
and its progress are handed over on the thread that asked, unless it was cancelled or a newer task
of its key was started by then: that is looked at when they are handed over, not when they leave.
Inside a task `check_cancelled`, `report` and `post` speak to whoever asked. Nothing here knows Qt.
"""

from __future__ import annotations

import contextlib
import logging
import os
import threading
import time
from collections import deque
from collections.abc import Callable, Hashable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor, wait
from contextlib import contextmanager
from contextvars import ContextVar, copy_context
from functools import partial
from typing import Any, Generic, Literal, TypeVar

import msgspec

from puddle.errors import PuddleError

log = logging.getLogger(__name__)

T = TypeVar("T")
S = TypeVar("S")
_NICE = 10
_ASKED_S = 0.05
CLOSING_S = 0.1  # so long closing waits for what still runs
Priority = Literal["now", "low", "long"]


class Cancelled(Exception):  # noqa: N818 - it is no error
    """Nobody waits for this work any more."""


_checks: ContextVar[tuple[Callable[[], bool], ...]] = ContextVar("checks", default=())
_current: ContextVar[tuple[Tasks, Task[Any]] | None] = ContextVar("current", default=None)


@contextmanager
def cancellable(wanted: Callable[[], bool]) -> Iterator[None]:
    """Inside, `check_cancelled` raises Cancelled once `wanted` returns False."""
    token = _checks.set((*_checks.get(), wanted))
    try:
        yield
    finally:
        _checks.reset(token)


def check_cancelled() -> None:
    """Raises Cancelled where the work around it is to end.

    To be called every 50 ms or so by whatever takes longer.
    """
    for wanted in _checks.get():
        if not wanted():
            raise Cancelled


def is_cancelled() -> bool:
    """True where the work around it is to end: for work that ends in its own way."""
    return not all(wanted() for wanted in _checks.get())


def report(share: float) -> None:
    """Tells whoever asked for the task around it how much is done, 0 to 1; checks cancellation."""
    check_cancelled()
    current = _current.get()
    if current is not None:
        current[0]._report(current[1], share)


def unshown(share: float) -> None:
    """Progress of a part that is not shown by itself: checks cancellation and nothing else."""
    check_cancelled()


def post(then: Callable[[S], Any], value: S) -> None:
    """Calls `then` on the thread that asked for the task around it: a part of what it gives.

    Like a result it is dropped where the task was cancelled or replaced by then.
    """
    current = _current.get()
    if current is None:
        then(value)
        return
    tasks, task = current
    tasks.deliver(partial(tasks._hand_part, task, then, value))


class _Asker(msgspec.Struct, frozen=True):
    wanted: Callable[[Hashable], bool]
    tell: Callable[[Hashable, float], None]


_asker: ContextVar[_Asker | None] = ContextVar("asker", default=None)


@contextmanager
def asked(
    wanted: Callable[[Hashable], bool], tell: Callable[[Hashable, float], None]
) -> Iterator[None]:
    """Inside, `go_on` asks whether a named part of the work is wanted, and tells its progress."""
    token = _asker.set(_Asker(wanted, tell))
    try:
        yield
    finally:
        _asker.reset(token)


def go_on(work: Hashable, share: float) -> None:
    """Tells how much of a named part is done, 0 to 1. Raises Cancelled where it is to end.

    Several tasks may need the same part: where there is an asker, it alone decides. A newer task
    of the key does not lose what it needs as well.
    """
    asker = _asker.get()
    if asker is None:
        check_cancelled()
        return
    if not asker.wanted(work):
        asker.tell(work, 1.0)
        raise Cancelled
    asker.tell(work, share)


# Threads.


def give_way() -> None:
    """Lets the window and the sound card go first where all cores are busy."""
    with contextlib.suppress(AttributeError, OSError):  # not every system can
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICE)


def in_parallel(
    work: Callable[[S], T], items: Iterable[S], threads: int | None, name: str
) -> Iterator[T]:
    """Results of `work` on items, in their order, from threads of low priority; None: all cores.

    Inside it the cancellation and progress of the caller hold. What was not begun when the caller
    leaves is not begun any more.
    """

    def part(item: S) -> T:
        check_cancelled()
        return work(item)

    count = max(1, threads or os.cpu_count() or 1)
    with ThreadPoolExecutor(count, thread_name_prefix=name, initializer=give_way) as pool:
        waiting = [pool.submit(copy_context().run, part, item) for item in items]
        try:
            for one in waiting:
                while not one.done():
                    check_cancelled()
                    wait([one], _ASKED_S)
                yield one.result()
        finally:
            pool.shutdown(wait=True, cancel_futures=True)


class Task(Generic[T]):
    """A function to run, what is called with its result, and how it is cancelled.

    Callbacks run on the thread that asked: `then` with the result; `failed` with what it raised,
    else the failure is told as a sentence; `progress` with the newest share, 0 to 1; `ended` last,
    whatever came of it, also where it was cancelled. None of them is called once `Tasks` is closed:
    what the work has borrowed is given back by `release`, which is called exactly once, on any
    thread, when the work has ended or will not begin.
    """

    def __init__(
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
    ) -> None:
        """A newer task of the same key replaces this one; without a key none does.

        `now` is for what a hand waits for, `low` for what can wait, one after another, `long` for
        what may take minutes and has a thread of its own.
        """
        self.work, self.then, self.key, self.priority = work, then, key, priority
        self.failed, self.progress, self.ended = failed, progress, ended
        self._release = release
        self._cancelled = threading.Event()
        self._over = threading.Event()
        self._lock = threading.Lock()
        self._share: float | None = None  # that was reported and is still to be shown

    def cancel(self) -> None:
        """Ends it at its next check; nothing of it is handed over any more."""
        self._cancelled.set()

    @property
    def cancelled(self) -> bool:
        """True once nobody waits for it."""
        return self._cancelled.is_set()

    def end(self) -> None:
        """Gives back what its work has borrowed: that is over, or will not begin."""
        self._over.set()
        if self._release is not None:
            self._release()

    def wait(self, timeout_s: float | None = None) -> bool:
        """Until its work has ended; False when that took too long."""
        return self._over.wait(timeout_s)


class _Outcome(msgspec.Struct, frozen=True, eq=False):
    result: Any = None
    error: Exception | None = None
    cancelled: bool = False


_CANCELLED = _Outcome(cancelled=True)


class Tasks:
    """Threads for tasks: some for what a hand waits for, one for what can wait."""

    def __init__(
        self,
        deliver: Callable[[Callable[[], None]], None],
        tell: Callable[[Task[Any], Exception], None],
        threads: int | None = None,
    ) -> None:
        """`deliver` has a function called on the thread that asks; `tell` says that one failed."""
        self.deliver, self._tell = deliver, tell
        self._lock = threading.Lock()
        self._changed = threading.Condition(self._lock)
        self._waiting: dict[Priority, deque[Task[Any]]] = {"now": deque(), "low": deque()}
        self._newest: dict[Hashable, Task[Any]] = {}
        self._running: set[Hashable] = set()  # keys: two tasks of one never run at once
        self._held: dict[Hashable, Task[Any]] = {}  # by key: the one that waits for that
        # Tasks whose work has not ended.
        self._open: dict[Priority, int] = {"now": 0, "low": 0, "long": 0}
        self._closed = self._paused = False
        count = threads or max(2, (os.cpu_count() or 2) - 1)
        # Daemons: a process that ends does not wait for work that nobody wants any more.
        names: list[tuple[Priority, str]] = [("low", "puddle-low")]
        for n in range(min(count, 8)):
            names.append(("now", f"puddle-render-{n}"))
        self._threads = [
            threading.Thread(target=self._work, args=(priority,), name=name, daemon=True)
            for priority, name in names
        ]
        for thread in self._threads:
            thread.start()

    def start(self, task: Task[T]) -> Task[T]:
        """Runs a task; an older one of its key is cancelled, and has ended before this begins."""
        with self._lock:
            closed, replaced = self._closed, None
            if not closed:
                self._open[task.priority] += 1
                replaced = self._replace(task) if task.key is not None else None
                if task.key is not None and task.key in self._running:
                    self._held[task.key] = task
                else:
                    self._queue(task)
        if closed:
            task.cancel()
            task.end()
        if replaced is not None:
            replaced.end()
            self.deliver(partial(self._hand_over, replaced, _CANCELLED))
        return task

    def cancel(self, key: Hashable) -> None:
        """Cancels the task of a key, if there is one."""
        with self._lock:
            task = self._newest.get(key)
        if task is not None:
            task.cancel()

    def _replace(self, task: Task[Any]) -> Task[Any] | None:
        """With the lock: cancels the older task of a key; gives it where it had not begun."""
        older = self._newest.get(task.key)
        self._newest[task.key] = task
        if older is None:
            return None
        older.cancel()
        waiting = self._waiting.get(older.priority, deque())
        if self._held.get(task.key) is older:
            del self._held[task.key]
        elif older in waiting:
            waiting.remove(older)
        else:
            return None
        self._note_end(older)
        return older

    def _queue(self, task: Task[Any]) -> None:
        """With the lock: has a task run as soon as a thread is free."""
        if task.priority == "long":
            if task.key is not None:
                self._running.add(task.key)
            thread = threading.Thread(
                target=self._run, args=(task,), name="puddle-work", daemon=True
            )
            self._threads = [t for t in self._threads if t.is_alive()] + [thread]
            thread.start()
            return
        self._waiting[task.priority].append(task)
        self._changed.notify_all()

    def _work(self, priority: Priority) -> None:
        give_way()
        waiting = self._waiting[priority]
        while True:
            with self._changed:
                self._changed.wait_for(lambda: self._closed or (waiting and not self._paused))
                if self._closed:
                    return
                task = waiting.popleft()
                if task.key is not None:
                    self._running.add(task.key)
            self._run(task)
            del task  # what it holds is not kept until the next one comes

    def _run(self, task: Task[Any]) -> None:
        outcome = _CANCELLED
        if not task.cancelled:
            outcome = copy_context().run(self._outcome, task)
        if not self._closed:  # else there is nobody to be told any more
            self.deliver(partial(self._hand_over, task, outcome))
        with self._lock:
            if task.key is not None:
                self._running.discard(task.key)
                following = self._held.pop(task.key, None)
                if following is not None and not self._closed:
                    self._queue(following)
            self._note_end(task)
        task.end()

    def _outcome(self, task: Task[Any]) -> _Outcome:
        _current.set((self, task))
        try:
            with cancellable(lambda: not (task.cancelled or self._closed)):
                return _Outcome(task.work())
        except Cancelled:
            return _CANCELLED
        except Exception as error:
            if not isinstance(error, PuddleError):
                log.exception("a task failed")
            return _Outcome(error=error)

    def _note_end(self, task: Task[Any]) -> None:
        """With the lock: its work is over, or will not begin."""
        self._open[task.priority] -= 1
        self._changed.notify_all()

    # On the thread that asked.

    def _hand_over(self, task: Task[Any], outcome: _Outcome) -> None:
        if self._closed:
            return
        current = not task.cancelled
        with self._lock:
            if task.key is not None and self._newest.get(task.key) is task:
                del self._newest[task.key]
        try:
            if current and outcome.error is not None:
                (task.failed or partial(self._tell, task))(outcome.error)
            elif current and not outcome.cancelled and task.then is not None:
                task.then(outcome.result)
        finally:
            if task.ended is not None:
                task.ended()

    def _hand_part(self, task: Task[Any], then: Callable[[Any], Any], value: Any) -> None:
        if not (self._closed or task.cancelled):
            then(value)

    def _report(self, task: Task[Any], share: float) -> None:
        """Shows a share at once, then, if others come before that, once more with the newest."""
        if task.progress is None:
            return
        with task._lock:
            waits, task._share = task._share is not None, share
        if not waits:
            self.deliver(partial(self._show_share, task))

    def _show_share(self, task: Task[Any]) -> None:
        with task._lock:
            share, task._share = task._share, None
        unwanted = self._closed or task.cancelled
        if share is not None and task.progress is not None and not unwanted:
            task.progress(share)

    # All of them.

    def hold(self) -> None:
        """Lets tasks wait until `go`: before the first paint nothing else may take time."""
        with self._lock:
            self._paused = True

    def go(self) -> None:
        """Starts what waits."""
        with self._changed:
            self._paused = False
            self._changed.notify_all()

    def wait(self, timeout_s: float = 30.0, *priorities: Priority) -> bool:
        """Until no task of some priorities, or of any, waits or runs; False when it took long."""
        with self._changed:
            which = priorities or tuple(self._open)
            return self._changed.wait_for(
                lambda: not any(self._open[priority] for priority in which), timeout_s
            )

    def wait_for(self, key: Hashable, timeout_s: float = 30.0) -> bool:
        """Until no task of a key is waiting or running; False when that took too long."""
        with self._changed:
            return self._changed.wait_for(lambda: not self._waits(key), timeout_s)

    def _waits(self, key: Hashable) -> bool:
        every = [task.key for tasks in self._waiting.values() for task in tasks]
        return key in self._running or key in every

    def close(self, timeout_s: float = CLOSING_S) -> bool:
        """Drops what waits, and has what runs end at its next check.

        Returns whether all threads have ended within the time; a single transform of a recording
        of minutes may take longer, and then ends by itself.
        """
        with self._changed:
            self._closed = True
            unbegun = [*self._held.values(), *self._waiting["now"], *self._waiting["low"]]
            for task in unbegun:
                self._note_end(task)
            for waiting in self._waiting.values():
                waiting.clear()
            self._held.clear()
            self._newest.clear()
            self._changed.notify_all()
        for task in unbegun:
            task.end()
        end = time.monotonic() + timeout_s
        for thread in self._threads:
            thread.join(max(0.0, end - time.monotonic()))
        return not self.alive

    @property
    def alive(self) -> bool:
        """True while any of its threads has not ended."""
        return any(thread.is_alive() for thread in self._threads)
