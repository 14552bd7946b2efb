"""How a lane looks: its wave, brackets of attack, body and tail, and handles."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QColor,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QWidget

from puddle.kit.model.document import Layer, Sample
from puddle.measure.envelope import min_max
from puddle.measure.shape import HitShape
from puddle.units import THIN
from puddle.views.handles import Handle, Landing, handles_of, region_ms
from puddle.window import theme
from puddle.window.widgets.grounds import paint_chosen_ground, paint_ground
from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.strokes import fill, outline
from puddle.window.widgets.time_axis import TimeAxis

HANDLE = 5.0


class CanvasPicture(QWidget):
    """Geometry and painting; Canvas adds mouse and keyboard."""

    _axis: TimeAxis
    _mono: np.ndarray
    _rate_hz: float
    _shape: HitShape | None
    _layer: Layer | None
    _lead_ms: float
    _recorded_ms: float
    _dye: str
    _landing: Landing | None
    _pointer: QPointF
    _cached: tuple[object, ...]
    _outline: QPolygonF
    _scale: float
    _chosen: bool

    def _wave_height(self) -> float:
        return self.height() - (26.0 if self._shape is not None else 6.0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        (paint_chosen_ground if self._chosen else paint_ground)(painter, self)
        painter.setPen(QPen(theme.color("line", 110), 1))
        for tick in self._axis.ticks():
            x = round(self._axis.x(tick, self.width())) + 0.5
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        off = self._layer is not None and not self._layer.on
        ink = theme.color(self._dye, 90 if off else 255)
        fill(painter, self._wave(), theme.color(self._dye, 60 if off else 205))
        outline(painter, self._wave(), ink)
        if self._layer is not None:
            self._paint_handles(painter, self._layer)
        elif self._shape is not None:
            self._paint_brackets(painter, self._shape)
        if self._landing is not None:
            self._paint_landing(painter, self._landing)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)

    def _paint_landing(self, painter: QPainter, landing: Landing) -> None:
        if landing.at_ms is not None:
            x = self._axis.x(landing.at_ms, self.width())
            painter.setPen(QPen(theme.color("coral"), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        text = landing.text + (f", {landing.snapped}" if landing.snapped else "")
        painter.setFont(theme.value_font(12))
        metrics = painter.fontMetrics()
        width, height = metrics.horizontalAdvance(text) + 12.0, metrics.height() + 4.0
        left = self._pointer.x() + 14.0
        if left + width > self.width() - 2.0:
            left = self._pointer.x() - 14.0 - width
        top = min(max(2.0, self._pointer.y() - height - 4.0), self.height() - height - 2.0)
        box = QRectF(max(2.0, left), top, width, height)
        painter.setPen(QPen(theme.color("coral" if landing.snapped else "line"), 1.0))
        painter.setBrush(theme.color("panel"))
        painter.drawRoundedRect(box, 5, 5)
        painter.setPen(theme.color("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _wave(self) -> QPolygonF:
        """The outline, made anew only when sound, size or zoom differ."""
        key = (self.width(), self.height(), self._axis.first_ms, self._axis.last_ms)
        if key == self._cached:
            return self._outline
        per_ms = self._rate_hz / 1000.0
        columns = max(2, self.width())
        pairs = min_max(
            self._mono, self._axis.first_ms * per_ms, self._axis.last_ms * per_ms, columns
        )
        height = self._wave_height()
        middle, half = height / 2 + 2, (height / 2 - 2) * self._scale
        across = np.arange(columns, dtype=np.float64)
        tops, bottoms = middle - half * pairs[:, 1], middle - half * pairs[::-1, 0]
        xs, ys = np.concatenate([across, across[::-1]]), np.concatenate([tops, bottoms])
        self._outline = polygon(xs, ys)
        self._cached = key
        return self._outline

    def _paint_brackets(self, painter: QPainter, shape: HitShape) -> None:
        y = self.height() - 20.0
        painter.setPen(QPen(theme.color("soft"), 1))
        painter.setFont(theme.text_font(11))
        spans = (
            ("attack", shape.onset_ms, shape.attack_end_ms),
            ("body", shape.attack_end_ms, shape.body_end_ms),
            ("tail", shape.body_end_ms, shape.tail_end_ms),
        )
        taken = 0.0
        for name, start, end in spans:
            x0, x1 = self._axis.x(start, self.width()) + 1, self._axis.x(end, self.width()) - 1
            if x1 - x0 < 1 or x1 < 0 or x0 > self.width():
                continue
            for a, b in (
                (QPointF(x0, y - 4), QPointF(x0, y)),
                (QPointF(x0, y), QPointF(x1, y)),
                (QPointF(x1, y), QPointF(x1, y - 4)),
            ):
                painter.drawLine(a, b)
            text = f"{name} {end - start:.0f}{THIN}ms"
            width = painter.fontMetrics().horizontalAdvance(text)
            if width > x1 - x0 and name != "attack":
                continue
            left = x0 if name == "attack" else max((x0 + x1 - width) / 2, taken + 8)
            taken = left + width
            painter.drawText(QPointF(left, y + 14), text)

    def handles(self) -> list[Handle]:
        """What can be dragged on this layer."""
        layer = self._layer
        if layer is None:
            return []
        length_ms = region_ms(layer, self._recorded_ms)
        return handles_of(layer, self._lead_ms + layer.offset_ms, length_ms)

    def place(self, handle: Handle) -> QPointF:
        """Where a handle is painted."""
        y = handle.y if handle.y >= 0.0 else self._wave_height() + 4.0 + handle.y
        return QPointF(self._axis.x(handle.ms, float(self.width())), y)

    def _paint_handles(self, painter: QPainter, layer: Layer) -> None:
        dye = theme.color(layer.dye)
        handles = {h.what: self.place(h) for h in self.handles()}
        height = self._wave_height() + 4
        painter.setPen(QPen(dye, 1.6))
        top = handles["offset"]
        painter.drawLine(top, QPointF(top.x(), height - 4))
        if layer.envelope.on:
            self._paint_envelope(painter, layer, handles, height)
        if isinstance(layer.source, Sample):
            self._paint_edges(painter, dye, handles, height)
        for what, at in handles.items():
            if what == "offset":
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(dye)
                painter.drawEllipse(at, HANDLE, HANDLE)
            elif what in ("start", "end", "loop_for"):
                self._paint_trim(painter, dye, what, at)
            elif what in ("loop_start", "loop_end"):
                painter.setPen(QPen(theme.color("panel"), 1.3))
                painter.setBrush(dye)
                painter.drawEllipse(at, 4.0, 4.0)
            else:
                painter.setPen(QPen(theme.color("ink"), 1.3))
                painter.setBrush(theme.color("panel"))
                painter.drawEllipse(at, 4.0, 4.0)

    def _paint_edges(
        self, painter: QPainter, dye: QColor, handles: dict[str, QPointF], height: float
    ) -> None:
        """The fades as slopes, and the loop as a bracket."""
        painter.setPen(QPen(theme.color("soft"), 1.2, Qt.PenStyle.DashLine))
        last = handles["end"] if "end" in handles else handles["loop_for"]
        for edge, fade in ((handles["start"], "fade_in"), (last, "fade_out")):
            if abs(edge.x() - handles[fade].x()) >= 1.0:
                painter.drawLine(QPointF(edge.x(), height - 4), handles[fade])
        if "loop_start" in handles:
            painter.setPen(QPen(dye, 2.0))
            painter.drawLine(handles["loop_start"], handles["loop_end"])

    def _paint_trim(self, painter: QPainter, dye: QColor, what: str, at: QPointF) -> None:
        """The marker of a trim edge, which points into the region."""
        way = 7.0 if what == "start" else -7.0
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(dye)
        corners = [at, at + QPointF(way, 0), at + QPointF(0, -9)]
        painter.drawPolygon(QPolygonF([c + QPointF(0, 3) for c in corners]))

    def _paint_envelope(
        self, painter: QPainter, layer: Layer, handles: dict[str, QPointF], height: float
    ) -> None:
        """The envelope's line, as it is computed."""
        path = QPainterPath(QPointF(handles["offset"].x(), height - 14))
        path.lineTo(handles["attack"])
        path.lineTo(handles["hold"])
        bend = layer.envelope.curve / 100.0 * 6.0
        start, end = handles["hold"], handles["decay"]
        for k in range(1, 33):
            left = 1.0 - k / 32.0
            level = left if abs(bend) < 1e-6 else np.expm1(bend * left) / np.expm1(bend)
            x = start.x() + (end.x() - start.x()) * k / 32.0
            path.lineTo(QPointF(x, end.y() + (start.y() - end.y()) * float(level)))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("soft"), 1.0, Qt.PenStyle.DashLine))
        painter.drawPath(path)
