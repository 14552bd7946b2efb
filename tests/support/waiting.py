"""Waiting for what another thread or process does."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Any

_LOOKS_S = 0.005


def until(
    done: Callable[[], Any], seconds: float = 10.0, told: Callable[[], object] = lambda: None
) -> None:
    """Looks again and again. Raises AssertionError, with what was told by then."""
    end = time.monotonic() + seconds
    while not done():
        if time.monotonic() > end:
            raise AssertionError("it never came", told())
        time.sleep(_LOOKS_S)


class StoodStill:
    """Counts how often this machine lets a thread that sleeps stand still for 15 ms and more.

    A process beside it is as likely to: what it was to do in time comes late then.
    """

    def __init__(self) -> None:
        self.count = 0
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._watch, name="stood still", daemon=True)
        self._thread.start()

    def _watch(self) -> None:
        before = time.monotonic()
        while not self._ended.wait(0.002):
            now = time.monotonic()
            self.count += now - before > 0.017
            before = now

    def close(self) -> None:
        """Ends the watch."""
        self._ended.set()
        self._thread.join()


def until_calm(seconds: float = 20.0) -> None:
    """Waits, at most so long, for a second in which this machine lets nobody stand still."""
    watch, end = StoodStill(), time.monotonic() + seconds
    while time.monotonic() < end:
        before = watch.count
        time.sleep(1.0)
        if watch.count == before:
            break
    watch.close()
