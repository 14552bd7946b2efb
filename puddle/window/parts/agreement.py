"""The agreement strip: where layers add up, and where they cancel, under the spectrum."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from puddle.measure.agreement import Agreement
from puddle.units import with_unit
from puddle.window import theme
from puddle.window.parts.grounds import make_opaque, paint_ground
from puddle.window.parts.spectrum import HIGH_HZ, LOW_HZ

_HEIGHT = 34
_UP_DB, _DOWN_DB = 3.0, 6.0  # as far as the strip reaches
_HALF_THIRD = 10.0**0.05
_SAYS = (
    "Where the layers add up, over the line, and where they cancel, under it, by third-octaves: the"
    " level of their sum over what they have together."
)


class AgreementStrip(QWidget):
    """Third-octaves over and under a line, on the spectrum's axis."""

    def __init__(self) -> None:
        super().__init__()
        self._found: Agreement | None = None
        self.setFixedHeight(_HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        make_opaque(self)
        self.setAccessibleName("Agreement of the layers")
        self.setToolTip(_SAYS)

    def show_agreement(self, found: Agreement | None, said: str) -> None:
        """Another one, and what is said of it; None for fewer than two layers."""
        self._found = found
        self.setAccessibleDescription(said)
        self.update()

    def _x(self, hz: float) -> float:
        share = np.log(hz / LOW_HZ) / np.log(HIGH_HZ / LOW_HZ)
        return float(np.clip(share, 0.0, 1.0) * (self.width() - 1))

    def band_at(self, x: float) -> int | None:
        """The third-octave under a place."""
        found = self._found
        if found is None:
            return None
        hz = LOW_HZ * (HIGH_HZ / LOW_HZ) ** (x / max(1, self.width() - 1))
        band = int(np.argmin(np.abs(np.log(found.hz / hz))))
        inside = found.hz[band] / _HALF_THIRD <= hz <= found.hz[band] * _HALF_THIRD
        return band if inside else None

    def text_at(self, x: float) -> str:
        """What is said of the third-octave under a place."""
        band = self.band_at(x)
        if self._found is None or band is None:
            return _SAYS
        hz, won = float(self._found.hz[band]), float(self._found.won_db[band])
        what = "add up" if won > 0.0 else "cancel" if won < 0.0 else "say nothing to each other"
        return f"{with_unit(hz, 'Hz', 0)}: the layers {what}, {with_unit(won, 'dB', 1)}"

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            text = self.text_at(event.position().x())
            QToolTip.showText(event.globalPosition().toPoint(), text, self)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        paint_ground(painter, self)
        middle = round(_HEIGHT * _UP_DB / (_UP_DB + _DOWN_DB) + 2.0)
        painter.setPen(Qt.PenStyle.NoPen)
        found = self._found
        pairs = zip(found.hz, found.won_db, strict=True) if found is not None else ()
        for hz, won in pairs:
            left, right = self._x(hz / _HALF_THIRD) + 1.0, self._x(hz * _HALF_THIRD)
            if won > 0.05:
                tall = (middle - 1.0) * min(1.0, won / _UP_DB)
                painter.setBrush(theme.color("water", 110))
                painter.drawRect(QRectF(left, middle - tall, right - left, tall))
            elif won < -0.05:
                tall = (_HEIGHT - middle - 2.0) * min(1.0, -won / _DOWN_DB)
                painter.setBrush(theme.color("coral"))
                painter.drawRect(QRectF(left, middle + 1.0, right - left, tall))
        painter.setPen(QPen(theme.color("line"), 1))
        painter.drawLine(0, middle, self.width(), middle)
