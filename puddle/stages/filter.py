"""Filter: low-pass, band-pass, high-pass or notch, that can move with the hit.

The trapezoidal state-variable filter of 12 dB an octave. Its frequency is the set one times
2^(octaves · level), where the level (0 to 1) is followed with an attack of 1 ms and the decay
that is set: a hard hit opens it, and it closes as the hit dies away.
"""

import math
from typing import Annotated, ClassVar, Literal

import numpy as np

from puddle.parameter import changed, choice, number
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.matched import LONGEST_RING_MS
from puddle.stages.process import HEARD, Process, drawn_hz, smoothing, spectrum_points

_KINDS = ("low-pass", "band-pass", "high-pass", "notch")


class Filter(Process, frozen=True, tag="filter", kw_only=True):
    """State-variable filter with an envelope follower."""

    noun: ClassVar[str] = "filter"
    compiled: ClassVar[str] = "moving.filter_entry"
    structural: ClassVar[tuple[str, ...]] = ("kind",)

    kind: Annotated[
        Literal["low-pass", "band-pass", "high-pass", "notch"],
        choice(
            "Passes",
            "Low-pass keeps the bottom, high-pass the top, band-pass the middle; "
            "a notch takes the middle out.",
        ),
    ] = "low-pass"
    cutoff_hz: Annotated[
        float,
        number("Frequency", 20, 20000, "Hz", "What it keeps or takes away begins here.", log=True),
    ] = 2400.0
    resonance: Annotated[
        float,
        number("Resonance", 0.5, 24, "Q", "How much it rings there.", log=True, decimals=2),
    ] = 0.7
    octaves: Annotated[
        float,
        number("Envelope", -8, 8, "oct", "How far a full-scale hit moves the frequency."),
    ] = 0.0
    decay_ms: Annotated[
        float,
        number("Decay", 5, 2000, "ms", "How long it takes to come back.", log=True, decimals=0),
    ] = 120.0

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.moving`."""
        return np.array(
            [
                float(_KINDS.index(self.kind)),
                self.cutoff_hz / rate_hz,
                1.0 / self.resonance,
                self.octaves,
                smoothing(1.0, rate_hz),
                smoothing(self.decay_ms, rate_hz),
            ]
        )

    def response_db(self, hz: np.ndarray, rate_hz: float) -> np.ndarray:
        """Gain in dB at each frequency, while it does not move."""
        hz = np.minimum(hz, 0.499 * rate_hz)
        middle = math.tan(math.pi * min(0.47, self.cutoff_hz / rate_hz))
        s = 1j * np.tan(np.pi * hz / rate_hz) / middle
        k = 1.0 / self.resonance
        one = np.ones_like(s)
        top = {"low-pass": one, "band-pass": k * s, "high-pass": s * s, "notch": one + s * s}
        gain = np.abs(top[self.kind] / (1.0 + k * s + s * s))
        return np.asarray(20.0 * np.log10(np.maximum(gain, 1e-6)))

    def cells(self, rate_hz: float) -> int:
        """Two of each channel's filter, and the envelope."""
        return 5

    def tail_ms(self) -> float:
        """Until the resonance has rung out by 120 dB."""
        return min(LONGEST_RING_MS, 4400.0 * max(1.0, self.resonance) / self.cutoff_hz + 10.0)

    def picture(self, rate_hz: float) -> Picture:
        """The response while it does not move, and behind it where a full-scale hit moves it."""
        hz = drawn_hz()
        axis = Axis(-48.0, 30.0, "dB")
        moved = self.cutoff_hz * 2.0**self.octaves
        parts: tuple[tuple[tuple[float, float], ...], ...] = ()
        if self.octaves != 0.0:
            there = changed(self, cutoff_hz=moved).response_db(hz, rate_hz)
            parts = (spectrum_points(hz, there, -48.0),)
        at = float(self.response_db(hz[:1] * 0.0 + self.cutoff_hz, rate_hz)[0])
        handle = Handle("frequency", self.cutoff_hz, max(-48.0, at), Pull("cutoff_hz"))
        points = spectrum_points(hz, self.response_db(hz, rate_hz), -48.0)
        return Picture("curve", "gain", points, HEARD, axis, parts, (handle,))
