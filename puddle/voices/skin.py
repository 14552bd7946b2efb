"""Falling partials with drive: what kicks and snares have in common.

tanh makes harmonics that fall off as e^(-n π / 2g) for a drive g. Where the pitch is so low that
those over the rate have died away, saturating at the plain rate makes no aliases; only the part of
a hit before that is computed at four times the rate.
"""

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from puddle.units import gain_from_db
from puddle.voices.voice import length_frames

_OVER = 4
_MOST_OVER = 32
_ALIAS_NEPER = 80.0 / 8.686  # aliases 80 dB down
_SEAM = 64


class Partial(msgspec.Struct, frozen=True):
    """A decaying sine whose pitch falls; see `kernels.oscillators.falling_sine`."""

    start_hz: float
    end_hz: float
    fall_s: float
    bend: float
    decay_s: float
    gain: float


def tone(partials: Sequence[Partial], frames: int, rate_hz: float) -> np.ndarray:
    """The sum of partials, each until it has fallen by 100 dB: float64 (frames,)."""
    from puddle.kernels.oscillators import falling_sine

    out = np.zeros(frames)
    for p in partials:
        span = min(frames, length_frames(1000.0 * p.decay_s, rate_hz))
        sine = falling_sine(span, rate_hz, p.start_hz, p.end_hz, p.fall_s, p.bend, p.decay_s, 0.0)
        sine *= p.gain
        out[:span] += sine
    return out


def driven_tone(
    partials: Sequence[Partial], frames: int, rate_hz: float, drive_db: float
) -> np.ndarray:
    """The same through tanh(g x) / tanh(g), without audible aliases."""
    from puddle.kernels.envelopes import saturate_in_place
    from puddle.kernels.filters import decimated

    gain = gain_from_db(drive_db)
    out = tone(partials, frames, rate_hz)
    saturate_in_place(out, gain)
    head = min(frames, _frames_to_oversample(partials, rate_hz, gain, frames))
    if head:
        over = _times_over(partials, rate_hz, gain)
        fine = tone(partials, head * over, rate_hz * over)
        saturate_in_place(fine, gain)
        clean = decimated(fine, over)
        seam = min(_SEAM, head) if head < frames else 0
        blend = np.ones(head)
        blend[head - 2 * seam : head - seam] = np.linspace(1.0, 0.0, seam)
        blend[head - seam :] = 1.0 if seam == 0 else 0.0
        out[:head] += blend * (clean - out[:head])
    return out


def _times_over(partials: Sequence[Partial], rate_hz: float, gain: float) -> int:
    """How many times the rate keeps aliases of the highest partial 60 dB down, under 20 kHz.

    The harmonics of tanh(g sin) fall by exp(-π / 2g) from one to the next.
    """
    highest = min(20000.0, max(max(p.start_hz, p.end_hz) for p in partials))
    needed = (highest * _ALIAS_NEPER * gain * 2.0 / math.pi + 20000.0) / rate_hz
    return next((n for n in (_OVER, 8, 16) if n >= needed), _MOST_OVER)


def _frames_to_oversample(
    partials: Sequence[Partial], rate_hz: float, gain: float, frames: int
) -> int:
    """Until when some partial is too high to be saturated at the plain rate."""
    from puddle.kernels.oscillators import fall_constant

    safe_hz = (math.pi / (2.0 * gain)) * (rate_hz - 20000.0) / _ALIAS_NEPER
    longest = 0.0
    for p in partials:
        if p.end_hz >= safe_hz:
            return frames
        if p.start_hz > safe_hz:
            left = (safe_hz - p.end_hz) / (p.start_hz - p.end_hz)
            turns = -math.log(left) if abs(p.bend) < 1e-3 else (left**-p.bend - 1.0) / p.bend
            longest = max(longest, turns * fall_constant(p.fall_s, p.bend))
    return math.ceil(longest * rate_hz) + 3 * _SEAM if longest > 0.0 else 0
