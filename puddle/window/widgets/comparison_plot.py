"""Two sounds drawn over each other: waves from the same onset, spectra, and their headroom.

One's own is ink, the other has its dye; both are named where they are drawn.
"""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from puddle.measure.comparing import Figures, Spectra
from puddle.measure.envelope import min_max
from puddle.units import with_unit
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground
from puddle.window.widgets.polygons import polygon, under
from puddle.window.widgets.spectrum_backdrop import HIGH_HZ, LABELS, LOW_HZ
from puddle.window.widgets.strokes import fill, outline, stroke
from puddle.window.widgets.time_axis import TimeAxis

_AXIS_PX = 20.0
_RANGE_DB = 66.0
_DIFFERS_DB = 12.0  # as far as the strip of differences reaches
_DIFFERS_PX = 58.0
_LOWEST_DB, _HIGHEST_DB = -36.0, 3.0


class TwoSounds(QWidget):
    """What the three pictures share: who is drawn, in what color, and what is said of it."""

    def __init__(self, name: str, says: str) -> None:
        super().__init__()
        self.own_name = self.other_name = ""
        self.dye = "weld"
        self.other_heard = False
        make_opaque(self)
        self.setMouseTracking(True)
        self.setAccessibleName(name)
        self.setToolTip(says)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def name_both(self, own: str, other: str, dye: str, other_heard: bool) -> None:
        """Sets both names, and which of them is audible."""
        named = (own, other, dye, other_heard)
        if named != (self.own_name, self.other_name, self.dye, self.other_heard):
            self.own_name, self.other_name, self.dye, self.other_heard = named
            self.update()

    def _paint_names(self, painter: QPainter, y: float) -> None:
        """At the right, where hits have died away and spectra have fallen."""
        painter.setFont(theme.text_font(12, bold=True))
        metrics = painter.fontMetrics()
        both = [(n, d) for n, d in ((self.own_name, "ink"), (self.other_name, self.dye)) if n]
        wide = sum(13.0 + metrics.horizontalAdvance(name) + 16.0 for name, _ in both)
        x = self.width() - wide + 6.0
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("panel", 200))
        painter.drawRoundedRect(QRectF(x - 8, y - 14, wide, 20), 8, 8)
        for name, dye in both:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(dye))
            painter.drawEllipse(QPointF(x + 4.5, y - 4.0), 4.5, 4.5)
            painter.setPen(theme.color("ink"))
            painter.drawText(QPointF(x + 13.0, y), name)
            x += 13.0 + metrics.horizontalAdvance(name) + 16.0


class TwoWaves(TwoSounds):
    """Waveforms from the same onset: over each other, or one under the other."""

    def __init__(self) -> None:
        super().__init__(
            "Waveforms", "Both sounds from their onsets on, at the levels at which they are heard."
        )
        self.axis = TimeAxis()
        self.axis.changed.connect(self.update)
        self.stacked = False
        self._own = self._other = np.zeros(1, np.float32)
        self._rate_hz = 48000.0
        self.setMinimumHeight(120)

    def show_sounds(
        self, own: np.ndarray, other: np.ndarray, rate_hz: float, gains: tuple[float, float]
    ) -> None:
        """Float32 (frames, 2) from the onset on, and the linear gains of both."""
        self._own = np.float32(gains[0]) * own.mean(axis=1)
        self._other = np.float32(gains[1]) * other.mean(axis=1)
        self._rate_hz = rate_hz
        self.axis.set_whole(1000.0 * max(own.shape[0], other.shape[0]) / rate_hz)
        self.update()

    def set_stacked(self, on: bool) -> None:
        """Draws the waveforms one under the other instead of overlaid."""
        self.stacked = on
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        width, height = float(self.width()), self.height() - _AXIS_PX
        painter.setFont(theme.text_font(11))
        for tick in self.axis.ticks():
            x = round(self.axis.x(tick, width)) + 0.5
            painter.setPen(QPen(theme.color("line", 110), 1))
            painter.drawLine(QPointF(x, 0), QPointF(x, height))
            painter.setPen(theme.color("soft"))
            text = f"{tick:g}"
            half = painter.fontMetrics().horizontalAdvance(text) / 2
            painter.drawText(
                QPointF(min(max(x - half, 0), width - 2 * half - 22), height + 15), text
            )
        painter.drawText(QPointF(width - 18, height + 15), "ms")
        peak = max(float(np.abs(w).max(initial=0.0)) for w in (self._own, self._other))
        scale = 1.0 / peak if peak > 1e-4 else 1.0
        if self.stacked:
            half_height = height / 2
            self._paint_wave(painter, self._own, "ink", 0.0, half_height, scale, 205)
            self._paint_wave(painter, self._other, self.dye, half_height, half_height, scale, 205)
        else:
            # What is heard lies behind: the other is a line over it.
            first, then = (self._own, "ink"), (self._other, self.dye)
            self._paint_wave(painter, *first, 0.0, height, scale, 110)
            self._paint_wave(painter, *then, 0.0, height, scale, 120)
        self._paint_names(painter, 16.0)

    def _paint_wave(
        self,
        painter: QPainter,
        wave: np.ndarray,
        dye: str,
        top: float,
        height: float,
        scale: float,
        alpha: int,
    ) -> None:
        per_ms = self._rate_hz / 1000.0
        columns = max(2, self.width())
        pairs = min_max(wave, self.axis.first_ms * per_ms, self.axis.last_ms * per_ms, columns)
        middle, half = top + height / 2, (height / 2 - 4) * scale
        across = np.arange(columns, dtype=np.float64)
        xs = np.concatenate([across, across[::-1]])
        ys = np.concatenate([middle - half * pairs[:, 1], middle - half * pairs[::-1, 0]])
        shape = polygon(xs, ys)
        fill(painter, shape, theme.color(dye, alpha))
        outline(painter, shape, theme.color(dye))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turn = event.angleDelta().y() / 120.0
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.axis.pan(-turn * 0.1 * (self.axis.last_ms - self.axis.first_ms))
        else:
            around = self.axis.ms(event.position().x(), float(self.width()))
            self.axis.zoom(1.25**turn, around)
        event.accept()


class TwoSpectra(TwoSounds):
    """Spectra over each other at matched levels, and under them what the other has more or less."""

    def __init__(self) -> None:
        super().__init__("Spectra", "Both spectra; under them, where the other has more or less.")
        self._found: Spectra | None = None
        self.setMinimumHeight(150)

    def show_spectra(self, found: Spectra | None) -> None:
        """Sets the spectra to draw; None clears them."""
        self._found = found
        self.update()

    def _plot(self) -> QRectF:
        return QRectF(0, 2, self.width(), self.height() - _AXIS_PX - _DIFFERS_PX - 2)

    def _xs(self, hz: np.ndarray) -> np.ndarray:
        return np.asarray(self.width() * np.log(hz / LOW_HZ) / np.log(HIGH_HZ / LOW_HZ))

    def text_at(self, x: float) -> str:
        """What is said of the frequency under a place."""
        if self._found is None:
            return ""
        hz = LOW_HZ * (HIGH_HZ / LOW_HZ) ** (x / max(1, self.width()))
        at = int(np.argmin(np.abs(np.log(self._found.hz / hz))))
        db = float(self._found.differs_db[at])
        return f"{with_unit(hz, 'Hz', 0)}: {self.other_name} has {with_unit(db, 'dB', 1)}"

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            QToolTip.showText(
                event.globalPosition().toPoint(), self.text_at(event.position().x()), self
            )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        plot = self._plot()
        painter.setFont(theme.text_font(11))
        bottom = plot.bottom() + _DIFFERS_PX
        for hz, text in LABELS.items():
            x = float(self._xs(np.array([float(hz)]))[0])
            painter.setPen(QPen(theme.color("line", 150), 1))
            painter.drawLine(QPointF(x, plot.top()), QPointF(x, bottom))
            painter.setPen(theme.color("soft"))
            wide = painter.fontMetrics().horizontalAdvance(text)
            painter.drawText(
                QPointF(min(max(0.0, x - wide / 2), self.width() - wide - 1.0), bottom + 15), text
            )
        found = self._found
        if found is not None:
            self._paint_levels(painter, found, plot)
            self._paint_difference(painter, found, plot.bottom(), bottom)
        self._paint_names(painter, 16.0)

    def _paint_levels(self, painter: QPainter, found: Spectra, plot: QRectF) -> None:
        highest = max(float(found.own_db.max()), float(found.other_db.max())) + 3.0
        top = np.ceil(highest / 6.0) * 6.0
        xs = self._xs(found.hz)
        painter.setClipRect(plot)
        for db, dye in ((found.own_db, "ink"), (found.other_db, self.dye)):
            ys = plot.top() + (top - db) / _RANGE_DB * plot.height()
            fill(painter, under(xs, ys, plot.bottom() + 400.0), theme.color(dye, 34))
            stroke(painter, polygon(xs, ys), theme.color(dye), 2.0)
        painter.setClipping(False)

    def _paint_difference(
        self, painter: QPainter, found: Spectra, top: float, bottom: float
    ) -> None:
        middle, half = (top + bottom) / 2 + 3, (bottom - top) / 2 - 7
        xs = self._xs(found.hz)
        ys = middle - np.clip(found.differs_db / _DIFFERS_DB, -1.0, 1.0) * half
        around = under(xs, ys, middle)
        fill(painter, around, theme.color(self.dye, 90))
        outline(painter, around, theme.color(self.dye))
        painter.setPen(QPen(theme.color("line"), 1))
        painter.drawLine(QPointF(0, middle), QPointF(self.width(), middle))
        painter.setFont(theme.text_font(11))
        painter.setPen(theme.color("soft"))
        for y, db in ((middle - half, _DIFFERS_DB), (middle + half, -_DIFFERS_DB)):
            text = with_unit(db, "dB", 0)
            wide = painter.fontMetrics().horizontalAdvance(text)
            painter.fillRect(QRectF(0, y - 6, wide + 5, 12), theme.color("panel", 215))
            painter.drawText(QPointF(2, y + 4), text)


class Headroom(TwoSounds):
    """From loudness to true peak, and what is left to full scale: a bar for each."""

    def __init__(self) -> None:
        super().__init__(
            "Headroom",
            "From the loudness to the true peak, then what is left up to full scale: what a "
            "compressor or limiter that comes later has to work with.",
        )
        self._figures: tuple[Figures | None, Figures | None] = (None, None)
        self._gains = (0.0, 0.0)
        self.setFixedHeight(86)

    def show_figures(
        self, own: Figures | None, other: Figures | None, gains: tuple[float, float]
    ) -> None:
        """Sets the figures of both sounds and the gains in dB at which they are played."""
        self._figures, self._gains = (own, other), gains
        self.setAccessibleDescription("; ".join(self.texts()))
        self.update()

    def texts(self) -> list[str]:
        """The figures of both sounds as text."""
        said = []
        for figures, gain in zip(self._figures, self._gains, strict=True):
            if figures is None or figures.loudness_lufs is None:
                said.append("silent" if figures is not None else "")
                continue
            room = figures.headroom_db - gain
            over = with_unit(figures.true_peak_dbtp - figures.loudness_lufs, "dB", 1)
            over = over.removeprefix("+")
            left = with_unit(abs(room), "dB", 1).removeprefix("+")
            where = "left" if room >= 0.0 else "over full scale"
            said.append(f"peaks {over} over its loudness, {left} {where}")
        return said

    def _x(self, db: float) -> float:
        share = (db - _LOWEST_DB) / (_HIGHEST_DB - _LOWEST_DB)
        return min(1.0, max(0.0, share)) * (self.width() - 2) + 1

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        full = self._x(0.0)
        rows = zip(self._figures, self._gains, ("ink", self.dye), self.texts(), strict=True)
        for n, (figures, gain, dye, text) in enumerate(rows):
            y = 4.0 + 34.0 * n
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("inset"))
            painter.drawRoundedRect(QRectF(1, y, full - 1, 11), 5, 5)
            if figures is None:
                continue
            if figures.loudness_lufs is not None:
                start = self._x(figures.loudness_lufs + gain)
                end = self._x(figures.true_peak_dbtp + gain)
                over = figures.true_peak_dbtp + gain > 0.05
                painter.setBrush(theme.color("coral" if over else dye))
                painter.drawRoundedRect(QRectF(start, y, max(3.0, end - start), 11), 5, 5)
            painter.setFont(theme.text_font(12))
            painter.setPen(theme.color("ink"))
            painter.drawText(QPointF(2, y + 25), text)
        painter.setPen(QPen(theme.color("coral"), 1.5))
        painter.drawLine(QPointF(full, 0), QPointF(full, 52))
        painter.setFont(theme.text_font(11))
        painter.setPen(theme.color("soft"))
        text = with_unit(0.0, "dBTP", 0)
        wide = painter.fontMetrics().horizontalAdvance(text)
        painter.drawText(QPointF(min(full - wide / 2, self.width() - wide - 1.0), 82), text)
