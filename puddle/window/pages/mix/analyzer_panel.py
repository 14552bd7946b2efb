"""The analyzer: spectra of two streams, the loudness of the first by EBU R 128."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from puddle.units import with_unit
from puddle.views.analyzer import TILTS, matched_db, thirds, tilted
from puddle.window import theme
from puddle.window.pages.mix.compared_streams import ComparedStreams
from puddle.window.session.mixing import Looks
from puddle.window.session.session import Session
from puddle.window.session.tried_mix import TriedMix
from puddle.window.widgets.controls import button, elided, label, panel, toggle
from puddle.window.widgets.flow import Flow
from puddle.window.widgets.reading import Reading
from puddle.window.widgets.spectrum import SpectrumView
from puddle.window.widgets.spectrum_backdrop import Trace

_LUFS, _NONE = "LUFS", "–"
_SILENT_DB = -100.0
_EVERY = 2  # of the points of a spectrum, one is drawn
_FIGURES = (
    ("momentary", "Momentary", "Loudness of the last 400 ms, by EBU R 128."),
    ("short", "Short-term", "Loudness of the last 3 s."),
    ("integrated", "Integrated", "Loudness since the last reset, gated."),
    ("peak", "True peak", "The highest true peak since the last reset."),
    ("headroom", "Headroom", "What is left under 0 dBTP."),
    ("correlation", "Correlation", "1: both sides alike; under 0 they cancel in mono."),
)


class AnalyzerPanel(QWidget):
    """Figures on the left, spectra on the right."""

    def __init__(
        self,
        session: Session,
        reset: Callable[[], None],
        ask_low: Callable[[], None],
        tried: TriedMix,
    ) -> None:
        super().__init__()
        self._session, self._tried = session, tried
        self.compared = ComparedStreams(session)
        self._points = np.zeros(0), np.zeros(0)
        line = QHBoxLayout()
        line.setSpacing(14)
        side = QVBoxLayout()
        head = QHBoxLayout()
        head.addWidget(label("Analyzer", "title"), 1)
        head.addWidget(button("Reset", "Loudness, peaks and spectra begin anew.", reset))
        side.addLayout(head)
        grid = QGridLayout()
        grid.setVerticalSpacing(1)
        self.figures = {}
        for n, (key, name, says) in enumerate(_FIGURES):
            told = label(name, "soft")
            told.setToolTip(says)
            value = Reading(_NONE, 86, theme.value_font(12))
            value.setAccessibleName(name)
            value.setToolTip(says)
            self.figures[key] = value
            grid.addWidget(told, n, 0)
            grid.addWidget(value, n, 1)
        side.addLayout(grid)
        self.low = button(
            "Low end", "Which pads of the pattern crowd each other below 250 Hz, and what helps.",
            ask_low,
        )  # fmt: skip
        foot = QHBoxLayout()
        foot.addWidget(self.low)
        foot.addStretch(1)
        side.addLayout(foot)
        side.addStretch(1)
        line.addLayout(side)
        self.spectrum = SpectrumView()
        self.spectrum.setAccessibleName("Spectrum of what is analyzed")
        right = QVBoxLayout()
        right.setSpacing(4)
        right.addLayout(self._looks_row())
        right.addWidget(self.spectrum, 1)
        right.addWidget(self._strip())
        line.addLayout(right, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(panel(line))

    def show_listening(self, share: float) -> None:
        """How far the low end has been listened to, of 1; under 0 where it is not."""
        self.low.setText(f"Leave it, {100.0 * share:.0f} %" if share >= 0.0 else "Low end")

    def _looks_row(self) -> Flow:
        """How the spectra are drawn, and of what."""
        row = Flow()
        self.now = toggle("now", "The spectrum of this moment, over the slow one of a second.")
        self.hold = toggle("hold", "The peaks, falling by 8 dB a second.")
        self.thirds = toggle("thirds", "In third-octaves instead of a fine line.")
        self.tilt = QComboBox()
        self.tilt.setAccessibleName("Tilt")
        self.tilt.setToolTip(
            "Lifts the spectra by so much an octave, around 1 kHz: what falls as most music does "
            "is then level."
        )
        for db in TILTS:
            self.tilt.addItem(f"{db:g} dB/oct" if db else "no tilt", db)
        for part in (self.now, self.hold, self.thirds):
            row.addWidget(part)
        row.addWidget(self.tilt)
        row.addWidget(self.compared.of)
        row.addWidget(self.compared.beside_row)
        return row

    def _strip(self) -> QWidget:
        """What is tried, to be kept or left."""
        self.strip = QWidget()
        row = QHBoxLayout(self.strip)
        row.setContentsMargins(0, 0, 0, 0)
        self.tried_said = elided("", "strong")
        row.addWidget(self.tried_said, 1)
        self.keep = button("Keep", "Makes what is heard a step.", self._tried.keep)
        self.leave = button("Leave", "Back to the mix as it was.", self._tried.leave)
        row.addWidget(self.keep)
        row.addWidget(self.leave)
        self._tried.changed.connect(self._show_tried)
        self.strip.hide()
        return self.strip

    def _show_tried(self) -> None:
        tried = self._tried
        self.strip.setVisible(tried.trying)
        gain = with_unit(tried.gain_db, "dB", 1)
        matched = f", heard {gain} to be as loud" if abs(tried.gain_db) >= 0.05 else ""
        self.tried_said.setText(f"{tried.said}{matched}" if tried.trying else "")

    def show_looks(self, looks: Looks, dye: str, rate_hz: float) -> None:
        """What was seen; the stream that lies beside in its dye."""
        loud = looks.loudness
        texts = {
            "momentary": _text(loud.momentary, _LUFS),
            "short": _text(loud.short_term, _LUFS),
            "integrated": _text(loud.integrated, _LUFS),
            "peak": _text(loud.true_peak, "dBTP"),
            "headroom": _text(-loud.true_peak if loud.true_peak is not None else None, "dB"),
            "correlation": f"{loud.correlation:+.2f}" if loud.correlation is not None else _NONE,
        }
        for key, text in texts.items():
            if text != self.figures[key].text():
                self.figures[key].setText(text)
        silent = float(looks.slow_db.max()) < _SILENT_DB
        traces = []
        if self.compared.reference is not None and not silent:
            hz, db = self.compared.reference
            db = db + matched_db(looks.hz, looks.slow_db, hz, db)
            traces.append(self._trace("sun", hz, db, filled=True))
        elif looks.other_db is not None and float(looks.other_db.max()) > _SILENT_DB:
            traces.append(self._trace(dye, looks.hz, looks.other_db, filled=True))
        if silent:
            self.spectrum.show_traces(traces, rate_hz)
            return
        if self.hold.isChecked():
            traces.append(self._trace("soft", looks.hz, looks.hold_db))
        if self.now.isChecked():
            traces.append(self._trace("water", looks.hz, looks.now_db))
        traces.append(self._trace("ink", looks.hz, looks.slow_db))
        self.spectrum.show_traces(traces, rate_hz)

    def _trace(self, dye: str, hz: np.ndarray, db: np.ndarray, *, filled: bool = False) -> Trace:
        if self.thirds.isChecked():
            hz, db = thirds(hz, db)
        else:  # a quarter octave is smoothed: four points in it draw the same line
            hz, db = self._points_of(hz), db[::_EVERY]
        return Trace(dye, hz, tilted(hz, db, float(self.tilt.currentData())), filled)

    def _points_of(self, hz: np.ndarray) -> np.ndarray:
        """Frequencies that are drawn: the same array as long as they are, for their places."""
        if self._points[0] is not hz:
            self._points = hz, hz[::_EVERY]
        return self._points[1]


def _text(value: float | None, unit: str) -> str:
    return with_unit(value, unit, 1) if value is not None else _NONE
