"""The output meter: two bars with peak hold, falling at a stated rate."""

from __future__ import annotations

import time

from PyQt6.QtCore import QRect, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from puddle.units import MINUS, db_from_gain
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque
from puddle.window.widgets.sprites import Sprites

FALL_DB_PER_S = 24.0
HOLD_S = 1.5
_LOWEST = -48.0
_NEAR, _OVER = -6.0, -0.5
_BARS, _FIGURE = QRect(15, 0, 28, 78), QRect(0, 78, 58, 16)
_SIDES = QRect(18, 2, 9, 74), QRect(31, 2, 9, 74)


class Meter(QWidget):
    """Peak levels of the master in dBFS; falls by 24 dB a second, holds peaks for 1.5 s."""

    def __init__(self) -> None:
        super().__init__()
        self._levels = [-120.0, -120.0]
        self._held = -120.0
        self._held_at = 0.0
        self._last = time.monotonic()
        self._limited_db = 0.0
        self._limited_at = -HOLD_S
        self._told = self._text()
        self._sprites = Sprites()
        self.setFixedSize(58, 96)
        make_opaque(self)
        self.setAccessibleName("Output level")
        self.setToolTip(
            "The master's peak in dBFS, falling by 24 dB a second; the figure is the highest of "
            "the last moments. Where it would pass full scale, a safety limiter before the sound "
            "card turns down, and the figure says by how many dB (lim); exports have none. Click "
            "to clear it."
        )

    @property
    def limiting(self) -> bool:
        """Whether the safety limiter turned down in the last moments."""
        return time.monotonic() - self._limited_at < HOLD_S

    def feed(self, left: float, right: float, limited_db: float = 0.0) -> bool:
        """Takes linear peaks since the last call, and the safety limiter's reduction in dB.

        Returns whether anything moves.
        """
        now = time.monotonic()
        limiting = self.limiting
        if limited_db > 0.0:
            self._limited_db = max(limited_db, self._limited_db if limiting else 0.0)
            self._limited_at = now
        fall = FALL_DB_PER_S * (now - self._last)
        self._last = now
        before = (round(self._levels[0], 1), round(self._levels[1], 1), self._held)
        for side, peak in enumerate((left, right)):
            self._levels[side] = max(self._levels[side] - fall, db_from_gain(peak), -120.0)
        highest = max(self._levels)
        if highest >= self._held or now - self._held_at > HOLD_S:
            self._held = highest
            self._held_at = now
        moved = before != (round(self._levels[0], 1), round(self._levels[1], 1), self._held)
        moves = moved and max(*before, highest) > _LOWEST - 24.0
        if moves:
            self.update(_BARS)
        self._tell()
        return moves or limiting

    def _tell(self) -> None:
        """The figure is written anew only where it changes: text costs most of a frame."""
        text = self._text()
        if text != self._told:
            self._told = text
            self.setAccessibleDescription(text)
            self.update(_FIGURE)

    def _text(self) -> str:
        if self.limiting:
            return f"lim {MINUS}{self._limited_db:.1f}"
        if self._held <= -72.0:
            return f"{MINUS}∞ dB"
        return f"{self._held:.1f} dB".replace("-", MINUS)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._held = -120.0
        self._limited_at = -HOLD_S
        self.update(_BARS)
        self._tell()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(event.rect() if event else self.rect(), theme.color("panel"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        if event is None or event.rect().intersects(_BARS):
            self._paint_bars(painter)
        if event is None or event.rect().intersects(_FIGURE):
            painter.setPen(theme.color("coral" if self.limiting else "soft"))
            painter.setFont(theme.value_font(11))
            painter.drawText(QRectF(_FIGURE), Qt.AlignmentFlag.AlignCenter, self._told)

    def _paint_bars(self, painter: QPainter) -> None:
        self._sprites.begin(self.devicePixelRatioF())
        height = _SIDES[0].height()
        self._sprites.draw(painter, _BARS, "inset", self._paint_empty)
        for place, level in zip(_SIDES, self._levels, strict=True):
            share = min(1.0, max(0.0, 1.0 - level / _LOWEST))
            state = "coral" if level > _OVER else "sun" if level > _NEAR else "moss"
            if share * height > 1.0:
                self._lay_bar(painter, place, state, share)
        held = min(1.0, max(0.0, 1.0 - self._held / _LOWEST))
        if held > 0.0:
            ink = theme.color("coral" if self._held > _OVER else "ink")
            painter.fillRect(QRectF(17, 2 + height * (1.0 - held) - 0.7, 24, 1.4), ink)

    def _lay_bar(self, painter: QPainter, place: QRect, dye: str, share: float) -> None:
        """So much of a bar from its foot; in steps of half a pixel, each drawn once."""
        tall = round(2.0 * share * place.height()) / 2.0
        look = (place.left(), dye, tall)

        def paint(into: QPainter) -> None:
            top = place.top() + place.height() - tall
            _paint_bar(into, QRectF(place.left(), top, place.width(), tall), dye)

        self._sprites.draw(painter, place, look, paint)

    def _paint_empty(self, into: QPainter) -> None:
        for place in _SIDES:
            _paint_bar(into, QRectF(place), "inset")


def _paint_bar(into: QPainter, room: QRectF, dye: str) -> None:
    into.setPen(Qt.PenStyle.NoPen)
    into.setBrush(theme.color(dye))
    into.drawRoundedRect(room, 3, 3)
