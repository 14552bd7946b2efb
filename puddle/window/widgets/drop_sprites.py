"""Drops, rows of dots and heads of lanes, each drawn once and then put down as a pixmap.

A pattern of 64 steps and 48 lanes has thousands of them, and most look alike.
"""

from __future__ import annotations

import math
from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QPainter, QPen, QPixmap

from puddle.kit.model.roles import Dye
from puddle.window import theme

DOTS_PX = 8.0  # how tall a row of dots is
_MOST = 6000
_MARGIN, _RING, _ARC = 1.5, 6.5, 5.0  # around a drop: alone, marked, by chance or with own values


class DropLook(NamedTuple):
    """All that a drop's picture depends on."""

    dye: Dye
    faint: bool
    half_px: int  # the radius, in half pixels
    share: int  # in percent, of the arc around it; 100 for none
    roll: int
    flams: int
    own: bool
    selected: bool
    label: str


class HeadLook(NamedTuple):
    """All that the head of a lane depends on."""

    name: str
    dye: Dye
    bold: bool
    mute: bool
    solo: bool
    silent: bool
    figures: str
    high: float


class DotsLook(NamedTuple):
    """All that a row of dots depends on."""

    step_px: float
    first: int  # the number of the first step that is shown
    steps: int
    inside: int  # how many steps the lane has
    per_beat: float  # steps to a beat


class DropSprites:
    """Pixmaps by what they show, for one theme and one scale."""

    def __init__(self) -> None:
        self._made: dict[object, QPixmap] = {}
        self._drops: dict[DropLook, tuple[QPixmap, int, int]] = {}
        self._scale = (0.0, "")
        self.made = 0  # how often all were made anew

    def begin(self, ratio: float) -> None:
        """Before drawing: forgets what was made for another scale or theme."""
        scale = (ratio, theme.colors().paper)
        if scale != self._scale or len(self._made) + len(self._drops) > _MOST:
            self._made.clear()
            self._drops.clear()
            self._scale = scale
            self.made += 1

    def _blank(self, wide: float, high: float) -> QPixmap:
        ratio = self._scale[0]
        made = QPixmap(math.ceil(wide * ratio), math.ceil(high * ratio))
        made.setDevicePixelRatio(ratio)
        made.fill(Qt.GlobalColor.transparent)
        return made

    # Drops.

    def drop(self, look: DropLook) -> tuple[QPixmap, int, int]:
        """A drop's picture, and where its middle lies in it."""
        known = self._drops.get(look)
        if known is None:
            known = self._drops[look] = self._made_drop(look)
        return known

    def _made_drop(self, look: DropLook) -> tuple[QPixmap, int, int]:
        radius = look.half_px / 2.0
        small = max(2.0, radius * 0.3)
        ringed = _ARC if look.share < 100 or look.own else _MARGIN
        margin = _RING if look.selected else ringed
        left = radius + margin + look.flams * (2.0 * small + 1.0)
        left = max(left, 20.0) if look.label else left
        middle = QPointF(math.ceil(left), math.ceil(radius + margin))
        right = max(radius + margin, 20.0 if look.label else 0.0)
        made = self._blank(middle.x() + right, 2.0 * middle.y())
        painter = QPainter(made)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        _paint_drop(painter, look, middle, radius, small)
        painter.end()
        return made, round(middle.x()), round(middle.y())

    # Dots.

    def dots(self, look: DotsLook) -> QPixmap:
        """A row of dots, one in the middle of each step, larger ones on beats."""
        known = self._made.get(look)
        if known is None:
            known = self._blank(max(1.0, look.step_px * look.steps), DOTS_PX)
            painter = QPainter(known)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            for n in range(look.steps):
                step = look.first + n
                on_beat = abs(step / look.per_beat - round(step / look.per_beat)) < 1e-6
                painter.setBrush(theme.color("line", 255 if step < look.inside else 110))
                size = 3.0 if on_beat else 2.0
                at = QPointF((n + 0.5) * look.step_px, DOTS_PX / 2.0)
                painter.drawEllipse(at, size, size)
            painter.end()
            self._made[look] = known
        return known

    # The step that sounds.

    def column(self, size: QSizeF) -> QPixmap:
        """The column of the step that sounds: rounded, and what is under it shines through."""
        key = (size.width(), size.height())
        known = self._made.get(key)
        if known is None:
            known = self._blank(size.width(), size.height())
            painter = QPainter(known)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("water", 46))
            painter.drawRoundedRect(QRectF(QPointF(), size), 8, 8)
            painter.end()
            self._made[key] = known
        return known

    # Heads.

    def head(self, look: HeadLook, wide: float, mute: QRectF, solo: QRectF) -> QPixmap:
        """The head of a lane: its pad, its switches, and what of it is not as usual."""
        known = self._made.get(look)
        if known is None:
            known = self._blank(wide, look.high)
            painter = QPainter(known)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            _paint_head(painter, look, wide, mute, solo)
            painter.end()
            self._made[look] = known
        return known


def _paint_drop(
    painter: QPainter, look: DropLook, center: QPointF, radius: float, small: float
) -> None:
    ink = theme.color(look.dye, 70 if look.faint else 225)
    by_chance = look.share < 100
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.color("panel"))  # no dot shows through
    painter.drawEllipse(center, radius, radius)
    painter.setBrush(theme.color(look.dye, 40 if look.faint else 110) if by_chance else ink)
    painter.drawEllipse(center, radius, radius)
    for k in range(look.flams):
        at = QPointF(center.x() - radius - small - 2.0 - k * (2.0 * small + 1.0), center.y())
        painter.setBrush(ink)
        painter.drawEllipse(at, small, small)
    if look.roll > 1:
        painter.setPen(QPen(theme.color("panel"), 1.6))
        for k in range(look.roll):
            angle = 2.0 * math.pi * k / look.roll - math.pi / 2.0
            edge = QPointF(math.cos(angle) * radius, math.sin(angle) * radius)
            painter.drawLine(center, center + edge)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if by_chance:
        painter.setPen(QPen(ink, 2.0))
        wide = radius + 3.0
        around = QRectF(center.x() - wide, center.y() - wide, 2.0 * wide, 2.0 * wide)
        painter.drawArc(around, 90 * 16, -round(360 * 16 * look.share / 100.0))
    if look.own:
        painter.setPen(QPen(theme.color("coral"), 2.0))
        painter.drawEllipse(center, radius + 2.6, radius + 2.6)
    if look.selected:
        painter.setPen(QPen(theme.color("ink"), 1.6))
        painter.drawEllipse(center, radius + 4.6, radius + 4.6)
    if look.label:
        painter.setPen(theme.color("panel"))
        painter.setFont(theme.value_font(10))
        room = QRectF(center.x() - 20, center.y() - 8, 40, 16)
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, look.label)


def _paint_head(painter: QPainter, look: HeadLook, wide: float, mute: QRectF, solo: QRectF) -> None:
    middle = look.high / 2.0
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.color(look.dye, 90 if look.silent else 255))
    painter.drawEllipse(QPointF(18, middle), 5.5, 5.5)
    painter.setFont(theme.text_font(13, bold=look.bold))
    painter.setPen(theme.color("soft" if look.silent else "ink"))
    room = QRectF(32, 0.0, 72, look.high)
    text = painter.fontMetrics().elidedText(
        look.name, Qt.TextElideMode.ElideMiddle, int(room.width())
    )
    center = Qt.AlignmentFlag.AlignVCenter
    painter.drawText(room, center | Qt.AlignmentFlag.AlignLeft, text)
    for word, rect, on in (("mute", mute, look.mute), ("solo", solo, look.solo)):
        painter.setPen(QPen(theme.color("ink" if on else "line"), 1))
        painter.setBrush(theme.color("ink") if on else Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(rect, 8, 8)
        painter.setPen(theme.color("panel" if on else "soft"))
        painter.setFont(theme.text_font(11))
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, word)
    painter.setFont(theme.value_font(10))
    painter.setPen(theme.color("soft"))
    rest = QRectF(179, 0.0, wide - 183, look.high)
    wrap = int(center) | int(Qt.AlignmentFlag.AlignLeft) | int(Qt.TextFlag.TextWordWrap)
    painter.drawText(rest, wrap, look.figures)
