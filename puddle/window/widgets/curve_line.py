"""A curve over the beats that the grid shows: drawn across, in straight lines, or key by key."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QMenu, QSizePolicy

from puddle.parameter import Parameter
from puddle.window import theme
from puddle.window.widgets.beat_axis import BeatAxis
from puddle.window.widgets.grounds import make_opaque, paint_ground
from puddle.window.widgets.passing import popup_once

_TOP, _BOTTOM = 10.0, 20.0
_POINT_PX = 3.0
_HEAD_PX = 4.0
_FINEST_PX = 2.0  # between points that a hand draws
_SHIFT = Qt.KeyboardModifier.ShiftModifier
_WAYS = {
    Qt.Key.Key_Up: 0.01, Qt.Key.Key_Down: -0.01,
    Qt.Key.Key_PageUp: 0.1, Qt.Key.Key_PageDown: -0.1,
}  # fmt: skip


class Shown(msgspec.Struct, frozen=True):
    """A curve as it is drawn: places (beat, value), its range, where the gauge rests."""

    places: tuple[tuple[float, float], ...]
    known: Parameter
    rest: float
    beats: float  # of the pattern
    step: float  # beats that a key goes


class CurveLine(BeatAxis):
    """Draws one curve; what the hand draws is told as places in order."""

    drawn = pyqtSignal(list)  # (beat, value), in the place of what was between
    settled = pyqtSignal()
    emptied = pyqtSignal()  # the curve is to be taken out

    def __init__(self) -> None:
        super().__init__(left_px=8.0)
        self.shown: Shown | None = None
        self._hand: list[tuple[float, float]] = []
        self._line = False
        self._at: float | None = None  # the beat that keys move
        self.playhead: float | None = None  # the beat that sounds
        make_opaque(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(84)
        self.setAccessibleName("Curve")
        self.setToolTip(
            "Drag across to draw how the gauge moves while the pattern plays; with Shift a "
            "straight line. Arrow keys go from step to step and move it there; Delete takes the "
            "curve out."
        )

    def sizeHint(self) -> QSize:
        return QSize(600, 140)

    def show_curve(self, shown: Shown | None) -> None:
        """Sets what is drawn."""
        self.shown = shown
        if shown is not None:
            told = ", ".join(shown.known.text(value) for _, value in shown.places[:32])
            self.setAccessibleDescription(f"{shown.known.label}: {told or 'no curve'}")
        self.update()

    def show_playhead(self, beat: float | None) -> None:
        """Marks where the curve is heard."""
        before, self.playhead = self.playhead, beat
        if before == beat or self.shown is None or not self.shown.places:
            return
        for place in (before, beat):
            if place is not None:
                wide = _HEAD_PX + 2.0
                strip = QRectF(self.x_of(place) - wide, 0.0, 2.0 * wide, self.height())
                self.update(strip.toAlignedRect())

    def value_under(self, beat: float) -> float:
        """Where the curve stands at a beat."""
        assert self.shown is not None
        places, known = self.shown.places, self.shown.known
        if not places:
            return self.shown.rest
        after = next((n for n, place in enumerate(places) if place[0] > beat), len(places))
        if after in (0, len(places)):
            return places[max(0, after - 1)][1]
        (first, start), (last, end) = places[after - 1], places[after]
        low, high = known.position(start), known.position(end)
        return known.at(low + (beat - first) / (last - first) * (high - low))

    # Geometry.

    def y_of(self, value: float) -> float:
        """The height of a value."""
        assert self.shown is not None
        room = self.height() - _TOP - _BOTTOM
        place = self.shown.known.position(value)
        return _TOP + room * (1.0 - min(1.0, max(0.0, place)))

    def _place_at(self, at: QPointF) -> tuple[float, float]:
        assert self.shown is not None
        room = max(1.0, self.height() - _TOP - _BOTTOM)
        last = self.shown.beats * (1.0 - 1e-9)
        beat = min(last, max(0.0, self.beat_of(at.x())))
        return beat, self.shown.known.at(1.0 - (at.y() - _TOP) / room)

    # Drawing.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        if self.shown is None:
            painter.setPen(theme.color("soft"))
            painter.setFont(theme.text_font(13))
            says = "Choose a gauge of what runs live: Curve …, on the left."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, says)
            return
        rest = self.y_of(self.shown.rest)
        painter.setPen(QPen(theme.color("line"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(self.left_px, rest), QPointF(self.width() - 4.0, rest))
        if self.shown.places:
            self._paint_curve(painter)
        else:
            painter.setPen(theme.color("soft"))
            painter.setFont(theme.text_font(13))
            says = "No curve yet: drag across to draw one, or record while you move the gauge."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, says)
        self._paint_edges(painter)
        self._paint_cursor(painter)

    def _paint_edges(self, painter: QPainter) -> None:
        assert self.shown is not None
        known = self.shown.known
        painter.setFont(theme.value_font(11))
        painter.setPen(theme.color("soft"))
        for value, y in ((known.high, _TOP + 8.0), (known.low, self.height() - _BOTTOM)):
            text = known.text(value)
            wide = painter.fontMetrics().horizontalAdvance(text)
            end = self.y_of(self.shown.places[-1][1]) if self.shown.places else -1e9
            covers = abs(end - y + 4.0) < 14.0  # then it stands at the other side
            x = self.left_px + 4.0 if covers else self.width() - wide - 10.0
            painter.drawText(QPointF(x, y), text)

    def _paint_curve(self, painter: QPainter) -> None:
        assert self.shown is not None
        places = self.shown.places
        spots = [QPointF(self.x_of(beat), self.y_of(value)) for beat, value in places]
        end = QPointF(self.x_of(self.shown.beats), spots[-1].y())
        path = QPainterPath(QPointF(self.x_of(0.0), spots[0].y()))
        for spot in (*spots, end):
            path.lineTo(spot)
        painter.setClipRect(QRectF(self.left_px, 0.0, self.axis_px, self.height()))
        under = QPainterPath(path)
        under.lineTo(end.x(), self.height() - _BOTTOM)
        under.lineTo(self.x_of(0.0), self.height() - _BOTTOM)
        painter.fillPath(under, theme.color("water", 40))
        painter.setPen(QPen(theme.color("water"), 2.0))
        painter.drawPath(path)
        if len(spots) * 3.0 * _POINT_PX < self.axis_px:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("water"))
            for spot in spots:
                painter.drawEllipse(spot, _POINT_PX, _POINT_PX)
        self._paint_playhead(painter)
        painter.setClipping(False)

    def _paint_playhead(self, painter: QPainter) -> None:
        if self.playhead is None or self.playhead < 0.0:
            return
        spot = QPointF(self.x_of(self.playhead), self.y_of(self.value_under(self.playhead)))
        painter.setPen(QPen(theme.color("soft"), 1.0))
        painter.drawLine(QPointF(spot.x(), _TOP), QPointF(spot.x(), self.height() - _BOTTOM))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("ink"))
        painter.drawEllipse(spot, _HEAD_PX, _HEAD_PX)

    def _paint_cursor(self, painter: QPainter) -> None:
        """Where keys move it, or where the hand is, with its value."""
        assert self.shown is not None
        at = self._hand[-1][0] if self._hand else self._at if self.hasFocus() else None
        if at is None:
            return
        value = self._hand[-1][1] if self._hand else self.value_under(at)
        spot = QPointF(self.x_of(at), self.y_of(value))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("ink"), 1.4))
        painter.drawEllipse(spot, 5.0, 5.0)
        painter.setFont(theme.value_font(11))
        text = self.shown.known.text(value)
        wide = painter.fontMetrics().horizontalAdvance(text)
        x = min(self.width() - wide - 6.0, max(self.left_px, spot.x() - wide / 2.0))
        painter.drawText(QPointF(x, self.height() - 6.0), text)

    # The hand.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.shown is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._line = bool(event.modifiers() & _SHIFT)
        self._hand = [self._place_at(event.position())]
        self._at = self._hand[0][0]
        self._tell()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.shown is None or not self._hand:
            return
        place = self._place_at(event.position())
        if self._line:
            self._hand = [self._hand[0], place]
        elif abs(place[0] - self._hand[-1][0]) * self.per_beat >= _FINEST_PX:
            self._hand.append(place)
        else:
            self._hand[-1] = (self._hand[-1][0], place[1])
        self._at = place[0]
        self._tell()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._hand:
            self._hand = []
            self.update()
            self.settled.emit()

    def _tell(self) -> None:
        """What the hand has drawn, each beat once: where it went back, the last counts."""
        by_beat: dict[float, float] = {}
        for beat, value in _forward(self._hand):
            by_beat[beat] = value
        self.drawn.emit(sorted(by_beat.items()))
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None or self.shown is None or not self.shown.places:
            return
        self.menu = QMenu(self)
        action = self.menu.addAction("Take the curve out")
        if action is not None:
            action.triggered.connect(self.emptied)
        popup_once(self.menu, event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.shown is None:
            super().keyPressEvent(event)
            return
        key, shown = Qt.Key(event.key()), self.shown
        at = self._at if self._at is not None else 0.0
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = shown.step if key == Qt.Key.Key_Right else -shown.step
            grid = round(at / shown.step) * shown.step
            self._at = min(max(0.0, grid + step), shown.beats - shown.step)
            self.update()
        elif key in _WAYS:
            self._at = at
            value = self.value_under(at)
            moved = shown.known.at(shown.known.position(value) + _WAYS[key])
            if shown.known.kind == "whole" and moved == value:
                moved = value + (1.0 if _WAYS[key] > 0.0 else -1.0)
            self.drawn.emit([(at, moved)])
            self.settled.emit()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and shown.places:
            self.emptied.emit()
        else:
            super().keyPressEvent(event)


def _forward(places: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """What a hand drew, without what it went over again later."""
    kept: list[tuple[float, float]] = []
    for n, place in enumerate(places):
        if n and place[0] < places[n - 1][0]:
            kept = [one for one in kept if one[0] < place[0]]
        elif n:
            first = places[n - 1][0]
            kept = [one for one in kept if not first < one[0] <= place[0]]
        kept.append(place)
    return kept
