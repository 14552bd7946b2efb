"""True peak: the highest value between and at the samples, as in BS.1770-4 annex 2."""

import numpy as np

from puddle.kernels.compiling import inlined, kernel
from puddle.kernels.lanes import points_at
from puddle.kernels.quantum import QUANTUM
from puddle.tasks import check_cancelled

# True peak: phases of an interpolating filter, as in BS.1770-4 annex 2, with 24 taps a phase. Eight
# of them, not the standard's four: at 0.4 of the rate a peak that lies half way between four is
# read 0.43 dB too low, between eight 0.11 dB.
PHASES = 8
PHASE_TAPS = 24
PEAK_REACH = PHASE_TAPS - 1  # earlier frames that a point between frames depends on
PEAK_LINE = PEAK_REACH + QUANTUM
_PART = 1 << 16  # frames that are measured in some 30 ms


def true_peak_taps(phases: int) -> np.ndarray:
    """Interpolating taps (phases, PHASE_TAPS): a Kaiser-windowed sinc, each phase unity at DC."""
    taps = np.empty((phases, PHASE_TAPS))
    offsets = np.arange(PHASE_TAPS) - (PHASE_TAPS // 2 - 1)
    for phase in range(phases):
        x = offsets - phase / phases
        window = np.i0(7.0 * np.sqrt(np.maximum(0.0, 1.0 - (x / (PHASE_TAPS / 2)) ** 2)))
        taps[phase] = np.sinc(x) * window
        taps[phase] /= taps[phase].sum()
    return taps


_TAPS = true_peak_taps(PHASES)
# A phase and the one as far before the next frame are each other's mirror: with the sums and the
# differences of the frames as far from the middle, both come of half the products.
_HALF_TAPS = PHASE_TAPS // 2
_PAIRS = PHASES // 2
_EVEN = (0.5 * (_TAPS + _TAPS[:, ::-1]))[1 : _PAIRS + 1, :_HALF_TAPS]
_ODD = (0.5 * (_TAPS - _TAPS[:, ::-1]))[1 : _PAIRS + 1, :_HALF_TAPS]
# (_HALF_TAPS, 7): in turns, without the last odd one, for the middle point is its own mirror.
_PAIR_TAPS = np.stack([_EVEN, _ODD], axis=1).reshape(2 * _PAIRS, _HALF_TAPS)[:-1].T
_PAIR_TAPS = np.ascontiguousarray(_PAIR_TAPS, np.float32)
PEAK_DELAY = PHASE_TAPS // 2
LIFT = float(np.abs(_TAPS).sum(axis=1).max())  # the most that a point can exceed its samples


def true_peak(audio: np.ndarray) -> float:
    """The highest value between and at the samples of float32 (frames, channels), linear."""
    highest = 0.0
    for first in range(0, audio.shape[0] + PHASE_TAPS, _PART):  # so that long work can be left
        check_cancelled()
        highest = max(highest, float(_true_peak_in(audio, first, _PART)))
    return highest


@inlined
def points_after(line, points):
    """The largest point after each frame of a quantum, of one side.

    `line` is float32 (PEAK_LINE + 1); `points` float32 (QUANTUM), of the frames a dozen back.
    """
    points_at(line.ctypes.data, _PAIR_TAPS.ctypes.data, _HALF_TAPS, points.ctypes.data)


@kernel
def _true_peak_in(audio, first, count):
    """Of the windows that begin `PHASE_TAPS` frames before `first`, and so many after it."""
    frames, channels = audio.shape
    last = min(first + count, frames + PHASE_TAPS)
    line, points = np.zeros(PEAK_LINE + 1, np.float32), np.empty(QUANTUM, np.float32)
    highest = np.float32(0.0)
    for channel in range(channels):
        for start in range(first, last, QUANTUM):
            for n in range(PEAK_LINE):
                at = start - PHASE_TAPS + n
                line[n] = audio[at, channel] if 0 <= at < frames else 0.0
            points_after(line, points)
            for n in range(QUANTUM):
                highest = max(highest, points[n], abs(line[PEAK_DELAY - 1 + n]))
    return highest
