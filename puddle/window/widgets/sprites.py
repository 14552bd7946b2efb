"""Pictures that are drawn once for each look, and copied: curves and rings take longer to draw."""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable

from PyQt6.QtCore import QPointF, QRect, Qt
from PyQt6.QtGui import QPainter, QPixmap

from puddle.window import theme

_MOST_BYTES = 32 << 20


class Sprites:
    """Pixmaps by look, of one theme and scale."""

    def __init__(self) -> None:
        self._made: dict[Hashable, QPixmap] = {}
        self._latest: dict[Hashable, tuple[Hashable, QPixmap]] = {}  # by slot
        self._bytes = 0
        self._scale: tuple[float, str] | None = None

    def clear(self) -> None:
        """What was drawn lies elsewhere."""
        self._made.clear()
        self._latest.clear()
        self._bytes = 0

    def begin(self, ratio: float) -> bool:
        """Before drawing: forgets what was made for another scale or theme; whether it did."""
        scale = (ratio, theme.colors().paper)
        if scale == self._scale and self._bytes <= _MOST_BYTES:
            return False
        self.clear()
        self._scale = scale
        return True

    def draw(
        self, painter: QPainter, around: QRect, look: Hashable, paint: Callable[[QPainter], None]
    ) -> None:
        """What `paint` paints into a room, in the widget's coordinates; called once for a look."""
        painter.drawPixmap(around.topLeft(), self.made(around, look, paint))

    def made(self, around: QRect, look: Hashable, paint: Callable[[QPainter], None]) -> QPixmap:
        """What `draw` draws."""
        made = self._made.get(look)
        if made is None:
            made = self._made[look] = self._drawn(around, paint)
        return made

    def draw_latest(
        self,
        painter: QPainter,
        around: QRect,
        slot: Hashable,
        look: Hashable,
        paint: Callable[[QPainter], None],
    ) -> None:
        """The same for what has ever new looks, such as figures: only its latest is kept."""
        kept = self._latest.get(slot)
        if kept is None or kept[0] != look:
            kept = self._latest[slot] = look, self._drawn(around, paint)
        painter.drawPixmap(around.topLeft(), kept[1])

    def _drawn(self, around: QRect, paint: Callable[[QPainter], None]) -> QPixmap:
        ratio = self._scale[0] if self._scale is not None else 1.0
        made = QPixmap(math.ceil(around.width() * ratio), math.ceil(around.height() * ratio))
        self._bytes += 4 * made.width() * made.height()
        made.setDevicePixelRatio(ratio)
        made.fill(Qt.GlobalColor.transparent)
        painter = QPainter(made)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(-QPointF(around.topLeft()))
        paint(painter)
        painter.end()
        return made
