"""A room out of sixteen delay lines that feed each other, over stereo quanta.

A feedback delay network (Jot and Chaigne, *Digital delay networks for designing artificial
reverberators*, AES 90, 1991): each line ends in a one-pole whose gains at both ends of the
spectrum make it fall by 60 dB in the times asked for. The lines are mixed by a Hadamard matrix and
by slow rotations in pairs (Schlecht and Habets, *Time-varying feedback matrices in feedback delay
networks*, JASA 138, 2015): both keep all energy, so that decay times stay exact while no mode
keeps ringing by itself. What goes round is float32, twice as fast as float64 and -140 dB fine.
"""

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
from puddle.kernels.guard import sane
from puddle.kernels.lanes import rotate_at
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.sines import sine_of

LINES = 16
_DIFFUSERS = 4  # allpasses on each side
# Coefficients: before the room, width, output, the low cut, the diffusion, the turning, the first
# reflections; then for each line its length and its one-pole; then the diffusers' lengths.
PRE, WIDTH, LEVEL, LOW_CUT, DIFFUSION, TURNING, EARLY = range(7)
_PER_LINE = 3
_LINE_VALUES = 7
_DIFFUSER_VALUES = _LINE_VALUES + _PER_LINE * LINES
REVERB_COEFFICIENTS = _DIFFUSER_VALUES + 2 * _DIFFUSERS
# Cells of float64: before the room, the low cut, the frames so far, what the tables turn by; where
# each line's ring starts, its place in it, its filter; diffusers' places. Behind them float32: rows
# of a quantum for the lines, the sides, the turning and its tables; then rings.
_PRE_AT, _CUT_L, _CUT_R, _CLOCK = range(4)
_TURNED = 4
_SPEEDS = 3  # of the pairs' turning
_STARTS = _TURNED + _SPEEDS
_PLACES = _STARTS + LINES
_POLES = _PLACES + LINES
_DIFFUSER_PLACES = _POLES + LINES
_CELLS = _DIFFUSER_PLACES + 2 * _DIFFUSERS
_IN_L, _IN_R, _OUT_L, _OUT_R, _COSINE, _SINE = range(LINES, LINES + 6)
_COSINES = _SINE + 1
_SINES = _COSINES + _SPEEDS
_RINGS = (_SINES + _SPEEDS) * QUANTUM
_TAPS = 6
_TAP_PLACES = np.array([0.11, 0.23, 0.37, 0.53, 0.71, 0.94])
_TAP_GAINS = np.array([0.8, -0.7, 0.6, 0.5, -0.42, 0.35])
_PAIR_ANGLES = np.arange(LINES // 2) * 2.0 * np.pi / 8.0
_PAIR_COSINES = (0.25 * np.cos(_PAIR_ANGLES)).astype(np.float32)  # with the matrix's factor
_PAIR_SINES = (0.25 * np.sin(_PAIR_ANGLES)).astype(np.float32)
_f32_at = pointer_to(types.float32)


def reverb_cells(pre: int, lengths: np.ndarray, diffusers: np.ndarray) -> int:
    """Cells for rings of these many frames."""
    return _CELLS + (_RINGS + 2 * pre + int(np.sum(lengths)) + int(np.sum(diffusers)) + 1) // 2


@kernel
def cells_of(coefficients):
    """The same, of the lengths among the coefficients."""
    total = _RINGS + 2 * int(coefficients[PRE])
    for k in range(LINES):
        total += int(coefficients[_LINE_VALUES + _PER_LINE * k])
    for k in range(2 * _DIFFUSERS):
        total += int(coefficients[_DIFFUSER_VALUES + k])
    return _CELLS + (total + 1) // 2


@inlined
def _row(room, index):
    return room[index * QUANTUM : (index + 1) * QUANTUM]


@kernel
def reverb(state, coefficients, audio, frames):
    """The room alone, without what went in; stereo float32 (frames, 2), in place.

    At most a quantum at a time: every ring is longer, so that a quantum is read as a whole before
    any of it is written.
    """
    lines = coefficients[_LINE_VALUES : _LINE_VALUES + _PER_LINE * LINES]
    spans = coefficients[_DIFFUSER_VALUES : _DIFFUSER_VALUES + 2 * _DIFFUSERS]
    room = carray(_f32_at(state.ctypes.data + 8 * _CELLS), (2 * (state.shape[0] - _CELLS),))
    out_l, out_r = _row(room, _OUT_L), _row(room, _OUT_R)
    _take_in(state, room, coefficients, audio, frames)
    at = _RINGS + 2 * int(coefficients[PRE])
    for k in range(LINES):
        at += int(lines[_PER_LINE * k])
    for k in range(2 * _DIFFUSERS):
        ring = room[at : at + int(spans[k])]
        side = _row(room, _IN_L if k < _DIFFUSERS else _IN_R)
        place = _DIFFUSER_PLACES + k
        state[place] = _diffused(ring, int(state[place]), side, coefficients[DIFFUSION], frames)
        at += int(spans[k])
    _read_lines(state, room, coefficients, lines, frames)
    _mix(room)
    _write_lines(state, room, coefficients, lines, frames)
    half, width = np.float32(0.5), np.float32(0.5 * coefficients[WIDTH])
    for n in range(frames):
        middle, side_ = half * (out_l[n] + out_r[n]), width * (out_l[n] - out_r[n])
        audio[n, 0], audio[n, 1] = middle + side_, middle - side_


@inlined
def _take_in(state, room, coefficients, audio, frames):
    """What goes in: without its bottom, after the pre-delay; and its first reflections."""
    in_l, in_r = _row(room, _IN_L), _row(room, _IN_R)
    out_l, out_r = _row(room, _OUT_L), _row(room, _OUT_R)
    pre, cut = int(coefficients[PRE]), coefficients[LOW_CUT]
    before = room[_RINGS : _RINGS + 2 * pre]
    at, cut_l, cut_r = int(state[_PRE_AT]), state[_CUT_L], state[_CUT_R]
    early = coefficients[EARLY]
    for n in range(frames):
        x, y = np.float64(audio[n, 0]), np.float64(audio[n, 1])
        whole = sane(x + y)
        x, y = (x, y) if whole else (0.0, 0.0)
        cut_l += cut * (x - cut_l)
        cut_r += cut * (y - cut_r)
        left = right = 0.0
        if early > 0.0:
            for tap in range(_TAPS):
                place = at - int(_TAP_PLACES[tap] * pre)
                place = place + pre if place < 0 else place
                left += _TAP_GAINS[tap] * before[2 * place]
                right += _TAP_GAINS[_TAPS - 1 - tap] * before[2 * place + 1]
        out_l[n], out_r[n] = early * left, early * right
        in_l[n], in_r[n] = before[2 * at], before[2 * at + 1]
        before[2 * at], before[2 * at + 1] = x - cut_l, y - cut_r
        at = at + 1 if at + 1 < pre else 0
    state[_PRE_AT], state[_CUT_L], state[_CUT_R] = at, cut_l, cut_r


@inlined
def _diffused(ring, at, side, gain, frames):
    """An allpass over a row, in place; returns its place in the ring."""
    until = min(frames, ring.shape[0] - at)
    _pass_through(ring[at : at + until], side[:until], np.float32(gain))
    _pass_through(ring[: frames - until], side[until:frames], np.float32(gain))
    at += frames
    return at - ring.shape[0] if at >= ring.shape[0] else at


@inlined
def _pass_through(held, side, gain):
    """An allpass over a part of its ring that does not wrap: no value depends on one beside it."""
    for n in range(side.shape[0]):
        before = held[n]
        fresh = side[n] - gain * before
        held[n] = fresh
        side[n] = before + gain * fresh


@inlined
def _read_lines(state, room, coefficients, lines, frames):
    """What leaves each line, heard and then fallen: b x + a y, the gains of the two decays.

    Four lines at a time, two of them heard on the left and two on the right: a pole alone would
    leave the processor waiting for its own last output.
    """
    out_l, out_r = _row(room, _OUT_L), _row(room, _OUT_R)
    level = np.float32(coefficients[LEVEL])
    start = _RINGS + 2 * int(coefficients[PRE])
    for k in range(0, LINES, 4):
        p, start = _leaving(state, room, lines, k, start)
        q, start = _leaving(state, room, lines, k + 1, start)
        r, start = _leaving(state, room, lines, k + 2, start)
        s, start = _leaving(state, room, lines, k + 3, start)
        _add_difference(out_l, p, r, level)
        _add_difference(out_r, q, s, level)
        u, v, w, z = _row(room, k), _row(room, k + 1), _row(room, k + 2), _row(room, k + 3)
        b1, a1 = _pole(lines, k)
        b2, a2 = _pole(lines, k + 1)
        b3, a3 = _pole(lines, k + 2)
        b4, a4 = _pole(lines, k + 3)
        poles = state[_POLES + k : _POLES + k + 4]
        first, second = np.float32(poles[0]), np.float32(poles[1])
        third, fourth = np.float32(poles[2]), np.float32(poles[3])
        for n in range(frames):
            first = b1 * p[n] + a1 * first
            second = b2 * q[n] + a2 * second
            third = b3 * r[n] + a3 * third
            fourth = b4 * s[n] + a4 * fourth
            u[n] = first
            v[n] = second
            w[n] = third
            z[n] = fourth
        poles[0] = first if sane(first) else 0.0
        poles[1] = second if sane(second) else 0.0
        poles[2] = third if sane(third) else 0.0
        poles[3] = fourth if sane(fourth) else 0.0


@inlined
def _pole(lines, k):
    return np.float32(lines[_PER_LINE * k + 1]), np.float32(lines[_PER_LINE * k + 2])


@inlined
def _add_difference(sums, more, less, gain):
    """Loops of few rows: of many LLVM does not look whether they overlap, and stays slow."""
    for n in range(QUANTUM):
        sums[n] += gain * (more[n] - less[n])


@inlined
def _leaving(state, room, lines, k, start):
    """What leaves a line's ring, at least a quantum long; and where the next one's ring starts.

    The ring itself where it does not wrap, else a copy in the line's row.
    """
    span, at = int(lines[_PER_LINE * k]), int(state[_PLACES + k])
    until = span - at
    if until >= QUANTUM:
        return room[start + at : start + at + QUANTUM], start + span
    row = _row(room, k)
    for n in range(until):
        row[n] = room[start + at + n]
    for n in range(until, QUANTUM):
        row[n] = room[start + n - until]
    return row, start + span


@inlined
def _mix(room):
    """The Hadamard matrix, as sums and differences of four rows at a time."""
    step = 1
    while step < LINES:
        for k in range(0, LINES, 4 * step):
            for m in range(k, k + step):
                first, second = _row(room, m), _row(room, m + step)
                third, fourth = _row(room, m + 2 * step), _row(room, m + 3 * step)
                for n in range(QUANTUM):
                    a, b = first[n] + second[n], first[n] - second[n]
                    c, d = third[n] + fourth[n], third[n] - fourth[n]
                    first[n] = a + c
                    second[n] = b + d
                    third[n] = a - c
                    fourth[n] = b - d
        step *= 4


@inlined
def _write_lines(state, room, coefficients, lines, frames):
    """The pairs turned, and what is new, into the rings."""
    turn = _row(room, _COSINE).ctypes.data, _row(room, _SINE).ctypes.data
    fresh = _row(room, _IN_L).ctypes.data, _row(room, _IN_R).ctypes.data
    start = _RINGS + 2 * int(coefficients[PRE])
    starts = state[_STARTS : _STARTS + LINES]
    for k in range(LINES):
        starts[k] = start
        start += int(lines[_PER_LINE * k])
    for speed in range(_SPEEDS):
        _turn(state, room, speed, coefficients[TURNING], frames)
        for pair in range(speed, LINES // 2, _SPEEDS):
            left, right = _row(room, 2 * pair), _row(room, 2 * pair + 1)
            to_left = _entering(state, room, lines, 2 * pair, frames)
            to_right = _entering(state, room, lines, 2 * pair + 1, frames)
            cosine, sine = _PAIR_COSINES[pair], _PAIR_SINES[pair]
            rows = left.ctypes.data, right.ctypes.data
            rotate_at(rows, turn, fresh, (to_left, to_right), cosine, sine)
            _enter(state, room, lines, 2 * pair, frames)
            _enter(state, room, lines, 2 * pair + 1, frames)
    state[_CLOCK] += frames


@inlined
def _turn(state, room, speed, turning, frames):
    """A slow rotation along a row: of the frames so far, so that no block size is heard.

    From one quantum of the clock to the next by sines, within it by a table of angles.
    """
    cosine, sine = _row(room, _COSINE), _row(room, _SINE)
    cosines, sines = _row(room, _COSINES + speed), _row(room, _SINES + speed)
    turn = (1 + speed) * turning
    if state[_TURNED + speed] != 1.0 + turn:  # nothing yet, or another
        state[_TURNED + speed] = 1.0 + turn
        for n in range(QUANTUM):
            cosines[n] = sine_of(turn * n + 0.25)
            sines[n] = sine_of(turn * n)
    whole = math.floor(state[_CLOCK] / QUANTUM) * QUANTUM
    past = int(state[_CLOCK] - whole)
    until = min(QUANTUM - past, QUANTUM)
    _turn_on(cosine[:until], sine[:until], cosines[past:], sines[past:], turn * whole)
    if past + frames > QUANTUM:
        _turn_on(cosine[until:], sine[until:], cosines, sines, turn * (whole + QUANTUM))


@inlined
def _turn_on(cosine, sine, cosines, sines, turns):
    c, s = np.float32(sine_of(turns + 0.25)), np.float32(sine_of(turns))
    for n in range(cosine.shape[0]):
        cosine[n] = c * cosines[n] - s * sines[n]
        sine[n] = s * cosines[n] + c * sines[n]


@inlined
def _entering(state, room, lines, k, frames):
    """The address to which what enters a line goes: its ring, or its row where the ring wraps."""
    at = int(state[_PLACES + k])
    if frames == QUANTUM and int(lines[_PER_LINE * k]) - at >= QUANTUM:
        return room.ctypes.data + 4 * (int(state[_STARTS + k]) + at)
    return _row(room, k).ctypes.data


@inlined
def _enter(state, room, lines, k, frames):
    """Goes on along a line's ring, and puts there what waits in its row."""
    span, at, start = int(lines[_PER_LINE * k]), int(state[_PLACES + k]), int(state[_STARTS + k])
    if frames < QUANTUM or span - at < QUANTUM:
        row = _row(room, k)
        until = min(frames, span - at)
        _copy(row[:until], room[start + at : start + at + until])
        _copy(row[until:frames], room[start : start + frames - until])
    at += frames
    state[_PLACES + k] = at - span if at >= span else at


@inlined
def _copy(source, target):
    for n in range(source.shape[0]):
        target[n] = source[n]


@entry(STAGE_SIGNATURE)
def reverb_entry(state, coefficients, audio, frames):
    """The room's loop; the rings' lengths are among the coefficients."""
    values = carray(coefficients, (REVERB_COEFFICIENTS,))
    cells = cells_of(values)
    reverb(carray(state, (cells,)), values, carray(audio, (frames, 2)), frames)
