"""What stands still behind an equalizer's curve: axes, levels, spectra of layers and sum."""

from __future__ import annotations

import msgspec
import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QWidget

from puddle.units import THIN, plain
from puddle.window import theme
from puddle.window.widgets.grounds import paint_ground
from puddle.window.widgets.polygons import polygon, under
from puddle.window.widgets.sprites import Sprites
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
_WORDS_PX = 80  # at the left edge, where levels are written


class Trace(msgspec.Struct, frozen=True, eq=False):
    """One spectrum to draw."""

    dye: str
    hz: np.ndarray
    db: np.ndarray
    filled: bool


class Backdrop:
    """Painted once into a pixmap; the places of frequencies and levels on a widget."""

    def __init__(self, widget: QWidget) -> None:
        self._widget = widget
        self.traces: list[Trace] = []
        self._top_db = 0.0
        self._still_pixmap = QPixmap()
        self._still_key: tuple[object, ...] = ()
        self._painted_key: tuple[object, ...] = ()
        self._grid_pixmap = QPixmap()
        self._grid_key: tuple[object, ...] = ()
        self._words = Sprites()
        self._axis = np.zeros(0), 0.0, np.zeros(0)  # frequencies, the plot's width, their places

    def show_traces(self, traces: list[Trace]) -> None:
        """The spectra, the sum last; its highest point sets the scale."""
        self.traces, self._still_key, self._painted_key = traces, (), ()
        highest = max((float(t.db.max()) for t in traces), default=0.0)
        self._top_db = float(np.ceil((highest + 3.0) / 6.0) * 6.0)

    def plot(self) -> QRectF:
        """Where curves are drawn."""
        return QRectF(0, 4, self._widget.width() - 1, self._widget.height() - 22)

    def x_of(self, hz: float) -> float:
        """Where a frequency stands, on a logarithmic axis."""
        span = np.log(HIGH_HZ / LOW_HZ)
        return float(self.plot().width() * np.log(max(hz, 1.0) / LOW_HZ) / span)

    def xs_of(self, hz: np.ndarray) -> np.ndarray:
        """The same for many; known where they are the same array as before."""
        known, wide, xs = self._axis
        if hz is not known or wide != self.plot().width():
            wide, span = self.plot().width(), np.log(HIGH_HZ / LOW_HZ)
            xs = np.asarray(wide * np.log(np.maximum(hz, 1.0) / LOW_HZ) / span)
            self._axis = hz, wide, xs
        return xs

    def hz_at(self, x: float) -> float:
        """Which frequency stands there."""
        share = min(1.0, max(0.0, x / max(1.0, self.plot().width())))
        return float(LOW_HZ * (HIGH_HZ / LOW_HZ) ** share)

    def paint(self, painter: QPainter) -> None:
        """Grid and traces, from a picture of both where they were painted before.

        The equalizer's curve moves over them; while they move themselves, a picture of each of
        their states would be made for nothing.
        """
        scale = self._widget.devicePixelRatioF()
        key = (self._widget.size(), scale, theme.is_night())
        if key != self._painted_key:
            self._painted_key = key
            self._paint_on(painter, key, scale)
            return
        if key != self._still_key:
            self._still_pixmap = QPixmap(self._widget.size() * scale)
            self._still_pixmap.setDevicePixelRatio(scale)
            into = QPainter(self._still_pixmap)
            self._paint_on(into, key, scale)
            into.end()
            self._still_key = key
        painter.drawPixmap(0, 0, self._still_pixmap)

    def _paint_on(self, painter: QPainter, key: tuple[object, ...], scale: float) -> None:
        painter.drawPixmap(0, 0, self._grid((*key, self._top_db), scale))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        plot = self.plot()
        painter.setClipRect(plot)
        for trace in self.traces:
            self._paint_trace(painter, trace, plot)
        painter.setClipping(False)

    def _grid(self, key: tuple[object, ...], scale: float) -> QPixmap:
        """Axes and levels: the same while only spectra move."""
        if key != self._grid_key:
            self._grid_pixmap = QPixmap(self._widget.size() * scale)
            self._grid_pixmap.setDevicePixelRatio(scale)
            painter = QPainter(self._grid_pixmap)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_grid(painter)
            painter.end()
            self._grid_key = key
        return self._grid_pixmap

    def _paint_grid(self, painter: QPainter) -> None:
        paint_ground(painter, self._widget)
        plot = self.plot()
        painter.setFont(theme.text_font(11))
        for hz, text in LABELS.items():
            x = self.x_of(hz)
            painter.setPen(QPen(theme.color("line", 150), 1))
            painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
            painter.setPen(theme.color("soft"))
            width = painter.fontMetrics().horizontalAdvance(text)
            left = min(max(0.0, x - width / 2), self._widget.width() - width - 1.0)
            painter.drawText(QPointF(left, self._widget.height() - 5), text)
        self._paint_levels(painter, plot)

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

    def paint_level_words(self, painter: QPainter) -> None:
        """The levels in words at the left edge, over the curves; none without spectra."""
        if not self.traces:
            return
        words = QRect(0, 0, _WORDS_PX, self._widget.height())
        self._words.begin(self._widget.devicePixelRatioF())
        look = (words.height(), self._top_db)
        self._words.draw_latest(painter, words, "levels", look, self._paint_words)

    def _paint_words(self, painter: QPainter) -> None:
        painter.setFont(theme.text_font(11))
        for db, y in self._levels(self.plot()):
            text = f"{plain(db, 0)}{THIN}dB"
            width = painter.fontMetrics().horizontalAdvance(text)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("panel", 215))
            painter.drawRoundedRect(QRectF(1.0, y - 8.0, width + 6.0, 15.0), 4, 4)
            painter.setPen(theme.color("soft"))
            painter.drawText(QPointF(4.0, y + 4.0), text)

    def _paint_trace(self, painter: QPainter, trace: Trace, plot: QRectF) -> None:
        ys = plot.top() + (self._top_db - trace.db) / _RANGE_DB * plot.height()
        xs = self.xs_of(trace.hz)
        if trace.filled:
            fill(painter, under(xs, ys, plot.bottom() + 2.0), theme.color(trace.dye, 46))
        stroke(painter, polygon(xs, ys), theme.color(trace.dye), 1.0 if trace.filled else 2.0)
