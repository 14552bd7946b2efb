"""How a part of a recording is drawn: its wave by hits, their marks, ends and names, and time."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from puddle.library.cutting import Outline
from puddle.library.marked import Marked
from puddle.window import theme
from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.recording_overview import by_columns
from puddle.window.widgets.recording_span import RecordingSpan, clock
from puddle.window.widgets.strokes import fill, stroke

_TOP, _FOOT = 26.0, 26.0
_HANDLE_PX = 5.5
_MOST_MARKS = 400  # closer than that they are only ticks
_STEPS_S = (
    0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 30, 60, 120, 300,
    600, 1800,
)  # fmt: skip
_TICK_PX = 84


class Detail(msgspec.Struct, eq=False):
    """The wave of a part that was read for a close look: frames, or minima and maxima of them."""

    first: float
    count: float
    lows: np.ndarray
    highs: np.ndarray
    wave: np.ndarray | None = None  # the frames themselves, where there are few


class WaveLook(msgspec.Struct, eq=False):
    """Everything that is drawn."""

    outline: Outline | None = None
    detail: Detail | None = None
    cut: Marked | None = None
    dyes: dict[int, str] = msgspec.field(default_factory=dict)  # of hits, by their starts
    names: dict[int, str] = msgspec.field(default_factory=dict)
    left_out: frozenset[int] = frozenset()
    chosen: int = -1
    downbeat: int | None = None
    beat_frames: float = 0.0


class RecordingPicture:
    """Paints a look into a room."""

    def __init__(self, span: RecordingSpan) -> None:
        self._span = span

    def paint(
        self,
        painter: QPainter,
        room: QRectF,
        look: WaveLook,
        held: tuple[str, int],
        focused: bool,
    ) -> None:
        """The wave, the marks, and the time under them."""
        painter.fillRect(room, theme.color("panel"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.text_font(11))
        self._paint_beats(painter, room, look)
        places = self._seen(look.cut)
        self._paint_chosen(painter, room, look)
        self._paint_wave(painter, room, look, places)
        if look.cut is not None:
            self._paint_marks(painter, room, look, places, held)
        self._paint_time(painter, room)
        if focused:
            painter.setPen(QPen(theme.color("water"), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(room.adjusted(1, 1, -1, -1), 6, 6)

    def _x(self, frame: float, room: QRectF) -> float:
        return room.left() + self._span.x_of(frame, room.width())

    def _seen(self, cut: Marked | None) -> range:
        if cut is None or not len(cut):
            return range(0)
        # Ends do not rise where a hand has dragged one over later hits.
        reached = np.maximum.accumulate(cut.ends)
        first = int(np.searchsorted(reached, self._span.first))
        last = int(np.searchsorted(cut.starts, self._span.last))
        return range(first, max(first, last))

    def _wave_room(self, room: QRectF) -> tuple[float, float]:
        top, bottom = room.top() + _TOP, room.bottom() - _FOOT
        return (top + bottom) / 2.0, (bottom - top) / 2.0 - 6.0

    # The wave.

    def _paint_wave(self, painter: QPainter, room: QRectF, look: WaveLook, places: range) -> None:
        found = self._columns(look, room)
        middle, reach = self._wave_room(room)
        painter.setPen(QPen(theme.color("line"), 1.0))
        painter.drawLine(QPointF(room.left(), middle), QPointF(room.right(), middle))
        if found is None:
            return
        xs, lows, highs, wave = found
        reach /= _loudest(look.outline)
        ups, downs = middle - highs * reach, middle - lows * reach
        colors = self._colors(look, xs, places, room)
        for color, start, end in colors:
            if end - start < 1:
                continue
            near = slice(start, min(xs.size, end + 1))
            if wave:
                stroke(painter, polygon(xs[near], ups[near]), color, 1.3)
                continue
            across = np.concatenate([xs[near], xs[near][::-1]])
            area = polygon(across, np.concatenate([ups[near] - 0.5, downs[near][::-1] + 0.5]))
            fill(painter, area, color)
        if wave and xs.size < room.width() / 5.0:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("ink"))
            for x, y in zip(xs.tolist(), ups.tolist(), strict=True):
                painter.drawEllipse(QPointF(x, y), 1.9, 1.9)

    def _columns(
        self, look: WaveLook, room: QRectF
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray, bool] | None:
        """Places across, lows and highs, and whether they are the frames themselves."""
        span, detail = self._span, look.detail
        width = max(2, round(room.width()))
        covers = (
            detail is not None
            and detail.first <= span.first + 1.0
            and detail.first + detail.count >= span.last - 1.0
        )
        if detail is not None and covers and detail.wave is not None:
            frames = detail.first + np.arange(detail.wave.size)
            xs = room.left() + (frames - span.first) / span.count * room.width()
            return xs, detail.wave, detail.wave, True
        if detail is not None and covers and detail.count < 3.0 * span.count:
            size = detail.count / max(1, detail.lows.size)
            made = Outline(size, detail.lows, detail.highs)
            lows, highs = by_columns(made, span.first - detail.first, span.count, width)
        elif look.outline is not None and look.outline.lows.size:
            lows, highs = by_columns(look.outline, span.first, span.count, width)
        else:
            return None
        return room.left() + np.arange(width) + 0.5, lows, highs, False

    def _colors(
        self, look: WaveLook, xs: np.ndarray, places: range, room: QRectF
    ) -> list[tuple[QColor, int, int]]:
        """Stretches of the places across, each with its color."""
        rest = theme.color("soft", 105)
        cut = look.cut
        if cut is None or len(places) > _MOST_MARKS:
            return [(theme.color("soft", 190), 0, xs.size)]
        edges: list[tuple[QColor, int, int]] = []
        done = 0
        for place in places:
            start, end = int(cut.starts[place]), int(cut.ends[place])
            a, b = np.searchsorted(xs, (self._x(start, room), self._x(end, room)))
            if a > done:
                edges.append((rest, done, int(a)))
            alpha = 70 if start in look.left_out else 205
            edges.append((theme.color(look.dyes.get(start, "slate"), alpha), int(a), int(b)))
            done = max(done, int(b))
        edges.append((rest, done, xs.size))
        return edges

    # Marks.

    def _paint_chosen(self, painter: QPainter, room: QRectF, look: WaveLook) -> None:
        cut = look.cut
        if cut is None or not 0 <= look.chosen < len(cut):
            return
        left = self._x(int(cut.starts[look.chosen]), room)
        right = self._x(int(cut.ends[look.chosen]), room)
        part = QRectF(left, room.top() + _TOP - 6, max(2.0, right - left), room.height() - 46)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.chosen_ground())
        painter.drawRoundedRect(part, 5, 5)

    def _paint_marks(
        self, painter: QPainter, room: QRectF, look: WaveLook, places: range, held: tuple[str, int]
    ) -> None:
        cut = look.cut
        assert cut is not None
        if len(places) > _MOST_MARKS:
            painter.setPen(theme.color("soft"))
            words = f"{len(places)} hits are seen: zoom in to touch them"
            painter.drawText(QRectF(room.left(), room.top() + 4, room.width(), 16),
                             Qt.AlignmentFlag.AlignHCenter, words)  # fmt: skip
            return
        named_to = -1e9
        for place in places:
            start = int(cut.starts[place])
            x = self._x(start, room)
            color = theme.color(look.dyes.get(start, "slate"))
            self._paint_end(painter, room, self._x(int(cut.ends[place]), room), color)
            mark = cut.marks[place]
            kept = mark is not None
            self._paint_mark(painter, room, x, color, kept=kept, held=held == ("start", start))
            named_to = self._paint_name(painter, room, look, place, x, named_to)
        for frame in cut.joined.tolist():
            if self._span.first <= frame <= self._span.last:
                color = theme.color(look.dyes.get(self._owner(cut, frame), "slate"))
                self._paint_mark(
                    painter, room, self._x(frame, room), color, joined=True,
                    held=held == ("start", frame),
                )  # fmt: skip

    def _owner(self, cut: Marked, frame: int) -> int:
        place = int(np.searchsorted(cut.starts, frame, side="right")) - 1
        return int(cut.starts[max(0, place)])

    def _paint_mark(
        self,
        painter: QPainter,
        room: QRectF,
        x: float,
        color: QColor,
        *,
        kept: bool = False,
        joined: bool = False,
        held: bool = False,
    ) -> None:
        """A round on a line: full, ringed where a hand keeps it, hollow where it is joined."""
        top = room.top() + 12.0
        painter.setPen(QPen(color, 2.2 if held else 1.4))
        painter.drawLine(QPointF(x, top), QPointF(x, room.bottom() - _FOOT))
        size = _HANDLE_PX + (1.5 if held else 0.0)
        painter.setPen(QPen(color, 1.6))
        painter.setBrush(theme.color("panel") if joined else color)
        painter.drawEllipse(QPointF(x, top), size, size)
        if kept and not joined:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(color, 1.1))
            painter.drawEllipse(QPointF(x, top), size + 3.0, size + 3.0)

    def _paint_end(self, painter: QPainter, room: QRectF, x: float, color: QColor) -> None:
        pen = QPen(color, 1.3, Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.drawLine(QPointF(x, room.top() + 40), QPointF(x, room.bottom() - _FOOT))

    def _paint_name(
        self, painter: QPainter, room: QRectF, look: WaveLook, place: int, x: float, to: float
    ) -> float:
        """A hit's name at its foot, where there is room for it; how far names reach then."""
        cut = look.cut
        assert cut is not None
        start = int(cut.starts[place])
        name = look.names.get(start, "")
        doubt = cut.doubts[place]
        said = f"{name}: {doubt}" if doubt and place == look.chosen else name
        width = painter.fontMetrics().horizontalAdvance(said)
        following = room.right()
        if place + 1 < len(cut):
            following = self._x(int(cut.starts[place + 1]), room)
        if not said or x + 4 < to or (place != look.chosen and x + width + 8 > following):
            return to
        soft = start in look.left_out or bool(doubt)
        painter.setPen(theme.color("soft" if soft else "ink"))
        painter.drawText(QPointF(x + 5, room.bottom() - _FOOT - 5), said)
        return x + width + 10

    # Time.

    def _paint_beats(self, painter: QPainter, room: QRectF, look: WaveLook) -> None:
        """Bars and beats from the downbeat on, as faint lines; the downbeat with a foot to drag."""
        if look.downbeat is None or look.beat_frames <= 0.0:
            return
        beats = self._span.count / look.beat_frames
        every = 1 if beats < room.width() / 14.0 else 4
        if beats / every > room.width() / 10.0:
            return
        first = math.ceil((self._span.first - look.downbeat) / look.beat_frames / every) * every
        for n in range(max(0, first), first + int(beats) + every + 1, every):
            x = self._x(look.downbeat + n * look.beat_frames, room)
            painter.setPen(QPen(theme.color("line", 255 if n % 4 == 0 else 130), 1.0))
            painter.drawLine(QPointF(x, room.top() + _TOP), QPointF(x, room.bottom() - _FOOT))
        x = self._x(look.downbeat, room)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("ink"))
        foot = room.bottom() - _FOOT
        painter.drawPolygon(
            QPointF(x - 5, foot + 9), QPointF(x + 5, foot + 9), QPointF(x, foot + 1)
        )

    def _paint_time(self, painter: QPainter, room: QRectF) -> None:
        span = self._span
        per_px = span.count / span.rate_hz / max(1.0, room.width())
        step = next((s for s in _STEPS_S if s >= _TICK_PX * per_px), _STEPS_S[-1])
        decimals = max(0, min(4, math.ceil(-math.log10(step)))) if step < 1.0 else 0
        painter.setPen(theme.color("soft"))
        n = math.ceil(span.first / span.rate_hz / step)
        while n * step * span.rate_hz <= span.last:
            x = self._x(n * step * span.rate_hz, room)
            if x < room.right() - 40:
                painter.drawText(QPointF(x + 2, room.bottom() - 6), clock(n * step, decimals))
                painter.drawLine(QPointF(x, room.bottom() - 14), QPointF(x, room.bottom() - 6))
            n += 1


def _loudest(outline: Outline | None) -> float:
    """The highest value of a whole recording: it fills the room, and all else stands beside it."""
    if outline is None or not outline.lows.size:
        return 1.0
    return max(0.02, float(-outline.lows.min()), float(outline.highs.max()))
