"""Peak meters: raised by the engine, read and set to zero by the window in one atomic step.

Between a reading and a zero of its own a peak could be raised, and lost. The engine itself need not
be atomic: what it raises while it is read is shown twice at worst.
"""

from __future__ import annotations

import numpy as np

from puddle.engine.layout import SLOTS, SOUNDING
from puddle.engine.pointers import f32_at, f64_at
from puddle.kernels.compiling import brief, carray, exchange, kernel
from puddle.kernels.quantum import QUANTUM

_STRIDE = 2  # frames: a meter misses no more than the very tip of a click


@kernel
def meter_voice(engine, voice):
    """Notes the peak of a voice's coming quantum under its pad: only while somebody looks."""
    if voice.state != SOUNDING:
        return
    take = carray(f32_at(voice.take), (voice.frames, 2))
    first = max(0, int(voice.position))
    last = min(voice.frames, first + QUANTUM)
    left = right = 0.0
    for n in range(first, last, _STRIDE):
        left = max(left, abs(take[n, 0]))
        right = max(right, abs(take[n, 1]))
    meters = carray(f64_at(engine.pad_meters), (SLOTS,))
    peak = max(left * abs(voice.left), right * abs(voice.right)) * voice.envelope * voice.fade
    meters[voice.pad % SLOTS] = max(meters[voice.pad % SLOTS], peak)


@brief
def _take(address, step, out):
    for n in range(out.shape[0]):
        out[n] = exchange(address + n * step, 0)


def take_peaks(cells: np.ndarray) -> list[float]:
    """The values of a float64 (n,) that the engine raises; each is zero afterwards."""
    bits = np.empty(cells.shape[0], np.int64)
    _take(int(cells.ctypes.data), int(cells.strides[0]), bits)
    found: list[float] = bits.view(np.float64).tolist()
    return found
