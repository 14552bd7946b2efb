"""The picture of a pattern: a row of drops for each lane, drawn once and shown from a pixmap.

A drop's size is its velocity, the arc around it its chance; a roll splits it into sectors, small
drops before it are its flams, a coral rim says that it has values of its own.
"""

from __future__ import annotations

import math
from collections.abc import Collection

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy

from puddle.kit.edits.hits import Spot
from puddle.views.pattern import Row
from puddle.window import theme
from puddle.window.widgets.drop_geometry import HEAD_PX, RULER_PX, DropGeometry
from puddle.window.widgets.drop_sprites import DotsLook, DropLook, DropSprites, HeadLook
from puddle.window.widgets.grounds import make_opaque

_Put = tuple[float, QPixmap, int, int]  # its beat, and where its middle lies in the picture


class DropGridPicture(DropGeometry):
    """Draws the grid; what the hand does is in `DropMouse`."""

    def __init__(self) -> None:
        super().__init__()
        self.chosen = ""  # the selected pad's row
        self.selected: frozenset[Spot] = frozenset()
        self.cell: Spot | None = None  # that keys work on
        self.playhead: float | None = None  # the beat that sounds
        self.band: QRectF | None = None  # a rectangle that is being drawn
        self._pixmap: QPixmap | None = None
        self._stale: set[int] | None = None  # rows; None for everything
        self._sprites = DropSprites()
        self._ready: dict[str, tuple[Row, object, list[_Put]]] = {}  # by pad
        make_opaque(self)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(QSize(HEAD_PX + 220, 120))

    def sizeHint(self) -> QSize:
        return QSize(820, 380)

    # Drawing.

    def forget(self, rows: Collection[int] | None = None) -> None:
        """Draws anew at the next paint: everything, or some rows."""
        if rows is None:
            self._stale = None
            self.update()
        elif self._stale is not None:
            self._stale |= set(rows)
            for n in rows:
                self.update(self.row_rect(n).adjusted(0, -1, 0, 1).toRect())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.fit()
        self.scroll_px = min(self.scroll_px, self.most_scroll())
        self.forget()

    def step_rect(self, beat: float) -> QRectF:
        """The column of the step that sounds at a beat."""
        step = self.view.step
        start = math.floor(beat / step + 1e-9) * step
        return QRectF(self.x_of(start), 2.0, step * self.per_beat, float(self.height() - 4))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        ratio = self.devicePixelRatioF()
        self._draw(ratio)
        assert self._pixmap is not None
        painter = QPainter(self)
        room = event.rect() if event is not None else self.rect()
        source = QRectF(
            room.x() * ratio, room.y() * ratio, room.width() * ratio, room.height() * ratio
        )
        if source == QRectF(source.toRect()):  # whole pixels are copied, else they are scaled
            painter.drawPixmap(room, self._pixmap, source.toRect())
        else:
            painter.drawPixmap(QRectF(room), self._pixmap, source)
        if self.playhead is not None and self.playhead >= 0.0:
            column = self.step_rect(self.playhead)
            if column.left() >= HEAD_PX - 1 and column.right() < self.width():
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.color("water", 46))
                painter.drawRoundedRect(column, 8, 8)
        if self.band is not None:
            painter.setPen(QPen(theme.color("water"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(theme.color("water", 30))
            painter.drawRect(self.band)

    def _draw(self, ratio: float) -> None:
        """Draws what is stale into the pixmap."""
        size = QSize(max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio)))
        if self._pixmap is None or self._pixmap.size() != size:
            self._pixmap = QPixmap(size)
            self._stale = None
        stale, self._stale = self._stale, set()
        if stale is not None and not stale:
            return
        self._pixmap.setDevicePixelRatio(ratio)
        self._sprites.begin(ratio)
        painter = QPainter(self._pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        below = QRectF(0, RULER_PX, self.width(), self.height() - RULER_PX)
        if stale is None:
            painter.fillRect(self.rect(), theme.color("panel"))
            self._paint_lines(painter)
        painter.setClipRect(below)
        for n, row in enumerate(self.view.rows):
            room = self.row_rect(n)
            seen = room.bottom() > RULER_PX and room.top() < self.height()
            if not seen or (stale is not None and n not in stale):
                continue
            if stale is not None:
                painter.setClipRect(room.intersected(below))
                painter.fillRect(room, theme.color("panel"))
                self._paint_lines(painter)
            self._paint_row(painter, n, row, room)
        painter.setClipping(False)
        self._paint_thumbs(painter)
        if not self.view.rows:
            painter.setPen(theme.color("soft"))
            painter.setFont(theme.text_font(13))
            says = "No pads yet: add a sound on Shape, or drop files on the shore."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, says)
        painter.end()

    def _paint_thumbs(self, painter: QPainter) -> None:
        """Which part of the rows, and of the beats, is shown."""
        most = self.most_scroll()
        painter.setPen(Qt.PenStyle.NoPen)
        if most > 0.0:
            high = self.height() - RULER_PX - 4.0
            tall = high * high / (high + most)
            top = RULER_PX + (high - tall) * self.scroll_px / most
            painter.setBrush(theme.color("line"))
            painter.drawRoundedRect(QRectF(self.width() - 5.0, top, 3.0, tall), 1.5, 1.5)
        if self.shown_beats < self.view.beats - 1e-6:
            wide = self._right() - HEAD_PX
            left = HEAD_PX + wide * self.first_beat / self.view.beats
            painter.setBrush(theme.color("soft"))
            part = QRectF(left, RULER_PX - 3.0, wide * self.shown_beats / self.view.beats, 3.0)
            painter.drawRoundedRect(part, 1.5, 1.5)

    def _paint_lines(self, painter: QPainter) -> None:
        """Bars with their numbers, beats, and the end of the pattern."""
        view = self.view
        count = int(view.beats / view.beat + 1e-6) + 1
        painter.setFont(theme.value_font(11))
        # On whole pixels and solid: what lets something through takes ten times as long.
        bars, beats = theme.color("line"), theme.between("line", "panel", 0.65)
        for n in range(count):
            beat = n * view.beat
            x = self.x_of(beat)
            if not HEAD_PX - 1 <= x <= self._right() + 1:
                continue
            on_bar = abs(beat / view.bar - round(beat / view.bar)) < 1e-6
            top = 4 if on_bar else round(RULER_PX) - 4
            line = QRect(round(x), top, 2 if on_bar else 1, self.height() - 4 - top)
            painter.fillRect(line, bars if on_bar else beats)
            if x < self._right() - 1 and (on_bar or view.beat * self.per_beat > 34.0):
                bar, rest = divmod(n, round(view.bar / view.beat))
                painter.setPen(theme.color("ink" if on_bar else "soft"))
                text = f"{bar + 1}" if on_bar else f"{bar + 1}.{rest + 1}"
                painter.drawText(QPointF(x + 6, RULER_PX - 7.0), text)
        if view.beats > view.length + 1e-6:
            past = QRectF(self.x_of(view.length), RULER_PX, self.width(), self.height())
            painter.fillRect(past, theme.color("inset", 90))

    def _paint_row(self, painter: QPainter, n: int, row: Row, room: QRectF) -> None:
        if row.pad_id == self.chosen:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("inset", 130))
            painter.drawRoundedRect(room.adjusted(4, 1, -4, -1), 7, 7)
        high = room.height()
        look = HeadLook(
            row.name, row.dye, row.pad_id == self.chosen, row.mute, row.solo, row.silent,
            row.figures, high,
        )  # fmt: skip
        own = QRectF(0.0, 0.0, float(HEAD_PX), high)
        head = self._sprites.head(look, HEAD_PX, self.mute_rect(own), self.solo_rect(own))
        painter.drawPixmap(room.topLeft(), head)
        self._paint_dots(painter, row, room)
        self._paint_drops(painter, n, row)
        if self.cell is not None and self.cell.pad == row.pad_id and self.hasFocus():
            self._paint_cursor(painter, row, room)

    def _paint_dots(self, painter: QPainter, row: Row, room: QRectF) -> None:
        """A dot where each step of the lane is."""
        wide = row.step * self.per_beat
        if wide < 5.0:
            return
        first = max(0, math.ceil(self.first_beat / row.step - 1e-6))
        ends = min(max(row.beats, self.view.length), self.first_beat + self.shown_beats)
        count = math.ceil(ends / row.step - 1e-6) - first
        if count > 0:
            look = DotsLook(wide, first, count, round(row.beats / row.step), 1.0 / row.step)
            at = QPointF(self.x_of(first * row.step), room.top())
            painter.drawPixmap(at, self._sprites.dots(look, room.height()))

    def _paint_drops(self, painter: QPainter, n: int, row: Row) -> None:
        middle, per_beat = round(self.row_rect(n).center().y()), self.per_beat
        start = self.x_of(0.0) + 0.5
        left, right, put = HEAD_PX - 4.0, self._right(), painter.drawPixmap
        for beat, sprite, across, down in self._drops_of(n, row):
            x = start + beat * per_beat
            if left <= x <= right:
                put(int(x) - across, middle - down, sprite)

    def _drops_of(self, n: int, row: Row) -> list[_Put]:
        """The drops of a row, their pictures found once for as long as they look like that."""
        labels = row.step * self.per_beat > 26.0
        spots = frozenset(spot.at for spot in self.selected if spot.pad == row.pad_id)
        least, most = self.radius_of(n, 0.0), self.radius_of(n, 127.0)
        look = (labels, spots, least, most, self._sprites.made)
        known = self._ready.get(row.pad_id)
        if known is None or known[0] is not row or known[1] != look:
            known = (row, look, self._found_drops(row, labels, spots, (least, most)))
            self._ready[row.pad_id] = known
        return known[2]

    def _found_drops(
        self, row: Row, labels: bool, spots: frozenset[float], radii: tuple[float, float]
    ) -> list[_Put]:
        found: list[_Put] = []
        per_velocity = (radii[1] - radii[0]) / 127.0
        for drop in row.drops:
            radius = radii[0] + per_velocity * drop.velocity
            look = DropLook(
                row.dye,
                row.silent or drop.echo,
                round(2.0 * radius),
                round(drop.chance / drop.every),
                drop.roll,
                drop.flams,
                drop.own,
                drop.at in spots and not drop.echo,
                drop.label if labels and radius > 9.0 else "",
            )
            found.append((drop.beat + drop.late + row.step / 2.0, *self._sprites.drop(look)))
        return found

    def _paint_cursor(self, painter: QPainter, row: Row, room: QRectF) -> None:
        if self.cell is None:
            return
        beat = self.cell.at if row.exact else self.cell.at * row.step
        left = self.x_of(beat)
        cell = QRectF(left, room.top() + 2, row.step * self.per_beat, room.height() - 4)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("water"), 1.6))
        painter.drawRoundedRect(cell, 6, 6)
