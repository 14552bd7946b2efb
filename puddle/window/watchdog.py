"""For how long the window is held by its own work: for journeys and for the curious.

With `PUDDLE_WATCHDOG=FILE` in the environment a timer of the event loop ticks every 2 ms. A tick
that comes late was kept waiting, as a hand would have been. When the window closes, the file holds
a line for each tick, in seconds: when it was, how late it was, and how much of that was work of
the window's own thread, the rest being other threads and processes.
"""

from __future__ import annotations

import os
import time
from pathlib import Path

from PyQt6.QtCore import QObject, Qt, QTimer

VARIABLE = "PUDDLE_WATCHDOG"
_TICK_MS = 2


class Watchdog(QObject):
    """Times the turns of the event loop."""

    def __init__(self) -> None:
        super().__init__()
        self.turns: list[tuple[float, float, float]] = []  # of the day, late, of work: in s
        self._last = (time.perf_counter(), time.thread_time())
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._note)
        self._timer.start(_TICK_MS)

    def _note(self) -> None:
        now = time.perf_counter(), time.thread_time()
        late = max(0.0, now[0] - self._last[0] - _TICK_MS / 1000.0)
        self.turns.append((time.time(), late, now[1] - self._last[1]))
        self._last = now

    def write(self, path: Path) -> None:
        """A line for each tick."""
        path.write_text(
            "".join(f"{at:.6f} {late:.6f} {work:.6f}\n" for at, late, work in self.turns)
        )


def watched() -> tuple[Watchdog, Path] | None:
    """A watchdog and its file, where the environment asks for one."""
    wanted = os.environ.get(VARIABLE)
    return (Watchdog(), Path(wanted)) if wanted else None
