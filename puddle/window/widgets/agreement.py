"""The agreement strip: where layers add up, and where they cancel, under the spectrum.

The tall row is the sum of all; under it is a row for each pair of layers, with their dyes.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from puddle.measure.agreement import Agreement
from puddle.units import with_unit
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground
from puddle.window.widgets.spectrum_backdrop import HIGH_HZ, LOW_HZ

_HEIGHT = 34.0
_PAIR_PX = 11.0
MOST_PAIRS = 6
_UP_DB, _DOWN_DB = 3.0, 6.0  # as far as the strip reaches
_HALF_THIRD = 10.0**0.05
_LEAST_DB = 0.05
_SAYS = (
    "Where the layers add up, over the line, and where they cancel, under it, by third-octaves: the"
    " level of their sum over what they have together. The small rows are pairs of layers."
)
Names = Mapping[str, tuple[str, str]]  # name and dye of a layer, by id


class AgreementStrip(QWidget):
    """Third-octaves over and under a line, on the spectrum's axis."""

    def __init__(self) -> None:
        super().__init__()
        self._found: Agreement | None = None
        self._names: Names = {}
        self.pairs: list[tuple[str, str]] = []
        self._edges_for = -1  # the width for which they are known
        self._lefts: list[float] = []
        self._rights: list[float] = []
        self.setFixedHeight(round(_HEIGHT))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        make_opaque(self)
        self.setAccessibleName("Agreement of the layers")
        self.setToolTip(_SAYS)

    def show_agreement(self, found: Agreement | None, said: str, names: Names) -> None:
        """Sets the agreement to draw and its text; None hides the strip (fewer than two layers)."""
        self._found = found
        self._names = names
        self.pairs = _worst_pairs(found) if found is not None else []
        rows = len(self.pairs) if len(self.pairs) > 1 else 0  # of two layers, the sum is the pair
        self.pairs = self.pairs[:rows]
        height = round(_HEIGHT + _PAIR_PX * rows + (4 if rows else 0))
        if height != self.height():
            self.setFixedHeight(height)
        self.setAccessibleDescription(said)
        self.update()

    def _x(self, hz: float) -> float:
        share = np.log(hz / LOW_HZ) / np.log(HIGH_HZ / LOW_HZ)
        return float(np.clip(share, 0.0, 1.0) * (self.width() - 1))

    def _edges(self, hz: np.ndarray) -> tuple[list[float], list[float]]:
        """Where the third-octaves begin and end."""
        if self._edges_for != self.width():
            self._edges_for = self.width()
            self._lefts = [self._x(float(center) / _HALF_THIRD) + 1.0 for center in hz]
            self._rights = [self._x(float(center) * _HALF_THIRD) for center in hz]
        return self._lefts, self._rights

    def band_at(self, x: float) -> int | None:
        """The third-octave under a place."""
        found = self._found
        if found is None:
            return None
        hz = LOW_HZ * (HIGH_HZ / LOW_HZ) ** (x / max(1, self.width() - 1))
        band = int(np.argmin(np.abs(np.log(found.hz / hz))))
        inside = found.hz[band] / _HALF_THIRD <= hz <= found.hz[band] * _HALF_THIRD
        return band if inside else None

    def text_at(self, x: float, y: float = 0.0) -> str:
        """What is said of the third-octave under a place: of the sum, or of a pair."""
        band = self.band_at(x)
        if self._found is None or band is None:
            return _SAYS
        row = int((y - _HEIGHT - 4.0) // _PAIR_PX)
        who, won = "the layers", self._found.won_db
        if 0 <= row < len(self.pairs):
            pair = self.pairs[row]
            who = " and ".join(self._names.get(key, (key, ""))[0] for key in pair)
            won = self._found.pairs_db[pair]
        db = float(won[band])
        what = "add up" if db > 0.0 else "cancel" if db < 0.0 else "say nothing to each other"
        at = with_unit(float(self._found.hz[band]), "Hz", 0)
        return f"{at}: {who} {what}, {with_unit(db, 'dB', 1)}"

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            text = self.text_at(event.position().x(), event.position().y())
            QToolTip.showText(event.globalPosition().toPoint(), text, self)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        paint_ground(painter, self)
        found = self._found
        middle = round(_HEIGHT * _UP_DB / (_UP_DB + _DOWN_DB) + 2.0)
        if found is None:
            self._paint_line(painter, middle)
            return
        self._paint_row(painter, found.hz, found.won_db, middle, middle - 1.0, _HEIGHT - middle - 2)
        for n, pair in enumerate(self.pairs):
            top = _HEIGHT + 4.0 + _PAIR_PX * n
            line = round(top + 4.0)
            self._paint_row(painter, found.hz, found.pairs_db[pair], line, 3.0, 6.0)
            self._paint_dyes(painter, pair, line)

    def _paint_row(
        self,
        painter: QPainter,
        hz: np.ndarray,
        won_db: np.ndarray,
        middle: int,
        up_px: float,
        down_px: float,
    ) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        lefts, rights = self._edges(hz)
        for n in np.flatnonzero(np.abs(won_db) > _LEAST_DB).tolist():
            won, wide = float(won_db[n]), rights[n] - lefts[n]
            if won > 0.0:
                tall = up_px * min(1.0, won / _UP_DB)
                painter.setBrush(theme.color("water", 110))
                painter.drawRect(QRectF(lefts[n], middle - tall, wide, tall))
            else:
                tall = down_px * min(1.0, -won / _DOWN_DB)
                painter.setBrush(theme.color("coral"))
                painter.drawRect(QRectF(lefts[n], middle + 1.0, wide, tall))
        self._paint_line(painter, middle)

    def _paint_line(self, painter: QPainter, middle: int) -> None:
        painter.setPen(QPen(theme.color("line"), 1))
        painter.drawLine(0, middle, self.width(), middle)

    def _paint_dyes(self, painter: QPainter, pair: tuple[str, str], middle: int) -> None:
        """The dyes of the two: in front of their row, where no third-octave is measured."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.color("panel"), 1))
        for n, key in enumerate(pair):
            dye = self._names.get(key, ("", "ink"))[1]
            painter.setBrush(theme.color(dye))
            painter.drawEllipse(QPointF(4.5 + 7.0 * n, middle + 0.5), 3.6, 3.6)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def _worst_pairs(found: Agreement) -> list[tuple[str, str]]:
    """Pairs in the order of the layers: all, or those of many that lose the most."""
    pairs = list(found.pairs_db)
    if len(pairs) <= MOST_PAIRS:
        return pairs
    worst = sorted(pairs, key=lambda pair: float(found.pairs_db[pair].min()))[:MOST_PAIRS]
    return [pair for pair in pairs if pair in worst]
