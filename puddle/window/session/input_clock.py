"""When the event that is handled happened: the window may have been busy meanwhile."""

from __future__ import annotations

import time

from PyQt6.QtGui import QInputEvent

_LONGEST_S = 0.25
_HANDLED_S = 0.1  # an event is handled in that time: what comes later is not of it


class InputClock:
    """Compares the time stamps of events with the wall clock; the least distance is no delay."""

    def __init__(self) -> None:
        self._least: float | None = None
        self._moment_s = 0.0
        self._noted_s = -_HANDLED_S

    @property
    def moment_s(self) -> float:
        """When what is handled now happened, in s of the performance counter; now for no event."""
        now = time.perf_counter()
        return self._moment_s if now - self._noted_s < _HANDLED_S else now

    def note(self, moment_s: float) -> None:
        """Notes the moment of the event that is about to be handled, in s of the same counter."""
        self._moment_s, self._noted_s = moment_s, time.perf_counter()

    def see(self, event: QInputEvent) -> None:
        """Notes an event that is about to be handled."""
        now, stamp = time.perf_counter(), event.timestamp()
        if stamp == 0:
            self.note(now)
            return
        away = now - stamp / 1000.0
        if self._least is None or away < self._least or away - self._least > 10.0:
            self._least = away  # the first one, an earlier one, or another clock
        self.note(now - min(_LONGEST_S, away - self._least))
