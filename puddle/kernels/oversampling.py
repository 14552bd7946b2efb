"""Several times the rate and back, a quantum at a time, phase by phase.

A sample at the higher rate lies in one of `FACTOR` rows, by its place between two frames. On the
way up each row is a Kaiser-windowed sinc of the frames, the first the frames themselves; on the
way back the rows' low-passed sum is taken at each frame (polyphase filters: Vaidyanathan,
*Multirate Systems and Filter Banks*, 1993, §4.3). The low-pass has an even number of taps, so
that it makes up for the half sample by which `shaping.bend` is late: the whole way is a whole
number of frames.
"""

import numpy as np

from puddle.kernels.compiling import kernel
from puddle.kernels.quantum import QUANTUM

FACTOR = 5
_UP_TAPS = 24  # of each row; flat to 0.41 of the rate, images 75 dB down from 0.59
_DOWN_TAPS = 32
_LENGTH = 2 * (_DOWN_TAPS * FACTOR // 2 - 1)  # of the low-pass
_CUTOFF = 0.458  # of the rate: -1 dB at 0.41, -50 dB from 0.52 on
_BETA_UP, _BETA_DOWN = 7.0, 5.6

# One channel's cells: frames for the way up, then each row's samples for the way back.
_UP_PAST = _UP_TAPS - 1
_DOWN_PAST = _DOWN_TAPS - 1
OVER_CELLS = _UP_PAST + FACTOR * _DOWN_PAST
OVER_ROOM = FACTOR * QUANTUM  # the rows, one after another
_LINE = _DOWN_PAST + QUANTUM
OVER_SCRATCH = _LINE
# (length / 2 - FACTOR + 1) samples of the higher rate for the low-pass and the bend.
_BACK = _LENGTH // 2 - FACTOR + 1
assert _BACK % FACTOR == 0
OVER_LATENCY = _UP_TAPS // 2 + _BACK // FACTOR


def _up_taps() -> np.ndarray:
    """Rows (FACTOR, taps): row r reads the frames r / FACTOR after the middle."""
    rows = np.empty((FACTOR, _UP_TAPS))
    for row in range(FACTOR):
        x = np.arange(_UP_TAPS) - (_UP_TAPS // 2 - 1) - row / FACTOR
        inside = np.sqrt(np.maximum(0.0, 1.0 - (x / (_UP_TAPS / 2)) ** 2))
        rows[row] = np.sinc(x) * np.i0(_BETA_UP * inside)
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


_UP, _DOWN = _up_taps(), _down_taps()


@kernel
def raise_rate(state, scratch, room, frames):
    """A mono quantum at the start of `room` becomes FACTOR rows of a quantum each, in place."""
    line = scratch[: _UP_PAST + QUANTUM]
    _joined(line, state[:_UP_PAST], room, frames)
    for row in range(1, FACTOR):
        sums = room[row * QUANTUM : (row + 1) * QUANTUM]
        for n in range(QUANTUM):
            sums[n] = 0.0
        _add_convolved(line, _UP[row], sums)
    plain = line[_UP_TAPS // 2 - 1 : _UP_TAPS // 2 - 1 + QUANTUM]
    for n in range(QUANTUM):
        room[n] = plain[n]


@kernel
def lower_rate(state, scratch, room, frames):
    """The way back: the rows become a mono quantum at the start of `room`, in place."""
    line = scratch[:_LINE]
    sums = room[:QUANTUM]
    for row in range(FACTOR):
        past = state[_UP_PAST + row * _DOWN_PAST : _UP_PAST + (row + 1) * _DOWN_PAST]
        _joined(line, past, room[row * QUANTUM : (row + 1) * QUANTUM], frames)
        if row == 0:
            for n in range(QUANTUM):
                sums[n] = 0.0
        _add_convolved(line, _DOWN[row], sums)


@kernel
def _joined(line, past, fresh, count):
    """What is remembered and then what is new, in one line; remembers the end of it."""
    reach = past.shape[0]
    for k in range(reach):
        line[k] = past[k]
    new = line[reach : reach + count]
    for n in range(count):
        new[n] = fresh[n]
    end = line[count : count + reach]
    for k in range(reach):
        past[k] = end[k]


@kernel
def _add_convolved(line, taps, sums):
    """Adds the taps over a line to a quantum of sums, sixteen at a time in registers."""
    count = taps.shape[0]
    for start in range(0, QUANTUM, 16):
        w = line[start : start + count + 15]
        out = sums[start : start + 16]
        s0, s1, s2, s3 = out[0], out[1], out[2], out[3]
        s4, s5, s6, s7 = out[4], out[5], out[6], out[7]
        s8, s9, s10, s11 = out[8], out[9], out[10], out[11]
        s12, s13, s14, s15 = out[12], out[13], out[14], out[15]
        for k in range(count):
            tap = taps[k]
            s0 += tap * w[k]
            s1 += tap * w[k + 1]
            s2 += tap * w[k + 2]
            s3 += tap * w[k + 3]
            s4 += tap * w[k + 4]
            s5 += tap * w[k + 5]
            s6 += tap * w[k + 6]
            s7 += tap * w[k + 7]
            s8 += tap * w[k + 8]
            s9 += tap * w[k + 9]
            s10 += tap * w[k + 10]
            s11 += tap * w[k + 11]
            s12 += tap * w[k + 12]
            s13 += tap * w[k + 13]
            s14 += tap * w[k + 14]
            s15 += tap * w[k + 15]
        out[0], out[1], out[2], out[3] = s0, s1, s2, s3
        out[4], out[5], out[6], out[7] = s4, s5, s6, s7
        out[8], out[9], out[10], out[11] = s8, s9, s10, s11
        out[12], out[13], out[14], out[15] = s12, s13, s14, s15
