"""A kit's picture: its pads as drops on still water, larger where the drum is."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from puddle.kit.model.document import Kit
from puddle.window import theme

_SIZES = {"kick": 1.25, "snare": 1.0, "tom": 1.05, "bass": 1.15, "cymbal": 1.1}
_MOST = 48
_WATER_LINES = (0.3, 0.62)


class KitPicture(QWidget):
    """Painted from the kit itself: nothing is kept as an image."""

    def __init__(self, kit: Kit, size: QSize) -> None:
        super().__init__()
        self._pads = sorted(kit.pads, key=lambda pad: pad.place)[:_MOST]
        self.setFixedSize(size)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("inset"))
        painter.drawRoundedRect(room, 8, 8)
        if not self._pads:
            self._paint_still_water(painter, room)
            return
        columns = max(4, math.ceil(math.sqrt(len(self._pads) * room.width() / room.height())))
        rows = math.ceil(len(self._pads) / columns)
        wide, tall = (room.width() - 16) / columns, (room.height() - 12) / max(2, rows)
        unit = min(wide, tall) * 0.3
        top = (room.height() - rows * tall) / 2.0
        for n, pad in enumerate(self._pads):
            row, column = divmod(n, columns)
            at = QPointF(8 + (column + 0.5) * wide, top + (row + 0.5) * tall)
            reach = unit * _SIZES.get(pad.role, 0.8)
            painter.setPen(QPen(theme.color(pad.dye), 1.2))
            filled = bool(pad.sound.layers)
            painter.setBrush(theme.color(pad.dye, 150 if filled else 20))
            painter.drawEllipse(at, reach, reach)

    def _paint_still_water(self, painter: QPainter, room: QRectF) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for share in _WATER_LINES:
            painter.setPen(QPen(theme.color("water", round(150 * (1.1 - share))), 1.4))
            across = room.width() * share / 2.0
            painter.drawEllipse(room.center(), across, across * 0.42)
