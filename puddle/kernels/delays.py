"""Delay and chorus: rings of frames that are read later, over stereo quanta."""

import math

import numpy as np

from puddle.kernels.compiling import STAGE_SIGNATURE, carray, entry, kernel
from puddle.kernels.gliding import read_between
from puddle.kernels.guard import sane
from puddle.kernels.oversampling import singles
from puddle.kernels.polyphase import PHASES, READ_ROWS, SHORT
from puddle.kernels.sines import sine_of

# Delay: frames, feedback, the tone's pole, the low cut's pole, how far the sides change over.
SPAN, FEEDBACK, TONE, CUT, SWAP, ECHO_CELLS = range(6)
DELAY_COEFFICIENTS = 6
_AT = 0
_ECHO_FIXED = 5


def echo_cells(span: int) -> int:
    """Cells for a delay of so many frames."""
    return _ECHO_FIXED + 2 * span


@kernel
def echo(state, coefficients, audio, frames):
    """Repeats alone, without what went in; stereo float32 (frames, 2), in place.

    What comes round goes through a low-pass and a low cut. The more the sides swap, the more a hit
    begins on the left and comes back on the right.
    """
    span, feedback, swap = int(coefficients[SPAN]), coefficients[FEEDBACK], coefficients[SWAP]
    tone, cut = coefficients[TONE], coefficients[CUT]
    at = int(state[_AT])
    low_l, low_r, high_l, high_r = state[1], state[2], state[3], state[4]
    ring = state[_ECHO_FIXED : _ECHO_FIXED + 2 * span]
    for n in range(frames):
        x, y = np.float64(audio[n, 0]), np.float64(audio[n, 1])
        left, right = ring[2 * at], ring[2 * at + 1]
        low_l += tone * (left - low_l)
        low_r += tone * (right - low_r)
        high_l += cut * (low_l - high_l)
        high_r += cut * (low_r - high_r)
        back_l, back_r = low_l - high_l, low_r - high_r
        went_l = x + 0.5 * swap * (y - x) + feedback * (back_l + swap * (back_r - back_l))
        went_r = (1.0 - swap) * y + feedback * (back_r + swap * (back_l - back_r))
        whole = sane(went_l + went_r)
        ring[2 * at] = went_l if whole else 0.0
        ring[2 * at + 1] = went_r if whole else 0.0
        audio[n, 0], audio[n, 1] = back_l, back_r
        at = at + 1 if at + 1 < span else 0
    whole = sane(low_l + low_r + high_l + high_r)
    state[_AT] = at
    state[1] = low_l if whole else 0.0
    state[2] = low_r if whole else 0.0
    state[3] = high_l if whole else 0.0
    state[4] = high_r if whole else 0.0


# Chorus: the middle delay and its depth in frames, turns for each frame, how far the sides differ.
MIDDLE, DEPTH, TURN, SPREAD, CHORUS_SPAN = range(5)
CHORUS_COEFFICIENTS = 5
_TURNS = 1
_CHORUS_FIXED = 2
_VOICES = 3
_ROWS = READ_ROWS


@kernel
def chorus_cells(span):
    """Cells for a ring of so many frames: a line of float32 for each side, twice as long."""
    return _CHORUS_FIXED + 2 * span


@kernel
def chorus(state, coefficients, audio, frames):
    """Three copies a side, each read a little earlier and later in turn; stereo, in place.

    What comes in is written at its place in a line and again a span later, so that the frames
    around any place lie side by side.
    """
    middle, depth = coefficients[MIDDLE], coefficients[DEPTH]
    turn, spread, span = coefficients[TURN], coefficients[SPREAD], int(coefficients[CHORUS_SPAN])
    at, turns = int(state[_AT]), state[_TURNS]
    lines = singles(state[_CHORUS_FIXED : _CHORUS_FIXED + 2 * span])
    lefts, rights = lines[: 2 * span], lines[2 * span :]
    gain = 1.0 / math.sqrt(float(_VOICES))
    for n in range(frames):
        x, y = audio[n, 0], audio[n, 1]
        whole = sane(x + y)
        lefts[at] = lefts[at + span] = x if whole else np.float32(0.0)
        rights[at] = rights[at + span] = y if whole else np.float32(0.0)
        left = right = 0.0
        for voice in range(_VOICES):
            place = turns + voice / _VOICES
            left += _read(lefts, at + span - middle - depth * sine_of(place))
            right += _read(rights, at + span - middle - depth * sine_of(place + 0.25 * spread))
        audio[n, 0], audio[n, 1] = gain * left, gain * right
        turns += turn
        turns -= math.floor(turns)
        at = at + 1 if at + 1 < span else 0
    state[_AT], state[_TURNS] = at, turns


@kernel
def _read(line, place):
    """A line's value between its frames."""
    whole = int(place)
    phase = (place - whole) * PHASES
    row = int(phase)
    first = line.ctypes.data + 4 * (whole - (SHORT // 2 - 1))
    return read_between(first, _ROWS.ctypes.data + 4 * SHORT * row, np.float32(phase - row))


@entry(STAGE_SIGNATURE)
def delay_entry(state, coefficients, audio, frames):
    """The repeats' loop; a coefficient is the number of cells."""
    values = carray(coefficients, (DELAY_COEFFICIENTS,))
    cells = int(values[ECHO_CELLS])
    echo(carray(state, (cells,)), values, carray(audio, (frames, 2)), frames)


@entry(STAGE_SIGNATURE)
def chorus_entry(state, coefficients, audio, frames):
    """The copies' loop; a coefficient is the length of the ring."""
    values = carray(coefficients, (CHORUS_COEFFICIENTS,))
    cells = chorus_cells(int(values[CHORUS_SPAN]))
    chorus(carray(state, (cells,)), values, carray(audio, (frames, 2)), frames)
