"""How long ago the event that is handled happened: the window may have been busy meanwhile."""

from __future__ import annotations

import time

from PyQt6.QtGui import QInputEvent

_LONGEST_S = 0.25
_HANDLED_S = 0.1  # an event is handled in that time: what comes later is not of it


class InputClock:
    """Compares the time stamps of events with the wall clock; the least distance is no delay."""

    def __init__(self) -> None:
        self._least: float | None = None
        self._delay_s = 0.0
        self._noted_s = 0.0

    @property
    def delay_s(self) -> float:
        """How long ago what is handled now happened; 0 where it is no event."""
        return self._delay_s if time.perf_counter() - self._noted_s < _HANDLED_S else 0.0

    def note(self, delay_s: float) -> None:
        """What is about to be handled happened so long ago."""
        self._delay_s, self._noted_s = delay_s, time.perf_counter()

    def see(self, event: QInputEvent) -> None:
        """Notes an event that is about to be handled."""
        stamp = event.timestamp()
        if stamp == 0:
            self.note(0.0)
            return
        away = time.perf_counter() - stamp / 1000.0
        if self._least is None or away < self._least or away - self._least > 10.0:
            self._least = away  # the first one, an earlier one, or another clock
        self.note(min(_LONGEST_S, away - self._least))
