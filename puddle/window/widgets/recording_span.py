"""Which part of a recording is seen: kept between the overview and what lies under it."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

_LEAST_FRAMES = 24.0


class RecordingSpan(QObject):
    """From a frame on, so many frames."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.frames, self.rate_hz = 0, 48000.0
        self.first, self.count = 0.0, 1.0

    def begin(self, frames: int, rate_hz: float) -> None:
        """Another recording: all of it is seen."""
        self.frames, self.rate_hz = frames, rate_hz
        self.show(0.0, float(max(1, frames)))

    @property
    def last(self) -> float:
        """The frame behind what is seen."""
        return self.first + self.count

    def show(self, first: float, count: float) -> None:
        """Shows a part, as far as there is one."""
        count = min(max(_LEAST_FRAMES, count), float(max(1, self.frames)))
        first = min(max(0.0, first), max(0.0, self.frames - count))
        if (first, count) != (self.first, self.count):
            self.first, self.count = first, count
            self.changed.emit()

    def zoom(self, factor: float, around: float) -> None:
        """So many times as many frames, one of them staying in its place."""
        share = (around - self.first) / self.count
        count = min(max(_LEAST_FRAMES, self.count * factor), float(max(1, self.frames)))
        self.show(around - share * count, count)

    def pan(self, share: float) -> None:
        """Moves by a share of what is seen."""
        self.show(self.first + share * self.count, self.count)

    def reveal(self, start: float, end: float) -> None:
        """Moves as little as shows a part; wider where it is longer than what is seen."""
        if start >= self.first and end <= self.last:
            return
        count = max(self.count, 1.3 * (end - start))
        self.show(start - 0.15 * count, count)

    def frame_at(self, x: float, width: float) -> float:
        """The frame under a place of a widget that is so wide."""
        return self.first + self.count * x / max(1.0, width)

    def x_of(self, frame: float, width: float) -> float:
        """Where a frame is drawn."""
        return (frame - self.first) / self.count * width


def clock(seconds: float, decimals: int = 1) -> str:
    """Minutes and seconds: 4:12.5; with hours from one on."""
    whole = max(0.0, seconds)
    minutes, rest = divmod(whole, 60.0)
    hours, minutes = divmod(int(minutes), 60)
    told = f"{rest:0{3 + decimals if decimals else 2}.{decimals}f}"
    return f"{hours}:{minutes:02d}:{told}" if hours else f"{minutes}:{told}"


def lasting(seconds: float) -> str:
    """How long something is, in words: 14 min 12 s."""
    if seconds < 60.0:
        return f"{seconds:.1f} s"
    hours, rest = divmod(round(seconds), 3600)
    minutes, left = divmod(rest, 60)
    return f"{hours} h {minutes} min" if hours else f"{minutes} min {left} s"
