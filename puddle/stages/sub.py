"""Sub: a tuned sine under the hit, its phase locked to the hit's start.

A hit is where the level rises to twice what is held. There the sine begins anew at the phase that
is set; it is as loud as the hit's peak, and falls by 60 dB in its decay. Tuned to *the hit*, its
pitch is the measured fundamental of what comes in (on a bus, and where none is found, the set
one).
"""

from typing import Annotated, ClassVar, Literal

import numpy as np

from puddle.parameter import changed, choice, number
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import Measures, Process, smoothing
from puddle.units import gain_from_db


class Sub(Process, frozen=True, tag="sub", kw_only=True):
    """Sub-bass sine that follows the measured pitch."""

    noun: ClassVar[str] = "sub"
    compiled: ClassVar[str] = "following.sub_entry"
    keyable: ClassVar[bool] = True

    tuned: Annotated[
        Literal["to the gauge", "to the hit", "an octave under the hit"],
        choice("Tuned", "To the pitch below, or to the pitch that is measured in the hit."),
    ] = "to the gauge"
    pitch_hz: Annotated[float, number("Pitch", 20, 400, "Hz", "The sine's pitch.", log=True)] = 55.0
    level_db: Annotated[
        float, number("Level", -36, 6, "dB", "How loud it is against the hit's peak.")
    ] = -9.0
    decay_ms: Annotated[
        float,
        number(
            "Decay", 20, 4000, "ms", "How long it takes to fall by 60 dB.", log=True, decimals=0
        ),
    ] = 350.0
    attack_ms: Annotated[
        float, number("Attack", 0.5, 60, "ms", "How softly it begins.", log=True)
    ] = 3.0
    phase: Annotated[
        float,
        number(
            "Phase", 0, 360, "°", "Where in its wave it begins: where it adds up best.", decimals=0
        ),
    ] = 0.0

    def fitted(self, audio: np.ndarray, rate_hz: float, measures: Measures) -> "Sub":
        """The process tuned to the measured fundamental."""
        if self.tuned == "to the gauge":
            return self
        hz = measures.pitch_hz(audio, rate_hz)
        if hz is None:
            return self
        octave = 0.5 if self.tuned == "an octave under the hit" else 1.0
        return changed(self, tuned="to the gauge", pitch_hz=octave * hz)

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.following`."""
        return np.array(
            [
                gain_from_db(self.level_db),
                self.pitch_hz / rate_hz,
                10.0 ** (-3000.0 / (self.decay_ms * rate_hz)),
                smoothing(self.attack_ms, rate_hz),
                self.phase / 360.0,
            ]
        )

    def cells(self, rate_hz: float) -> int:
        """The key; level, smoothed level, phase, and what a new hit broke off."""
        from puddle.kernels.following import SUB_CELLS
        from puddle.kernels.keys import KEY_CELLS

        return KEY_CELLS + SUB_CELLS

    def tail_ms(self) -> float:
        """Until the sine has fallen by 110 dB."""
        return 11.0 / 6.0 * self.decay_ms + 5.0 * self.attack_ms

    def picture(self, rate_hz: float) -> Picture:
        """The sine's level against the hit's peak."""
        ends_ms = self.decay_ms * (60.0 + self.level_db) / 60.0
        axes = Axis(0.0, 1.1 * self.decay_ms, "ms"), Axis(-60.0, 9.0, "dB")
        handles = (
            Handle("level", 0.0, self.level_db, upwards=Pull("level_db")),
            Handle(
                "decay",
                ends_ms,
                -60.0,
                across=Pull("decay_ms", factor=self.decay_ms / max(1.0, ends_ms)),
            ),
        )
        points = ((0.0, self.level_db), (ends_ms, -60.0))
        return Picture("curve", "level", points, *axes, handles=handles)
