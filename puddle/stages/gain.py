"""Gain: a level, or what brings a one-shot to a peak or a loudness.

With *normalize* the whole one-shot is measured where the stage stands, and the gain is the one that
brings its sample peak, or its loudness (BS.1770-4), to the target. On a bus or the master, where
nothing has an end, only the level acts.
"""

from typing import Annotated, ClassVar, Literal

import numpy as np

from puddle.parameter import changed, choice, number
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import Measures, Process
from puddle.units import gain_from_db

_MOST_DB = 60.0


class Gain(Process, frozen=True, tag="gain", kw_only=True):
    """Gain, fixed or normalizing."""

    noun: ClassVar[str] = "gain"
    compiled: ClassVar[str] = "plain.gain_entry"

    level_db: Annotated[float, number("Level", -60, 60, "dB", "How loud what passes is.")] = 0.0
    normalize: Annotated[
        Literal["off", "peak", "loudness"],
        choice("Normalize", "Brings a one-shot to the target, by its peak or by its loudness."),
    ] = "off"
    target_db: Annotated[
        float,
        number("Target", -36, 0, "dB", "The peak in dBFS, or the loudness in LUFS, to reach."),
    ] = -3.0

    def fitted(self, audio: np.ndarray, rate_hz: float, measures: Measures) -> "Gain":
        """The level that reaches the target; as it is for silence."""
        if self.normalize == "off":
            return self
        measure = measures.peak_db if self.normalize == "peak" else measures.loudness_db
        now = measure(audio, rate_hz)
        if now is None:
            return self
        return changed(self, level_db=min(_MOST_DB, self.target_db - now), normalize="off")

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """The linear gain."""
        return np.array([gain_from_db(self.level_db)])

    def cells(self, rate_hz: float) -> int:
        """None, but a slab has one at least."""
        return 1

    def picture(self, rate_hz: float) -> Picture:
        """Output level over input level."""
        axis = Axis(-60.0, 24.0, "dB")
        ends = (-60.0, 0.0)
        points = tuple((x, min(24.0, max(-60.0, x + self.level_db))) for x in ends)
        handle = Handle("level", 0.0, points[-1][1], upwards=Pull("level_db"))
        return Picture("curve", "out", points, Axis(-60.0, 0.0, "dB"), axis, (), (handle,))
