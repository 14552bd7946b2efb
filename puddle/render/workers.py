"""Renders away from the window's thread: the newest request for a place replaces older ones."""

from __future__ import annotations

import contextlib
import logging
import os
import threading
import time
from collections import deque
from collections.abc import Callable, Hashable
from typing import Any

from puddle.wanted import UnwantedError, cancellable

log = logging.getLogger(__name__)


_NICE = 10
CLOSING_S = 0.1
_Request = tuple[Hashable, int, Callable[[], Any], Callable[[Any], None]]


def give_way() -> None:
    """Lets the window and the sound card go first where all cores are busy."""
    with contextlib.suppress(AttributeError, OSError):  # not every system can
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICE)


class Workers:
    """Threads, for work whose kernels release the interpreter lock.

    A request has a place (a pad, a display). While one for the same place is waiting it is
    replaced; while one is running its result is dropped when a newer has come.
    """

    def __init__(
        self, threads: int | None = None, failed: Callable[[], None] = lambda: None
    ) -> None:
        """`failed` is called on the worker when a request raised; the log has its trace."""
        self._failed = failed
        count = threads or max(2, (os.cpu_count() or 2) - 1)
        self._lock = threading.Lock()
        self._waiting: deque[_Request] = deque()
        self._asked = threading.Condition(self._lock)
        self._newest: dict[Hashable, int] = {}
        self._count = 0
        self._open = 0
        self._closed = False
        self._held = False
        self._idle = threading.Condition(self._lock)
        # Daemons: a process that ends does not wait for a render that nobody wants any more.
        self._threads = [
            threading.Thread(target=self._work, name=f"puddle-render-{n}", daemon=True)
            for n in range(min(count, 8))
        ]
        for thread in self._threads:
            thread.start()

    def request(
        self, place: Hashable, work: Callable[[], Any], done: Callable[[Any], None]
    ) -> None:
        """Runs `work` on a worker, then `done` there with its result unless a newer one came."""
        with self._lock:
            if self._closed:
                return
            self._count += 1
            number = self._count
            self._newest[place] = number
            self._open += 1
            self._waiting.append((place, number, work, done))
            self._asked.notify()

    def hold(self) -> None:
        """Lets requests wait until `go`: before the first paint nothing else may take time."""
        with self._lock:
            self._held = True

    def go(self) -> None:
        """Starts what waits."""
        with self._lock:
            self._held = False
            self._asked.notify_all()

    def _work(self) -> None:
        give_way()
        while True:
            with self._asked:
                self._asked.wait_for(lambda: self._closed or (self._waiting and not self._held))
                if self._closed:
                    return
                request = self._waiting.popleft()
            self._run(*request)
            del request  # what it holds is not kept until the next one comes

    def _run(
        self, place: Hashable, number: int, work: Callable[[], Any], done: Callable[[Any], None]
    ) -> None:
        try:
            if self._current(place, number):
                with cancellable(self._is_open):
                    result = work()
                if self._current(place, number):
                    done(result)
        except UnwantedError:
            pass
        except Exception:
            log.exception("a render failed")
            self._failed()
        finally:
            with self._lock:
                if self._newest.get(place) == number:
                    del self._newest[place]
                self._open -= 1
                self._idle.notify_all()

    def _is_open(self) -> bool:
        return not self._closed

    def _current(self, place: Hashable, number: int) -> bool:
        with self._lock:
            return self._newest.get(place) == number

    def wait_for(self, place: Hashable, timeout_s: float = 30.0) -> bool:
        """Until nothing for a place is waiting or running; False when that took too long."""
        with self._idle:
            return self._idle.wait_for(lambda: place not in self._newest, timeout_s)

    def wait(self, timeout_s: float = 30.0) -> bool:
        """Until nothing is waiting or running; False when that took too long."""
        with self._idle:
            return self._idle.wait_for(lambda: self._open == 0, timeout_s)

    def close(self, timeout_s: float = CLOSING_S) -> bool:
        """Drops what waits, and has what runs left at its next checkpoint.

        Returns whether the threads have ended within the time; a single transform of a recording
        of minutes may take longer, and then ends by itself.
        """
        with self._lock:
            self._newest.clear()
            self._open -= len(self._waiting)
            self._waiting.clear()
            self._closed = True
            self._asked.notify_all()
            self._idle.notify_all()
        end = time.monotonic() + timeout_s
        for thread in self._threads:
            thread.join(max(0.0, end - time.monotonic()))
        return not self.alive

    @property
    def alive(self) -> bool:
        """Whether any of its threads has not ended."""
        return any(thread.is_alive() for thread in self._threads)
