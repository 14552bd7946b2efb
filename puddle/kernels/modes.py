"""Banks of damped sines: what a struck body rings with."""

import math

import numpy as np

from puddle.kernels.compiling import kernel

_STRETCH = 256  # frames between looks at which modes have died away
_DEAD = 1.8  # decays of 60 dB after which a mode is 108 dB down


def add_modes(
    out: np.ndarray, rate_hz: float, pitch_hz: np.ndarray, decay_s: np.ndarray, gain: np.ndarray
) -> None:
    """Adds gain · sin(2π pitch t) · 10^(-3 t / decay) for every mode to a mono float64 signal.

    The modes are arrays of one length; those over 0.45 of the rate are left out, those that have
    died away are dropped as they do, which is why they are brought into the order of their decays.
    """
    heard = np.flatnonzero((pitch_hz < 0.45 * rate_hz) & (gain != 0.0))
    order = heard[np.argsort(-decay_s[heard], kind="stable")]
    if order.size:
        _ring(out, float(rate_hz), pitch_hz[order], np.maximum(decay_s[order], 1e-4), gain[order])


@kernel
def _ring(out, rate_hz, pitch_hz, decay_s, gain):
    """Each mode by the recursion y[n] = 2 r cos ω y[n-1] - r² y[n-2], two frames at a turn."""
    count = pitch_hz.shape[0]
    turn, shrink = np.empty(count), np.empty(count)
    even, odd = np.empty(count), np.empty(count)
    for m in range(count):
        angle = 2.0 * math.pi * pitch_hz[m] / rate_hz
        r = math.exp(-math.log(1000.0) / (decay_s[m] * rate_hz))
        turn[m] = 2.0 * r * math.cos(angle)
        shrink[m] = r * r
        odd[m] = -gain[m] / r * math.sin(angle)
        even[m] = -gain[m] / (r * r) * math.sin(2.0 * angle)
    frames = out.shape[0]
    active = count
    for start in range(0, frames - 1, _STRETCH):
        while active > 0 and _DEAD * decay_s[active - 1] * rate_hz < start:
            active -= 1
        t, s, e, o = turn[:active], shrink[:active], even[:active], odd[:active]
        for n in range(start, min(start + _STRETCH, frames - 1), 2):
            first = 0.0
            for m in range(active):
                e[m] = t[m] * o[m] - s[m] * e[m]
                first += e[m]
            second = 0.0
            for m in range(active):
                o[m] = t[m] * e[m] - s[m] * o[m]
                second += o[m]
            out[n] += first
            out[n + 1] += second
