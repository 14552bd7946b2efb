"""Which beat of the groove is heard at a moment, read from the engine's memory by any process."""

from __future__ import annotations

import time
from collections.abc import Callable

import msgspec
from msgspec.structs import replace

from puddle.engine.heard_clock import HeardClock
from puddle.engine.shared import Shown


class Card(msgspec.Struct, frozen=True):
    """How much later than it is made something is heard."""

    block: int = 0  # frames that the card asks for at a time
    latency_frames: float = 0.0  # of the card and of the limiter before it


class Runs(msgspec.Struct, frozen=True):
    """The groove at a moment: a beat that is heard then, and how it goes on."""

    playing: bool
    at_s: float
    beat: float
    bpm: float
    ahead_s: float = 0.0  # how much later what is made next is heard

    def beat_at(self, at_s: float) -> float:
        """The beat that is heard at another moment nearby."""
        return self.beat + (at_s - self.at_s) * self.bpm / 60.0

    def later(self, by_s: float) -> Runs:
        """The groove at a moment so much later."""
        at_s = self.at_s + by_s
        return replace(self, at_s=at_s, beat=self.beat_at(at_s))

    def time_of(self, beat: float) -> float:
        """When a beat is heard."""
        return self.at_s + (beat - self.beat) * 60.0 / self.bpm


class EngineTime:
    """Sees the engine's count of frames again and again."""

    def __init__(
        self, shown: Callable[[], Shown], moment: Callable[[], float] = time.monotonic
    ) -> None:
        """`moment` gives the time in seconds."""
        self._shown, self._moment = shown, moment
        self._clock = HeardClock()
        self.card = Card()

    def see(self) -> Runs:
        """Looks, some hundred times a second; tells what is heard now."""
        shown = self._shown()
        now_s = self._moment()
        rate = shown.rate or 48000.0
        self._clock.see(now_s, shown.clock, rate)
        frame = self._clock.frame_at(now_s, self.card.block, self.card.latency_frames)
        since = frame - shown.late - shown.base_frame
        bpm = shown.bpm or 120.0
        beat = shown.base_beat + since * bpm / (60.0 * rate)
        ahead = max(0.0, shown.clock - frame + shown.late) / rate
        return Runs(bool(shown.playing), now_s, beat, bpm, ahead)
