"""Sixteen places, four by four, the first at the lower left: as pads of a controller lie."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque

ACROSS = 4
PLACES = ACROSS * ACROSS
_WAYS = {
    Qt.Key.Key_Left: (-1.0, 0.0),
    Qt.Key.Key_Right: (1.0, 0.0),
    Qt.Key.Key_Up: (0.0, -1.0),
    Qt.Key.Key_Down: (0.0, 1.0),
}


class Sixteen(QWidget):
    """Knows where places lie, and goes from one to the next by arrows; whoever derives paints."""

    stepped = pyqtSignal(int)  # the place that an arrow leads to

    def __init__(self) -> None:
        super().__init__()
        self.at_place = -1  # the one that arrows go on from
        make_opaque(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def cell(self, place: int) -> QRectF:
        """The room of a place."""
        wide, high = self.width() / ACROSS, self.height() / ACROSS
        row = ACROSS - 1 - place // ACROSS
        return QRectF(place % ACROSS * wide, row * high, wide, high)

    def place_at(self, at: QPointF) -> int | None:
        """The place whose room something lies in."""
        return next((n for n in range(PLACES) if self.cell(n).contains(at)), None)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        way = _WAYS.get(Qt.Key(event.key()))
        if way is None:
            super().keyPressEvent(event)
            return
        to = self._beside(max(0, self.at_place), *way)
        if to is not None:
            self.stepped.emit(to)

    def _beside(self, place: int, right: float, down: float) -> int | None:
        """The nearest place in a direction: what lies aside counts three times."""
        here = self.cell(place).center()

        def far(other: int) -> float:
            away = self.cell(other).center() - here
            along = right * away.x() + down * away.y()
            aside = abs(down * away.x()) + abs(right * away.y())
            return along + 3.0 * aside if along > 1.0 else math.inf

        nearest = min(range(PLACES), key=far)
        return nearest if far(nearest) < math.inf else None

    def paint_focus(self, painter: QPainter) -> None:
        """A line around it while keys go to it."""
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
