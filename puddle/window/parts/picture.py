"""A voice's picture: what its parameters mean, drawn by the code that computes it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.voices.picture import Picture
from puddle.window import theme

_HEIGHT = 84


class VoicePicture(QWidget):
    """A curve or stems in a small frame, its axes named at their ends."""

    def __init__(self, picture: Picture) -> None:
        super().__init__()
        self._picture = picture
        self.setFixedHeight(_HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Picture of the voice")
        self.setToolTip("What the gauges below add up to; it follows them.")
        self._tell()

    def show_picture(self, picture: Picture) -> None:
        """Another one."""
        if picture != self._picture:
            self._picture = picture
            self._tell()
            self.update()

    def _tell(self) -> None:
        shown = self._picture
        across = f"from {shown.left} to {shown.right}"
        upwards = f", {shown.low} to {shown.high}" if shown.high else ""
        self.setAccessibleDescription(f"{shown.title} {across}{upwards}")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shown = self._picture
        painter.setFont(theme.text_font(11))
        metrics = painter.fontMetrics()
        side = max(44, *(metrics.horizontalAdvance(t) + 8 for t in (shown.low, shown.high)))
        room = QRectF(side, 5, self.width() - side - 8, _HEIGHT - 24)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("inset", 110))
        painter.drawRoundedRect(room.adjusted(-4, -3, 4, 3), 6, 6)
        self._paint_words(painter, room)
        if shown.kind == "stems":
            self._paint_stems(painter, room)
        else:
            self._paint_curve(painter, room)

    def _paint_words(self, painter: QPainter, room: QRectF) -> None:
        shown = self._picture
        painter.setPen(theme.color("soft"))
        right = Qt.AlignmentFlag.AlignRight
        edge = QRectF(0, room.top() - 4, room.left() - 8, 16)
        painter.drawText(edge, right, shown.high or shown.title)
        if shown.high:
            middle = QRectF(0, room.center().y() - 8, room.left() - 8, 16)
            painter.drawText(middle, right, shown.title)
        painter.drawText(QRectF(0, room.bottom() - 12, room.left() - 8, 16), right, shown.low)
        under = QRectF(room.left(), room.bottom() + 4, room.width(), 15)
        painter.drawText(under, Qt.AlignmentFlag.AlignLeft, shown.left)
        painter.drawText(under, right, shown.right)

    def _at(self, room: QRectF, point: tuple[float, float]) -> QPointF:
        x, y = point
        return QPointF(room.left() + x * room.width(), room.bottom() - y * room.height())

    def _paint_curve(self, painter: QPainter, room: QRectF) -> None:
        line = QPolygonF([self._at(room, point) for point in self._picture.points])
        painter.setPen(QPen(theme.color("water"), 2.0))
        painter.drawPolyline(line)

    def _paint_stems(self, painter: QPainter, room: QRectF) -> None:
        for x, y in self._picture.points:
            top = self._at(room, (x, y))
            painter.setPen(QPen(theme.color("water"), 1.4))
            painter.drawLine(QPointF(top.x(), room.bottom()), top)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("water"))
            painter.drawEllipse(top, 2.2, 2.2)
