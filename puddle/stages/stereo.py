"""Stereo: width, balance, and a bottom in the middle.

Middle m = (l + r) / 2 and side s = (l − r) / 2; the side is multiplied by the width. Below the
chosen frequency the side is taken out by two one-poles, so that a kick pushes both speakers
alike.
"""

from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import HEARD, Process, drawn_hz, pole_of


class Stereo(Process, frozen=True, tag="stereo", kw_only=True):
    """Stereo width, balance, and mono bass."""

    noun: ClassVar[str] = "stereo"
    compiled: ClassVar[str] = "plain.stereo_entry"

    width: Annotated[
        float,
        number("Width", 0, 200, "%", "0 is mono, 100 as it came, more is wider.", decimals=0),
    ] = 100.0
    balance: Annotated[
        float,
        number("Balance", -100, 100, "%", "Turns the other side down.", decimals=0),
    ] = 0.0
    mono_on: Annotated[bool, switch("Mono bottom", "Puts the bottom in the middle.")] = False
    mono_hz: Annotated[
        float,
        number("Mono below", 20, 1000, "Hz", "What lies under it is mono.", log=True, decimals=0),
    ] = 120.0

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """Width, channel gains, and the pole of the mono bass."""
        right, left = 1.0 + min(0.0, self.balance / 100.0), 1.0 - max(0.0, self.balance / 100.0)
        pole = pole_of(self.mono_hz, rate_hz)
        return np.array([self.width / 100.0, left, right, float(self.mono_on), pole])

    def cells(self, rate_hz: float) -> int:
        """Two one-pole states."""
        from puddle.kernels.plain import STEREO_CELLS

        return STEREO_CELLS

    def picture(self, rate_hz: float) -> Picture:
        """Gain of the side signal by frequency."""
        points = []
        for hz in drawn_hz():
            ratio = (float(hz) / self.mono_hz) ** 2
            kept = ratio / (1.0 + ratio) if self.mono_on else 1.0
            points.append((float(hz), self.width * kept))
        width = Handle("width", 16000.0, self.width, upwards=Pull("width"))
        mono = Handle("mono below", self.mono_hz, 0.5 * self.width, Pull("mono_hz"))
        handles = (width, mono) if self.mono_on else (width,)
        return Picture("curve", "side", tuple(points), HEARD, Axis(0.0, 210.0, "%"), (), handles)
