"""Mains hum in the quiet of a recording: 50 or 60 Hz and what lies over it."""

from __future__ import annotations

import numpy as np

MAINS_HZ = (50.0, 60.0)
HARMONICS = (1, 2, 3, 4)
_CLEAR = 10.0 ** (14.0 / 10.0)  # over what lies around
_AROUND_HZ, _LINE_HZ = 12.0, 1.6
_LEAST_LINES = 2


def hum_hz(mono: np.ndarray, rate_hz: float) -> float | None:
    """The frequency of the hum in float32 (frames,) of room; None where none is heard.

    Two of its first four harmonics must stand 14 dB over the median around them.
    """
    if mono.size < rate_hz:
        return None
    power = np.square(np.abs(np.fft.rfft(mono * np.hanning(mono.size))))
    at = np.fft.rfftfreq(mono.size, 1.0 / rate_hz)
    found: dict[float, int] = {}
    for mains in MAINS_HZ:
        clear = 0
        for n in HARMONICS:
            away = np.abs(at - n * mains)
            line = float(power[away <= _LINE_HZ].max(initial=0.0))
            around = power[(away > 2.0 * _LINE_HZ) & (away <= _AROUND_HZ)]
            clear += around.size > 0 and line > _CLEAR * float(np.median(around))
        found[mains] = clear
    best = max(found, key=lambda mains: found[mains])
    return best if found[best] >= _LEAST_LINES else None
