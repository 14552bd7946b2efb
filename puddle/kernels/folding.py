"""A wave turned back on itself, at fifteen times the rate.

A wave that is folded many times goes so fast between its turns that its fold lies over half of the
five times higher rate, and a straight line between two samples misses the turns themselves. So the
phase is interpolated by Lagrange's polynomial through six samples, three times between each two
(Laakso, Valimaki, Karjalainen and Laine, *Splitting the unit delay*, IEEE Signal Processing
Magazine 13(1), 1996), its sine is taken, and four boxes of three bring it down again (Hogenauer,
*An economical class of digital filters for decimation and interpolation*, IEEE Trans. ASSP 29(2),
1981): what would fold to under 20 kHz lies in their zeros.
"""

import numpy as np

from puddle.kernels.compiling import inlined, kernel
from puddle.kernels.decibels import exp2_of
from puddle.kernels.oversampling import FACTOR, over_row
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.sines import sine_of

_POINTS = 6  # of the polynomial: two before the interval that it fills, and four from its end on
_PLACES = (1 / 6, 3 / 6, 5 / 6)  # in an interval, between its first sample and the next
# Four boxes of three, of places of three intervals: the middle one's middle is the result's time.
_EARLY, _MIDDLE = (1 / 81, 4 / 81, 10 / 81), (16 / 81, 19 / 81)
_EIGHTH = 0.125  # of a turn for a value of 1: sin(pi x / 4)
# 2^(-_BELL step^2) of what goes by a step, in turns, in two of the places: see `fold`.
_BELL = 2.8

_LATE = FACTOR  # intervals by which the result is late, beside half of one
_PAST = _LATE + _POINTS - 1  # values of phase that are remembered
_FRESH = FACTOR * QUANTUM
_LINE = _PAST + _FRESH
_INTERVALS = _FRESH + 4  # with one before and one after those that are summed
FOLD_MEMORY = _PAST
FOLD_ROOM = _LINE + 6 * _INTERVALS


def _weights(place):
    """Lagrange's polynomial through -2 to 3, at a place between 0 and 1: one weight each."""
    at = np.arange(_POINTS) - 2.0
    return tuple(float(np.prod([(place - b) / (a - b) for b in at if b != a])) for a in at)


_A0, _A1, _A2, _A3, _A4, _A5 = _weights(_PLACES[0])
_B0, _B1, _B2, _B3, _B4, _B5 = _weights(_PLACES[1])
_C0, _C1, _C2, _C3, _C4, _C5 = _weights(_PLACES[2])


@kernel
def fold(over, room, memory, frames):
    """Folds rows of a quantum in place by sin(pi x / 4); `memory` has the phases before.

    What goes too fast even for the fifteen times higher rate is left out, by a bell over the
    frequency that the fold has at the moment: -0.1 dB at 20 kHz, -1 at 90, -12 at 300.
    The result is late by FACTOR samples of the higher rate and the half one of `shaping.bend`.
    """
    line = room[:_LINE]
    first, second, third = _row(room, 0), _row(room, 1), _row(room, 2)
    _gather(over, line, memory, frames)
    for n in range(_INTERVALS):
        a, b, c = line[n], line[n + 1], line[n + 2]
        d, e, f = line[n + 3], line[n + 4], line[n + 5]
        first[n] = _A0 * a + _A1 * b + _A2 * c + _A3 * d + _A4 * e + _A5 * f
        second[n] = _B0 * a + _B1 * b + _B2 * c + _B3 * d + _B4 * e + _B5 * f
        third[n] = _C0 * a + _C1 * b + _C2 * c + _C3 * d + _C4 * e + _C5 * f
    early, middle, late = _row(room, 3), _row(room, 4), _row(room, 5)
    for n in range(1, _INTERVALS - 1):
        early[n] = _folded(first[n], second[n] - third[n - 1])
        middle[n] = _folded(second[n], third[n] - first[n])
        late[n] = _folded(third[n], first[n + 1] - second[n])
    for row in range(FACTOR):
        values = over_row(over, row)
        for n in range(QUANTUM):
            k = 1 + row + FACTOR * n
            before = _EARLY[0] * early[k] + _EARLY[1] * middle[k] + _EARLY[2] * late[k]
            after = _EARLY[2] * early[k + 2] + _EARLY[1] * middle[k + 2] + _EARLY[0] * late[k + 2]
            around = _MIDDLE[0] * (early[k + 1] + late[k + 1]) + _MIDDLE[1] * middle[k + 1]
            values[n] = before + around + after


@inlined
def _row(room, which):
    start = _LINE + which * _INTERVALS
    return room[start : start + _INTERVALS]


@inlined
def _folded(turns, step):
    return sine_of(turns) * exp2_of(-_BELL * step * step)


@inlined
def _gather(over, line, memory, frames):
    """Phases in turns, in the order of time, behind those of the quantum before."""
    for k in range(_PAST):
        line[k] = memory[k]
    for row in range(FACTOR):
        values = over_row(over, row)
        for n in range(QUANTUM):
            line[_PAST + row + FACTOR * n] = _EIGHTH * values[n]
    for k in range(_PAST):
        memory[k] = line[FACTOR * frames + k]
