"""How a gauge looks: its name, its bar, its value, and where softer strikes lie."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QPainter,
    QPaintEvent,
)
from PyQt6.QtWidgets import QWidget

from puddle.parameter import Parameter
from puddle.window import theme

_HEIGHT = 25
_VALUE_WIDTH = 76


class GaugePicture(QWidget):
    """Geometry and painting; Gauge adds mouse, wheel and keyboard."""

    parameter: Parameter
    _value: float
    _name_px: int
    _reach: float | None

    @property
    def value(self) -> float:
        """The value that is shown."""
        return self._value

    def _tell_value(self) -> None:
        told = self.parameter.text(self._value)
        if self._reach:
            told += f", velocity {self._reach:+.0f} %"
        self.setAccessibleDescription(told)

    @property
    def reach(self) -> float:
        """How far the softest strike lies below what is set, in % of the gauge."""
        return self._reach or 0.0

    def _soft_place(self) -> float:
        place = self.parameter.position(self._value) - self.reach / 100.0
        return min(1.0, max(0.0, place))

    def _bar(self) -> QRectF:
        left = self._name_px
        return QRectF(left, _HEIGHT / 2 - 4, self.width() - left - _VALUE_WIDTH - 6, 8)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.text_font(13))
        painter.setPen(theme.color("soft", 255 if self.isEnabled() else 150))
        room = QRectF(2, 0, self._name_px - 8, _HEIGHT)
        metrics = painter.fontMetrics()
        name = metrics.elidedText(
            self.parameter.label, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, name)
        bar = self._bar()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("inset"))
        painter.drawRoundedRect(bar, 4, 4)
        painter.setBrush(theme.color("water" if self.isEnabled() else "line"))
        painter.drawRoundedRect(self._filled(bar), 4, 4)
        if self._reach:
            self._paint_reach(painter, bar)
        painter.setFont(theme.value_font(12))
        painter.setPen(theme.color("ink" if self.isEnabled() else "soft"))
        place = QRectF(self.width() - _VALUE_WIDTH, 0, _VALUE_WIDTH - 4, _HEIGHT)
        flags = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        painter.drawText(place, flags, self.parameter.text(self._value))
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.color("water"))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 1.5, -0.5, -1.5), 6, 6)

    def _paint_reach(self, painter: QPainter, bar: QRectF) -> None:
        """A thin line under the bar, from the hard end to a drop at the soft one."""
        painter.setBrush(theme.color("sun"))
        y = bar.bottom() + 3.5
        soft, hard = (
            bar.left() + p * bar.width()
            for p in (self._soft_place(), self.parameter.position(self._value))
        )
        painter.drawRect(QRectF(min(soft, hard), y - 1.0, abs(hard - soft), 2.0))
        painter.drawEllipse(QPointF(soft, y), 3.0, 3.0)

    def _filled(self, bar: QRectF) -> QRectF:
        """The bar's filled part: from zero where the range has both signs, else from the left."""
        place = self.parameter.position(self._value)
        zero = 0.0
        low, high = self.parameter.low, self.parameter.high
        if low < 0.0 < high and 0.5 <= -low / high <= 4.0:
            zero = self.parameter.position(0.0)
        left, right = min(place, zero), max(place, zero)
        width = max(8.0, (right - left) * bar.width())
        x = bar.left() + left * bar.width()
        return QRectF(min(x, bar.right() - width), bar.top(), width, bar.height())
