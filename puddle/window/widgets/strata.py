"""Strata: layers as lanes on one time axis under the whole sound.

A lane is a header with the layer's switches and a canvas with its waveform. On the canvas a drag
moves the layer in time; the small handles trim a sample and shape the envelope.
"""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from puddle.kit.model.document import Layer, Sample
from puddle.measure.envelope import min_max
from puddle.measure.shape import HitShape
from puddle.units import THIN
from puddle.views.handles import Drag, Handle, Landing, handles_of, region_ms
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_chosen_ground, paint_ground
from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.strokes import fill, outline

HANDLE = 5.0
_GRAB = 9.0
_SNAP_PX = 7.0
_SHORTEST_MS = 2.0
_MARGIN = 0.012  # of the sound, before its start, so that handles there can be grabbed


class TimeAxis(QObject):
    """The stretch of time that all lanes show, in ms."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.first_ms = 0.0
        self.last_ms = 500.0
        self._whole_ms = 500.0

    def set_whole(self, length_ms: float) -> None:
        """The length of the sound; an axis that showed all of it goes on doing so.

        Rounded up a little, so that it stands still while a length is changed.
        """
        showed_all = self.first_ms <= 0.0 and self.last_ms >= self._whole_ms * 0.999
        step = 10.0 ** math.floor(math.log10(max(20.0, length_ms))) / 20.0
        whole_ms = step * math.ceil(max(20.0, length_ms) / step)
        if showed_all and whole_ms == self._whole_ms and self.first_ms < 0.0:
            return
        self._whole_ms = whole_ms
        if showed_all:
            self.show_all()

    def show_all(self) -> None:
        """The whole sound."""
        self.first_ms, self.last_ms = -_MARGIN * self._whole_ms, self._whole_ms * 1.01
        self.changed.emit()

    def zoom(self, factor: float, around_ms: float) -> None:
        """Zooms around a time."""
        span = (self.last_ms - self.first_ms) / factor
        span = min(max(span, _SHORTEST_MS), self._whole_ms * 1.6)
        share = (around_ms - self.first_ms) / (self.last_ms - self.first_ms)
        self.first_ms = max(-_MARGIN * self._whole_ms, around_ms - share * span)
        self.last_ms = self.first_ms + span
        self.changed.emit()

    def pan(self, by_ms: float) -> None:
        """Moves along."""
        by_ms = max(by_ms, -_MARGIN * self._whole_ms - self.first_ms)
        self.first_ms += by_ms
        self.last_ms += by_ms
        self.changed.emit()

    def x(self, ms: float, width: float) -> float:
        """Where a time stands in a canvas."""
        return (ms - self.first_ms) / (self.last_ms - self.first_ms) * width

    def ms(self, x: float, width: float) -> float:
        """The time at a place of a canvas."""
        return self.first_ms + x / max(1.0, width) * (self.last_ms - self.first_ms)

    def ticks(self) -> list[float]:
        """Some six to ten round times."""
        span = self.last_ms - self.first_ms
        step = 10.0 ** np.floor(np.log10(span / 5.0))
        for factor in (1.0, 2.0, 5.0, 10.0):
            if span / (step * factor) <= 10.0:
                step *= factor
                break
        start = np.ceil(max(0.0, self.first_ms) / step) * step
        return [float(t) for t in np.arange(start, self.last_ms, step)]


class Canvas(QWidget):
    """A waveform on the shared time axis."""

    selected = pyqtSignal()
    dragged = pyqtSignal(object)  # a Drag
    settled = pyqtSignal()

    def __init__(self, axis: TimeAxis, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._axis = axis
        self._mono = np.zeros(1, np.float32)
        self._rate_hz = 48000.0
        self._shape: HitShape | None = None
        self._layer: Layer | None = None
        self._lead_ms = 0.0
        self._recorded_ms = 0.0
        self._dye = "ink"
        self._pressed: tuple[Handle, float] | None = None  # with the x where it was taken
        self._landing: Landing | None = None  # told at the pointer while a handle is dragged
        self._pointer = QPointF()
        self._cached: tuple[object, ...] = ()
        self._audio: np.ndarray | None = None
        self._outline = QPolygonF()
        self._scale = 1.0
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(44)
        self._chosen = False
        make_opaque(self)
        axis.changed.connect(self.update)

    def set_chosen(self, chosen: bool) -> None:
        """Whether its lane is selected."""
        if chosen != self._chosen:
            self._chosen = chosen
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(640, 80)

    def show_sound(self, audio: np.ndarray, rate_hz: float, shape: HitShape | None) -> None:
        """Shows the whole sound, with its brackets."""
        self._set_audio(audio, rate_hz)
        self._shape, self._layer, self._dye = shape, None, "ink"
        self.update()

    def show_layer(
        self,
        audio: np.ndarray,
        rate_hz: float,
        layer: Layer,
        lead_ms: float,
        recorded_ms: float = 0.0,
    ) -> None:
        """Shows a layer as it stands in the sum; the same one again costs nothing.

        `recorded_ms` is the length of the recording that it was cut from, where there is one.
        """
        if audio is self._audio and layer is self._layer and lead_ms == self._lead_ms:
            return
        self._set_audio(audio, rate_hz)
        self._layer, self._lead_ms, self._dye = layer, lead_ms, layer.dye
        self._recorded_ms = recorded_ms
        self.update()

    def _set_audio(self, audio: np.ndarray, rate_hz: float) -> None:
        if audio is self._audio:
            return
        self._audio = audio
        self._mono = 0.5 * (audio[:, 0] + audio[:, 1])
        self._rate_hz = rate_hz
        peak = float(np.abs(self._mono).max(initial=0.0))
        self._scale = 1.0 / peak if peak > 1e-4 else 1.0
        self._cached = ()

    # Painting.

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

    def tell(self, landing: Landing | None) -> None:
        """Writes at the pointer what a drag has come to, until the hand lets go."""
        if self._pressed is not None:
            self._landing = landing
            self.update()

    @property
    def told(self) -> Landing | None:
        """What stands at the pointer."""
        return self._landing

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
        """The slopes of the fades, and what goes round."""
        painter.setPen(QPen(theme.color("soft"), 1.2, Qt.PenStyle.DashLine))
        last = handles["end"] if "end" in handles else handles["loop_for"]
        for edge, fade in ((handles["start"], "fade_in"), (last, "fade_out")):
            if abs(edge.x() - handles[fade].x()) >= 1.0:
                painter.drawLine(QPointF(edge.x(), height - 4), handles[fade])
        if "loop_start" in handles:
            painter.setPen(QPen(dye, 2.0))
            painter.drawLine(handles["loop_start"], handles["loop_end"])

    def _paint_trim(self, painter: QPainter, dye: QColor, what: str, at: QPointF) -> None:
        """A small foot that points into the region."""
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

    # The hand.

    def _handle_at(self, at: QPointF) -> Handle | None:
        def far(handle: Handle) -> float:
            place = self.place(handle)
            return float(np.hypot(at.x() - place.x(), at.y() - place.y()))

        best = min(reversed(self.handles()), key=far, default=None)
        return best if best is not None and far(best) <= _GRAB else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.selected.emit()
        if self._layer is not None:
            taken = self._handle_at(event.position()) or self.handles()[0]
            self._pressed = (taken, event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._pressed is None:
            handle = self._handle_at(event.position())
            cursor = Qt.CursorShape.SizeHorCursor if handle else Qt.CursorShape.ArrowCursor
            self.setCursor(cursor)
            self.setToolTip(handle.says if handle else "")
            return
        handle, from_x = self._pressed
        self._pointer = event.position()
        moved = event.position().x() - from_x
        if abs(moved) < 2.0:
            return
        ms_per_px = (self._axis.last_ms - self._axis.first_ms) / max(1, self.width())
        keys = event.modifiers()
        if keys & Qt.KeyboardModifier.ShiftModifier:
            self.dragged.emit(Drag(handle.what, handle.ms, 0.1 * moved * ms_per_px))
            return
        reach = 0.0 if keys & Qt.KeyboardModifier.ControlModifier else _SNAP_PX * ms_per_px
        self.dragged.emit(Drag(handle.what, handle.ms, moved * ms_per_px, reach))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._pressed is not None:
            self._pressed = self._landing = None
            self.settled.emit()
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._layer is not None:
            handle = self._handle_at(event.position())
            if handle is not None and handle.what == "offset":
                self.dragged.emit(Drag("reset offset", handle.ms, 0.0))
                self.settled.emit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turns = event.angleDelta().y() / 120.0
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or event.angleDelta().x():
            turns = turns or event.angleDelta().x() / 120.0
            self._axis.pan(-0.1 * turns * (self._axis.last_ms - self._axis.first_ms))
        else:
            around = self._axis.ms(event.position().x(), self.width())
            self._axis.zoom(1.25**turns, around)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        fine = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        step = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Right: 1.0}.get(Qt.Key(event.key()))
        if step is not None and self._layer is not None:
            self.dragged.emit(Drag("offset", 0.0, step * (0.02 if fine else 0.2)))
            self.settled.emit()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.selected.emit()
        else:
            super().keyPressEvent(event)


class Ruler(QWidget):
    """The times under the lanes."""

    def __init__(self, axis: TimeAxis, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._axis = axis
        self.setFixedHeight(18)
        axis.changed.connect(self.update)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setFont(theme.text_font(11))
        painter.setPen(theme.color("soft"))
        end = self.width() - 24
        for tick in self._axis.ticks():
            x = self._axis.x(tick, self.width())
            text = f"{tick:g}"
            width = painter.fontMetrics().horizontalAdvance(text)
            left = max(0.0, x - width / 2)
            if left + width < end:
                painter.drawText(QPointF(left, 13), text)
        painter.drawText(QPointF(self.width() - 18, 13), "ms")
