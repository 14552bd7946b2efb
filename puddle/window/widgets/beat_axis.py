"""Widgets that lie over one another on a common axis of beats."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

_RIGHT_PX = 8.0


class BeatAxis(QWidget):
    """Shows some beats of a pattern from `left_px` on."""

    def __init__(self, left_px: float) -> None:
        super().__init__()
        self.left_px = left_px
        self.first_beat = 0.0  # at the left edge
        self.shown_beats = 4.0

    def show_span(self, first_beat: float, shown_beats: float) -> None:
        """Shows these beats."""
        self.first_beat, self.shown_beats = first_beat, shown_beats
        self.update()

    @property
    def axis_px(self) -> float:
        """How wide the beats that are shown are together."""
        return self.width() - self.left_px - _RIGHT_PX

    @property
    def per_beat(self) -> float:
        """Pixels to a beat."""
        return self.axis_px / max(0.25, self.shown_beats)

    def x_of(self, beat: float) -> float:
        """Where a beat lies."""
        return self.left_px + (beat - self.first_beat) * self.per_beat

    def beat_of(self, x: float) -> float:
        """The beat at a place."""
        return self.first_beat + (x - self.left_px) / self.per_beat
