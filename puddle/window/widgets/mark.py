"""The mark of Puddle: three flat ripples."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QSize
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from puddle.window import theme


class Mark(QWidget):
    """Three flat ripples."""

    def __init__(self, width: int) -> None:
        super().__init__()
        self.setFixedSize(QSize(width, round(width * 0.62)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        center = QPointF(self.width() / 2, self.height() / 2)
        across, tall = self.width() / 2 - 1.5, self.height() / 2 - 1.5
        thick = max(1.5, self.width() / 17)
        for share in (1.0, 0.62, 0.24):
            painter.setPen(QPen(theme.color("water"), thick))
            painter.drawEllipse(center, across * share, tall * share)
