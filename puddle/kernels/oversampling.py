"""Several times the rate and back, a quantum at a time, phase by phase.

A sample at the higher rate lies in one of `FACTOR` rows, by its place between two frames. On the
way up each row is a Kaiser-windowed sinc of the frames, the first the frames themselves; on the
way back the rows' low-passed sum is taken at each frame (polyphase filters: Vaidyanathan,
*Multirate Systems and Filter Banks*, 1993, §4.3). The low-pass has an even number of taps, so
that it makes up for the half sample by which `shaping.bend` is late: the whole way is a whole
number of frames.
"""

import numpy as np

from puddle.kernels.compiling import carray, inlined, pointer_to, types
from puddle.kernels.lanes import gathered_at, spread_at
from puddle.kernels.quantum import QUANTUM

FACTOR = 5
_UP_TAPS = 24  # of each row; flat to 0.41 of the rate, images 75 dB down from 0.59
_MIDDLE = _UP_TAPS // 2 - 1  # of a row's taps
_DOWN_TAPS = 32
_LENGTH = 2 * (_DOWN_TAPS * FACTOR // 2 - 1)  # of the low-pass
_CUTOFF = 0.458  # of the rate: -1 dB at 0.41, -50 dB from 0.52 on
_BETA_DOWN = 5.6

# One channel's cells: a line of frames for the way up, and one of each row for the way back. In
# each the past lies before the quantum that is new, so that nothing is copied to be convolved. They
# are float32, two in a cell: twice as fast, and -140 dB fine.
_UP_PAST = _UP_TAPS - 1
_DOWN_PAST = _DOWN_TAPS - 1
_UP_LINE = _UP_PAST + QUANTUM
_LINE = _DOWN_PAST + QUANTUM
_SINGLES = _UP_LINE + FACTOR * _LINE
OVER_CELLS = (_SINGLES + 1) // 2
_f32_at = pointer_to(types.float32)
# (length / 2 - FACTOR + 1) samples of the higher rate for the low-pass and the bend.
_BACK = _LENGTH // 2 - FACTOR + 1
assert _BACK % FACTOR == 0
OVER_LATENCY = _UP_TAPS // 2 + _BACK // FACTOR


def _up_taps(middle: int, wide: int, beta: float) -> np.ndarray:
    """Rows (FACTOR, taps): row r reads the frames r / FACTOR after the middle, `wide` to a side."""
    rows = np.zeros((FACTOR, _UP_TAPS))
    for row in range(FACTOR):
        x = np.arange(_UP_TAPS) - middle - row / FACTOR
        inside = np.sqrt(np.maximum(0.0, 1.0 - (x / wide) ** 2))
        rows[row] = np.sinc(x) * np.i0(beta * inside) * (np.abs(x) < wide)
        rows[row] /= rows[row].sum()
    return rows


def _down_taps() -> np.ndarray:
    """Rows (FACTOR, taps), the oldest sample first; their sum is 1."""
    x = (np.arange(_LENGTH) - (_LENGTH - 1) / 2.0) / FACTOR
    inside = np.sqrt(1.0 - (2.0 * FACTOR * x / _LENGTH) ** 2)
    taps = np.zeros(_DOWN_TAPS * FACTOR)
    taps[:_LENGTH] = np.sinc(2.0 * _CUTOFF * x) * np.i0(_BETA_DOWN * inside)
    taps /= taps.sum()
    newest_first = taps.reshape(_DOWN_TAPS, FACTOR)
    return np.ascontiguousarray(newest_first[::-1, ::-1].T)


# (taps, rows), without the first row of the way up, which is the frames themselves.
_UP = np.ascontiguousarray(_up_taps(_MIDDLE, 12, 7.0)[1:].T, np.float32)
_UP_CLEANER = np.ascontiguousarray(_up_taps(_MIDDLE + 1, 11, 9.5)[1:].T, np.float32)
_DOWN = np.ascontiguousarray(_down_taps().T, np.float32)
_raised_at, _lowered_at = spread_at(FACTOR - 1), gathered_at(FACTOR)


@inlined
def singles(cells):
    """Cells of float64 as twice as many of float32."""
    return carray(_f32_at(cells.ctypes.data), (2 * cells.shape[0],))


@inlined
def raise_rate(state, mono, frames):
    """A mono quantum of float32 becomes FACTOR rows of a quantum each: see `over_row`.

    `state` is a channel's cells, as `singles`.
    """
    _raise(state, mono, frames, _UP, _MIDDLE)


@inlined
def raise_cleaner(state, mono, frames):
    """`raise_rate` a frame sooner, with images 95 dB down, less what lies over 0.37 of the rate."""
    _raise(state, mono, frames, _UP_CLEANER, _MIDDLE + 1)


@inlined
def _raise(state, mono, frames, taps, middle):
    line = state[:_UP_LINE]
    fresh = line[_UP_PAST:]
    for n in range(frames):
        fresh[n] = mono[n]
    plain = line[middle : middle + QUANTUM]
    values = over_row(state, 0)
    for n in range(QUANTUM):
        values[n] = plain[n]
    second = over_row(state, 1).ctypes.data
    _raised_at(line.ctypes.data, taps.ctypes.data, _UP_TAPS, second, _LINE)
    _pass(line, _UP_PAST, frames)


@inlined
def over_row(state, row):
    """What is new of a row of the higher rate: (QUANTUM,), to be changed in place."""
    start = _UP_LINE + row * _LINE + _DOWN_PAST
    return state[start : start + QUANTUM]


@inlined
def lower_rate(state, mono, frames):
    """The way back: the rows become a mono quantum."""
    lines = state[_UP_LINE:]
    _lowered_at(lines.ctypes.data, _DOWN.ctypes.data, _DOWN_TAPS, mono.ctypes.data, _LINE)
    for row in range(FACTOR):
        _pass(lines[row * _LINE : (row + 1) * _LINE], _DOWN_PAST, frames)


@inlined
def _pass(line, past, frames):
    """What was new is past."""
    if frames == QUANTUM:
        for k in range(past):
            line[k] = line[k + QUANTUM]
    else:
        for k in range(past):
            line[k] = line[k + frames]
