"""Level control: the compressor's and the limiter's loops, over stereo blocks with their state."""

import math

import numpy as np

from puddle.kernels.compiling import kernel
from puddle.kernels.decibels import exp2_of, log2_of
from puddle.kernels.guard import sane
from puddle.kernels.quantum import QUANTUM

# Compressor: cells of its coefficients and of its state.
THRESHOLD, SLOPE, KNEE, ATTACK, RELEASE, MAKEUP, DRY, RMS = range(8)
COMPRESSOR_COEFFICIENTS = 8
POWER, REDUCTION, DEEPEST = range(3)
_SCRATCH = 3
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
def compress(state, coefficients, audio, frames):
    """A feed-forward compressor on stereo float32 (frames, 2), in place, channels linked.

    The reduction is smoothed in dB by one-pole attack and release (the same paper's smooth
    branching detector, eq. 16). With RMS > 0 that coefficient averages the power first. At most a
    quantum at a time: level, smoothing and gain are three loops over the state's scratch cells,
    so that the first and the last run several frames at once.
    """
    threshold, slope, knee = coefficients[THRESHOLD], coefficients[SLOPE], coefficients[KNEE]
    attack, release = coefficients[ATTACK], coefficients[RELEASE]
    makeup, dry, rms = coefficients[MAKEUP], coefficients[DRY], coefficients[RMS]
    power, held, deepest = state[POWER], state[REDUCTION], state[DEEPEST]
    scratch = state[_SCRATCH : _SCRATCH + frames]
    if rms > 0.0:
        for n in range(frames):
            left, right = np.float64(audio[n, 0]), np.float64(audio[n, 1])
            power = rms * power + (1.0 - rms) * 0.5 * (left * left + right * right)
            scratch[n] = 2.0 * power  # a sine at full scale reads 0 dB
    else:
        for n in range(frames):
            left, right = np.float64(audio[n, 0]), np.float64(audio[n, 1])
            scratch[n] = max(left * left, right * right)
    for n in range(frames):
        level = _DB_OF_POWER * log2_of(scratch[n] + 1e-30)
        scratch[n] = reduction_db(level, threshold, slope, knee)
    for n in range(frames):
        wanted = scratch[n]
        pole = attack if wanted > held else release
        held = wanted + pole * (held - wanted)
        held = held if held > 1e-9 else 0.0
        deepest = max(deepest, held)
        scratch[n] = held
    wet = (1.0 - dry) * makeup
    for n in range(frames):
        gain = dry + wet * exp2_of(-scratch[n] / _DB_OF_GAIN)
        audio[n, 0] *= gain
        audio[n, 1] *= gain
    if not sane(power + held):
        power = 0.0
        held = 0.0
        deepest = 0.0
    state[POWER], state[REDUCTION], state[DEEPEST] = power, held, deepest


# True peak: phases of an interpolating filter, as in BS.1770-4 annex 2, with 24 taps a phase. The
# limiter takes the standard's four; the meter takes eight, for at 0.4 of the rate a peak that lies
# half way between four is read 0.43 dB too low, between eight 0.11 dB.
PHASES = 4
METER_PHASES = 8
PHASE_TAPS = 24


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
_METER_TAPS = true_peak_taps(METER_PHASES)
PEAK_DELAY = PHASE_TAPS // 2
_LIFT = float(np.abs(_TAPS).sum(axis=1).max())  # the most that a point can exceed its samples


@kernel
def true_peak(audio):
    """The highest value between and at the samples of float32 (frames, channels), linear."""
    frames, channels = audio.shape
    padded = np.zeros(frames + 2 * PHASE_TAPS)
    highest = 0.0
    for channel in range(channels):
        for n in range(frames):
            padded[PHASE_TAPS + n] = audio[n, channel]
        for n in range(frames + PHASE_TAPS):
            window = padded[n : n + PHASE_TAPS]
            for phase in range(METER_PHASES):
                total = 0.0
                for k in range(PHASE_TAPS):
                    total += _METER_TAPS[phase, k] * window[k]
                highest = max(highest, abs(total))
    return highest


# Limiter: coefficients, then cells. The window is odd state: rings of doubles in one slab.
CEILING, LIMITER_RELEASE, WINDOW = range(3)
_CLOCK, _GAIN, _FRONT, _BACK, _LIMITER_DEEPEST, _LOUD, _TOTAL = range(7)
_FIXED = 8
LIMITER_DEEPEST = _LIMITER_DEEPEST
_GRAIN = 2.0**40  # steps of the averaged gain
LIMITER_MARGIN = 0.9977  # -0.02 dB: what the four-phase meter may miss between its points


def limiter_cells(window: int) -> int:
    """Cells of state for a look-ahead of `window` frames."""
    history = 2 * (2 * PHASE_TAPS)
    return _FIXED + history + 5 * (window + PHASE_TAPS + 2)


def limiter_latency(window: int) -> int:
    """Frames by which the limiter's output is late."""
    return window + PEAK_DELAY


@kernel
def limit(state, coefficients, audio, frames):
    """A look-ahead limiter to a true-peak ceiling on stereo float32 (frames, 2), in place.

    The gain that each four-phase peak needs is held as a sliding minimum over the look-ahead,
    let go by a one-pole release, and averaged over the same look-ahead: the average of values
    that are all low enough is low enough when the delayed peak arrives.
    """
    ceiling, release = coefficients[CEILING], coefficients[LIMITER_RELEASE]
    window = int(coefficients[WINDOW])
    span = window + PHASE_TAPS + 2
    history = state[_FIXED : _FIXED + 4 * PHASE_TAPS]  # doubled, so that a window is contiguous
    at = _FIXED + 4 * PHASE_TAPS
    delay = state[at : at + 2 * span]
    values = state[at + 2 * span : at + 3 * span]
    stamps = state[at + 3 * span : at + 4 * span]
    averaged = state[at + 4 * span : at + 5 * span]
    clock = int(state[_CLOCK])
    front, back = int(state[_FRONT]), int(state[_BACK])
    loud = state[_LOUD] - 1e9  # the last frame that was loud; zero state is long ago
    total = state[_TOTAL]
    drop = state[_GAIN]  # 1 - gain after release, so that all-zero state is unity
    deepest = state[_LIMITER_DEEPEST]
    length = window + 1
    for n in range(frames):
        left, right = np.float64(audio[n, 0]), np.float64(audio[n, 1])
        if not sane(left + right):
            left = 0.0
            right = 0.0
        if max(abs(left), abs(right)) * _LIFT >= ceiling:
            loud = float(clock)
        _remember(history, clock, left, right)
        # Where no sample in reach can lift a point over the ceiling, none needs to be looked at.
        peak = _newest_peak(history, clock) if clock - loud < PHASE_TAPS else 0.0
        needed = 1.0 - ceiling / peak if peak > ceiling else 0.0
        # A queue whose values fall from front to back: its front is the window's largest drop.
        while back > front and values[(back - 1) % span] <= needed:
            back -= 1
        values[back % span] = needed
        stamps[back % span] = clock
        back += 1
        while stamps[front % span] <= clock - length:
            front += 1
        deepest_now = values[front % span]
        drop = deepest_now if deepest_now > drop else deepest_now + release * (drop - deepest_now)
        if drop < 1e-9:
            drop = 0.0
        # Whole numbers in doubles: the running sum is exact, however long it runs.
        whole = math.ceil(drop * _GRAIN)
        total += whole - averaged[clock % length]
        averaged[clock % length] = whole
        gain = 1.0 - total / (_GRAIN * length)
        deepest = max(deepest, 1.0 - gain)
        late = clock % span
        delay[2 * late] = left
        delay[2 * late + 1] = right
        source = (clock - window - PEAK_DELAY + span) % span
        audio[n, 0] = delay[2 * source] * gain
        audio[n, 1] = delay[2 * source + 1] * gain
        clock += 1
    state[_CLOCK], state[_GAIN] = clock, drop
    # The queue's indices are brought back so that they never outgrow exact doubles.
    base = front - front % span
    state[_FRONT], state[_BACK] = front - base, back - base
    state[_LIMITER_DEEPEST] = deepest
    state[_LOUD] = loud + 1e9
    state[_TOTAL] = total


@kernel
def _remember(history, clock, left, right):
    """Stores a frame twice, so that the newest frames are always a contiguous stretch."""
    place = clock % PHASE_TAPS
    history[place] = left
    history[place + PHASE_TAPS] = left
    history[2 * PHASE_TAPS + place] = right
    history[3 * PHASE_TAPS + place] = right


@kernel
def _newest_peak(history, clock):
    """The largest of the sample and the three interpolated points before the newest frames."""
    first = (clock + 1) % PHASE_TAPS
    a = history[first : first + PHASE_TAPS]
    b = history[2 * PHASE_TAPS + first : 3 * PHASE_TAPS + first]
    peak = max(abs(a[PEAK_DELAY - 1]), abs(b[PEAK_DELAY - 1]))
    for phase in range(1, PHASES):
        x = 0.0
        y = 0.0
        for k in range(PHASE_TAPS):
            x += _TAPS[phase, k] * a[k]
            y += _TAPS[phase, k] * b[k]
        peak = max(peak, abs(x), abs(y))
    return peak
