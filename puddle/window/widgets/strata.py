"""Strata: layers as lanes on one time axis under the whole sound.

A lane is a header with the layer's switches and a canvas with its waveform. On the canvas a drag
moves the layer in time; the small handles trim a sample and shape the envelope.
"""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from puddle.kit.model.document import Layer
from puddle.measure.shape import HitShape
from puddle.views.handles import Drag, Handle, Landing
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque
from puddle.window.widgets.strata_picture import CanvasPicture
from puddle.window.widgets.time_axis import TimeAxis

_GRAB = 9.0
_SNAP_PX = 7.0


class Canvas(CanvasPicture):
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

    def tell(self, landing: Landing | None) -> None:
        """Writes at the pointer what a drag has come to, until the hand lets go."""
        if self._pressed is not None:
            self._landing = landing
            self.update()

    @property
    def told(self) -> Landing | None:
        """What stands at the pointer."""
        return self._landing

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
