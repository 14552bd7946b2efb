"""Where rows, steps and drops of a pattern lie on the grid."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF

from puddle.views.pattern import Drop, PatternView
from puddle.window.widgets.beat_axis import BeatAxis

RULER_PX = 22
HEAD_PX = 222
_LEAST_ROW_PX, _MOST_ROW_PX = 24.0, 42.0
_LEAST_STEP_PX = 20.0
_EMPTY = PatternView((), 4.0, 4.0, 0.25, 4.0, 1.0)


class DropGeometry(BeatAxis):
    """What is shown of a pattern, in pixels."""

    def __init__(self) -> None:
        super().__init__(left_px=float(HEAD_PX))
        self.view = _EMPTY
        self.scroll_px = 0.0

    @property
    def row_px(self) -> float:
        """How tall a row is."""
        room = (self.height() - RULER_PX) / max(1, len(self.view.rows))
        return min(_MOST_ROW_PX, max(_LEAST_ROW_PX, room))

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
        room = max(1.0, self.axis_px)
        beats = self.view.beats
        most = room / _LEAST_STEP_PX * self.view.step
        if beats > most:
            beats = max(1.0, most // self.view.bar) * self.view.bar
        self.shown_beats = max(self.view.step, beats)
        self.first_beat = min(self.first_beat, max(0.0, self.view.beats - self.shown_beats))

    def _right(self) -> float:
        """Where what is shown ends."""
        return self.x_of(self.first_beat + self.shown_beats)

    def mute_rect(self, room: QRectF) -> QRectF:
        """The switch that mutes a lane."""
        return QRectF(106, room.center().y() - 8.5, 34, 17)

    def solo_rect(self, room: QRectF) -> QRectF:
        """The switch that makes a lane solo."""
        return QRectF(143, room.center().y() - 8.5, 32, 17)
