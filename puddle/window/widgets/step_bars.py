"""A lane's values as bars under its drops: drawn across, ramped, one kind at a time."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy

from puddle.parameter import Parameter
from puddle.window import theme
from puddle.window.widgets.beat_axis import BeatAxis
from puddle.window.widgets.grounds import make_opaque, paint_ground

_TOP, _BOTTOM = 10.0, 20.0
_SHIFT = Qt.KeyboardModifier.ShiftModifier


class Bar(msgspec.Struct, frozen=True):
    """A hit's value."""

    at: float  # its place in the lane
    beat: float
    wide: float  # beats
    value: float
    own: bool  # whether it says something else than the rest
    selected: bool = False


class StepBars(BeatAxis):
    """Bars over the beats that the grid shows."""

    drawn = pyqtSignal(dict)  # values by place
    ramped = pyqtSignal(object, object)  # (place, value) from and to
    settled = pyqtSignal()

    def __init__(self) -> None:
        super().__init__(left_px=8.0)
        self.bars: tuple[Bar, ...] = ()
        self.known: Parameter | None = None
        self.dye = "indigo"
        self.rest = 0.0
        self.says = ""
        self._line: tuple[QPointF, QPointF] | None = None
        self._last: QPointF | None = None
        self._cursor: float | None = None
        make_opaque(self)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(84)
        self.setAccessibleName("Values of the lane")
        self.setToolTip(
            "Drag across to draw; with Shift a line is drawn from where you press to where you "
            "let go. Arrow keys go from bar to bar and move its value."
        )

    def sizeHint(self) -> QSize:
        return QSize(600, 140)

    def show_bars(
        self, bars: tuple[Bar, ...], known: Parameter | None, rest: float, dye: str, says: str = ""
    ) -> None:
        """Sets the bars, what is known of their kind, and where they rest."""
        self.bars, self.known, self.rest, self.dye, self.says = bars, known, rest, dye, says
        if known is not None:
            told = ", ".join(known.text(bar.value) for bar in bars[:32])
            self.setAccessibleDescription(f"{known.label}: {told or 'no hits'}")
        self.update()

    # Geometry.

    def rect_of(self, bar: Bar) -> QRectF:
        """The room that a bar may fill."""
        x = self.x_of(bar.beat)
        wide = bar.wide * self.per_beat
        gap = min(6.0, wide * 0.15)
        width = max(3.0, min(44.0, wide - 2.0 * gap))
        height = self.height() - _TOP - _BOTTOM
        return QRectF(x + (wide - width) / 2.0, _TOP, width, height)

    def _y_of(self, value: float) -> float:
        assert self.known is not None
        room = self.height() - _TOP - _BOTTOM
        return _TOP + room * (1.0 - min(1.0, max(0.0, self.known.position(value))))

    def value_at(self, y: float) -> float:
        """The value at a height."""
        assert self.known is not None
        room = max(1.0, self.height() - _TOP - _BOTTOM)
        return self.known.at(1.0 - (y - _TOP) / room)

    def bar_at(self, x: float) -> Bar | None:
        """The bar at a place, or the nearest within half a step."""
        best, found = 1e9, None
        for bar in self.bars:
            room = self.rect_of(bar)
            away = abs(room.center().x() - x)
            reach = max(room.width() / 2.0 + 4.0, bar.wide * self.per_beat / 2.0)
            if away <= min(reach, best):
                best, found = away, bar
        return found

    # Drawing.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        if self.known is None or not self.bars:
            painter.setPen(theme.color("soft"))
            painter.setFont(theme.text_font(13))
            says = self.says or "No hits in this lane: click a step above."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, says)
            return
        self._paint_rest(painter)
        painter.setFont(theme.value_font(11))
        last = -1e9
        for bar in self.bars:
            room = self.rect_of(bar)
            if not self.left_px <= room.center().x() <= self.width():
                continue
            self._paint_bar(painter, bar, room)
            text = self.known.text(bar.value)
            short = text if len(text) < 5 else text.split("\N{THIN SPACE}")[0]
            wide = painter.fontMetrics().horizontalAdvance(short)
            x = room.center().x() - wide / 2.0
            if x > last + 4.0:
                painter.setPen(theme.color("soft"))
                painter.drawText(QPointF(x, self.height() - 6.0), short)
                last = x + wide
        if self._line is not None:
            painter.setPen(QPen(theme.color("ink"), 1.5, Qt.PenStyle.DashLine))
            painter.drawLine(*self._line)

    def _paint_rest(self, painter: QPainter) -> None:
        y = self._y_of(self.rest)
        painter.setPen(QPen(theme.color("line"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(self.left_px, y), QPointF(self.width() - 4.0, y))

    def _paint_bar(self, painter: QPainter, bar: Bar, room: QRectF) -> None:
        assert self.known is not None
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("inset", 150))
        painter.drawRoundedRect(room, 5, 5)
        base = self._y_of(self.rest if self.known.low < 0.0 else self.known.low)
        y = self._y_of(bar.value)
        filled = QRectF(room.left(), min(y, base), room.width(), max(2.0, abs(base - y)))
        painter.setBrush(theme.color(self.dye, 225 if bar.own else 110))
        painter.drawRoundedRect(filled, 4, 4)
        at_cursor = self.hasFocus() and self._cursor == bar.at
        if bar.selected or at_cursor:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water" if at_cursor else "ink"), 1.4))
            painter.drawRoundedRect(room.adjusted(-1.5, -1.5, 1.5, 1.5), 6, 6)

    # The hand.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.known is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._last = event.position()
        if event.modifiers() & _SHIFT:
            self._line = (event.position(), event.position())
        else:
            self._draw(event.position(), event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.known is None:
            return
        if self._line is not None:
            self._line = (self._line[0], event.position())
            self._ramp()
            self.update()
        elif self._last is not None:
            self._draw(self._last, event.position())
            self._last = event.position()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._last is not None:
            self._last = self._line = None
            self.update()
            self.settled.emit()

    def _draw(self, start: QPointF, end: QPointF) -> None:
        """Every bar between two points, at the height of the line there."""
        low, high = sorted((start.x(), end.x()))
        values: dict[float, float] = {}
        for bar in self.bars:
            room = self.rect_of(bar)
            if low <= room.center().x() <= high:
                share = (room.center().x() - start.x()) / max(1e-6, end.x() - start.x())
                values[bar.at] = self.value_at(start.y() + share * (end.y() - start.y()))
        under = self.bar_at(end.x())
        if under is not None:
            values[under.at] = self.value_at(end.y())
            self._cursor = under.at
        if values:
            self.drawn.emit(values)

    def _ramp(self) -> None:
        assert self._line is not None
        ends = sorted(self._line, key=lambda p: p.x())
        bars = [self.bar_at(p.x()) for p in ends]
        inside = [
            bar
            for bar in self.bars
            if ends[0].x() - 1 <= self.rect_of(bar).center().x() <= ends[1].x() + 1
        ]
        first = bars[0] or (inside[0] if inside else None)
        last = bars[1] or (inside[-1] if inside else None)
        if first is not None and last is not None:
            self.ramped.emit(
                (first.at, self.value_at(ends[0].y())), (last.at, self.value_at(ends[1].y()))
            )

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.known is None or not self.bars:
            super().keyPressEvent(event)
            return
        places = [bar.at for bar in self.bars]
        now = places.index(self._cursor) if self._cursor in places else -1
        key = Qt.Key(event.key())
        ways = {
            Qt.Key.Key_Up: 0.01, Qt.Key.Key_Down: -0.01,
            Qt.Key.Key_PageUp: 0.1, Qt.Key.Key_PageDown: -0.1,
        }  # fmt: skip
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if key == Qt.Key.Key_Right else -1
            self._cursor = places[max(0, min(len(places) - 1, now + step))]
            self.update()
        elif key in ways and now >= 0:
            bar = self.bars[now]
            moved = self.known.at(self.known.position(bar.value) + ways[key])
            if self.known.kind == "whole" and moved == bar.value:
                moved = bar.value + (1.0 if ways[key] > 0.0 else -1.0)
            self.drawn.emit({bar.at: moved})
            self.settled.emit()
        else:
            super().keyPressEvent(event)
