"""Collisions at random times: what rattles in a shaker."""

import math

import numpy as np

from puddle.kernels.compiling import kernel
from puddle.kernels.noise import splitmix

_UNIT = 1.0 / 9007199254740992.0


@kernel
def impulses(seed, strength, chance):
    """Impulses as float64 (frames,), by seed: at each frame one falls with `chance` × strength.

    `strength` is 0 to 1 at every frame; an impulse is as strong as it, times a random ±1.
    """
    frames = strength.shape[0]
    out = np.zeros(frames)
    base = splitmix(np.uint64(seed + 60000))
    for n in range(frames):
        if strength[n] <= 0.0:
            continue
        falls = np.float64(splitmix(base + np.uint64(2 * n)) >> np.uint64(11)) * _UNIT
        if falls < chance * strength[n]:
            size = np.float64(splitmix(base + np.uint64(2 * n + 1)) >> np.uint64(11)) * _UNIT
            out[n] = strength[n] * (2.0 * size - 1.0)
    return out


@kernel
def rung(struck, rate_hz, pitch_hz, decay_s, gain):
    """Two-pole resonances that impulses strike, side by side: float64 (frames,), their sum.

    y[n] = 2 r cos ω y[n-1] - r² y[n-2] + gain sin ω x[n]: an impulse of one rings at `gain`.
    """
    count = pitch_hz.shape[0]
    turn, shrink, push = np.empty(count), np.empty(count), np.empty(count)
    last, before = np.zeros(count), np.zeros(count)
    for m in range(count):
        angle = 2.0 * math.pi * pitch_hz[m] / rate_hz
        r = math.exp(-math.log(1000.0) / (max(decay_s[m], 1e-4) * rate_hz))
        turn[m] = 2.0 * r * math.cos(angle)
        shrink[m] = r * r
        push[m] = gain[m] * math.sin(angle)
    out = np.empty(struck.shape[0])
    for n in range(struck.shape[0]):
        x = struck[n]
        total = 0.0
        for m in range(count):
            y = turn[m] * last[m] - shrink[m] * before[m] + push[m] * x
            before[m] = last[m]
            last[m] = y
            total += y
        out[n] = total
    return out
