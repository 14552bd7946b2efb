"""The saturator's and the clipper's loops, over stereo quanta with their state."""

import numpy as np

from puddle.kernels.compiling import STAGE_SIGNATURE, carray, entry, inlined, kernel
from puddle.kernels.folding import FOLD_MEMORY, FOLD_ROOM, fold
from puddle.kernels.guard import sane
from puddle.kernels.oversampling import (
    OVER_CELLS,
    OVER_LATENCY,
    lower_rate,
    raise_cleaner,
    raise_rate,
    singles,
)
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.ramps import toward
from puddle.kernels.shaping import (
    BIAS,
    CUBIC,
    FOLD,
    HARD,
    KNEE,
    ROUND,
    UNEVEN,
    bend,
    bend_round,
)

# Coefficients of the saturator.
CURVE, DRIVE, MATCHED, BELOW, BELOW_POLE, ABOVE, ABOVE_POLE, TILT_LOW, TILT_HIGH, TILT_POLE, DC = (
    range(11)
)
SATURATOR_COEFFICIENTS = 11
# Coefficients of the clipper.
CEILING, SOFT = range(2)
CLIPPER_COEFFICIENTS = 2

# Cells: shared rows of a quantum (what is bent, scratch, what is clean); for each channel filters,
# the bend's memory, a line of what stays clean, and what the higher rate remembers.
_DRIVE_NOW, _MATCHED_NOW, _CEILING_NOW = range(4 * QUANTUM, 4 * QUANTUM + 3)
_FOLD = 4 * QUANTUM + 3
_SHARED = _FOLD + FOLD_ROOM
_FILTERS = 6
_LATER = _FILTERS + FOLD_MEMORY
_CHANNEL = _LATER + OVER_LATENCY + QUANTUM + OVER_CELLS
SATURATION_CELLS = _SHARED + 2 * _CHANNEL


@kernel
def saturate(state, coefficients, audio, frames):
    """A curve at five times the rate on the middle of the spectrum; stereo (frames, 2), in place.

    What lies below and above stays clean: it goes round the curve, as late as the curve is. A tilt
    follows the curve, for it alone. The gain that brings back the level is a coefficient.
    """
    room, scratch = singles(state)[:QUANTUM], state[QUANTUM : 3 * QUANTUM]
    clean = state[3 * QUANTUM : 4 * QUANTUM]
    kind = int(coefficients[CURVE])
    drive, harder = toward(state, _DRIVE_NOW, coefficients[DRIVE], frames)
    gain, louder = toward(state, _MATCHED_NOW, coefficients[MATCHED], frames)
    for side in range(2):
        cells = state[_SHARED + side * _CHANNEL : _SHARED + (side + 1) * _CHANNEL]
        over = singles(cells[_CHANNEL - OVER_CELLS :])
        _part(cells, coefficients, audio, side, frames, room, clean)
        for n in range(frames):
            room[n] *= np.float32(drive + harder * (n + 1))
        memory = cells[_FILTERS:_LATER]
        if kind == FOLD:
            raise_cleaner(over, room, frames)
            fold(over, state[_FOLD:_SHARED], memory, frames)
        else:
            raise_rate(over, room, frames)
            _bend_by(kind, over, scratch, memory, frames)
        lower_rate(over, room, frames)
        _tilt(cells, coefficients, room, gain, louder, frames)
        for n in range(frames):
            audio[n, side] = room[n] + clean[n]
        _heal(cells, room[frames - 1] + clean[frames - 1])


@kernel
def clip(state, coefficients, audio, frames):
    """A knee and a ceiling at five times the rate; stereo float32 (frames, 2), in place."""
    room, scratch = singles(state)[:QUANTUM], state[QUANTUM : 3 * QUANTUM]
    ceiling, step = toward(state, _CEILING_NOW, coefficients[CEILING], frames)
    soft = max(1e-3, coefficients[SOFT])
    for side in range(2):
        cells = state[_SHARED + side * _CHANNEL : _SHARED + (side + 1) * _CHANNEL]
        over = singles(cells[_CHANNEL - OVER_CELLS :])
        for n in range(frames):
            x = audio[n, side]
            room[n] = x / (ceiling + step * (n + 1)) if sane(x) else 0.0
        raise_rate(over, room, frames)
        bend(over, KNEE, soft, scratch, cells[_FILTERS : _FILTERS + 1], frames)
        lower_rate(over, room, frames)
        for n in range(frames):
            audio[n, side] = (ceiling + step * (n + 1)) * room[n]
        _heal(cells, room[frames - 1])


@kernel
def _bend_by(kind, over, scratch, memory, frames):
    """Each curve in a loop of its own: one that asks for every value runs at half the speed."""
    if kind == ROUND:
        bend_round(over, 0.0, scratch, memory, frames)
    elif kind == CUBIC:
        bend(over, CUBIC, 0.0, scratch, memory, frames)
    elif kind == HARD:
        bend(over, HARD, 0.0, scratch, memory, frames)
    else:
        bend_round(over, BIAS, scratch, memory, frames)


@inlined
def _part(cells, coefficients, audio, side, frames, room, clean):
    """Puts what is to be bent into `room`; beside it what is not, as late as the former will be."""
    low1, low2, high1, high2 = cells[0], cells[1], cells[2], cells[3]
    below, above = coefficients[BELOW], coefficients[ABOVE]
    low_pole, high_pole = coefficients[BELOW_POLE], coefficients[ABOVE_POLE]
    line = cells[_LATER : _LATER + OVER_LATENCY + QUANTUM]
    fresh = line[OVER_LATENCY:]
    for n in range(frames):
        x = audio[n, side]
        room[n] = x if sane(x) else 0.0
        fresh[n] = 0.0
    if below != 0.0 or above != 0.0:
        for n in range(frames):
            x = room[n]
            low1 += low_pole * (x - low1)
            low2 += low_pole * (x - low1 - low2)
            bent = x + below * (x - low1 - low2 - x)
            high1 += high_pole * (bent - high1)
            high2 += high_pole * (high1 - high2)
            bent += above * (high2 - bent)
            room[n] = bent
            fresh[n] = x - bent
    for n in range(QUANTUM):
        clean[n] = line[n]
    for n in range(OVER_LATENCY):
        line[n] = line[n + frames]
    cells[0], cells[1], cells[2], cells[3] = low1, low2, high1, high2


@inlined
def _tilt(cells, coefficients, room, gain, louder, frames):
    """The tone after the curve; for a curve that is uneven, without the DC that it makes."""
    down, up = coefficients[TILT_LOW], coefficients[TILT_HIGH]
    if int(coefficients[CURVE]) == UNEVEN:
        dc, dc_pole = cells[5], coefficients[DC]
        for n in range(frames):
            dc += dc_pole * (room[n] - dc)
            room[n] -= dc
        cells[5] = dc
    if down == up:
        for n in range(frames):
            room[n] *= up * (gain + louder * (n + 1))
        return
    low, pole = cells[4], coefficients[TILT_POLE]
    for n in range(frames):
        x = room[n]
        low += pole * (x - low)
        now = gain + louder * (n + 1)
        room[n] = now * down * low + now * up * (x - low)
    cells[4] = low


@inlined
def _heal(cells, last):
    """A channel's cells back to rest where something was not a number."""
    if not sane(last):
        for k in range(cells.shape[0]):
            cells[k] = 0.0


@entry(STAGE_SIGNATURE)
def saturate_entry(state, coefficients, audio, frames):
    """The saturator's loop."""
    saturate(
        carray(state, (SATURATION_CELLS,)),
        carray(coefficients, (SATURATOR_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def clip_entry(state, coefficients, audio, frames):
    """The clipper's loop."""
    clip(
        carray(state, (SATURATION_CELLS,)),
        carray(coefficients, (CLIPPER_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )
