"""The saturator's and the clipper's loops, over stereo quanta with their state."""

from puddle.kernels.compiling import kernel
from puddle.kernels.guard import sane
from puddle.kernels.oversampling import (
    OVER_CELLS,
    OVER_LATENCY,
    OVER_ROOM,
    OVER_SCRATCH,
    lower_rate,
    raise_rate,
)
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.shaping import CUBIC, FOLD, HARD, KNEE, ROUND, UNEVEN, bend

# Coefficients of the saturator.
CURVE, DRIVE, MATCHED, BELOW, BELOW_POLE, ABOVE, ABOVE_POLE, TILT_LOW, TILT_HIGH, TILT_POLE, DC = (
    range(11)
)
SATURATOR_COEFFICIENTS = 11
# Coefficients of the clipper.
CEILING, SOFT = range(2)
CLIPPER_COEFFICIENTS = 2

# Cells: shared room and scratch; for each channel filters, a ring for what stays clean, memory.
_SCRATCH = max(OVER_SCRATCH, 2 * QUANTUM)
_SHARED = OVER_ROOM + _SCRATCH + QUANTUM
_FILTERS = 6
_CHANNEL = _FILTERS + 2 + OVER_LATENCY + OVER_CELLS
SATURATION_CELLS = _SHARED + 2 * _CHANNEL


@kernel
def saturate(state, coefficients, audio, frames):
    """A curve at five times the rate on the middle of the spectrum; stereo (frames, 2), in place.

    What lies below and above stays clean: it goes round the curve, as late as the curve is. A tilt
    follows the curve, for it alone. The gain that brings back the level is a coefficient.
    """
    room = state[:OVER_ROOM]
    scratch = state[OVER_ROOM : OVER_ROOM + _SCRATCH]
    clean = state[OVER_ROOM + _SCRATCH : _SHARED]
    kind, drive, gain = int(coefficients[CURVE]), coefficients[DRIVE], coefficients[MATCHED]
    for side in range(2):
        cells = state[_SHARED + side * _CHANNEL : _SHARED + (side + 1) * _CHANNEL]
        over = cells[_CHANNEL - OVER_CELLS :]
        _part(cells, coefficients, audio, side, frames, room, clean)
        for n in range(frames):
            room[n] *= drive
        raise_rate(over, scratch, room, frames)
        _bend_by(kind, room, scratch, cells[_FILTERS : _FILTERS + 1], frames)
        lower_rate(over, scratch, room, frames)
        _tilt(cells, coefficients, room, gain, frames)
        for n in range(frames):
            audio[n, side] = room[n] + clean[n]
        _heal(cells, room[frames - 1] + clean[frames - 1])


@kernel
def clip(state, coefficients, audio, frames):
    """A knee and a ceiling at five times the rate; stereo float32 (frames, 2), in place."""
    room = state[:OVER_ROOM]
    scratch = state[OVER_ROOM : OVER_ROOM + _SCRATCH]
    ceiling, soft = coefficients[CEILING], max(1e-3, coefficients[SOFT])
    for side in range(2):
        cells = state[_SHARED + side * _CHANNEL : _SHARED + (side + 1) * _CHANNEL]
        over = cells[_CHANNEL - OVER_CELLS :]
        for n in range(frames):
            x = audio[n, side]
            room[n] = x / ceiling if sane(x) else 0.0
        raise_rate(over, scratch, room, frames)
        bend(room, KNEE, soft, scratch, cells[_FILTERS : _FILTERS + 1], frames)
        lower_rate(over, scratch, room, frames)
        for n in range(frames):
            audio[n, side] = ceiling * room[n]
        _heal(cells, room[frames - 1])


@kernel
def _bend_by(kind, room, scratch, memory, frames):
    """Each curve in a loop of its own: one that asks for every value runs at half the speed."""
    if kind == ROUND:
        bend(room, ROUND, 0.0, scratch, memory, frames)
    elif kind == CUBIC:
        bend(room, CUBIC, 0.0, scratch, memory, frames)
    elif kind == HARD:
        bend(room, HARD, 0.0, scratch, memory, frames)
    elif kind == UNEVEN:
        bend(room, UNEVEN, 0.0, scratch, memory, frames)
    else:
        bend(room, FOLD, 0.0, scratch, memory, frames)


@kernel
def _part(cells, coefficients, audio, side, frames, room, clean):
    """Puts what is to be bent into `room`; beside it what is not, as late as the former will be."""
    low1, low2, high1, high2 = cells[0], cells[1], cells[2], cells[3]
    below, above = coefficients[BELOW], coefficients[ABOVE]
    low_pole, high_pole = coefficients[BELOW_POLE], coefficients[ABOVE_POLE]
    ring = cells[_FILTERS + 2 : _FILTERS + 2 + OVER_LATENCY]
    at = int(cells[_FILTERS + 1])
    for n in range(frames):
        x = audio[n, side]
        x = x if sane(x) else 0.0
        low1 += low_pole * (x - low1)
        low2 += low_pole * (x - low1 - low2)
        bent = x + below * (x - low1 - low2 - x)
        high1 += high_pole * (bent - high1)
        high2 += high_pole * (high1 - high2)
        bent += above * (high2 - bent)
        kept = x - bent
        room[n] = bent
        clean[n] = ring[at]
        ring[at] = kept
        at = at + 1 if at + 1 < OVER_LATENCY else 0
    cells[0], cells[1], cells[2], cells[3] = low1, low2, high1, high2
    cells[_FILTERS + 1] = at


@kernel
def _tilt(cells, coefficients, room, gain, frames):
    """The tone after the curve; for a curve that is uneven, without the DC that it makes."""
    low, dc = cells[4], cells[5]
    pole, dc_pole = coefficients[TILT_POLE], coefficients[DC]
    down, up = gain * coefficients[TILT_LOW], gain * coefficients[TILT_HIGH]
    uneven = 1.0 if int(coefficients[CURVE]) == UNEVEN else 0.0
    for n in range(frames):
        x = room[n]
        dc += dc_pole * (x - dc)
        x -= uneven * dc
        low += pole * (x - low)
        room[n] = down * low + up * (x - low)
    cells[4], cells[5] = low, dc


@kernel
def _heal(cells, last):
    """A channel's cells back to rest where something was not a number."""
    if not sane(last):
        for k in range(cells.shape[0]):
            cells[k] = 0.0
