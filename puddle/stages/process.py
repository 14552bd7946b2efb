"""What every stage's process is: parameters that become coefficients for one compiled entry."""

import importlib
import math
from typing import Any, ClassVar, NamedTuple, Protocol, Self

import numpy as np

from puddle.parameter import Declared
from puddle.picture import Axis, Picture


class Measures(Protocol):
    """What a process may ask of a whole one-shot before it runs."""

    def peak_db(self, audio: np.ndarray, rate_hz: float) -> float | None:
        """Its sample peak in dBFS."""

    def loudness_db(self, audio: np.ndarray, rate_hz: float) -> float | None:
        """Its loudness in LUFS."""

    def pitch_hz(self, audio: np.ndarray, rate_hz: float) -> float | None:
        """Its settled fundamental."""

    def key(self, name: str, frames: int, late: int) -> np.ndarray | None:
        """What a key sounds like: float32 (frames, 2), some frames late; None where unknown."""

    def key_frames(self, name: str) -> int:
        """How long a key sounds."""

    def later(self, frames: int) -> "Measures":
        """The same, with keys that come some frames later."""


class Ear(NamedTuple):
    """Side-chain input of a stage: see `kernels.keys`."""

    cell: int  # of the state, where flag and quantum of the key begin
    late: int  # frames by which what it is applied to is late
    key: str  # of which layer, pad or bus; empty for what comes in


class Process(Declared, frozen=True, kw_only=True):
    """The root of the processes; a process is one file beside this one.

    The engine knows a process by three things only: the address of its compiled entry, a vector
    of float64 coefficients, and a number of float64 cells of state that start at zero.
    """

    noun: ClassVar[str] = "stage"
    compiled: ClassVar[str] = ""  # the kernel module and the entry in it: "plain.gain_entry"
    starts_dry: ClassVar[float] = 0.0  # the dry blend, in %, of a new stage
    keyable: ClassVar[bool] = False  # whether it may listen to something else than its input
    structural: ClassVar[tuple[str, ...]] = ()  # fields that change the size or meaning of state
    blends: ClassVar[bool] = False  # whether it makes the dry blend itself, in its own phases

    def fitted(self, audio: np.ndarray, rate_hz: float, measures: Measures) -> Self:
        """The process for this one-shot, where that depends on what comes in."""
        return self

    def at_tempo(self, bpm: float) -> Self:
        """The process with what it counts in steps in milliseconds; itself where it counts none."""
        return self

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """What the entry reads; may be ramped from old values to new while it runs."""
        raise NotImplementedError

    def blended_coefficients(self, rate_hz: float, dry: float, entered: float) -> np.ndarray:
        """The coefficients of one that makes the dry blend itself.

        A share of 0 to 1 of what came in is heard beside the rest of what the process makes;
        `entered` is the gain with which that came in, which the dry share is to be without.
        """
        raise NotImplementedError

    def cells(self, rate_hz: float) -> int:
        """How many float64 cells of state it needs."""
        raise NotImplementedError

    def latency_frames(self, rate_hz: float) -> int:
        """By how many frames its output is late."""
        return 0

    def tail_ms(self) -> float:
        """How long it may sound on after its input has ended."""
        return 0.0

    def way(self) -> tuple[Any, ...]:
        """What must be the same for its state and coefficients to mean the same."""
        return (type(self), *(getattr(self, field) for field in self.structural))

    def picture(self, rate_hz: float) -> Picture:
        """What the parameters mean."""
        raise NotImplementedError

    def entry(self) -> int:
        """The address of its compiled entry."""
        return entry_address(self.compiled)

    def ears(self, rate_hz: float) -> list[Ear]:
        """Where stages inside it listen to keys."""
        return []

    def reduction_cell(self) -> int | None:
        """The cell that holds the deepest gain reduction, in the unit of `reduction_db`."""
        return None

    def reduction_db(self, cell: float) -> float:
        """The gain reduction in dB that a cell's value means."""
        return 0.0


def entry_address(compiled: str) -> int:
    """The address of a compiled entry; its module is loaded, and so Numba, if it was not yet."""
    module, _, name = compiled.partition(".")
    return int(getattr(importlib.import_module(f"puddle.kernels.{module}"), name).address)


def pole_of(hz: float, rate_hz: float) -> float:
    """How much of the way a one-pole low-pass goes with each frame."""
    return 1.0 - math.exp(-2.0 * math.pi * min(hz, 0.45 * rate_hz) / rate_hz)


def smoothing(time_ms: float, rate_hz: float) -> float:
    """One-pole coefficient whose step response reaches 63 % after `time_ms`."""
    return math.exp(-1000.0 / (time_ms * rate_hz))


LEVELS = Axis(-60.0, 0.0, "dB")


def spectrum_points(hz: Any, db: Any, floor_db: float) -> tuple[tuple[float, float], ...]:
    """A curve over frequency, held to a floor."""
    return tuple((float(f), max(floor_db, float(d))) for f, d in zip(hz, db, strict=True))


def drawn_hz(count: int = 90) -> np.ndarray:
    """Frequencies to draw a curve by: 20 Hz to 20 kHz, evenly in octaves."""
    return np.geomspace(20.0, 20000.0, count)


HEARD = Axis(20.0, 20000.0, "Hz", log=True)
