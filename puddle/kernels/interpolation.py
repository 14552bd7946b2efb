"""Reading a signal between its samples."""

import math
from functools import cache

import numpy as np

from puddle.kernels.compiling import kernel
from puddle.kernels.guard import sane
from puddle.tasks import check_cancelled

_HALF = 32  # taps on either side
_STEPS = 512  # tabulated positions between two samples
_PART = 1 << 17  # frames that are read in some 20 ms


@kernel
def _sinc_table(cutoff):
    """A Kaiser-windowed sinc (β = 9, side lobes under -90 dB), tabulated between samples."""
    table = np.empty((_STEPS + 1, 2 * _HALF))
    beta = 9.0
    for s in range(_STEPS + 1):
        fraction = s / _STEPS
        total = 0.0
        for k in range(2 * _HALF):
            x = k - (_HALF - 1) - fraction
            r = x / _HALF
            window = _bessel0(beta * math.sqrt(max(0.0, 1.0 - r * r)))
            angle = math.pi * cutoff * x
            sinc = 1.0 if abs(angle) < 1e-12 else math.sin(angle) / angle
            table[s, k] = window * sinc
            total += table[s, k]
        for k in range(2 * _HALF):
            table[s, k] /= total
    return table


@kernel
def _bessel0(x):
    """The modified Bessel function I0 by its power series."""
    total = 1.0
    term = 1.0
    quarter = 0.25 * x * x
    for k in range(1, 60):
        term *= quarter / (k * k)
        total += term
        if term < 1e-16 * total:
            break
    return total


@cache
def _table_for(cutoff: float) -> np.ndarray:
    """The table of a cutoff; most reads need the full band, and share one."""
    found: np.ndarray = _sinc_table(cutoff)
    return found


def resampled(audio: np.ndarray, step: float, start: float, frames: int) -> np.ndarray:
    """float32 (frames, 2) read from `audio` at start, start + step, ...: band-limited.

    Positions are in source frames and may lie outside, where there is silence. For step > 1 the
    sinc is widened to 0.95 / step of its band, so that nothing folds back.
    """
    cutoff = 1.0 if step <= 1.0 else 0.95 / step
    table, step, start = _table_for(cutoff), float(step), float(start)
    length = audio.shape[0]
    out = np.zeros((int(frames), 2), np.float32)
    # Part by part, so that long work can be left; each reads only what it needs.
    for first in range(0, int(frames), _PART):
        check_cancelled()
        part = out[first : first + _PART]
        low = math.floor(start + first * step) - 2 * _HALF
        high = math.floor(start + (first + part.shape[0]) * step) + 2 * _HALF
        low, high = min(max(0, low), length), min(max(0, high), length)
        _read(audio[low:high], table, step, start, first, low, part)
    return out


@kernel
def _read(audio, table, step, start, first_frame, low, out):
    """Fills `out` from the frame `first_frame` on; `audio` begins at the source's frame `low`."""
    frames = out.shape[0]
    length = audio.shape[0]
    # Each side by itself with silence around it: the loop over the taps needs no tests.
    lefts = np.zeros(length + 4 * _HALF)
    rights = np.zeros(length + 4 * _HALF)
    for n in range(length):
        lefts[2 * _HALF + n] = audio[n, 0]
        rights[2 * _HALF + n] = audio[n, 1]
    taps = np.empty(2 * _HALF)
    known = -1.0
    for n in range(frames):
        position = start + (first_frame + n) * step
        whole = math.floor(position)
        place = (position - whole) * _STEPS
        whole -= low
        if whole < -_HALF or whole >= length + _HALF:
            continue
        if place != known:
            known = place
            row = min(int(place), _STEPS - 1)
            blend = place - row
            here, there = table[row], table[row + 1]
            for k in range(2 * _HALF):
                taps[k] = here[k] + blend * (there[k] - here[k])
        first = whole + _HALF + 1
        left_part, right_part = lefts[first : first + 2 * _HALF], rights[first : first + 2 * _HALF]
        left = 0.0
        right = 0.0
        for k in range(2 * _HALF):
            left += taps[k] * left_part[k]
            right += taps[k] * right_part[k]
        out[n, 0] = left
        out[n, 1] = right


@kernel
def last_loud(audio, threshold):
    """Index of the last frame of float32 (frames, 2) over a level; -1 for none, -2 for a NaN."""
    whole = True
    for n in range(audio.shape[0]):
        whole &= sane(audio[n, 0]) & sane(audio[n, 1])
    if not whole:
        return -2
    for n in range(audio.shape[0] - 1, -1, -1):
        if max(abs(audio[n, 0]), abs(audio[n, 1])) > threshold:
            return n
    return -1
