"""One measure of a sieve: a histogram of what there is, with a range to drag on it."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.library.search import Measure
from puddle.units import note_from_hz, note_name, with_unit
from puddle.window import theme

_HEAD, _FOOT, _EDGE = 18, 30, 8
_TALL, _LOW = 104, 80
_NARROW = 108  # below, only the ends that are set are told
_HANDLE_PX = 5.0
_NEAR_PX = 12.0
_STEP = 1.0 / 40.0
Range = tuple[float, float] | None


class SieveRange(QWidget):
    """Drag an end or the bar between; a double click takes all; arrows move the end chosen last."""

    moved = pyqtSignal(object)  # a range in the measure's unit, or None for all

    def __init__(self, measure: Measure) -> None:
        super().__init__()
        self.measure = measure
        self._counts = np.zeros(1)
        self._low, self._high = 0.0, 1.0
        self._held = ""  # "low", "high" or "both"
        self._last = "low"
        self._from = (0.0, 0.0, 0.0)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_TALL)
        self.setMinimumWidth(78)
        self.setMouseTracking(True)
        self.setAccessibleName(measure.label)
        self.setToolTip(f"{measure.says} Drag an end of the range; a double click takes all.")
        self._tell()

    def sizeHint(self) -> QSize:
        return QSize(170, _TALL)

    def set_tall(self, tall: bool) -> None:
        """As high as it likes, or lower in a low window."""
        self.setFixedHeight(_TALL if tall else _LOW)

    # The range.

    @property
    def range(self) -> Range:
        """In the measure's unit; an end at its stop is open; None for all."""
        if self._low <= 0.0 and self._high >= 1.0:
            return None
        low = self.measure.at(self._low) if self._low > 0.0 else -math.inf
        high = self.measure.at(self._high) if self._high < 1.0 else math.inf
        return low, high

    def show_range(self, chosen: Range) -> None:
        """Shows a range, without telling it."""
        low, high = chosen or (-math.inf, math.inf)
        self._low = min(1.0, max(0.0, self.measure.place(low))) if math.isfinite(low) else 0.0
        self._high = min(1.0, max(0.0, self.measure.place(high))) if math.isfinite(high) else 1.0
        self._tell()
        self.update()

    def show_counts(self, counts: np.ndarray) -> None:
        """How many there are in each bin."""
        self._counts = counts
        self.update()

    def _set(self, low: float, high: float) -> None:
        before = (self._low, self._high)
        self._low, self._high = min(max(low, 0.0), 1.0), min(max(high, 0.0), 1.0)
        if (self._low, self._high) != before:
            self._tell()
            self.update()
            self.moved.emit(self.range)

    def text(self, place: float) -> str:
        """The value at a place, in words."""
        value = self.measure.at(place)
        if self.measure.unit == "note":
            return note_name(round(note_from_hz(value)))
        if not self.measure.unit:
            return f"{value:.3f}"
        decimals = 1 if self.measure.unit == "ms" and value < 10.0 else 0
        return with_unit(value, self.measure.unit, decimals).removeprefix("+")

    def _tell(self) -> None:
        said = "all" if self.range is None else f"{self.text(self._low)} to {self.text(self._high)}"
        self.setAccessibleDescription(said)

    # The hand.

    def _x(self, place: float) -> float:
        return _EDGE + place * (self.width() - 2 * _EDGE)

    def _place(self, x: float) -> float:
        return (x - _EDGE) / max(1.0, self.width() - 2 * _EDGE)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        x = event.position().x()
        low, high = abs(x - self._x(self._low)), abs(x - self._x(self._high))
        if min(low, high) <= _NEAR_PX:
            at_once = low == high  # both ends in one place: the side that it is pulled to
            self._held = "low" if low < high or (at_once and self._low >= 1.0) else "high"
        elif self._x(self._low) < x < self._x(self._high) and self.range is not None:
            self._held = "both"
        else:
            self._held = "low" if low < high else "high"
            self._move_to(self._place(x))
        self._last = self._held if self._held != "both" else self._last
        self._from = (self._place(x), self._low, self._high)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held:
            self._move_to(self._place(event.position().x()))

    def _move_to(self, place: float) -> None:
        if self._held == "low":
            self._set(min(place, self._high), self._high)
        elif self._held == "high":
            self._set(self._low, max(place, self._low))
        else:
            began, low, high = self._from
            by = min(max(place - began, -low), 1.0 - high)
            self._set(low + by, high + by)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = ""

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._held = ""
        self._set(0.0, 1.0)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        by = {Qt.Key.Key_Left: -_STEP, Qt.Key.Key_Right: _STEP}.get(Qt.Key(event.key()))
        if by is not None:
            self._held = self._last
            self._move_to((self._low if self._last == "low" else self._high) + by)
            self._held = ""
        elif event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self._last = "low" if event.key() == Qt.Key.Key_Home else "high"
            self.update()
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._set(0.0, 1.0)
        else:
            super().keyPressEvent(event)

    # The picture.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        floor = self.height() - _FOOT
        self._paint_bars(painter, floor)
        self._paint_head(painter)
        painter.setPen(QPen(theme.color("line"), 1.5))
        painter.drawLine(QPointF(_EDGE, floor), QPointF(self.width() - _EDGE, floor))
        painter.setPen(QPen(theme.color("water"), 3.0))
        painter.drawLine(QPointF(self._x(self._low), floor), QPointF(self._x(self._high), floor))
        painter.setPen(QPen(theme.color("water"), 2.0))
        painter.setBrush(theme.color("panel"))
        for place in (self._low, self._high):
            painter.drawEllipse(QPointF(self._x(place), floor), _HANDLE_PX, _HANDLE_PX)
        self._paint_ends(painter, floor)

    def _paint_bars(self, painter: QPainter, floor: float) -> None:
        most = max(1.0, float(self._counts.max()))
        count = self._counts.size
        wide = (self.width() - 2.0 * _EDGE) / count
        painter.setPen(Qt.PenStyle.NoPen)
        for n, value in enumerate(self._counts.tolist()):
            if not value:
                continue
            inside = self._low <= (n + 0.5) / count <= self._high
            painter.setBrush(theme.color("water" if inside else "line"))
            tall = max(1.5, (floor - _HEAD - 4.0) * math.sqrt(value / most))
            left = _EDGE + n * wide
            painter.drawRoundedRect(QRectF(left, floor - tall, max(1.0, wide - 1.2), tall), 1, 1)

    def _paint_head(self, painter: QPainter) -> None:
        chosen = self.range is not None
        painter.setFont(theme.text_font(12, bold=True))
        painter.setPen(theme.color("water" if chosen or self.hasFocus() else "ink"))
        room = QRectF(_EDGE, 0, self.width() - 2 * _EDGE, _HEAD)
        painter.drawText(room, Qt.AlignmentFlag.AlignLeft, self.measure.label)
        if self.measure.unit and self.width() >= _NARROW:
            painter.setFont(theme.text_font(11))
            painter.setPen(theme.color("soft"))
            painter.drawText(room, Qt.AlignmentFlag.AlignRight, self.measure.unit)

    def _paint_ends(self, painter: QPainter, floor: float) -> None:
        painter.setFont(theme.value_font(11))
        room = QRectF(_EDGE - 4, floor + 9, self.width() - 2 * _EDGE + 8, 18)
        for place, side in (
            (self._low, Qt.AlignmentFlag.AlignLeft),
            (self._high, Qt.AlignmentFlag.AlignRight),
        ):
            bound = 0.0 < place < 1.0
            if self.width() < _NARROW and not bound:
                continue
            painter.setPen(theme.color("ink" if bound else "soft"))
            painter.drawText(room, side, self.text(place))
