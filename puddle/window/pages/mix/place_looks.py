"""How the places of streams look: pads' names, and boxes of buses and the master."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from puddle.views.streams import MASTER, Place
from puddle.window import theme

NAME_PX = 11.0  # from one pad's name to the next


class Look(NamedTuple):
    """How a pad's name or a box looks, beside how far it turns down."""

    chosen: bool
    focused: bool
    told: bool  # whether its level lies below its name


def words_room(room: QRectF) -> QRectF:
    """Where a box's name and its level are written."""
    return room.adjusted(9.0, 3.0, -6.0, -3.0)


def paint_place(painter: QPainter, place: Place, room: QRectF, look: Look) -> None:
    """A pad's name, or a box with its name: what stays as it is while levels move."""
    (_paint_name if place.column == 0 else _paint_box)(painter, place, room, look)


def _paint_name(painter: QPainter, place: Place, room: QRectF, look: Look) -> None:
    """A pad's name before its streams."""
    painter.setFont(theme.text_font(12, bold=look.chosen))
    painter.setPen(theme.color("soft" if place.silent else "ink"))
    flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
    name = _elided(painter, place.name, room.width() - 12.0)
    over = max(0.0, NAME_PX + 5.0 - room.height()) / 2.0
    painter.drawText(room.adjusted(0.0, -over, -8.0, over), flags, name)
    if look.focused:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("water"), 1.2))
        painter.drawRoundedRect(room.adjusted(0.0, 0.0, -2.0, 0.0), 6.0, 6.0)


def _paint_box(painter: QPainter, place: Place, room: QRectF, look: Look) -> None:
    """A box with its name."""
    dark = place.id == MASTER
    painter.setBrush(theme.color("ink") if dark else theme.color("panel"))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.drawRoundedRect(room, 7.0, 7.0)
    if not dark:
        painter.setBrush(theme.color(place.dye, 30))
    ring = "water" if look.focused else "soft" if dark else place.dye
    painter.setPen(QPen(theme.color(ring), 2.6 if look.chosen else 1.2))
    painter.drawRoundedRect(room, 7.0, 7.0)
    painter.setPen(theme.color("panel") if dark else theme.color("ink"))
    painter.setFont(theme.text_font(12, bold=True))
    top = Qt.AlignmentFlag.AlignTop if look.told else Qt.AlignmentFlag.AlignVCenter
    name = _elided(painter, place.name, words_room(room).width())
    painter.drawText(words_room(room), Qt.AlignmentFlag.AlignLeft | top, name)


def paint_told(painter: QPainter, room: QRectF, told: str, dark: bool) -> None:
    """A box's level, below its name."""
    painter.setFont(theme.value_font(11))
    painter.setPen(theme.color("panel") if dark else theme.color("soft"))
    bottom = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom
    painter.drawText(words_room(room), bottom, told)


def _elided(painter: QPainter, text: str, wide: float) -> str:
    return painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, round(wide))
