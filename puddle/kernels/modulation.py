"""Sines whose phase another sine moves."""

import math

import numpy as np

from puddle.kernels.compiling import kernel
from puddle.kernels.decibels import exp2_of
from puddle.kernels.oscillators import LEAST, LOG2_1000
from puddle.kernels.sines import sine_of


@kernel
def modulated_sine(frames, rate_hz, pitch_hz, ratio, index, index_s, decay_s):
    """sin(2π f t + I(t) sin(2π ratio f t)) under a 60 dB decay: float64 (frames,).

    The index I starts at `index` radians and falls by 60 dB in `index_s`.
    """
    out = np.empty(frames)
    fade = -LOG2_1000 / max(decay_s, 1e-5)
    thin = -LOG2_1000 / max(index_s, 1e-5)
    turns = index / (2.0 * math.pi)
    for n in range(frames):
        t = n / rate_hz
        moved = turns * exp2_of(max(thin * t, LEAST)) * sine_of(ratio * pitch_hz * t)
        out[n] = exp2_of(max(fade * t, LEAST)) * sine_of(pitch_hz * t + moved)
    return out
