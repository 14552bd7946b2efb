"""The picture of a pattern: a row of drops for each lane, drawn once and shown from a pixmap.

A drop's size is its velocity, the arc around it its chance; a roll splits it into sectors, small
drops before it are its flams, a coral rim says that it has values of its own.
"""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.kit.edits.hits import Spot
from puddle.views.pattern import Drop, PatternView, Row
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque

RULER_PX = 22
HEAD_PX = 222
_LEAST_ROW_PX, _MOST_ROW_PX = 24.0, 42.0
_LEAST_STEP_PX = 20.0
_EMPTY = PatternView((), 4.0, 4.0, 0.25, 4.0, 1.0)


class DropGridPicture(QWidget):
    """Geometry and drawing; what the hand does is in `DropGrid`."""

    def __init__(self) -> None:
        super().__init__()
        self.view = _EMPTY
        self.chosen = ""  # the selected pad's row
        self.selected: frozenset[Spot] = frozenset()
        self.first_beat = 0.0  # at the left edge
        self.shown_beats = 4.0
        self.scroll_px = 0.0
        self.cell: Spot | None = None  # the cell that keys work on
        self.playhead: float | None = None  # the beat that sounds
        self.band: QRectF | None = None  # a rectangle that is being drawn
        self._pixmap: QPixmap | None = None
        make_opaque(self)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(QSize(HEAD_PX + 220, 120))

    def sizeHint(self) -> QSize:
        return QSize(820, 380)

    # Geometry.

    @property
    def per_beat(self) -> float:
        """Pixels to a beat."""
        return (self.width() - HEAD_PX - 8) / max(0.25, self.shown_beats)

    @property
    def row_px(self) -> float:
        """How tall a row is."""
        room = (self.height() - RULER_PX) / max(1, len(self.view.rows))
        return min(_MOST_ROW_PX, max(_LEAST_ROW_PX, room))

    def x_of(self, beat: float) -> float:
        """Where a beat lies."""
        return HEAD_PX + (beat - self.first_beat) * self.per_beat

    def beat_of(self, x: float) -> float:
        """The beat at a place."""
        return self.first_beat + (x - HEAD_PX) / self.per_beat

    def row_rect(self, n: int) -> QRectF:
        """The room of a row, its head included."""
        top = RULER_PX + n * self.row_px - self.scroll_px
        return QRectF(0.0, top, float(self.width()), self.row_px)

    def row_at(self, y: float) -> int | None:
        """The row at a height."""
        if y < RULER_PX:
            return None
        n = int((y - RULER_PX + self.scroll_px) // self.row_px)
        return n if 0 <= n < len(self.view.rows) else None

    def center_of(self, n: int, drop: Drop) -> QPointF:
        """The middle of a drop."""
        row = self.view.rows[n]
        x = self.x_of(drop.beat + drop.late) + row.step * self.per_beat / 2.0
        return QPointF(x, self.row_rect(n).center().y())

    def radius_of(self, n: int, velocity: float) -> float:
        """How large a drop of a velocity is."""
        cell = min(self.row_px - 4.0, self.view.rows[n].step * self.per_beat - 2.0, 36.0)
        most = max(4.0, cell / 2.0)
        return most * (0.28 + 0.72 * velocity / 127.0)

    def most_scroll(self) -> float:
        """How far rows can be scrolled."""
        return max(0.0, RULER_PX + len(self.view.rows) * self.row_px - self.height())

    def fit(self) -> None:
        """Shows all steps where they are wide enough, else as many bars as are."""
        room = max(1.0, self.width() - HEAD_PX - 8.0)
        beats = self.view.beats
        most = room / _LEAST_STEP_PX * self.view.step
        if beats > most:
            beats = max(1.0, most // self.view.bar) * self.view.bar
        self.shown_beats = max(self.view.step, beats)
        self.first_beat = min(self.first_beat, max(0.0, self.view.beats - self.shown_beats))

    # Drawing.

    def forget(self) -> None:
        """Draws anew at the next paint."""
        self._pixmap = None
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.fit()
        self.scroll_px = min(self.scroll_px, self.most_scroll())
        self._pixmap = None

    def step_rect(self, beat: float) -> QRectF:
        """The column of the step that sounds at a beat."""
        step = self.view.step
        start = math.floor(beat / step + 1e-9) * step
        return QRectF(self.x_of(start), 2.0, step * self.per_beat, float(self.height() - 4))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        ratio = self.devicePixelRatioF()
        if self._pixmap is None or self._pixmap.devicePixelRatio() != ratio:
            self._pixmap = self._drawn(ratio)
        painter = QPainter(self)
        room = event.rect() if event is not None else self.rect()
        source = QRectF(
            room.x() * ratio, room.y() * ratio, room.width() * ratio, room.height() * ratio
        )
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

    def _drawn(self, ratio: float) -> QPixmap:
        made = QPixmap(max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio)))
        made.setDevicePixelRatio(ratio)
        made.fill(theme.color("panel"))
        painter = QPainter(made)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_lines(painter)
        painter.setClipRect(QRectF(0, RULER_PX, self.width(), self.height() - RULER_PX))
        for n, row in enumerate(self.view.rows):
            room = self.row_rect(n)
            if room.bottom() > RULER_PX and room.top() < self.height():
                self._paint_row(painter, n, row, room)
        most = self.most_scroll()
        if most > 0.0:
            high = self.height() - RULER_PX - 4.0
            tall = high * high / (high + most)
            top = RULER_PX + (high - tall) * self.scroll_px / most
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("line"))
            painter.drawRoundedRect(QRectF(self.width() - 5.0, top, 3.0, tall), 1.5, 1.5)
        if not self.view.rows:
            painter.setClipping(False)
            painter.setPen(theme.color("soft"))
            painter.setFont(theme.text_font(13))
            says = "No pads yet: add a sound on Shape, or drop files on the shore."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, says)
        painter.end()
        return made

    def _paint_lines(self, painter: QPainter) -> None:
        """Bars with their numbers, beats, and the end of the pattern."""
        view = self.view
        count = int(view.beats / view.beat + 1e-6) + 1
        painter.setFont(theme.value_font(11))
        for n in range(count):
            beat = n * view.beat
            x = self.x_of(beat)
            if not HEAD_PX - 1 <= x <= self.width():
                continue
            on_bar = abs(beat / view.bar - round(beat / view.bar)) < 1e-6
            painter.setPen(QPen(theme.color("line"), 1.6 if on_bar else 0.7))
            top = 4.0 if on_bar else RULER_PX - 4.0
            painter.drawLine(QPointF(x, top), QPointF(x, self.height() - 4.0))
            if beat < view.beats - 1e-6 and (on_bar or view.beat * self.per_beat > 34.0):
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
        self._paint_head(painter, row, room)
        painter.save()
        painter.setClipRect(
            QRectF(HEAD_PX - 8, RULER_PX, self.width(), self.height()),
            Qt.ClipOperation.IntersectClip,
        )
        self._paint_dots(painter, row, room)
        for drop in row.drops:
            center = self.center_of(n, drop)
            if -40 < center.x() - HEAD_PX < self.width():
                self._paint_drop(painter, n, row, drop, center)
        if self.cell is not None and self.cell.pad == row.pad_id and self.hasFocus():
            self._paint_cursor(painter, row, room)
        painter.restore()

    def _paint_head(self, painter: QPainter, row: Row, room: QRectF) -> None:
        at = QPointF(18, room.center().y())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(row.dye, 90 if row.silent else 255))
        painter.drawEllipse(at, 5.5, 5.5)
        bold = row.pad_id == self.chosen
        painter.setFont(theme.text_font(13, bold=bold))
        painter.setPen(theme.color("soft" if row.silent else "ink"))
        name_room = QRectF(32, room.top(), 72, room.height())
        text = painter.fontMetrics().elidedText(
            row.name, Qt.TextElideMode.ElideMiddle, int(name_room.width())
        )
        center = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(name_room, center | Qt.AlignmentFlag.AlignLeft, text)
        for text, rect, on in (
            ("mute", self.mute_rect(room), row.mute),
            ("solo", self.solo_rect(room), row.solo),
        ):
            painter.setPen(QPen(theme.color("ink" if on else "line"), 1))
            painter.setBrush(theme.color("ink") if on else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(rect, 8, 8)
            painter.setPen(theme.color("panel" if on else "soft"))
            painter.setFont(theme.text_font(11))
            painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)
        painter.setFont(theme.value_font(10))
        painter.setPen(theme.color("soft"))
        rest = QRectF(179, room.top(), HEAD_PX - 183, room.height())
        wrap = int(center) | int(Qt.AlignmentFlag.AlignLeft) | int(Qt.TextFlag.TextWordWrap)
        painter.drawText(rest, wrap, row.figures)

    def mute_rect(self, room: QRectF) -> QRectF:
        """The switch that mutes a lane."""
        return QRectF(106, room.center().y() - 8.5, 34, 17)

    def solo_rect(self, room: QRectF) -> QRectF:
        """The switch that makes a lane solo."""
        return QRectF(143, room.center().y() - 8.5, 32, 17)

    def _paint_dots(self, painter: QPainter, row: Row, room: QRectF) -> None:
        """A dot where each step of the lane is, larger ones on beats."""
        step = row.step
        taken = {round(d.beat / step, 3) for d in row.drops if not row.exact}
        painter.setPen(Qt.PenStyle.NoPen)
        y = room.center().y()
        count = math.ceil(max(row.beats, self.view.length) / step - 1e-9)
        wide = step * self.per_beat
        if wide < 5.0:
            return
        for k in range(count):
            x = self.x_of(k * step) + wide / 2.0
            if k in taken or not HEAD_PX - 8 <= x <= self.width():
                continue
            inside = k * step < row.beats - 1e-9
            on_beat = abs((k * step) % 1.0) < 1e-6
            painter.setBrush(theme.color("line", 255 if inside else 110))
            size = 3.0 if on_beat else 2.0
            painter.drawEllipse(QPointF(x, y), size, size)

    def _paint_drop(self, painter: QPainter, n: int, row: Row, drop: Drop, center: QPointF) -> None:
        radius = self.radius_of(n, drop.velocity)
        faint = row.silent or drop.echo
        ink = theme.color(row.dye, 70 if faint else 225)
        by_chance = drop.chance < 100.0 or drop.every > 1
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(row.dye, 40 if faint else 110) if by_chance else ink)
        painter.drawEllipse(center, radius, radius)
        for k in range(drop.flams):
            small = max(2.0, radius * 0.3)
            at = QPointF(center.x() - radius - small - 2.0 - k * (2.0 * small + 1.0), center.y())
            painter.setBrush(ink)
            painter.drawEllipse(at, small, small)
        if drop.roll > 1:
            self._paint_sectors(painter, center, radius, drop.roll)
        if by_chance:
            share = drop.chance / 100.0 / drop.every
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(ink, 2.0))
            wide = radius + 3.0
            around = QRectF(center.x() - wide, center.y() - wide, 2.0 * wide, 2.0 * wide)
            painter.drawArc(around, 90 * 16, -round(360 * 16 * share))
        if drop.own:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("coral"), 2.0))
            painter.drawEllipse(center, radius + 0.5, radius + 0.5)
        if Spot(row.pad_id, drop.at) in self.selected and not drop.echo:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("ink"), 1.6))
            painter.drawEllipse(center, radius + 4.0, radius + 4.0)
        if drop.label and radius > 9.0 and row.step * self.per_beat > 26.0:
            painter.setPen(theme.color("panel"))
            painter.setFont(theme.value_font(10))
            room = QRectF(center.x() - 20, center.y() - 8, 40, 16)
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, drop.label)

    def _paint_sectors(self, painter: QPainter, center: QPointF, radius: float, count: int) -> None:
        painter.setPen(QPen(theme.color("panel"), 1.6))
        for k in range(count):
            angle = 2.0 * math.pi * k / count - math.pi / 2.0
            edge = QPointF(math.cos(angle) * radius, math.sin(angle) * radius)
            painter.drawLine(center, center + edge)

    def _paint_cursor(self, painter: QPainter, row: Row, room: QRectF) -> None:
        if self.cell is None:
            return
        beat = self.cell.at if row.exact else self.cell.at * row.step
        left = self.x_of(beat)
        cell = QRectF(left, room.top() + 2, row.step * self.per_beat, room.height() - 4)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("water"), 1.6))
        painter.drawRoundedRect(cell, 6, 6)
