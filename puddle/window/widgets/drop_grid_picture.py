"""The picture of a pattern: a row of drops for each lane, each drawn once and kept as a pixmap.

A drop's size is its velocity, the arc around it its chance; a roll splits it into sectors, small
drops before it are its flams, a coral rim says that it has values of its own.
"""

from __future__ import annotations

import math
from collections.abc import Collection

import msgspec
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy

from puddle.kit.edits.hits import Spot
from puddle.views.pattern import Row
from puddle.window import theme
from puddle.window.widgets.controls import NO_PADS
from puddle.window.widgets.drop_geometry import HEAD_PX, RULER_PX, DropGeometry
from puddle.window.widgets.drop_sprites import (
    DOTS_PX,
    DotsLook,
    DropLook,
    DropSprites,
    HeadLook,
)
from puddle.window.widgets.grounds import make_opaque

_MOST_GROUNDS = 4
_NUMBER_PX = 40.0  # a bar's number beside its line
_Drawn = tuple[float, QPixmap, int, int]  # its beat, and where its middle lies in the picture
_Put = tuple[QPointF, QPixmap]
_REACH_PX = 6  # how far a ring reaches beyond its row


class _RowDrops(msgspec.Struct, frozen=True, eq=False):
    """The pictures of a row's drops, and where they lie, for as long as it looks like that."""

    row: Row
    looks: object
    drawn: list[_Drawn]
    place: object = None
    placed: list[_Put] = msgspec.field(default_factory=list)
    # Of them, beyond the row: arcs and rings.
    reaching: list[_Put] = msgspec.field(default_factory=list)


class DropGridPicture(DropGeometry):
    """Draws the grid; what the hand does is in `DropMouse`."""

    def __init__(self) -> None:
        super().__init__()
        self.chosen = ""  # the selected pad's row
        self.selected: frozenset[Spot] = frozenset()
        self.cell: Spot | None = None  # that keys work on
        self.playhead: float | None = None  # the beat that sounds
        self.band: QRectF | None = None  # a rectangle that is being drawn
        self._sprites = DropSprites()
        self._drops: dict[str, _RowDrops] = {}  # by pad
        self._pictures: dict[str, tuple[object, QPixmap]] = {}  # by pad, and how it looks
        self._grounds: dict[object, QPixmap] = {}
        self._laid: tuple[int, list[tuple[int, int, QPixmap]]] | None = None
        make_opaque(self)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(QSize(HEAD_PX + 220, 120))

    def sizeHint(self) -> QSize:
        return QSize(820, 380)

    # Drawing.

    def forget(self, rows: Collection[int] | None = None) -> None:
        """Something looks otherwise: in some rows, or anywhere."""
        self._laid = None
        if rows is None:
            self.update()
        else:
            for n in rows:
                self.update(self.row_rect(n).adjusted(0, -_REACH_PX, 0, _REACH_PX).toRect())

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
        part = event.rect() if event is not None else self.rect()
        self._sprites.begin(self.devicePixelRatioF())
        painter = QPainter(self)
        bottom = self._paint_rows(painter, part)
        ruler, rest = QRect(part), QRect(part)
        ruler.setBottom(min(part.bottom(), RULER_PX - 1))
        rest.setTop(max(part.top(), bottom))
        for ground in (ruler, rest):
            if not ground.isEmpty():
                painter.setClipRect(ground)
                painter.fillRect(ground, theme.color("panel"))
                self._paint_lines(painter, ground, 0)
        painter.setClipping(False)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_thumbs(painter, part)
        self._paint_cursor(painter)
        if not self.view.rows:
            painter.setPen(theme.color("soft"))
            painter.setFont(theme.text_font(13))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, NO_PADS)
        if self.playhead is not None and self.playhead >= 0.0:
            column = self.step_rect(self.playhead)
            if column.left() >= HEAD_PX - 1 and column.right() < self.width():
                painter.drawPixmap(column.topLeft(), self._sprites.column(column.size()))
        if self.band is not None:
            painter.setPen(QPen(theme.color("water"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(theme.color("water", 30))
            painter.drawRect(self.band)

    def _paint_rows(self, painter: QPainter, part: QRect) -> int:
        """Copies the rows' pictures where they touch a part; returns where the last one ends."""
        rows, ratio = self._rows_laid(), self.devicePixelRatioF()
        painter.setClipRect(part.intersected(QRect(0, RULER_PX, self.width(), self.height())))
        above, below, left, wide = part.top(), part.bottom(), part.left(), part.width()
        from_px, over_px = left * ratio, wide * ratio
        whole = from_px.is_integer() and over_px.is_integer()  # copied, else scaled
        for top, bottom, picture in rows:
            if bottom <= above or top > below:
                continue
            if whole:
                high = picture.height()
                painter.drawPixmap(left, top, picture, int(from_px), 0, int(over_px), high)
            else:
                source = QRectF(from_px, 0.0, over_px, picture.height())
                painter.drawPixmap(QRectF(left, top, wide, bottom - top), picture, source)
        return rows[-1][1] if rows else RULER_PX

    def _rows_laid(self) -> list[tuple[int, int, QPixmap]]:
        """Where each row that is seen begins and ends, in whole pixels, and its picture."""
        if self._laid is None or self._laid[0] != self._sprites.made:
            high, rows = self.row_px, []
            begins = [RULER_PX + n * high - self.scroll_px for n in range(len(self.view.rows))]
            tops = [round(begin) for begin in begins]
            seen = [n for n, b in enumerate(begins) if b + high > RULER_PX and b < self.height()]
            around = range(max(0, min(seen, default=0) - 1), max(seen, default=-1) + 2)
            drops = {n: self._drops_of(n, begins[n] - tops[n]) for n in around if n < len(begins)}
            for n in seen:
                bottom = round(begins[n] + high)
                beside = tuple(
                    (tops[m] - tops[n], drops[m])
                    for m in (n - 1, n + 1)
                    if m in drops and drops[m].reaching
                )
                room = QRectF(0.0, begins[n] - tops[n], float(self.width()), high)
                picture = self._picture_of(n, bottom - tops[n], room, drops[n], beside)
                rows.append((tops[n], bottom, picture))
            shown = {self.view.rows[n].pad_id for n in around if n < len(begins)}
            self._drops = {pad: kept for pad, kept in self._drops.items() if pad in shown}
            self._pictures = {pad: kept for pad, kept in self._pictures.items() if pad in shown}
            self._laid = self._sprites.made, rows
        return self._laid[1]

    def _picture_of(
        self,
        n: int,
        whole_px: int,
        room: QRectF,
        drops: _RowDrops,
        beside: tuple[tuple[int, _RowDrops], ...],
    ) -> QPixmap:
        """A row's picture of so many whole pixels, with what reaches into it from beside."""
        row, view = self.view.rows[n], self.view
        head = HeadLook(
            row.name, row.dye, row.pad_id == self.chosen, row.mute, row.solo, row.silent,
            row.figures, room.height(),
        )  # fmt: skip
        ground = (
            whole_px, self.width(), self.first_beat, self.shown_beats,
            view.beats, view.length, view.bar, view.beat, self._sprites.made,
        )  # fmt: skip
        look = (ground, head, room.top(), drops, beside)
        known = self._pictures.get(row.pad_id)
        if known is None or known[0] != look:
            made = self._ground(ground, whole_px).copy()
            painter = QPainter(made)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_row(painter, row, room, head)
            put = painter.drawPixmap
            for at, sprite in drops.placed:
                put(at, sprite)
            for shift, others in beside:
                for at, sprite in others.reaching:
                    put(at + QPointF(0.0, shift), sprite)
            painter.end()
            known = self._pictures[row.pad_id] = look, made
        return known[1]

    def _ground(self, look: object, whole_px: int) -> QPixmap:
        """The lines of beats and bars behind a row, which all rows of one height share."""
        known = self._grounds.get(look)
        if known is None:
            if len(self._grounds) >= _MOST_GROUNDS:
                self._grounds.clear()
            ratio = self.devicePixelRatioF()
            known = QPixmap(math.ceil(self.width() * ratio), math.ceil(whole_px * ratio))
            known.setDevicePixelRatio(ratio)
            known.fill(theme.color("panel"))
            painter = QPainter(known)
            self._paint_lines(painter, self.rect(), whole_px)
            painter.end()
            self._grounds[look] = known
        return known

    def _paint_thumbs(self, painter: QPainter, part: QRect) -> None:
        """Which part of the rows, and of the beats, is shown."""
        most = self.most_scroll()
        painter.setPen(Qt.PenStyle.NoPen)
        if most > 0.0 and part.right() >= self.width() - 5:
            high = self.height() - RULER_PX - 4.0
            tall = high * high / (high + most)
            top = RULER_PX + (high - tall) * self.scroll_px / most
            painter.setBrush(theme.color("line"))
            painter.drawRoundedRect(QRectF(self.width() - 5.0, top, 3.0, tall), 1.5, 1.5)
        if self.shown_beats < self.view.beats - 1e-6 and part.top() < RULER_PX:
            wide = self._right() - HEAD_PX
            left = HEAD_PX + wide * self.first_beat / self.view.beats
            painter.setBrush(theme.color("soft"))
            thumb = QRectF(left, RULER_PX - 3.0, wide * self.shown_beats / self.view.beats, 3.0)
            painter.drawRoundedRect(thumb, 1.5, 1.5)

    def _paint_lines(self, painter: QPainter, part: QRect, row_px: int) -> None:
        """Bars with their numbers, beats, and the end of the pattern; or those of one row.

        Only those that reach into a part from left to right.
        """
        view = self.view
        count = int(view.beats / view.beat + 1e-6) + 1
        painter.setFont(theme.value_font(11))
        # On whole pixels and solid: what lets something through takes ten times as long.
        bars, beats = theme.color("line"), theme.between("line", "panel", 0.65)
        left = max(HEAD_PX - 1.0, part.left() - _NUMBER_PX)
        last = min(self._right() + 1.0, part.right() + 1.0)
        first = max(0, math.floor(self.beat_of(left) / view.beat))
        for n in range(first, count):
            beat = n * view.beat
            x = self.x_of(beat)
            if x < left:
                continue
            if x > last:
                break
            on_bar = abs(beat / view.bar - round(beat / view.bar)) < 1e-6
            top = 0 if row_px else 4 if on_bar else RULER_PX - 4
            line = QRect(round(x), top, 2 if on_bar else 1, (row_px or self.height() - 4) - top)
            painter.fillRect(line, bars if on_bar else beats)
            if (
                not row_px
                and x < self._right() - 1
                and (on_bar or view.beat * self.per_beat > 34.0)
            ):
                bar, rest = divmod(n, round(view.bar / view.beat))
                painter.setPen(theme.color("ink" if on_bar else "soft"))
                text = f"{bar + 1}" if on_bar else f"{bar + 1}.{rest + 1}"
                painter.drawText(QPointF(x + 6, RULER_PX - 7.0), text)
        if view.beats > view.length + 1e-6:
            top = 0 if row_px else RULER_PX
            past = QRectF(self.x_of(view.length), top, self.width(), self.height())
            painter.fillRect(past, theme.color("inset", 90))

    def _paint_row(self, painter: QPainter, row: Row, room: QRectF, look: HeadLook) -> None:
        if look.bold:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("inset", 130))
            painter.drawRoundedRect(room.adjusted(4, 1, -4, -1), 7, 7)
        own = QRectF(0.0, 0.0, float(HEAD_PX), room.height())
        head = self._sprites.head(look, HEAD_PX, self.mute_rect(own), self.solo_rect(own))
        painter.drawPixmap(room.topLeft(), head)
        self._paint_dots(painter, row, room)

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
            top = round(room.center().y()) - DOTS_PX / 2.0
            at = QPointF(self.x_of(first * row.step), top)
            painter.drawPixmap(at, self._sprites.dots(look))

    def _drops_of(self, n: int, over_px: float) -> _RowDrops:
        """The drops of a row, found and placed once for as long as they look like that.

        The row begins so far down in its picture.
        """
        row, per_beat = self.view.rows[n], self.per_beat
        labels = row.step * per_beat > 26.0
        spots = frozenset(spot.at for spot in self.selected if spot.pad == row.pad_id)
        radii = self.radius_of(n, 0.0), self.radius_of(n, 127.0)
        looks = (labels, spots, radii, self._sprites.made)
        known = self._drops.get(row.pad_id)
        if known is None or known.row is not row or known.looks != looks:
            known = _RowDrops(row, looks, self._found_drops(row, labels, spots, radii))
        high = self.row_px
        middle, start, right = round(over_px + high / 2.0), self.x_of(0.0) + 0.5, self._right()
        place = (middle, high, per_beat, start, right)
        if known.place != place:
            known = replace(known, place=place, placed=[], reaching=[])
            for beat, sprite, across, down in known.drawn:
                x = start + beat * per_beat
                if HEAD_PX - 4.0 <= x <= right:
                    put = QPointF(int(x) - across, middle - down), sprite
                    known.placed.append(put)
                    if down > high / 2.0 - 1.0:
                        known.reaching.append(put)
        self._drops[row.pad_id] = known
        return known

    def _found_drops(
        self, row: Row, labels: bool, spots: frozenset[float], radii: tuple[float, float]
    ) -> list[_Drawn]:
        found: list[_Drawn] = []
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

    def _paint_cursor(self, painter: QPainter) -> None:
        """The cell that keys work on."""
        cell, rows = self.cell, self.view.rows
        n = next((n for n, row in enumerate(rows) if cell and row.pad_id == cell.pad), None)
        if cell is None or n is None or not self.hasFocus():
            return
        row, room = rows[n], self.row_rect(n)
        if room.bottom() <= RULER_PX:
            return
        beat = cell.at if row.exact else cell.at * row.step
        around = QRectF(
            self.x_of(beat), room.top() + 2, row.step * self.per_beat, room.height() - 4
        )
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("water"), 1.6))
        painter.setClipRect(QRect(0, RULER_PX, self.width(), self.height()))
        painter.drawRoundedRect(around, 6, 6)
        painter.setClipping(False)
