"""How the keys plane looks: where notes and velocities lie, regions, and the ribbon of keys."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from puddle.units import note_name
from puddle.window import theme
from puddle.window.widgets.grounds import paint_ground

_LEFT, _TOP, _RIBBON, _FOOT = 30.0, 10.0, 44.0, 20.0
_STRENGTHS = 127
_BLACK = {1, 3, 6, 8, 10}
_LEAST_NAMED_PX = 7.5


class Region(msgspec.Struct, frozen=True):
    """A pad on some neighboring notes, with its ranges of strengths from soft to hard."""

    pad_id: str
    name: str
    dye: str
    low: int
    high: int
    ranges: tuple[tuple[int, int], ...]

    @property
    def edges(self) -> list[int]:
        """Strengths at which a range begins and another ends: they can be dragged."""
        ends = {high + 1 for _, high in self.ranges}
        return sorted(low for low, _ in self.ranges if low > 1 and low in ends)


class Grip(msgspec.Struct, frozen=True):
    """What is dragged: a region, its left or right side, or an edge between velocities."""

    region: Region
    part: str  # "whole", "left", "right" or "edge"
    at: int  # the note under the hand, or the strength


class KeysPicture(QWidget):
    """Geometry and painting; KeysPlane adds mouse and keyboard."""

    regions: list[Region]
    chosen: str
    first: int
    last: int
    hit: tuple[int, float] | None
    _held: Grip | None
    _key: int | None

    def conflicts(self) -> list[int]:
        """Notes that strike several pads: shown, not forbidden."""
        notes = [n for r in self.regions for n in range(r.low, r.high + 1)]
        return sorted({n for n in notes if notes.count(n) > 1})

    def show_hit(self, note: int, velocity: float) -> None:
        """Marks the last strike."""
        self.hit = (note, velocity)
        self.update()

    def forget_hit(self) -> None:
        """Marks no strike: another kit is open."""
        self.hit = None
        self.update()

    def _note_px(self) -> float:
        return (self.width() - _LEFT - 6.0) / (self.last - self.first + 1)

    def x_of(self, note: int) -> float:
        """Where a note's place begins."""
        return _LEFT + (note - self.first) * self._note_px()

    def note_at(self, x: float) -> int:
        """The note at a place."""
        return min(127, max(0, self.first + int((x - _LEFT) // max(1.0, self._note_px()))))

    def _floor(self) -> float:
        return self.height() - _RIBBON - _FOOT

    def y_of(self, velocity: float) -> float:
        """Where a strength begins, from below."""
        return self._floor() - (velocity - 1.0) / _STRENGTHS * (self._floor() - _TOP)

    def velocity(self, y: float) -> float:
        """The strength at a height."""
        return 1.0 + (self._floor() - y) / max(1.0, self._floor() - _TOP) * _STRENGTHS

    def _room(self, region: Region, low: int, high: int) -> QRectF:
        wide = self._note_px()
        top, bottom = self.y_of(high + 1), self.y_of(low)
        gap = 1.0 if wide > 8.0 else 0.0
        return QRectF(
            self.x_of(region.low) + gap,
            top + 1,
            max(2.0, wide * (region.high - region.low + 1) - 2 * gap),
            max(2.0, bottom - top - 2),
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        painter.setFont(theme.value_font(11))
        for velocity in (1, 32, 64, 96, 127):
            y = self.y_of(velocity if velocity < _STRENGTHS else _STRENGTHS + 1)
            painter.setPen(QPen(theme.color("line", 150), 1))
            painter.drawLine(QPointF(_LEFT, y), QPointF(self.width() - 6.0, y))
            painter.setPen(theme.color("soft"))
            painter.drawText(QPointF(2.0, min(y + 4.0, self._floor())), str(velocity))
        painter.setClipRect(QRectF(_LEFT, 0, self.width() - _LEFT, self.height()))
        for region in self.regions:
            self._paint_region(painter, region)
        self._paint_ribbon(painter)
        painter.setClipping(False)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)

    def _paint_region(self, painter: QPainter, region: Region) -> None:
        chosen = region.pad_id == self.chosen
        for low, high in region.ranges:
            middle = (low + high) / 2.0 / _STRENGTHS
            painter.setPen(QPen(theme.color(region.dye), 2.4 if chosen else 1.0))
            painter.setBrush(theme.color(region.dye, round(24 + 90 * middle)))
            painter.drawRoundedRect(self._room(region, low, high), 5, 5)
        room = self._note_px() * (region.high - region.low + 1)
        if room < _LEAST_NAMED_PX:
            return
        painter.setFont(theme.text_font(min(11, round(room) + 1), bold=chosen))
        painter.setPen(theme.color("ink"))
        if room > painter.fontMetrics().horizontalAdvance(region.name) + 14.0:
            painter.drawText(QPointF(self.x_of(region.low) + 7.0, self._floor() - 8.0), region.name)
            return
        painter.save()
        painter.translate(self.x_of(region.low) + room / 2.0 + 4.0, self._floor() - 8.0)
        painter.rotate(-90.0)
        painter.drawText(QPointF(0, 0), region.name)
        painter.restore()

    def _paint_ribbon(self, painter: QPainter) -> None:
        top, wide = self._floor() + 6.0, self._note_px()
        clash = set(self.conflicts())
        dark, light = ("paper", "soft") if theme.is_night() else ("ink", "panel")
        for note in range(self.first, self.last + 1):
            black = note % 12 in _BLACK
            tall = _RIBBON - (16.0 if black else 6.0)
            painter.setPen(QPen(theme.color("line"), 1))
            painter.setBrush(theme.color(dark if black else light))
            painter.drawRoundedRect(QRectF(self.x_of(note) + 0.5, top, wide - 1.0, tall), 3, 3)
            if note in clash:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.color("coral"))
                painter.drawRoundedRect(QRectF(self.x_of(note), top - 5.0, wide, 5.0), 2, 2)
            if note % 12 == 0 and wide > 6.0:
                painter.setFont(theme.text_font(10))
                painter.setPen(theme.color("paper" if theme.is_night() else "soft"))
                painter.drawText(QPointF(self.x_of(note) + 2.0, top + tall - 4.0), note_name(note))
        if self.hit is not None:
            note, velocity = self.hit
            at = QPointF(self.x_of(note) + wide / 2.0, self.height() - 11.0)
            painter.setFont(theme.text_font(11))
            painter.setPen(theme.color("coral"))
            text = f"▲ last hit: {note_name(note)} at {velocity:.0f}"
            room = painter.fontMetrics().horizontalAdvance(text)
            left = min(max(_LEFT, at.x() - 5.0), self.width() - room - 4.0)
            painter.drawText(QPointF(left, at.y() + 6.0), text)
