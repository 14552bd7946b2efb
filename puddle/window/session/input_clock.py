"""How long ago the event that is handled happened: the window may have been busy meanwhile."""

from __future__ import annotations

import time

from PyQt6.QtGui import QInputEvent

_LONGEST_S = 0.25


class InputClock:
    """Compares the time stamps of events with the wall clock; the least distance is no delay."""

    def __init__(self) -> None:
        self._least: float | None = None
        self.delay_s = 0.0

    def see(self, event: QInputEvent) -> None:
        """Notes an event that is about to be handled."""
        stamp = event.timestamp()
        if stamp == 0:
            self.delay_s = 0.0
            return
        away = time.perf_counter() - stamp / 1000.0
        if self._least is None or away < self._least or away - self._least > 10.0:
            self._least = away  # the first one, an earlier one, or another clock
        self.delay_s = min(_LONGEST_S, away - self._least)
