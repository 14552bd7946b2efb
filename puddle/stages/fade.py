"""Fade: in and out along half cosines.

Counted from the first sample that is not silent: the gain rises as 1/2 − cos(π t / in) / 2 and,
from the place on that is set, falls as 1/2 + cos(π t / out) / 2. On a bus it counts from where
sound came after silence.
"""

import math
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import Process


class Fade(Process, frozen=True, tag="fade", kw_only=True):
    """Fade in and fade out."""

    noun: ClassVar[str] = "fade"
    compiled: ClassVar[str] = "plain.fade_entry"

    in_ms: Annotated[
        float,
        number("In", 0, 4000, "ms", "How slowly it comes: a hit becomes a swell.", decimals=1),
    ] = 0.0
    out_on: Annotated[bool, switch("Fade out", "Whether it goes again.")] = False
    out_at_ms: Annotated[
        float,
        number("Out from", 1, 10000, "ms", "Where it begins to go.", log=True, decimals=0),
    ] = 200.0
    out_ms: Annotated[
        float, number("Out", 1, 8000, "ms", "How slowly it goes after that.", log=True, decimals=0)
    ] = 120.0

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """Frames of the fade in, until the fade out, of the fade out, and whether there is one."""
        per_ms = rate_hz / 1000.0
        frames = [self.in_ms * per_ms, self.out_at_ms * per_ms, max(1.0, self.out_ms * per_ms)]
        return np.array([*frames, float(self.out_on)])

    def gain(self, ms: float) -> float:
        """The gain at a time."""
        rise = 0.5 - 0.5 * math.cos(math.pi * ms / self.in_ms) if ms < self.in_ms else 1.0
        if not self.out_on or ms < self.out_at_ms:
            return rise
        past = min(1.0, (ms - self.out_at_ms) / self.out_ms)
        return rise * (0.5 + 0.5 * math.cos(math.pi * past))

    def cells(self, rate_hz: float) -> int:
        """The frames since the sound began."""
        return 1

    def picture(self, rate_hz: float) -> Picture:
        """The gain against time."""
        ends_ms = self.out_at_ms + self.out_ms if self.out_on else 2.0 * self.in_ms + 20.0
        points = tuple(
            (1.05 * ends_ms * n / 120.0, 100.0 * self.gain(1.05 * ends_ms * n / 120.0))
            for n in range(121)
        )
        handles = [Handle("in", self.in_ms, 100.0, Pull("in_ms"))]
        if self.out_on:
            handles.append(Handle("out from", self.out_at_ms, 100.0, Pull("out_at_ms")))
            pull = Pull("out_ms", offset=self.out_at_ms)
            handles.append(Handle("out", self.out_at_ms + self.out_ms, 0.0, pull))
        axes = Axis(0.0, 1.05 * ends_ms, "ms"), Axis(0.0, 100.0, "%")
        return Picture("curve", "gain", points, *axes, handles=tuple(handles))
