"""The bank's pads as a controller has them, each with what strikes it."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy

from puddle.kit.model.document import Pad
from puddle.midi.controller_map import Layout
from puddle.window import theme
from puddle.window.pages.controllers.layouts import rooms
from puddle.window.session.frames import Frames
from puddle.window.widgets.sixteen import PLACES, Sixteen
from puddle.window.widgets.sprites import Sprites

_RING_S, _GROWS = 0.42, 0.35


class PadRings(Sixteen):
    """Shows sixteen places. A click chooses one; what comes in sends a ring outward."""

    chosen = pyqtSignal(int)  # a place of the bank, from 0

    def __init__(self, frames: Frames) -> None:
        super().__init__()
        self._frames = frames
        self._pads: dict[int, Pad] = {}
        self._notes: Mapping[str, str] = {}
        self._asks = False
        self._layout: Layout = "4 by 4"
        self._keys: dict[int, int] = {}  # the note on which each place lies, of keys
        self._cells: list[QRectF] = []
        self._laid_for = QSize()  # the size that the cells are for; of no size, for none
        self._rings: dict[int, float] = {}
        self._still, self._changes = Sprites(), 0
        self.stepped.connect(self.chosen)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Pads of the bank")
        self.setToolTip("A pad, and the notes that strike it. Click one to select it; arrows too.")
        frames.passed.connect(self._go_on)

    def sizeHint(self) -> QSize:
        return QSize(420, 420)

    def minimumSizeHint(self) -> QSize:
        return QSize(240, 260)

    def show_bank(
        self, pads: Sequence[tuple[int, Pad]], notes: Mapping[str, str], selected: int, asks: bool
    ) -> None:
        """The pads by their places in the bank, what strikes each by its id, and the one asked."""
        self._pads, self._notes = dict(pads), notes
        self.at_place, self._asks = selected, asks
        pad = self._pads.get(selected)
        said = f"{pad.name}, {notes.get(pad.id) or 'no note'}" if pad is not None else "none"
        self.setAccessibleDescription(f"selected: {said}")
        self._paint_anew()

    def show_layout(self, layout: Layout, keys: Mapping[int, int]) -> None:
        """How they lie; for keys on which note each does."""
        if (layout, dict(keys)) != (self._layout, self._keys):
            self._layout, self._keys = layout, dict(keys)
            self._laid_for = QSize()
            self._paint_anew()

    def _paint_anew(self) -> None:
        self._changes += 1
        self.update()

    def ring(self, place: int) -> None:
        """Sends a ring outward."""
        self._rings[place] = time.monotonic()
        self._frames.wake()
        self.update(self._ring_room(place))

    def _go_on(self) -> None:
        """One frame: rings grow, and go."""
        if not self._rings:
            return
        self._frames.want()
        now = time.monotonic()
        for place in self._rings:
            self.update(self._ring_room(place))
        self._rings = {p: at for p, at in self._rings.items() if now - at < _RING_S}

    # Places.

    def cell(self, place: int) -> QRectF:
        """The room of a place, as the controller's pads lie."""
        size = self.size()
        if self._laid_for != size:
            self._cells = rooms(self._layout, size.width(), size.height(), self._keys)
            self._laid_for = size
        return self._cells[place]

    def center(self, place: int) -> QPointF:
        """The middle of a place's ring."""
        cell = self.cell(place)
        return QPointF(cell.center().x(), cell.top() + self._radius() + 10.0)

    def _radius(self) -> float:
        cell = self.cell(0)
        beside = 2.0 if self._layout == "keys" else 14.0
        return max(8.0, min(60.0, cell.width() / 2.0 - beside, (cell.height() - 34.0) / 2.0))

    def _ring_room(self, place: int) -> QRect:
        """Where a ring of it is painted."""
        center, reach = self.center(place), (1.0 + _GROWS) * self._radius() + 2.0
        corner = QPointF(reach, reach)
        return QRectF(center - corner, center + corner).toAlignedRect()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self.place_at(event.position()) if event is not None else None
        if place is not None:
            self.chosen.emit(place)

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._still.begin(self.devicePixelRatioF())
        look = self._changes, self.width(), self.height()
        self._still.draw_latest(painter, self.rect(), "still", look, self._paint_still)
        self._paint_rings(painter)
        self.paint_focus(painter)

    def _paint_still(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.color("panel"))
        for place in range(PLACES):
            self._paint_place(painter, place)

    def _paint_place(self, painter: QPainter, place: int) -> None:
        center, radius, pad = self.center(place), self._radius(), self._pads.get(place)
        asked = self._asks and place == self.at_place
        if pad is None or asked:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(
                QPen(theme.color("coral" if asked else "line"), 1.8, Qt.PenStyle.DashLine)
            )
            painter.drawEllipse(center, radius, radius)
            self._write(painter, center, radius, "hit it now" if asked else "", "coral")
        else:
            dye = theme.color(pad.dye)
            painter.setPen(QPen(dye, 3.0 if place == self.at_place else 1.4))
            painter.setBrush(theme.color(pad.dye, 40))
            painter.drawEllipse(center, radius, radius)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(dye)
            painter.drawEllipse(center, 0.24 * radius, 0.24 * radius)
        if pad is None:
            return
        self._name(painter, center, radius, pad, self.cell(place).width())

    def _name(
        self, painter: QPainter, center: QPointF, radius: float, pad: Pad, wide: float
    ) -> None:
        """The name below and the notes beside; on narrow keys the name stands upright."""
        if self._layout == "keys":
            painter.save()
            painter.translate(center.x(), center.y() + radius + 6.0)
            painter.rotate(90.0)
            painter.setFont(theme.text_font(11))
            painter.setPen(theme.color("ink"))
            painter.drawText(QPointF(0.0, 4.0), pad.name)
            painter.restore()
            return
        name = QRectF(center.x() - 60.0, center.y() + radius + 4.0, 120.0, 18.0)
        painter.setFont(theme.text_font(12))
        painter.setPen(theme.color("ink"))
        shown = painter.fontMetrics().elidedText(
            pad.name, Qt.TextElideMode.ElideRight, round(wide) - 8
        )
        painter.drawText(name, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, shown)
        painter.setFont(theme.value_font(11))
        painter.setPen(theme.color("soft"))
        beside = QPointF(center.x() + 0.74 * radius + 4.0, center.y() - 0.74 * radius)
        painter.drawText(beside, self._notes.get(pad.id, "") or "–")

    def _write(
        self, painter: QPainter, center: QPointF, radius: float, text: str, color: str
    ) -> None:
        painter.setFont(theme.text_font(12))
        painter.setPen(theme.color(color))
        room = QRectF(center.x() - radius, center.y() - radius, 2.0 * radius, 2.0 * radius)
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_rings(self, painter: QPainter) -> None:
        now = time.monotonic()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for place, at in self._rings.items():
            pad, gone = self._pads.get(place), min(1.0, (now - at) / _RING_S)
            if pad is not None:
                painter.setPen(QPen(theme.color(pad.dye, round(200 * (1.0 - gone))), 1.8))
                radius = self._radius() * (1.0 + _GROWS * gone)
                painter.drawEllipse(self.center(place), radius, radius)
