"""What every voice is: a frozen struct of parameters that renders itself."""

from typing import ClassVar

import msgspec
import numpy as np

from puddle.parameter import Declared, number
from puddle.picture import Picture

LONGEST_S = 12.0
HOME_HZ = 48000.0


class Voice(Declared, frozen=True, kw_only=True):
    """The root of the synthesis models; a model is one file beside this one."""

    noun: ClassVar[str] = "voice"
    role: ClassVar[str] = "percussion"  # the drum that it mostly is

    def render(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2), all tuned parts moved by a frequency ratio.

        The same parameters, rate and ratio give the same samples on every run. A strike is computed
        at 48 kHz and converted: its noise, filters and aliases are the same at every rate, and so
        is its level.
        """
        home = self.strike(HOME_HZ, ratio)
        return home if rate_hz == HOME_HZ else at_rate(home, HOME_HZ, rate_hz)

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike at the rate that the model is written for."""
        raise NotImplementedError

    def picture(self) -> Picture:
        """What the parameters mean."""
        raise NotImplementedError


def at_rate(audio: np.ndarray, from_hz: float, to_hz: float) -> np.ndarray:
    """float32 (frames, 2) of two equal sides at another rate, by a linear-phase filter.

    Its stop band is 140 dB down. What would ring before the first frame is left out; the end is
    brought to rest, and DC taken out, once more.
    """
    import soxr

    from puddle.kernels.envelopes import settle

    mono = soxr.resample(audio[:, 0].astype(np.float64), from_hz, to_hz, quality="VHQ")
    if mono.shape[0] < 8:
        mono = np.zeros(8)
    settle(mono, 2, round(0.002 * to_hz), 0.02 * to_hz)
    found: np.ndarray = mono[:, None].repeat(2, axis=1).astype(np.float32)
    return found


def length_frames(longest_decay_ms: float, rate_hz: float) -> int:
    """Frames until a decay has fallen by 100 dB, and never more than `LONGEST_S`."""
    seconds = min(LONGEST_S, longest_decay_ms / 1000.0 * 100.0 / 60.0 + 0.02)
    return max(64, round(seconds * rate_hz))


def finished(mono: np.ndarray, rate_hz: float) -> np.ndarray:
    """A mono float64 strike, ended at rest and free of DC, as float32 (frames, 2)."""
    from puddle.kernels.envelopes import on_both_sides, settle

    settle(mono, round(0.00015 * rate_hz), round(0.008 * rate_hz), 0.02 * rate_hz)
    stereo = np.empty((mono.shape[0], 2), np.float32)
    on_both_sides(mono, stereo)
    return stereo


# Annotations that many voices share.


def level(says: str, part: str, low: float = -48.0, high: float = 0.0) -> msgspec.Meta:
    """A part's level."""
    return number("Level", low, high, "dB", says, part=part)


def decay(says: str, part: str, low: float = 10.0, high: float = 4000.0) -> msgspec.Meta:
    """The time that a part takes to fall by 60 dB."""
    return number("Decay", low, high, "ms", says, log=True, decimals=0, part=part)


def seed_of(says: str, part: str) -> msgspec.Meta:
    """Which of ten thousand chances is used."""
    return number("Seed", 0, 9999, "", says, decimals=0, part=part)
