"""Reverb: plate, room or metal, out of sixteen delay lines that feed each other.

A feedback delay network: sixteen lines of lengths without a common measure, mixed by a Hadamard
matrix and slow rotations that keep all energy (see `kernels.reverb`). A line of m frames ends in
the one-pole b / (1 − a z⁻¹) whose gain at 0 Hz is 10^(−3 m / (rate · decay)) and at half the rate
that of a decay shortened by the damping: the room falls by 60 dB in the time set at every pitch,
less at the top with damping. *Plate* is dense from its start, *room* has first reflections and
longer ways, *metal* is a small box of short ways that ring.
"""

import math
from functools import cache
from typing import Annotated, ClassVar, Literal

import numpy as np

from puddle.parameter import choice, number
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import HEARD, Process, drawn_hz, pole_of

_SPANS_MS = {"plate": (12.0, 43.0), "room": (17.0, 71.0), "metal": (0.9, 6.1)}
_EARLY = {"plate": 0.0, "room": 0.6, "metal": 0.0}
_DIFFUSION = {"plate": 0.7, "room": 0.6, "metal": 0.35}
_TURN_HZ = {"plate": 1.0, "room": 1.0, "metal": 0.05}
_DIFFUSERS_MS = (1.9, 3.3, 5.3, 8.3, 2.1, 3.1, 5.7, 7.9)
_LINES = 16
_LEAST_SHARE = 0.05
_SHORTEST = 33  # frames: a quantum is read before it is written
_LEAST_TOP = 1e-3  # of the gain at the bottom: a one-pole can do no more


class Reverb(Process, frozen=True, tag="reverb", kw_only=True):
    """Feedback delay network of sixteen lines."""

    noun: ClassVar[str] = "reverb"
    compiled: ClassVar[str] = "reverb.reverb_entry"
    starts_dry: ClassVar[float] = 75.0
    structural: ClassVar[tuple[str, ...]] = ("kind", "size", "pre_ms")

    kind: Annotated[
        Literal["plate", "room", "metal"],
        choice("Kind", "Plate is dense and bright, room has walls, metal rings like a small box."),
    ] = "plate"
    decay_ms: Annotated[
        float,
        number(
            "Decay", 100, 12000, "ms", "How long it takes to fall by 60 dB.", log=True, decimals=0
        ),
    ] = 1200.0
    size: Annotated[
        float,
        number(
            "Size",
            25,
            200,
            "%",
            "Small is tight and colored, large is wide and smooth.",
            log=True,
            decimals=0,
        ),
    ] = 100.0
    pre_ms: Annotated[
        float, number("Pre-delay", 0, 250, "ms", "How long the hit is heard alone.", decimals=0)
    ] = 8.0
    low_cut_hz: Annotated[
        float,
        number(
            "Low cut", 10, 2000, "Hz", "Keeps the bottom out of the room.", log=True, decimals=0
        ),
    ] = 140.0
    damping: Annotated[
        float,
        number("Damping", 0, 100, "%", "How much sooner the top dies away.", decimals=0),
    ] = 30.0
    width: Annotated[
        float, number("Width", 0, 150, "%", "0 is mono, 100 as wide as it is.", decimals=0)
    ] = 100.0

    def lengths(self, rate_hz: float) -> np.ndarray:
        """Frames of each line: primes, spaced evenly by ratio."""
        low, high = _SPANS_MS[self.kind]
        ms = low * (high / low) ** (np.arange(_LINES) / (_LINES - 1))
        wanted = ms * self.size / 100.0 * rate_hz / 1000.0
        found: list[int] = []
        for frames in wanted:
            prime = _prime_from(max(_SHORTEST, round(float(frames))))
            while prime in found:
                prime = _prime_from(prime + 1)
            found.append(prime)
        return np.array(found)

    def _diffusers(self, rate_hz: float) -> np.ndarray:
        share = math.sqrt(self.size / 100.0)
        return np.array(
            [
                _prime_from(max(_SHORTEST, round(ms * share * rate_hz / 1000.0)))
                for ms in _DIFFUSERS_MS
            ]
        )

    def _pre(self, rate_hz: float) -> int:
        return max(1, round(self.pre_ms / 1000.0 * rate_hz))

    def _poles(self, lengths: np.ndarray, rate_hz: float) -> tuple[np.ndarray, np.ndarray]:
        """b and a of each line's one-pole."""
        seconds = self.decay_ms / 1000.0
        top = seconds * max(_LEAST_SHARE, 1.0 - self.damping / 100.0)
        low = 10.0 ** (-3.0 * lengths / (rate_hz * seconds))
        high = np.maximum(10.0 ** (-3.0 * lengths / (rate_hz * top)), _LEAST_TOP * low)
        a = (low - high) / (low + high)
        return low * (1.0 - a), a

    def decay_by_hz(self, hz: np.ndarray, rate_hz: float) -> np.ndarray:
        """Seconds to fall by 60 dB at each frequency: the mean over the lines."""
        lengths = self.lengths(rate_hz)
        b, a = self._poles(lengths, rate_hz)
        z = np.exp(-2j * np.pi * np.asarray(hz)[:, None] / rate_hz)
        gains = np.abs(b / (1.0 - a * z))
        return np.asarray(np.mean(-3.0 * lengths / (rate_hz * np.log10(gains)), axis=1))

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.reverb`."""
        lengths = self.lengths(rate_hz)
        b, a = self._poles(lengths, rate_hz)
        fed = 1.0 - np.mean(b / (1.0 - a)) ** 2
        head = [
            float(self._pre(rate_hz)),
            self.width / 100.0,
            0.5 * math.sqrt(float(fed)),
            pole_of(self.low_cut_hz, rate_hz),
            _DIFFUSION[self.kind],
            _TURN_HZ[self.kind] / rate_hz,
            _EARLY[self.kind],
        ]
        lines = np.stack([lengths.astype(float), b, a], axis=1).ravel()
        return np.concatenate([head, lines, self._diffusers(rate_hz).astype(float)])

    def cells(self, rate_hz: float) -> int:
        """Filter states, read positions and ring buffers."""
        from puddle.kernels.reverb import reverb_cells

        return reverb_cells(self._pre(rate_hz), self.lengths(rate_hz), self._diffusers(rate_hz))

    def tail_ms(self) -> float:
        """Until it has fallen by 105 dB."""
        return self.pre_ms + 1.75 * self.decay_ms + 100.0

    def picture(self, rate_hz: float) -> Picture:
        """How long it takes to fall by 60 dB, by frequency."""
        hz = drawn_hz(40)
        ms = 1000.0 * self.decay_by_hz(hz, rate_hz)
        points = tuple((float(f), max(50.0, float(v))) for f, v in zip(hz, ms, strict=True))
        axis = Axis(50.0, 15000.0, "ms", log=True)
        handle = Handle("decay", 60.0, self.decay_ms, upwards=Pull("decay_ms"))
        return Picture("curve", "decay", points, HEARD, axis, handles=(handle,))


@cache
def _prime_from(number: int) -> int:
    """The first prime that is not smaller."""
    while any(number % k == 0 for k in range(2, math.isqrt(number) + 1)):
        number += 1
    return number
