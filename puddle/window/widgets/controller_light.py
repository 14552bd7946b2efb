"""A light that a controller's messages flash; pressed, it opens what is known of controllers."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton

from puddle.window import theme

_LIT_MS = 120
_SIZE = QSize(18, 18)


class ControllerLight(QAbstractButton):
    """Four small drops, as the pads of a controller; pale while nothing comes in."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(_SIZE)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Controllers")
        self.setToolTip("Lights up when a controller is played. Opens Controllers (Shift+F7).")
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_LIT_MS)
        self._timer.timeout.connect(self.update)

    def sizeHint(self) -> QSize:
        return _SIZE

    @property
    def lit(self) -> bool:
        """Whether something came in just now."""
        return self._timer.isActive()

    def flash(self) -> None:
        """Something came in."""
        was = self.lit
        self._timer.start()
        if not was:
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("moss" if self.lit else "soft"))
        for x in (5.5, 12.5):
            for y in (5.5, 12.5):
                painter.drawEllipse(QPointF(x, y), 2.4, 2.4)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1.4))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 5, 5)
