"""The limiter's loop, over stereo blocks with its state."""

import math

import numpy as np

from puddle.kernels.compiling import (
    STAGE_SIGNATURE,
    carray,
    entry,
    inlined,
    kernel,
    pointer_to,
    types,
)
from puddle.kernels.frames import peaks, scale
from puddle.kernels.guard import sane
from puddle.kernels.oversampling import singles
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.true_peak import (
    LIFT,
    PEAK_DELAY,
    PEAK_REACH,
    points_after,
)

_f64_at = pointer_to(types.float64)

# Coefficients, then cells: a few numbers, then lines and rings in one slab.
CEILING, LIMITER_RELEASE, WINDOW = range(3)
LIMITER_COEFFICIENTS = 3
_DROP, LIMITER_DEEPEST, _TOTAL, _LATE, _SLOT, _RISING, _LOW_FOR = range(7)
_FIXED = 7
_LINE = QUANTUM  # cells of a line of float32: PEAK_LINE of them, and zeros
_POINTS = QUANTUM // 2  # cells of a quantum of float32
_GRAIN = 2.0**40  # steps of the averaged gain
LIMITER_MARGIN = 0.9908  # -0.08 dB: of what may be missed between points


def limiter_cells(window: int) -> int:
    """Cells of state for a look-ahead of `window` frames."""
    span = int(_span(window))
    return _FIXED + 2 * (_LINE + _POINTS) + QUANTUM + span + 3 * (window + 1)


def limiter_latency(window: int) -> int:
    """Frames by which the limiter's output is late."""
    return window + PEAK_DELAY


@inlined
def _span(window):
    """Frames of the ring that delays them, a quantum written before it is read; each is a cell."""
    return window + PEAK_DELAY + QUANTUM


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
    span, length = _span(window), window + 1
    at = _FIXED + 2 * (_LINE + _POINTS)
    drops = state[at : at + QUANTUM]
    at += QUANTUM
    delay = state[at : at + span]
    at += span
    block, after = state[at : at + length], state[at + length : at + 2 * length]
    averaged = state[at + 2 * length : at + 3 * length]
    lines = singles(state[_FIXED : _FIXED + 2 * _LINE])
    lefts, rights = lines[: 2 * _LINE], lines[2 * _LINE :]
    slot = int(state[_SLOT])
    # Where no sample in reach can lift a point over the ceiling, none needs to be looked at.
    if _take_in(lefts, rights, audio, frames) * LIFT >= ceiling:
        points = singles(state[_FIXED + 2 * _LINE : _FIXED + 2 * (_LINE + _POINTS)])
        _drops_needed(lefts, rights, points, ceiling, drops)
        state[_LOW_FOR] = 0.0
    else:
        drops[:] = 0.0
        state[_LOW_FOR] += frames
    if state[_LOW_FOR] <= 2 * length + QUANTUM:
        state[_RISING] = hold_largest(drops, block, after, slot, state[_RISING], frames)
    # Else two blocks went by with nothing in them: all that is held is zero, and stays so.
    state[_DROP] = _let_go(drops, state[_DROP], release, frames)
    _newest_less_oldest(drops, averaged, slot, frames)
    state[_SLOT] = (slot + frames) % length
    total, deepest = state[_TOTAL], state[LIMITER_DEEPEST]
    for n in range(frames):
        total += drops[n]
        drops[n] = total / (_GRAIN * length)
        deepest = max(deepest, drops[n])
    state[_TOTAL], state[LIMITER_DEEPEST] = total, deepest
    late = int(state[_LATE])
    _delay(delay, late, window + PEAK_DELAY, audio, frames)
    state[_LATE] = (late + frames) % span
    for n in range(frames):
        drops[n] = 1.0 - drops[n]
    scale(audio, drops, frames)
    for n in range(PEAK_REACH):
        lefts[n] = lefts[frames + n]
        rights[n] = rights[frames + n]


@inlined
def _take_in(lefts, rights, audio, frames):
    """Appends frames to the lines, and silence up to a quantum; returns the highest value.

    What is not sound becomes zero, here and in the frames.
    """
    for n in range(frames):
        whole = sane(audio[n, 0] + audio[n, 1])
        audio[n, 0] = audio[n, 0] if whole else np.float32(0.0)
        audio[n, 1] = audio[n, 1] if whole else np.float32(0.0)
    for n in range(frames):
        lefts[PEAK_REACH + n] = audio[n, 0]
        rights[PEAK_REACH + n] = audio[n, 1]
    lefts[PEAK_REACH + frames :] = 0.0
    rights[PEAK_REACH + frames :] = 0.0
    left, right = peaks(lefts.ctypes.data), peaks(rights.ctypes.data)
    return max(left[0], left[1], right[0], right[1])


@inlined
def _drops_needed(lefts, rights, points, ceiling, drops):
    """For each frame, a dozen back, by how much the gain must fall for it and the points after."""
    left_points, right_points = points[:QUANTUM], points[QUANTUM:]
    points_after(lefts, left_points)
    points_after(rights, right_points)
    for n in range(QUANTUM):
        at = PEAK_DELAY - 1 + n
        peak = max(abs(lefts[at]), abs(rights[at]), left_points[n], right_points[n])
        drops[n] = 1.0 - ceiling / max(float(peak), ceiling)


@inlined
def _let_go(drops, drop, release, frames):
    """Drops are let go by a one-pole, and counted in grains; returns the last one.

    Whole numbers in doubles: a running sum of them is exact, however long it runs.
    """
    for n in range(frames):
        drop = max(drops[n], (1.0 - release) * drops[n] + release * drop)
        drops[n] = drop
    for n in range(frames):
        drops[n] = math.ceil(drops[n] * _GRAIN)
    return drop if drop > 1e-9 else 0.0


@inlined
def _newest_less_oldest(values, ring, slot, frames):
    """Values are written to a ring; left of each is what it adds to the sum of the ring."""
    n = 0
    while n < frames:
        count = min(frames - n, ring.shape[0] - slot)
        fresh, past = values[n : n + count], ring[slot : slot + count]
        for k in range(count):
            value = fresh[k]
            fresh[k] = value - past[k]
            past[k] = value
        n += count
        slot = 0


@inlined
def _delay(ring, late, behind, audio, frames):
    """Frames become those that went in so many before; `late` is where the next one is written.

    Both sides of a frame are moved at once, as one cell of the state.
    """
    span, pairs = ring.shape[0], carray(_f64_at(audio.ctypes.data), (frames,))
    n, at = 0, late
    while n < frames:
        count = min(frames - n, span - at)
        fresh, kept = pairs[n : n + count], ring[at : at + count]
        for k in range(count):
            kept[k] = fresh[k]
        n, at = n + count, 0
    n, at = 0, late - behind if late >= behind else late - behind + span
    while n < frames:
        count = min(frames - n, span - at)
        due, kept = pairs[n : n + count], ring[at : at + count]
        for k in range(count):
            due[k] = kept[k]
        n, at = n + count, 0


@inlined
def hold_largest(values, block, after, slot, rising, frames):
    """Each value becomes the largest of the last `length`: van Herk's sliding maximum (1992).

    Values lie in blocks of `length`. The window ends at `slot` of this block and begins behind it
    in the one before: the larger of what has come of this one (`rising`, which is returned), and of
    what came after that place in the other (`after`). No branch depends on the sound.
    """
    length = block.shape[0]
    n = 0
    while n < frames:
        count = min(frames - n, length - 1 - slot)
        fresh, kept, past = values[n : n + count], block[slot : slot + count], after[slot + 1 :]
        for k in range(count):
            value = fresh[k]
            kept[k] = value
            rising = max(rising, value)
            fresh[k] = max(rising, past[k])
        n, slot = n + count, slot + count
        if n == frames:
            break
        block[slot] = values[n]
        values[n] = max(rising, values[n])
        n, highest = n + 1, 0.0
        for k in range(length - 1, -1, -1):
            highest = max(highest, block[k])
            after[k] = highest
        rising, slot = 0.0, 0
    return rising


@entry(STAGE_SIGNATURE)
def limit_entry(state, coefficients, audio, frames):
    """The limiter's loop; the last coefficient is the number of cells."""
    values = carray(coefficients, (4,))
    limit(carray(state, (int(values[3]),)), values, carray(audio, (frames, 2)), frames)
