"""What a stage does over the hit: its level before and after, and how far it was turned down."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.kernels.quantum import QUANTUM
from puddle.units import MINUS, THIN
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground
from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.strokes import fill, stroke

if TYPE_CHECKING:
    from puddle.stages.chain import Over

_HEIGHT = 82
_FLOOR_DB = -48.0
_SHOWN_DB = -42.0  # under the peak: where a hit is over for the eye
_LEAST = 10.0 ** (-96.0 / 20.0)


class HitStrip(QWidget):
    """Levels over the time of the hit, from its peak down; the reduction hangs from the top."""

    def __init__(self, noun: str) -> None:
        super().__init__()
        self._noun = noun
        self._over: Over | None = None
        self._levels: tuple[np.ndarray, np.ndarray] = (np.zeros(0), np.zeros(0))  # dB
        self._reduction: np.ndarray | None = None
        self._ms = 0.0
        self.setFixedHeight(_HEIGHT)
        make_opaque(self)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"What the {noun} does over the hit")
        self.setToolTip(
            f"The hit's level before the {noun}, filled, and after it, as a line."
            " Where it is turned down, the amount hangs from the top."
        )

    def show_over(self, over: Over | None, rate_hz: float) -> None:
        """Sets the hit and the settings to draw; an unchanged call is free.

        None while the stage is bypassed, or nothing is known yet: the room stays.
        """
        if over is self._over:
            return
        self._over = over
        if over is None:
            self._levels, self._reduction, self._ms = (np.zeros(0), np.zeros(0)), None, 0.0
            self.setAccessibleDescription("it changes nothing now")
            self.update()
            return
        peak = max(float(over.entered.max(initial=0.0)), float(over.left.max(initial=0.0)), 1e-9)
        count = min(over.entered.size, over.left.size)
        loud = np.maximum(over.entered[:count], over.left[:count]) > peak * 10 ** (_SHOWN_DB / 20)
        end = int(np.flatnonzero(loud)[-1]) + 2 if loud.any() else 2
        self._levels = (_hull(over.entered[:end] / peak), _hull(over.left[:end] / peak))
        self._reduction = over.reduction_db(end) if over.deepest_db > 0.0 else None
        self._ms = 1000.0 * end * QUANTUM / rate_hz
        self._tell(over.deepest_db)
        self.update()

    def _tell(self, deepest_db: float) -> None:
        before, after = (float(levels.max(initial=_FLOOR_DB)) for levels in self._levels)
        said = f"over {self._ms:.0f}{THIN}ms its peak changes by {after - before:+.1f}{THIN}dB"
        if self._reduction is not None:
            said += f", turned down by up to {deepest_db:.1f}{THIN}dB"
        self.setAccessibleDescription(said)

    def _room(self) -> QRectF:
        metrics = self.fontMetrics()
        side = max(44, metrics.horizontalAdvance(f"{MINUS}48{THIN}dB") + 14)
        return QRectF(side, 4, self.width() - side - 12, _HEIGHT - 24)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        room = self._room()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("inset"))
        painter.drawRoundedRect(room, 5, 5)
        self._draw_names(painter, room)
        before, after = self._levels
        if before.size < 2:
            return
        painter.setClipRect(room)
        fill(painter, _area(room, before), theme.color("ink", 52))
        stroke(painter, _line(room, after), theme.color("water"), 1.6)
        if self._reduction is not None:
            stroke(painter, _line(room, -self._reduction), theme.color("coral"), 1.6)

    def _draw_names(self, painter: QPainter, room: QRectF) -> None:
        painter.setPen(theme.color("soft"))
        painter.setFont(theme.text_font(11))
        right = Qt.AlignmentFlag.AlignRight
        side = QRectF(0, room.top() - 2, room.left() - 6, 16)
        painter.drawText(side, right, f"0{THIN}dB")
        side.moveBottom(room.bottom() + 2)
        painter.drawText(side, right, f"{MINUS}48{THIN}dB")
        foot = QRectF(room.left(), room.bottom() + 2, room.width(), 16)
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, "over the hit")
        if self._ms > 0.0:
            painter.drawText(foot, right, f"{self._ms:.0f}{THIN}ms")


def _hull(levels: np.ndarray) -> np.ndarray:
    """In dB, from one local peak to the next: the half waves of a low tone are no dips."""
    db = 20.0 * np.log10(np.maximum(levels, _LEAST))
    before, after = np.concatenate([[-1e9], db[:-1]]), np.concatenate([db[1:], [-1e9]])
    tops = np.flatnonzero((db >= before) & (db >= after))
    tops = np.union1d(tops, [db.size - 1]) if db.size else tops
    found: np.ndarray = np.interp(np.arange(db.size), tops, db[tops]) if db.size else db
    return found


def _across(room: QRectF, count: int) -> np.ndarray:
    return room.left() + room.width() * np.arange(count) / max(1, count - 1)


def _upwards(room: QRectF, levels: np.ndarray) -> np.ndarray:
    return room.top() + room.height() * np.clip(levels / _FLOOR_DB, 0.0, 1.0)


def _line(room: QRectF, levels: np.ndarray) -> QPolygonF:
    return polygon(_across(room, levels.size), _upwards(room, levels))


def _area(room: QRectF, levels: np.ndarray) -> QPolygonF:
    xs = np.concatenate([[room.left()], _across(room, levels.size), [room.right()]])
    ys = np.concatenate([[room.bottom()], _upwards(room, levels), [room.bottom()]])
    return polygon(xs, ys)
