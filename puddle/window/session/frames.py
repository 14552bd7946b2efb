"""The window's frames: one timer for all that moves by itself.

Each time a sleeping thread wakes costs more than what a meter or a playhead has to do then, and
what is shown together is painted together.
"""

from __future__ import annotations

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

FRAME_MS = 16
IDLE_MS = 100


class Frames(QObject):
    """Sixty a second while something moves, ten while nothing does."""

    passed = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._wanted_ms = IDLE_MS
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._pass)
        self._timer.start(IDLE_MS)

    @property
    def interval_ms(self) -> int:
        """How long until the next one."""
        return self._timer.interval()

    def want(self, within_ms: int = FRAME_MS) -> None:
        """Asks, during a frame, for another one so soon."""
        self._wanted_ms = min(self._wanted_ms, within_ms)

    def wake(self) -> None:
        """Something begins to move."""
        if self._timer.interval() > FRAME_MS:
            self._timer.setInterval(FRAME_MS)

    def _pass(self) -> None:
        self._wanted_ms = IDLE_MS
        self.passed.emit()
        if self._wanted_ms != self._timer.interval():
            self._timer.setInterval(self._wanted_ms)
