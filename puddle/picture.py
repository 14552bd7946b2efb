"""Small pictures of what parameters mean: a line or stems between two axes, with handles.

Points are in the units of the axes. A handle is a place of the picture that a hand may move: it
says which parameters follow, and how a place on an axis becomes their value.
"""

from __future__ import annotations

import math
from typing import Literal

import msgspec
import numpy as np

from puddle.units import THIN, with_unit


class Axis(msgspec.Struct, frozen=True):
    """From where to where, in a unit, linear or by octaves."""

    low: float
    high: float
    unit: str
    log: bool = False

    def place(self, value: float) -> float:
        """Where a value lies: 0 at the low end, 1 at the high end, beyond them outside."""
        if self.log:
            return math.log(max(value, 1e-9) / self.low) / math.log(self.high / self.low)
        return (value - self.low) / (self.high - self.low)

    def places(self, values: np.ndarray) -> np.ndarray:
        """Where many values lie."""
        if self.log:
            heard = np.maximum(values, 1e-9) / self.low
            return np.asarray(np.log(heard) / math.log(self.high / self.low))
        return np.asarray((values - self.low) / (self.high - self.low))

    def value(self, place: float) -> float:
        """The value at a place."""
        if self.log:
            return float(self.low * (self.high / self.low) ** place)
        return self.low + place * (self.high - self.low)

    def text(self, value: float) -> str:
        """A value with its unit; nothing on an axis without one."""
        if not self.unit:
            return ""
        shown = with_unit(value, self.unit, 0) if value else f"0{THIN}{self.unit}"
        return shown if self.unit == "dB" else shown.removeprefix("+")


class Pull(msgspec.Struct, frozen=True):
    """What follows along one axis: value = (place on the axis - offset) * factor."""

    field: str
    offset: float = 0.0
    factor: float = 1.0


class Handle(msgspec.Struct, frozen=True):
    """A place to take hold of."""

    name: str
    x: float
    y: float
    across: Pull | None = None
    upwards: Pull | None = None

    def values(self, x: float, y: float) -> dict[str, float]:
        """The parameters' values once it has been moved to a place."""
        pulls = ((self.across, x), (self.upwards, y))
        return {p.field: (at - p.offset) * p.factor for p, at in pulls if p is not None}


class Picture(msgspec.Struct, frozen=True):
    """A line or stems between two axes, lines of its parts behind it, and handles."""

    kind: Literal["curve", "stems"]
    title: str
    points: tuple[tuple[float, float], ...]
    across: Axis
    upwards: Axis
    parts: tuple[tuple[tuple[float, float], ...], ...] = ()
    handles: tuple[Handle, ...] = ()
