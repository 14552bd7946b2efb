"""Level control: the compressor's and the limiter's loops, over stereo blocks with their state."""

import math

import numpy as np

from puddle.kernels.compiling import STAGE_SIGNATURE, carray, entry, inlined, kernel
from puddle.kernels.decibels import exp2_of, log2_of
from puddle.kernels.guard import sane
from puddle.kernels.keys import KEY_CELLS, heard
from puddle.kernels.lanes import points_at
from puddle.kernels.oversampling import singles
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.ramps import toward
from puddle.wanted import checkpoint

# Compressor: cells of its coefficients and of its state.
THRESHOLD, SLOPE, KNEE, ATTACK, RELEASE, MAKEUP, RMS = range(7)
COMPRESSOR_COEFFICIENTS = 7
POWER, REDUCTION, DEEPEST, _MAKEUP_NOW = range(4)
_SCRATCH = 4
COMPRESSOR_CELLS = _SCRATCH + QUANTUM

_DB_OF_GAIN = 20.0 * math.log10(2.0)  # dB of a factor of two
_DB_OF_POWER = 10.0 * math.log10(2.0)


@kernel
def reduction_db(level_db, threshold_db, slope, knee_db):
    """Static gain computer with a soft knee: dB of reduction (>= 0) for a level.

    Giannoulis, Massberg and Reiss, *Digital Dynamic Range Compressor Design*, JAES 60 (2012),
    eq. 4, with slope = 1 - 1/ratio. Within the knee of width W, (over + W/2)^2 / 2W; past it,
    over. Written without branches: a knee of nothing is one too narrow to matter.
    """
    width = max(knee_db, 1e-6)
    inside = min(max(level_db - threshold_db + 0.5 * width, 0.0), width)
    past = max(level_db - threshold_db - 0.5 * width, 0.0)
    return slope * (inside * inside / (2.0 * width) + past)


@kernel
def compress(state, coefficients, audio, key, frames):
    """A feed-forward compressor on stereo float32 (frames, 2), in place, channels linked.

    The reduction is smoothed in dB by one-pole attack and release (the same paper's smooth
    branching detector, eq. 16), and follows the key's level. With RMS > 0 that coefficient averages
    the power first. At most a quantum at a time: level, smoothing and gain are three loops over
    the state's scratch cells, so that the first and the last run several frames at once.
    """
    threshold, slope, knee = coefficients[THRESHOLD], coefficients[SLOPE], coefficients[KNEE]
    attack, release = coefficients[ATTACK], coefficients[RELEASE]
    makeup, step = toward(state, _MAKEUP_NOW, coefficients[MAKEUP], frames)
    rms = coefficients[RMS]
    power, held, deepest = state[POWER], state[REDUCTION], state[DEEPEST]
    scratch = state[_SCRATCH : _SCRATCH + frames]
    if rms > 0.0:
        for n in range(frames):
            left, right = key[2 * n], key[2 * n + 1]
            power = rms * power + (1.0 - rms) * 0.5 * (left * left + right * right)
            scratch[n] = 2.0 * power  # a sine at full scale reads 0 dB
    else:
        for n in range(frames):
            left, right = key[2 * n], key[2 * n + 1]
            scratch[n] = max(left * left, right * right)
    for n in range(frames):
        level = _DB_OF_POWER * log2_of(scratch[n] + 1e-30)
        scratch[n] = reduction_db(level, threshold, slope, knee)
    for n in range(frames):
        wanted = scratch[n]
        pole = attack if wanted > held else release
        held = wanted + pole * (held - wanted)
        deepest = deepest if deepest > held else held
        scratch[n] = held
    held = held if held > 1e-9 else 0.0
    for n in range(frames):
        scratch[n] = (makeup + step * (n + 1)) * exp2_of(-scratch[n] / _DB_OF_GAIN)
    for n in range(frames):
        gain = np.float32(scratch[n])
        audio[n, 0] *= gain
        audio[n, 1] *= gain
    if not sane(power + held):
        power = 0.0
        held = 0.0
        deepest = 0.0
    state[POWER], state[REDUCTION], state[DEEPEST] = power, held, deepest


# True peak: phases of an interpolating filter, as in BS.1770-4 annex 2, with 24 taps a phase. Eight
# of them, not the standard's four: at 0.4 of the rate a peak that lies half way between four is
# read 0.43 dB too low, between eight 0.11 dB.
PHASES = 8
PHASE_TAPS = 24
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
_LIFT = float(np.abs(_TAPS).sum(axis=1).max())  # the most that a point can exceed its samples


def true_peak(audio: np.ndarray) -> float:
    """The highest value between and at the samples of float32 (frames, channels), linear."""
    highest = 0.0
    for first in range(0, audio.shape[0] + PHASE_TAPS, _PART):  # so that long work can be left
        checkpoint()
        highest = max(highest, float(_true_peak_in(audio, first, _PART)))
    return highest


# Limiter: coefficients, then cells: a few numbers, then lines and rings of doubles in one slab.
CEILING, LIMITER_RELEASE, WINDOW = range(3)
LIMITER_COEFFICIENTS = 3
_DROP, LIMITER_DEEPEST, _TOTAL, _LATE, _SLOT, _RISING = range(6)
_FIXED = 6
_REACH = PHASE_TAPS - 1  # earlier frames that a point between frames depends on
_LINE = _REACH + QUANTUM
# Room to look for points between frames in: a line and what comes of it, float32, two in a cell.
_ROOM = (_LINE + 1 + QUANTUM) // 2
_GRAIN = 2.0**40  # steps of the averaged gain
LIMITER_MARGIN = 0.9908  # -0.08 dB: of what may be missed between points


def limiter_cells(window: int) -> int:
    """Cells of state for a look-ahead of `window` frames."""
    return _FIXED + 2 * _LINE + QUANTUM + _ROOM + 2 * (window + PHASE_TAPS + 2) + 3 * (window + 1)


def limiter_latency(window: int) -> int:
    """Frames by which the limiter's output is late."""
    return window + PEAK_DELAY


@kernel
def limit(state, coefficients, audio, frames):
    """A look-ahead limiter to a true-peak ceiling on stereo float32 (frames, 2), in place.

    The drop in gain that each eight-phase peak needs is held as a sliding maximum over the
    look-ahead, let go by a one-pole release, and averaged over the same look-ahead: the average
    of values that are all low enough is low enough when the delayed peak arrives. At most a
    quantum at a time, so that the peaks of all its frames are interpolated side by side.
    """
    ceiling, release = coefficients[CEILING], coefficients[LIMITER_RELEASE]
    window = int(coefficients[WINDOW])
    span = window + PHASE_TAPS + 2
    length = window + 1
    lefts = state[_FIXED : _FIXED + _LINE]
    rights = state[_FIXED + _LINE : _FIXED + 2 * _LINE]
    at = _FIXED + 2 * _LINE
    peaks, room = state[at : at + QUANTUM], state[at + QUANTUM : at + QUANTUM + _ROOM]
    at += QUANTUM + _ROOM
    delay = state[at : at + 2 * span]
    at += 2 * span
    block, after = state[at : at + length], state[at + length : at + 2 * length]
    averaged = state[at + 2 * length : at + 3 * length]
    highest = _take_in(lefts, rights, audio, frames)
    # Where no sample in reach can lift a point over the ceiling, none needs to be looked at.
    if highest * _LIFT >= ceiling:
        _interpolated_peaks(lefts, rights, singles(room), peaks)
        for n in range(QUANTUM):
            peaks[n] = 1.0 - ceiling / max(peaks[n], ceiling)
    else:
        peaks[:] = 0.0
    slot = int(state[_SLOT])
    state[_RISING] = hold_largest(peaks, block, after, slot, state[_RISING], frames)
    drop, deepest = state[_DROP], state[LIMITER_DEEPEST]
    for n in range(frames):
        held = peaks[n]
        drop = max(held, held + release * (drop - held))
        drop = drop if drop > 1e-9 else 0.0
        # Whole numbers in doubles: the running sum is exact, however long it runs.
        peaks[n] = math.ceil(drop * _GRAIN)
    total = state[_TOTAL]
    for n in range(frames):
        total += peaks[n] - averaged[slot]
        averaged[slot] = peaks[n]
        peaks[n] = total / (_GRAIN * length)
        deepest = max(deepest, peaks[n])
        slot = slot + 1 if slot + 1 < length else 0
    late = int(state[_LATE])
    source = late - window - PEAK_DELAY
    source = source + span if source < 0 else source
    for n in range(frames):
        gain = 1.0 - peaks[n]
        delay[2 * late] = lefts[_REACH + n]
        delay[2 * late + 1] = rights[_REACH + n]
        audio[n, 0] = delay[2 * source] * gain
        audio[n, 1] = delay[2 * source + 1] * gain
        late = late + 1 if late + 1 < span else 0
        source = source + 1 if source + 1 < span else 0
    for n in range(_REACH):
        lefts[n] = lefts[frames + n]
        rights[n] = rights[frames + n]
    state[_DROP], state[LIMITER_DEEPEST], state[_TOTAL] = drop, deepest, total
    state[_LATE], state[_SLOT] = late, slot


@inlined
def hold_largest(values, block, after, slot, rising, frames):
    """Each value becomes the largest of the last `length`: van Herk's sliding maximum (1992).

    Values lie in blocks of `length`. The window ends at `slot` of this block and begins behind it
    in the one before: the larger of what has come of this one (`rising`, which is returned), and of
    what came after that place in the other (`after`). No branch depends on the sound.
    """
    length = block.shape[0]
    for n in range(frames):
        value = values[n]
        block[slot] = value
        rising = max(rising, value)
        slot += 1
        if slot < length:
            values[n] = max(rising, after[slot])
            continue
        values[n] = rising
        highest = 0.0
        for k in range(length - 1, -1, -1):
            highest = max(highest, block[k])
            after[k] = highest
        rising, slot = 0.0, 0
    return rising


@kernel
def _take_in(lefts, rights, audio, frames):
    """Appends frames to the lines, and silence up to a quantum; returns the highest value."""
    for n in range(frames):
        left, right = np.float64(audio[n, 0]), np.float64(audio[n, 1])
        whole = sane(left + right)
        lefts[_REACH + n] = left if whole else 0.0
        rights[_REACH + n] = right if whole else 0.0
    lefts[_REACH + frames :] = 0.0
    rights[_REACH + frames :] = 0.0
    highest = 0.0
    for n in range(_LINE):
        highest = max(highest, abs(lefts[n]), abs(rights[n]))
    return highest


@kernel
def _interpolated_peaks(lefts, rights, room, peaks):
    """For each frame the largest of a sample, a dozen frames back, and the points after it."""
    left = lefts[PEAK_DELAY - 1 : PEAK_DELAY - 1 + QUANTUM]
    right = rights[PEAK_DELAY - 1 : PEAK_DELAY - 1 + QUANTUM]
    for n in range(QUANTUM):
        peaks[n] = max(abs(left[n]), abs(right[n]))
    _raise_to_points(lefts, room, peaks)
    _raise_to_points(rights, room, peaks)


@inlined
def _raise_to_points(line, room, peaks):
    """Raises peaks to the points between frames of one side."""
    short, points = room[: _LINE + 1], room[_LINE + 1 :]
    for n in range(_LINE):
        short[n] = line[n]
    points_at(short.ctypes.data, _PAIR_TAPS.ctypes.data, _HALF_TAPS, points.ctypes.data)
    for n in range(QUANTUM):
        peaks[n] = max(peaks[n], float(points[n]))


@kernel
def _true_peak_in(audio, first, count):
    """Of the windows that begin `PHASE_TAPS` frames before `first`, and so many after it."""
    frames, channels = audio.shape
    last = min(first + count, frames + PHASE_TAPS)
    line, peaks = np.empty(_LINE), np.empty(QUANTUM)
    room = np.empty(2 * _ROOM, np.float32)
    highest = 0.0
    for channel in range(channels):
        for start in range(first, last, QUANTUM):
            for n in range(_LINE):
                at = start - PHASE_TAPS + n
                line[n] = audio[at, channel] if 0 <= at < frames else 0.0
            for n in range(QUANTUM):
                peaks[n] = abs(line[PEAK_DELAY - 1 + n])
            _raise_to_points(line, room, peaks)
            for n in range(QUANTUM):
                highest = max(highest, peaks[n])
    return highest


@entry(STAGE_SIGNATURE)
def compress_entry(state, coefficients, audio, frames):
    """The compressor's loop."""
    cells, block = carray(state, (KEY_CELLS + COMPRESSOR_CELLS,)), carray(audio, (frames, 2))
    compress(
        cells[KEY_CELLS:],
        carray(coefficients, (COMPRESSOR_COEFFICIENTS,)),
        block,
        heard(cells, block, frames),
        frames,
    )


@entry(STAGE_SIGNATURE)
def limit_entry(state, coefficients, audio, frames):
    """The limiter's loop; the last coefficient is the number of cells."""
    values = carray(coefficients, (4,))
    limit(carray(state, (int(values[3]),)), values, carray(audio, (frames, 2)), frames)
