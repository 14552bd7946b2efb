"""Spectrum: layers in their dyes, the sum in ink, and the equalizer's curve with its handles."""

from __future__ import annotations

from dataclasses import dataclass

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
    QPixmap,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.stages.equalizer import Equalizer
from puddle.units import THIN, plain, with_unit
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground
from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.strokes import fill, stroke

LOW_HZ, HIGH_HZ = 20.0, 20000.0
LABELS = {
    20: "20",
    50: "50",
    100: "100",
    200: "200",
    500: "500",
    1000: "1k",
    2000: "2k",
    5000: "5k",
    10000: "10k",
    20000: "20k",
}
_RANGE_DB = 60.0
_LEVEL_STEP_DB = 20.0
_HALO_PX = 2.5
_CURVE_DB = 24.0
_GRAB = 12.0


@dataclass(frozen=True)
class Band:
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


@dataclass(frozen=True, eq=False)
class Trace:
    """One spectrum to draw."""

    dye: str
    hz: np.ndarray
    db: np.ndarray
    filled: bool


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
        self._traces: list[Trace] = []
        self._equalizer: Equalizer | None = None
        self._dye = "ink"
        self._rate_hz = 48000.0
        self._band: Band | None = None
        self._dragging = False
        self._search: float | None = None  # the frequency of the boost that is heard
        self._top_db = 0.0
        self._still_pixmap = QPixmap()
        self._still_key: tuple[object, ...] = ()
        self.setMouseTracking(True)
        make_opaque(self)
        self.setMinimumHeight(110)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Spectrum")

    def show_traces(self, traces: list[Trace], rate_hz: float) -> None:
        """The spectra, the sum last; its highest point sets the scale."""
        self._traces, self._still_key = traces, ()
        self._rate_hz = rate_hz
        highest = max((float(t.db.max()) for t in traces), default=0.0)
        self._top_db = np.ceil((highest + 3.0) / 6.0) * 6.0
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

    def _plot(self) -> QRectF:
        return QRectF(0, 4, self.width() - 1, self.height() - 22)

    def _x(self, hz: float) -> float:
        span = np.log(HIGH_HZ / LOW_HZ)
        return float(self._plot().width() * np.log(max(hz, 1.0) / LOW_HZ) / span)

    def _xs(self, hz: np.ndarray) -> np.ndarray:
        """The same for many."""
        span = np.log(HIGH_HZ / LOW_HZ)
        return np.asarray(self._plot().width() * np.log(np.maximum(hz, 1.0) / LOW_HZ) / span)

    def _hz(self, x: float) -> float:
        share = min(1.0, max(0.0, x / max(1.0, self._plot().width())))
        return float(LOW_HZ * (HIGH_HZ / LOW_HZ) ** share)

    def _y_of_gain(self, db: float) -> float:
        plot = self._plot()
        return float(plot.center().y() - db / _CURVE_DB * plot.height() / 2)

    def _handle(self, band: Band) -> QPointF:
        eq = self._equalizer
        assert eq is not None  # only called while there is one
        hz = getattr(eq, band.hz)
        db = getattr(eq, band.db) if band.db else -3.0 if getattr(eq, band.on) else 0.0
        return QPointF(self._x(hz), self._y_of_gain(db))

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        plot = self._plot()
        painter.drawPixmap(0, 0, self._still())
        painter.setClipRect(plot)
        if self._equalizer is not None:
            self._paint_curve(painter, plot)
        if self._search is not None:
            self._paint_search(painter, plot, self._search)
        painter.setClipping(False)
        if self._traces:
            self._paint_level_words(painter, plot)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)

    def _still(self) -> QPixmap:
        """Grid and traces, painted once: the equalizer's curve moves over them."""
        scale = self.devicePixelRatioF()
        key = (self.size(), scale, theme.is_night())
        if key != self._still_key:
            self._still_pixmap = QPixmap(self.size() * scale)
            self._still_pixmap.setDevicePixelRatio(scale)
            painter = QPainter(self._still_pixmap)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_still(painter)
            painter.end()
            self._still_key = key
        return self._still_pixmap

    def _paint_still(self, painter: QPainter) -> None:
        paint_ground(painter, self)
        plot = self._plot()
        painter.setFont(theme.text_font(11))
        for hz, text in LABELS.items():
            x = self._x(hz)
            painter.setPen(QPen(theme.color("line", 150), 1))
            painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
            painter.setPen(theme.color("soft"))
            width = painter.fontMetrics().horizontalAdvance(text)
            left = min(max(0.0, x - width / 2), self.width() - width - 1.0)
            painter.drawText(QPointF(left, self.height() - 5), text)
        self._paint_levels(painter, plot)
        painter.setClipRect(plot)
        for trace in self._traces:
            self._paint_trace(painter, trace, plot)

    def _levels(self, plot: QRectF) -> list[tuple[float, float]]:
        """Round levels in sight and their heights: what the spectra's heights mean."""
        first = float(np.floor(self._top_db / _LEVEL_STEP_DB) * _LEVEL_STEP_DB)
        levels = [first - n * _LEVEL_STEP_DB for n in range(int(_RANGE_DB / _LEVEL_STEP_DB) + 1)]
        heights = [plot.top() + (self._top_db - db) / _RANGE_DB * plot.height() for db in levels]
        return [
            (db, y)
            for db, y in zip(levels, heights, strict=True)
            if plot.top() + 12.0 <= y <= plot.bottom() - 4.0
        ]

    def _paint_levels(self, painter: QPainter, plot: QRectF) -> None:
        painter.setPen(QPen(theme.color("line", 90), 1))
        for _, y in self._levels(plot):
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))

    def _paint_level_words(self, painter: QPainter, plot: QRectF) -> None:
        """At the left edge, over the curves."""
        painter.setFont(theme.text_font(11))
        for db, y in self._levels(plot):
            text = f"{plain(db, 0)}{THIN}dB"
            width = painter.fontMetrics().horizontalAdvance(text)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("panel", 215))
            painter.drawRoundedRect(QRectF(1.0, y - 8.0, width + 6.0, 15.0), 4, 4)
            painter.setPen(theme.color("soft"))
            painter.drawText(QPointF(4.0, y + 4.0), text)

    def _paint_trace(self, painter: QPainter, trace: Trace, plot: QRectF) -> None:
        ys = plot.top() + (self._top_db - trace.db) / _RANGE_DB * plot.height()
        xs = self._xs(trace.hz)
        if trace.filled:
            base = plot.bottom() + 400
            under = polygon(np.r_[xs, xs[-1], xs[0]], np.r_[ys, base, base])
            fill(painter, under, theme.color(trace.dye, 46))
        stroke(painter, polygon(xs, ys), theme.color(trace.dye), 1.0 if trace.filled else 2.0)

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
        xs, ys = self._xs(hz), plot.center().y() - db / _CURVE_DB * plot.height() / 2
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
            self._look_for(self._hz(event.position().x()))
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
            self._look_for(self._hz(event.position().x()))
            return
        if not self._dragging or self._band is None or self._equalizer is None:
            over = self._band_at(event.position()) is not None
            self.setCursor(
                Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.CrossCursor
            )
            self.setToolTip(
                "Drag: frequency and gain. Wheel: width. Double click: back to flat."
                if over
                else f"{with_unit(self._hz(event.position().x()), 'Hz', 1)}. Hold the right "
                "button, or Alt and an arrow key, to search: a boost is heard there; Enter cuts."
            )
            return
        values: dict[str, object] = {self._band.hz: self._hz(event.position().x())}
        if self._band.db:
            plot = self._plot()
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
        x = self._x(hz)
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
