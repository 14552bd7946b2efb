"""Peaks of a power spectrum."""

from __future__ import annotations

import math

import numpy as np

from puddle.kernels.compiling import kernel

_WEAKEST = 0.045**2  # of the strongest peak's power
_CLEAR = 3.5**2  # over the mean power around: 11 dB


@kernel
def lowest_clear_peak(power, first, last, lobe):
    """The place in bins, between them by a parabola through the logs, of the lowest peak of a power
    spectrum from `first` to `last` that stands 11 dB over what lies a lobe to an octave around it
    and is within 27 dB of the strongest; -1 where there is none."""
    running = np.empty(power.shape[0] + 1)
    running[0] = 0.0
    for n in range(power.shape[0]):
        running[n + 1] = running[n] + power[n]
    strongest = 0.0
    for n in range(first, last + 1):
        if power[n] > power[n - 1] and power[n] >= power[n + 1] and power[n] > strongest:
            strongest = power[n]
    for n in range(first, last + 1):
        is_peak = power[n] > power[n - 1] and power[n] >= power[n + 1]
        if is_peak and power[n] >= _WEAKEST * strongest and _stands_clear(power, running, n, lobe):
            a = 0.5 * math.log(power[n - 1] + 1e-30)
            b = 0.5 * math.log(power[n] + 1e-30)
            c = 0.5 * math.log(power[n + 1] + 1e-30)
            bend = a - 2.0 * b + c
            return n + (0.5 * (a - c) / bend if bend != 0.0 else 0.0)
    return -1.0


@kernel
def _stands_clear(power, running, peak, lobe):
    far = max(2.5 * lobe, 0.45 * peak)
    last = power.shape[0]
    below, under = max(0, int(peak - far)), max(1, int(peak - lobe))
    above, over = min(last, int(peak + lobe)), min(last, int(peak + far))
    under, over = max(below, under), max(above, over)
    count = under - below + over - above
    total = running[under] - running[below] + running[over] - running[above]
    return count == 0 or power[peak] > _CLEAR * total / count
