"""Parts that several voices share: the noise of a contact, a short ring, and how long all lasts."""

import numpy as np

from puddle.units import gain_from_db
from puddle.voices.voice import length_frames

_NOISE_GAIN = 1.8  # brings a band of white noise near the level of a sine


def longest_ms(*parts: tuple[bool, float]) -> float:
    """The longest decay of the parts that are on."""
    return max((ms for on, ms in parts if on), default=5.0)


def add_contact(
    out: np.ndarray,
    rate_hz: float,
    seed: int,
    hz: float,
    ms: float,
    db: float,
    *,
    q: float = 0.8,
    rise_ms: float = 0.3,
    gain: float = _NOISE_GAIN,
) -> None:
    """Adds white noise in a two-pole band that falls by 60 dB in `ms` to a mono float64 signal."""
    from puddle.kernels.envelopes import decay_in_place
    from puddle.kernels.filters import BAND, state_variable
    from puddle.kernels.noise import white

    span = min(out.shape[0], length_frames(ms, rate_hz))
    noise = white(seed, span)
    state_variable(noise, rate_hz, hz, q, BAND)
    decay_in_place(noise, rate_hz, rise_ms / 1000.0, ms / 1000.0)
    out[:span] += gain * gain_from_db(db) * noise


def add_ring(out: np.ndarray, rate_hz: float, hz: float, ms: float, db: float) -> None:
    """Adds a sine that falls by 60 dB in `ms`, held under 0.45 of the rate."""
    from puddle.kernels.oscillators import damped_sine

    span = min(out.shape[0], length_frames(ms, rate_hz))
    sine = damped_sine(span, rate_hz, min(hz, 0.45 * rate_hz), ms / 1000.0)
    out[:span] += gain_from_db(db) * sine
