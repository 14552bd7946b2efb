"""How a pad looks on the shore: a drop with its rings, its name and its letter."""

from __future__ import annotations

import time
from functools import lru_cache

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import (
    QColor,
    QFontMetrics,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
)
from PyQt6.QtWidgets import QWidget

from puddle.kit.model.document import Pad
from puddle.window import theme

RING_MS = 420.0
_ROOMY_PX = 48


@lru_cache(512)
def _circle(color: str, reach: float, scale: float, filled: bool) -> tuple[QPixmap, float]:
    """A circle, drawn once for each size, and how far its middle lies from its edges."""
    side = 2 * round(reach + 3.0)
    made = QPixmap(round(side * scale), round(side * scale))
    made.setDevicePixelRatio(scale)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen if filled else QPen(QColor(color), 1.6))
    painter.setBrush(QColor(color) if filled else Qt.BrushStyle.NoBrush)
    painter.drawEllipse(QPointF(side / 2.0, side / 2.0), reach, reach)
    painter.end()
    return made, made.width() / scale / 2.0


def _grown(start: float, strength: float, now: float) -> int:
    """By how many half pixels a ring has grown since it began."""
    return round(2.0 * (5.0 + 6.0 * strength) * (now - start) * 1000.0 / RING_MS)


class PadPicture(QWidget):
    """Draws; whoever derives from it takes what a hand does."""

    _pad: Pad | None
    _key: str
    _selected: bool
    _also: bool
    _over: bool
    _compact: bool
    _rings: list[tuple[float, float]]
    _reached: tuple[int, ...] = ()  # by how many half pixels each had grown
    _still_key: tuple[object, ...]
    _still_pixmap: QPixmap
    _moving = (0, False), QRect()  # where rings are painted, at a width, compact or not

    def ring(self, velocity: float) -> None:
        """Sends a ring outward."""
        self._rings.append((time.monotonic(), velocity / 127.0))
        self._rings = self._rings[-4:]
        self.update()

    @property
    def has_rings(self) -> bool:
        """Whether a ring is on its way, or was in the frame before."""
        return bool(self._rings or self._reached)

    def show_rings(self, now: float) -> None:
        """In each frame: paints anew where a ring has grown by half a pixel, forgets those that
        have gone.
        """
        self._rings = [ring for ring in self._rings if (now - ring[0]) * 1000.0 < RING_MS]
        reached = tuple([_grown(*ring, now) for ring in self._rings])
        if reached != self._reached:
            self._reached = reached
            self.update(self._moving_part())

    def center(self) -> QPointF:
        return QPointF(self.width() / 2, 21.0 if self._compact else 34.0)

    def _radius(self) -> float:
        return min(17.0 if self._compact else 26.0, self.width() / 2 - 5.0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._still())
        pad = self._pad
        if pad is not None and self._rings:
            self._paint_rings(painter, pad)
        if self.hasFocus():
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)

    def _still(self) -> QPixmap:
        """What does not move, painted once for each look: text costs most of a frame."""
        scale = self.devicePixelRatioF()
        key = (
            self._pad,
            self._key,
            self._selected,
            self._also,
            self._over,
            self.size(),
            scale,
            theme.is_night(),
        )
        if key != self._still_key:
            pixmap = QPixmap(self.size() * scale)
            pixmap.setDevicePixelRatio(scale)
            pixmap.fill(theme.color("panel"))
            painter = QPainter(pixmap)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_still(painter)
            painter.end()
            self._still_pixmap, self._still_key = pixmap, key
        return self._still_pixmap

    def _paint_still(self, painter: QPainter) -> None:
        center, radius = self.center(), self._radius()
        if self._pad is not None:
            self._paint_pad(painter, self._pad, center, radius)
            self._paint_text(painter, self._pad.name, "ink")
            return
        painter.setPen(QPen(theme.color("line"), 1.4, Qt.PenStyle.DashLine))
        painter.setBrush(theme.color("pale", 120) if self._over else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(center, radius, radius)
        painter.setPen(theme.color("soft"))
        painter.setFont(theme.text_font(14))
        painter.drawText(self._disk(), Qt.AlignmentFlag.AlignCenter, "+")
        self._paint_text(painter, "empty", "soft")

    def name_room(self) -> QRect:
        """Where the name is written."""
        return QRect(0, 41 if self._compact else 64, self.width(), 16)

    @property
    def name(self) -> str:
        """The pad's name; empty where there is none."""
        return self._pad.name if self._pad is not None else ""

    @property
    def cuts_its_name(self) -> bool:
        """Whether it is selected and there is too little room for its name."""
        metrics = QFontMetrics(theme.text_font(11, bold=True))
        return self._selected and self._fitting(metrics, self.name) != self.name

    def _fitting(self, metrics: QFontMetrics, name: str) -> str:
        """As much of a name as its place holds, cut in the middle: copies differ at their ends."""
        wide = self.name_room().width()
        if self._compact:
            wide -= metrics.horizontalAdvance(f"  {self._key}")
        elif self.width() < _ROOMY_PX:
            wide -= 4
        return metrics.elidedText(name, Qt.TextElideMode.ElideMiddle, wide)

    def _disk(self) -> QRectF:
        center, radius = self.center(), self._radius()
        return QRectF(center.x() - radius, center.y() - radius, 2 * radius, 2 * radius)

    def _moving_part(self) -> QRect:
        """Where rings are painted."""
        look = self.width(), self._compact
        if self._moving[0] != look:
            self._moving = look, self._disk().adjusted(-14, -14, 14, 14).toAlignedRect()
        return self._moving[1]

    def _paint_rings(self, painter: QPainter, pad: Pad) -> None:
        center, radius, scale = self.center(), self._radius(), self.devicePixelRatioF()
        color, now, fresh = theme.color(pad.dye).name(), time.monotonic(), 0.0
        for start, strength in self._rings:
            left = 1.0 - (now - start) * 1000.0 / RING_MS
            if left > 0.0:
                fresh = max(fresh, left)
                painter.setOpacity(0.67 * left * (0.35 + 0.65 * strength))
                reach = radius + _grown(start, strength, now) / 2.0
                circle, half = _circle(color, reach, scale, False)
                painter.drawPixmap(QPointF(center.x() - half, center.y() - half), circle)
        if fresh > 0.0:
            painter.setOpacity(0.43 * fresh)
            circle, half = _circle(color, radius, scale, True)
            painter.drawPixmap(QPointF(center.x() - half, center.y() - half), circle)
        painter.setOpacity(1.0)

    def _paint_pad(self, painter: QPainter, pad: Pad, center: QPointF, radius: float) -> None:
        dye, empty = theme.color(pad.dye), not pad.sound.layers
        painter.setBrush(theme.color(pad.dye, 90 if self._over else 0 if empty else 34))
        painter.setPen(QPen(dye, 3.0 if self._selected else 1.3))
        if pad.mute or empty:
            painter.setPen(QPen(dye, 3.0 if self._selected else 1.3, Qt.PenStyle.DotLine))
        painter.drawEllipse(center, radius, radius)
        if empty:  # a place with a name and a role, and no sound yet
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._also:
            painter.setPen(QPen(theme.color("water"), 2.0, Qt.PenStyle.DashLine))
            painter.drawEllipse(center, radius + 3.0, radius + 3.0)
        painter.setPen(QPen(theme.color(pad.dye, 130), 1.0))
        painter.drawEllipse(center, radius * 0.62, radius * 0.62)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(pad.dye, 90 if pad.mute else 255))
        painter.drawEllipse(center, radius * 0.28, radius * 0.28)
        if pad.mute or pad.solo:
            painter.setFont(theme.text_font(11, bold=True))
            painter.setPen(theme.color("coral" if pad.mute else "ink"))
            painter.drawText(QPointF(center.x() + radius - 8, 14), "M" if pad.mute else "S")

    def _paint_text(self, painter: QPainter, name: str, ink: str) -> None:
        painter.setFont(theme.text_font(11, bold=self._selected))
        painter.setPen(theme.color(ink))
        room, shown = QRectF(self.name_room()), self._fitting(painter.fontMetrics(), name)
        if self._compact:
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, f"{shown}  {self._key}")
            return
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, shown)
        painter.setFont(theme.value_font(11))
        painter.setPen(theme.color("soft"))
        under, pad = self._key, self._pad
        if pad is not None and len(pad.alternates) > 1:
            under += f" {pad.alternate + 1}/{len(pad.alternates)}"
        painter.drawText(QRectF(0, 79, self.width(), 14), Qt.AlignmentFlag.AlignCenter, under)
