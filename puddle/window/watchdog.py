"""How long each turn of the event loop holds the window: for journeys and for the curious.

With `PUDDLE_WATCHDOG=FILE` in the environment every turn is timed; when the window closes, the file
holds a line for each: seconds by the clock, and seconds of work by the window's own thread.
"""

from __future__ import annotations

import os
import time
from pathlib import Path

from PyQt6.QtCore import QAbstractEventDispatcher, QObject

VARIABLE = "PUDDLE_WATCHDOG"


class Watchdog(QObject):
    """Times the turns between two waits of the event loop."""

    def __init__(self) -> None:
        super().__init__()
        self.turns: list[tuple[float, float]] = []  # by the clock, of work: in s
        self._woke = (time.perf_counter(), time.thread_time())
        dispatcher = QAbstractEventDispatcher.instance()
        if dispatcher is not None:
            dispatcher.awake.connect(self._wake)
            dispatcher.aboutToBlock.connect(self._note)

    def _wake(self) -> None:
        self._woke = (time.perf_counter(), time.thread_time())

    def _note(self) -> None:
        clock, work = self._woke
        self.turns.append((time.perf_counter() - clock, time.thread_time() - work))

    def write(self, path: Path) -> None:
        """A line for each turn."""
        path.write_text("".join(f"{clock:.6f} {work:.6f}\n" for clock, work in self.turns))


def watched() -> tuple[Watchdog, Path] | None:
    """A watchdog and its file, where the environment asks for one."""
    wanted = os.environ.get(VARIABLE)
    return (Watchdog(), Path(wanted)) if wanted else None
