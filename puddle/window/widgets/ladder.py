"""The velocity ladder: soft at the bottom, hard on top; edges are dragged, hits are marked."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.measure.envelope import min_max
from puddle.units import with_unit
from puddle.views.strengths import Rung
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground
from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.strokes import fill, outline

_LEFT, _TOP, _BOTTOM = 34.0, 8.0, 8.0
_GRAB_PX = 7.0
_STRENGTHS = 127
_WAVE_COLUMNS = 160


class Ladder(QWidget):
    """Rungs over strengths from 1 to 127."""

    edge_moved = pyqtSignal(int, int)  # the strength that it lies under now, and where to
    settled = pyqtSignal()
    rung_chosen = pyqtSignal(str)  # a layer's id
    struck = pyqtSignal(float)  # a strength

    def __init__(self) -> None:
        super().__init__()
        self.rungs: list[Rung] = []
        self.dye = "madder"
        self.chosen = ""
        self.hit: float | None = None
        self.edge: int | None = None  # the one that is held, or was last
        self._held = False
        make_opaque(self)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(180)
        self.setAccessibleName("Velocity ladder")
        self.setToolTip(
            "What soft and hard strikes play. Drag an edge; click a rung to choose its layer; "
            "Page Up and Down go from edge to edge, the arrows move it."
        )

    def sizeHint(self) -> QSize:
        return QSize(320, 420)

    def show_rungs(self, rungs: list[Rung], dye: str, chosen: str) -> None:
        """Sets the rungs to draw, soft to hard."""
        self.rungs, self.dye, self.chosen = rungs, dye, chosen
        said = ", ".join(f"{r.name} {r.low} to {r.high}" for r in rungs)
        self.setAccessibleDescription(said or "no layers")
        self.update()

    def show_hit(self, velocity: float | None) -> None:
        """Marks the last strike's strength."""
        if velocity != self.hit:
            self.hit = velocity
            self.update()

    @property
    def edges(self) -> list[int]:
        """Strengths at which a rung begins and another ends: they can be dragged."""
        ends = {rung.high + 1 for rung in self.rungs}
        return sorted({rung.low for rung in self.rungs if rung.low > 1 and rung.low in ends})

    # Places.

    def y_of(self, velocity: float) -> float:
        """Where a strength begins, from below."""
        room = self.height() - _TOP - _BOTTOM
        return self.height() - _BOTTOM - (velocity - 1.0) / _STRENGTHS * room

    def velocity(self, y: float) -> float:
        """The strength at a place."""
        room = max(1.0, self.height() - _TOP - _BOTTOM)
        return 1.0 + (self.height() - _BOTTOM - y) / room * _STRENGTHS

    def _room(self, rung: Rung, column: int, columns: int) -> QRectF:
        wide = (self.width() - _LEFT - 4.0) / columns
        top, bottom = self.y_of(rung.high + 1) + 1.5, self.y_of(rung.low) - 1.5
        return QRectF(_LEFT + column * wide, top, wide - 4.0, max(4.0, bottom - top))

    def _columns(self) -> list[int]:
        """Assigns columns so that overlapping rungs are drawn side by side."""
        taken: list[int] = []  # the highest strength in each column so far
        found = []
        for rung in self.rungs:
            free = next((n for n, high in enumerate(taken) if high < rung.low), None)
            if free is None:
                free = len(taken)
                taken.append(0)
            taken[free] = rung.high
            found.append(free)
        return found

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        columns = self._columns()
        count = max(columns, default=0) + 1
        for rung, column in zip(self.rungs, columns, strict=True):
            self._paint_rung(painter, rung, self._room(rung, column, count))
        painter.setFont(theme.value_font(11))
        painter.setPen(theme.color("soft"))
        for velocity in (1, *self.edges, _STRENGTHS):
            y = self.y_of(velocity if velocity < _STRENGTHS else _STRENGTHS + 1)
            y = min(max(y + 4.0, 12.0), self.height() - 3.0)
            painter.drawText(QPointF(4.0, y), str(velocity))
        for edge in self.edges:
            self._paint_edge(painter, edge)
        if self.hit is not None:
            y = self.y_of(self.hit + 0.5)
            painter.setPen(QPen(theme.color("coral"), 2.5))
            painter.drawLine(QPointF(_LEFT - 12.0, y), QPointF(_LEFT + 6.0, y))

    def _paint_rung(self, painter: QPainter, rung: Rung, room: QRectF) -> None:
        middle = (rung.low + rung.high) / 2.0 / _STRENGTHS
        chosen = self.chosen in rung.layer_ids
        painter.setPen(QPen(theme.color(self.dye), 2.2 if chosen else 1.0))
        painter.setBrush(theme.color(self.dye, round(18 + 80 * middle)))
        painter.drawRoundedRect(room, 8, 8)
        if rung.waves and room.height() > 26.0:
            self._paint_wave(painter, rung, room)
        if room.height() < 15.0:
            return
        painter.setFont(theme.text_font(12, bold=True))
        painter.setPen(theme.color("ink"))
        loud = with_unit(rung.loudness_lufs, "LUFS", 1) if rung.loudness_lufs is not None else ""
        metrics = painter.fontMetrics()
        wide = int(room.width() - 100)
        name = metrics.elidedText(rung.name, Qt.TextElideMode.ElideRight, max(20, wide))
        painter.drawText(QPointF(room.left() + 10, room.top() + 16), name)
        painter.setFont(theme.value_font(11))
        painter.setPen(theme.color("soft"))
        text = painter.fontMetrics().horizontalAdvance(loud)
        painter.drawText(QPointF(room.right() - text - 10, room.top() + 16), loud)
        if room.height() > 34.0:
            painter.setFont(theme.text_font(11))
            painter.drawText(QPointF(room.left() + 10, room.bottom() - 7), rung.about)

    def _paint_wave(self, painter: QPainter, rung: Rung, room: QRectF) -> None:
        wave = rung.waves[0]
        peak = float(np.abs(wave).max(initial=0.0))
        pairs = min_max(wave, 0.0, float(len(wave)), _WAVE_COLUMNS)
        across = np.linspace(room.left() + 12, room.right() - 12, _WAVE_COLUMNS)
        half = min(room.height() / 2 - 13.0, 34.0) / max(peak, 1e-4)
        middle = room.center().y() + 8.0
        ys = np.concatenate([middle - half * pairs[:, 1], middle - half * pairs[::-1, 0]])
        shape = polygon(np.concatenate([across, across[::-1]]), ys)
        fill(painter, shape, theme.color(self.dye, 150))
        outline(painter, shape, theme.color(self.dye))

    def _paint_edge(self, painter: QPainter, edge: int) -> None:
        y, middle = self.y_of(edge), (_LEFT + self.width()) / 2.0
        blend = next((r.blend_in for r in self.rungs if r.low == edge), 0)
        if blend:
            top, bottom = self.y_of(edge + blend / 2.0), self.y_of(edge - blend / 2.0)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("water", 60))
            painter.drawRect(QRectF(_LEFT, top, self.width() - _LEFT - 8.0, bottom - top))
        held = edge == self.edge and (self._held or self.hasFocus())
        painter.setPen(QPen(theme.color("ink"), 1.6))
        painter.drawLine(QPointF(_LEFT, y), QPointF(self.width() - 8.0, y))
        painter.setBrush(theme.color("water" if held else "panel"))
        painter.drawRoundedRect(QRectF(middle - 15.0, y - 4.5, 30.0, 9.0), 4.5, 4.5)

    # The hand.

    def _edge_at(self, y: float) -> int | None:
        near = min(self.edges, key=lambda e: abs(self.y_of(e) - y), default=None)
        return near if near is not None and abs(self.y_of(near) - y) <= _GRAB_PX else None

    def _rung_at(self, x: float, y: float) -> Rung | None:
        columns = self._columns()
        count = max(columns, default=0) + 1
        for rung, column in zip(self.rungs, columns, strict=True):
            if self._room(rung, column, count).contains(QPointF(x, y)):
                return rung
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        edge = self._edge_at(at.y())
        if edge is not None:
            self.edge, self._held = edge, True
            self.update()
            return
        rung = self._rung_at(at.x(), at.y())
        if rung is not None:
            self.rung_chosen.emit(rung.layer_ids[0])
            self.struck.emit(min(127.0, max(1.0, self.velocity(at.y()))))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if not self._held or self.edge is None:
            over = self._edge_at(event.position().y()) is not None
            self.setCursor(
                Qt.CursorShape.SizeVerCursor if over else Qt.CursorShape.PointingHandCursor
            )
            return
        self._move_to(round(self.velocity(event.position().y())))

    def _move_to(self, to: int) -> None:
        if self.edge is None or to == self.edge:
            return
        below = next((r.low for r in self.rungs if r.high == self.edge - 1), 1)
        above = next((r.high for r in self.rungs if r.low == self.edge), _STRENGTHS)
        to = min(max(to, below + 1), above)
        if to != self.edge:
            was, self.edge = self.edge, to
            self.edge_moved.emit(was, to)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held:
            self._held = False
            self.settled.emit()
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Page Up and Down go from edge to edge; Up and Down move it, with Shift by ten."""
        if event is None or not self.edges:
            return
        key, edges = Qt.Key(event.key()), self.edges
        if key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            up = key == Qt.Key.Key_PageUp
            at = edges.index(self.edge) if self.edge in edges else (-1 if up else 0)
            self.edge = edges[(at + (1 if up else -1)) % len(edges)]
            self.update()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.edge in edges:
            far = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            self._move_to(self.edge + (far if key == Qt.Key.Key_Up else -far))
            self.settled.emit()
        else:
            super().keyPressEvent(event)
