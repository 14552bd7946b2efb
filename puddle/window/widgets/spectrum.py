"""Spectrum: layers in their dyes, the sum in ink, and the equalizer's curve with its handles."""

from __future__ import annotations

import msgspec
import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.stages.equalizer import Equalizer
from puddle.units import with_unit
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque
from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.spectrum_backdrop import HIGH_HZ, LOW_HZ, Backdrop, Trace
from puddle.window.widgets.strokes import fill, stroke

_HALO_PX = 2.5
_CURVE_DB = 24.0
_GRAB = 12.0


class Band(msgspec.Struct, frozen=True):
    """An equalizer's handle: the fields that a drag across, up and a wheel turn move."""

    name: str
    hz: str
    db: str
    q: str
    on: str


BANDS = (
    Band("Low cut", "low_cut_hz", "", "low_cut_slope", "low_cut_on"),
    Band("Low shelf", "low_shelf_hz", "low_shelf_db", "", ""),
    Band("Bell 1", "bell1_hz", "bell1_db", "bell1_q", ""),
    Band("Bell 2", "bell2_hz", "bell2_db", "bell2_q", ""),
    Band("Bell 3", "bell3_hz", "bell3_db", "bell3_q", ""),
    Band("Bell 4", "bell4_hz", "bell4_db", "bell4_q", ""),
    Band("High shelf", "high_shelf_hz", "high_shelf_db", "", ""),
    Band("High cut", "high_cut_hz", "", "high_cut_slope", "high_cut_on"),
)


class SpectrumView(QWidget):
    """Spectra of a sound and its layers, and the selected equalizer over them."""

    moved = pyqtSignal(dict, str)  # new values for the equalizer's fields, and the band's name
    settled = pyqtSignal()
    band_selected = pyqtSignal(str)
    searching = pyqtSignal(float)  # a narrow boost is to be heard there, until it ends
    search_ended = pyqtSignal()
    cut_wanted = pyqtSignal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.backdrop = Backdrop(self)
        self._equalizer: Equalizer | None = None
        self._dye = "ink"
        self._rate_hz = 48000.0
        self._band: Band | None = None
        self._dragging = False
        self._search: float | None = None  # the frequency of the boost that is heard
        self.setMouseTracking(True)
        make_opaque(self)
        self.setMinimumHeight(110)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Spectrum")

    def show_traces(self, traces: list[Trace], rate_hz: float) -> None:
        """The spectra, the sum last; its highest point sets the scale."""
        self._rate_hz = rate_hz
        self.backdrop.show_traces(traces)
        self.update()

    def show_equalizer(self, equalizer: Equalizer | None, dye: str) -> None:
        """The curve to be drawn over them; None for none."""
        if equalizer is self._equalizer and dye == self._dye:
            return
        self._equalizer, self._dye = equalizer, dye
        self.update()

    def select_band(self, name: str) -> None:
        """Marks a band's handle."""
        self._band = next((b for b in BANDS if b.name == name), None)
        self.update()

    # Places.

    def _y_of_gain(self, db: float) -> float:
        plot = self.backdrop.plot()
        return float(plot.center().y() - db / _CURVE_DB * plot.height() / 2)

    def _handle(self, band: Band) -> QPointF:
        eq = self._equalizer
        assert eq is not None  # only called while there is one
        hz = getattr(eq, band.hz)
        db = getattr(eq, band.db) if band.db else -3.0 if getattr(eq, band.on) else 0.0
        return QPointF(self.backdrop.x_of(hz), self._y_of_gain(db))

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        plot = self.backdrop.plot()
        self.backdrop.paint(painter)
        painter.setClipRect(plot)
        if self._equalizer is not None:
            self._paint_curve(painter, plot)
        if self._search is not None:
            self._paint_search(painter, plot, self._search)
        painter.setClipping(False)
        self.backdrop.paint_level_words(painter)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)

    def _paint_curve(self, painter: QPainter, plot: QRectF) -> None:
        eq = self._equalizer
        if eq is None:
            return
        dye = theme.color(self._dye)
        zero = self._y_of_gain(0.0)
        painter.setPen(QPen(theme.color("soft", 110), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(0, zero), QPointF(plot.right(), zero))
        hz = np.geomspace(LOW_HZ, HIGH_HZ, 260)
        db = eq.response_db(hz, self._rate_hz)
        xs, ys = self.backdrop.xs_of(hz), plot.center().y() - db / _CURVE_DB * plot.height() / 2
        around = polygon(np.r_[xs, xs[::-1]], np.r_[ys - _HALO_PX, ys[::-1] + _HALO_PX])
        fill(painter, around, theme.color("panel", 200))
        stroke(painter, polygon(xs, ys), dye, 2.0)
        for band in BANDS:
            at = self._handle(band)
            idle = band.on and not getattr(eq, band.on)
            chosen = band is self._band
            painter.setPen(QPen(QColor(dye) if not idle else theme.color("soft"), 2))
            painter.setBrush(dye if chosen else theme.color("panel"))
            size = 6.5 if chosen else 4.0 if idle else 5.5
            painter.drawEllipse(at, size, size)
        if self._band is not None:
            self._paint_readout(painter, eq, self._band)

    def _paint_readout(self, painter: QPainter, eq: Equalizer, band: Band) -> None:
        """The selected handle's values beside it."""
        text = f"{band.name}  {with_unit(getattr(eq, band.hz), 'Hz', 1)}"
        if band.db:
            text += f"  {with_unit(getattr(eq, band.db), 'dB', 1)}"
        painter.setFont(theme.text_font(12, bold=True))
        width = painter.fontMetrics().horizontalAdvance(text)
        at = self._handle(band)
        x = min(max(4.0, at.x() - width / 2), self.width() - width - 6.0)
        y = at.y() - 14 if at.y() > 30 else at.y() + 24
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("panel", 215))
        painter.drawRoundedRect(QRectF(x - 4, y - 12, width + 8, 16), 5, 5)
        painter.setPen(theme.color("ink"))
        painter.drawText(QPointF(x, y), text)

    # The hand.

    def _band_at(self, at: QPointF) -> Band | None:
        if self._equalizer is None:
            return None
        best, least = None, _GRAB
        for band in BANDS:
            place = self._handle(band)
            distance = float(np.hypot(place.x() - at.x(), place.y() - at.y()))
            if distance <= least:
                best, least = band, distance
        return best

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.RightButton:
            self.setFocus()
            self._look_for(self.backdrop.hz_at(event.position().x()))
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        band = self._band_at(event.position())
        if band is not None:
            self._band = band
            self._dragging = True
            self.band_selected.emit(band.name)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._search is not None:
            self._look_for(self.backdrop.hz_at(event.position().x()))
            return
        if not self._dragging or self._band is None or self._equalizer is None:
            over = self._band_at(event.position()) is not None
            self.setCursor(
                Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.CrossCursor
            )
            self.setToolTip(
                "Drag: frequency and gain. Wheel: width. Double click: back to flat."
                if over
                else f"{with_unit(self.backdrop.hz_at(event.position().x()), 'Hz', 1)}. Hold the "
                "right button, or Alt and an arrow key, to search: a boost is heard there; Enter "
                "cuts."
            )
            return
        values: dict[str, object] = {self._band.hz: self.backdrop.hz_at(event.position().x())}
        if self._band.db:
            plot = self.backdrop.plot()
            gain = (plot.center().y() - event.position().y()) / (plot.height() / 2) * _CURVE_DB
            values[self._band.db] = 0.0 if abs(gain) < 0.25 else gain
        else:
            values[self._band.on] = True
        self.moved.emit(values, self._band.name)

    # Searching.

    def _look_for(self, hz: float) -> None:
        if self._equalizer is not None:
            self._search = min(HIGH_HZ, max(LOW_HZ, hz))
            self.searching.emit(self._search)
            self.update()

    def _end_search(self) -> None:
        if self._search is not None:
            self._search = None
            self.search_ended.emit()
            self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self._end_search()
        super().focusOutEvent(event)

    def _search_key(self, event: QKeyEvent) -> bool:
        """Alt and arrows search, Enter cuts, Escape ends; whether the key was one of these."""
        key = Qt.Key(event.key())
        step = {Qt.Key.Key_Left: 1 / 1.03, Qt.Key.Key_Right: 1.03}.get(key)
        if step is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._look_for((self._search or 400.0) * step)
            return True
        if self._search is None:
            return False
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            found, self._search = self._search, None
            self.cut_wanted.emit(found)
            self.update()
            return True
        if key == Qt.Key.Key_Escape:
            self._end_search()
            return True
        return False

    def _paint_search(self, painter: QPainter, plot: QRectF, hz: float) -> None:
        x = self.backdrop.x_of(hz)
        painter.setPen(QPen(theme.color("coral"), 1.5))
        painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
        text = f"{with_unit(hz, 'Hz', 0)}: Enter cuts here"
        width = painter.fontMetrics().horizontalAdvance(text)
        left = x + 6 if x + 12 + width < plot.right() else x - 6 - width
        painter.drawText(QPointF(left, plot.top() + 14), text)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._end_search()
        if self._dragging:
            self._dragging = False
            self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        band = self._band_at(event.position()) if event else None
        if band is not None:
            values: dict[str, object] = {band.db: 0.0} if band.db else {band.on: False}
            self.moved.emit(values, band.name)
            self.settled.emit()
        self._dragging = False

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or self._equalizer is None:
            return
        band = self._band_at(event.position()) or self._band
        if band is None or not band.q.endswith("_q"):
            event.ignore()
            return
        q = getattr(self._equalizer, band.q) * 1.12 ** (event.angleDelta().y() / 120.0)
        self.moved.emit({band.q: q}, band.name)
        self.settled.emit()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move the selected handle; Page Up and Down go from band to band."""
        if event is None or self._equalizer is None or self._search_key(event):
            return
        key = Qt.Key(event.key())
        index = BANDS.index(self._band) if self._band in BANDS else -1
        if key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            step = 1 if key == Qt.Key.Key_PageUp else -1
            self._band = BANDS[(index + step) % len(BANDS)]
            self.band_selected.emit(self._band.name)
            self.update()
            return
        across = {Qt.Key.Key_Left: 1 / 1.03, Qt.Key.Key_Right: 1.03}.get(key)
        up = {Qt.Key.Key_Up: 0.5, Qt.Key.Key_Down: -0.5}.get(key)
        if self._band is None or (across is None and up is None):
            super().keyPressEvent(event)
            return
        values: dict[str, object] = {}
        if across is not None:
            values[self._band.hz] = getattr(self._equalizer, self._band.hz) * across
        elif up is not None and self._band.db:
            values[self._band.db] = getattr(self._equalizer, self._band.db) + up
        if values:
            self.moved.emit(values, self._band.name)
            self.settled.emit()
