"""A room out of sixteen delay lines that feed each other, over stereo quanta.

A feedback delay network (Jot and Chaigne, *Digital delay networks for designing artificial
reverberators*, AES 90, 1991): each line ends in a one-pole whose gains at both ends of the
spectrum make it fall by 60 dB in the times asked for. The lines are mixed by a Hadamard matrix and
by slow rotations in pairs (Schlecht and Habets, *Time-varying feedback matrices in feedback delay
networks*, JASA 138, 2015): both keep all energy, so that decay times stay exact while no mode
keeps ringing by itself.
"""

import numpy as np

from puddle.kernels.compiling import kernel
from puddle.kernels.guard import sane
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
# Cells: before the room, the low cut, the angles of the pairs; the place and filter of each line;
# diffusers' places; rows of a quantum for the lines, the sides and the turning; then rings.
_PRE_AT, _CUT_L, _CUT_R = range(3)
_ANGLES = 3
_PLACES = _ANGLES + LINES
_POLES = _PLACES + LINES
_DIFFUSER_PLACES = _POLES + LINES
_ROWS = _DIFFUSER_PLACES + 2 * _DIFFUSERS
_IN_L, _IN_R, _OUT_L, _OUT_R, _COSINE, _SINE = range(LINES, LINES + 6)
_RINGS = _ROWS + (LINES + 6) * QUANTUM
_TAPS = 6
_TAP_PLACES = np.array([0.11, 0.23, 0.37, 0.53, 0.71, 0.94])
_TAP_GAINS = np.array([0.8, -0.7, 0.6, 0.5, -0.42, 0.35])


def reverb_cells(pre: int, lengths: np.ndarray, diffusers: np.ndarray) -> int:
    """Cells for rings of these many frames."""
    return _RINGS + 2 * pre + int(np.sum(lengths)) + int(np.sum(diffusers))


@kernel
def cells_of(coefficients):
    """The same, of the lengths among the coefficients."""
    total = _RINGS + 2 * int(coefficients[PRE])
    for k in range(LINES):
        total += int(coefficients[_LINE_VALUES + _PER_LINE * k])
    for k in range(2 * _DIFFUSERS):
        total += int(coefficients[_DIFFUSER_VALUES + k])
    return total


@kernel
def _row(state, index):
    start = _ROWS + index * QUANTUM
    return state[start : start + QUANTUM]


@kernel
def reverb(state, coefficients, audio, frames):
    """The room alone, without what went in; stereo float32 (frames, 2), in place.

    At most a quantum at a time: every ring is longer, so that a quantum is read as a whole before
    any of it is written.
    """
    lines = coefficients[_LINE_VALUES : _LINE_VALUES + _PER_LINE * LINES]
    spans = coefficients[_DIFFUSER_VALUES : _DIFFUSER_VALUES + 2 * _DIFFUSERS]
    in_l, in_r = _row(state, _IN_L), _row(state, _IN_R)
    out_l, out_r = _row(state, _OUT_L), _row(state, _OUT_R)
    early = coefficients[EARLY]
    _take_in(state, coefficients, audio, frames, in_l, in_r, out_l, out_r)
    at = _RINGS + 2 * int(coefficients[PRE])
    for k in range(LINES):
        at += int(lines[_PER_LINE * k])
    for k in range(2 * _DIFFUSERS):
        ring = state[at : at + int(spans[k])]
        side = in_l if k < _DIFFUSERS else in_r
        place = _DIFFUSER_PLACES + k
        state[place] = _diffused(ring, int(state[place]), side, coefficients[DIFFUSION], frames)
        at += int(spans[k])
    for n in range(frames):
        out_l[n] *= early
        out_r[n] *= early
    _read_lines(state, coefficients, lines, frames)
    _mix(state)
    _write_lines(state, coefficients, lines, frames)
    width = 0.5 * coefficients[WIDTH]
    for n in range(frames):
        middle, side = 0.5 * (out_l[n] + out_r[n]), width * (out_l[n] - out_r[n])
        audio[n, 0], audio[n, 1] = middle + side, middle - side


@kernel
def _take_in(state, coefficients, audio, frames, in_l, in_r, out_l, out_r):
    """What goes in: without its bottom, after the pre-delay; and its first reflections."""
    pre, cut = int(coefficients[PRE]), coefficients[LOW_CUT]
    before = state[_RINGS : _RINGS + 2 * pre]
    at, cut_l, cut_r = int(state[_PRE_AT]), state[_CUT_L], state[_CUT_R]
    early = coefficients[EARLY] > 0.0
    for n in range(frames):
        x, y = np.float64(audio[n, 0]), np.float64(audio[n, 1])
        whole = sane(x + y)
        x, y = (x, y) if whole else (0.0, 0.0)
        cut_l += cut * (x - cut_l)
        cut_r += cut * (y - cut_r)
        out_l[n] = out_r[n] = 0.0
        if early:
            for tap in range(_TAPS):
                place = at - int(_TAP_PLACES[tap] * pre)
                place = place + pre if place < 0 else place
                out_l[n] += _TAP_GAINS[tap] * before[2 * place]
                out_r[n] += _TAP_GAINS[_TAPS - 1 - tap] * before[2 * place + 1]
        in_l[n], in_r[n] = before[2 * at], before[2 * at + 1]
        before[2 * at], before[2 * at + 1] = x - cut_l, y - cut_r
        at = at + 1 if at + 1 < pre else 0
    state[_PRE_AT], state[_CUT_L], state[_CUT_R] = at, cut_l, cut_r


@kernel
def _diffused(ring, at, side, gain, frames):
    """An allpass over a row, in place; returns its place in the ring."""
    span = ring.shape[0]
    for n in range(frames):
        held = ring[at]
        fresh = side[n] - gain * held
        ring[at] = fresh
        side[n] = held + gain * fresh
        at = at + 1 if at + 1 < span else 0
    return at


@kernel
def _read_lines(state, coefficients, lines, frames):
    """What leaves each line, heard and then fallen: b x + a y, the gains of the two decays.

    Two lines at a time, the one heard on the left and the one on the right: a pole alone would
    leave the processor waiting for its own last output.
    """
    out_l, out_r = _row(state, _OUT_L), _row(state, _OUT_R)
    start = _RINGS + 2 * int(coefficients[PRE])
    for k in range(0, LINES, 2):
        gain = coefficients[LEVEL] if k % 4 == 0 else -coefficients[LEVEL]
        left, right = _row(state, k), _row(state, k + 1)
        start = _get(state, lines, k, start, left, frames)
        start = _get(state, lines, k + 1, start, right, frames)
        for n in range(frames):
            out_l[n] += gain * left[n]
            out_r[n] += gain * right[n]
        b, a = lines[_PER_LINE * k + 1], lines[_PER_LINE * k + 2]
        d, c = lines[_PER_LINE * k + 4], lines[_PER_LINE * k + 5]
        first, second = state[_POLES + k], state[_POLES + k + 1]
        for n in range(frames):
            first = b * left[n] + a * first
            second = d * right[n] + c * second
            left[n] = first
            right[n] = second
        state[_POLES + k] = first if sane(first) else 0.0
        state[_POLES + k + 1] = second if sane(second) else 0.0


@kernel
def _get(state, lines, k, start, row, frames):
    """Reads a line's ring into a row; returns where the next one's starts."""
    span, at = int(lines[_PER_LINE * k]), int(state[_PLACES + k])
    until = min(frames, span - at)
    source = state[start + at : start + at + until]
    for n in range(until):
        row[n] = source[n]
    if until < frames:
        source, rest = state[start : start + frames - until], row[until:frames]
        for n in range(frames - until):
            rest[n] = source[n]
    return start + span


@kernel
def _mix(state):
    """The Hadamard matrix, as sums and differences of four rows at a time."""
    step = 1
    while step < LINES:
        for k in range(0, LINES, 4 * step):
            for m in range(k, k + step):
                first, second = _row(state, m), _row(state, m + step)
                third, fourth = _row(state, m + 2 * step), _row(state, m + 3 * step)
                for n in range(QUANTUM):
                    a, b = first[n] + second[n], first[n] - second[n]
                    c, d = third[n] + fourth[n], third[n] - fourth[n]
                    first[n] = a + c
                    second[n] = b + d
                    third[n] = a - c
                    fourth[n] = b - d
        step *= 4


@kernel
def _write_lines(state, coefficients, lines, frames):
    """The pairs turned, and what is new, into the rings."""
    in_l, in_r = _row(state, _IN_L), _row(state, _IN_R)
    cosine, sine = _row(state, _COSINE), _row(state, _SINE)
    turning = coefficients[TURNING]
    start = _RINGS + 2 * int(coefficients[PRE])
    for pair in range(LINES // 2):
        _turned(state, pair, (1 + pair % 3) * turning, cosine, sine, frames)
        left, right = _row(state, 2 * pair), _row(state, 2 * pair + 1)
        for n in range(QUANTUM):
            a, b = left[n], right[n]
            left[n] = cosine[n] * a + sine[n] * b + in_l[n]
            right[n] = cosine[n] * b - sine[n] * a + in_r[n]
        start = _put(state, lines, 2 * pair, start, left, frames)
        start = _put(state, lines, 2 * pair + 1, start, right, frames)


@kernel
def _turned(state, pair, turn, cosine, sine, frames):
    """A pair's slow rotation over a row, with the matrix's factor of a quarter.

    By the sum of two angles, which keeps their length for hours.
    """
    c, s = state[_ANGLES + 2 * pair], state[_ANGLES + 2 * pair + 1]
    if c == 0.0 and s == 0.0:
        c, s = 0.25 * sine_of(pair / 8.0 + 0.25), 0.25 * sine_of(pair / 8.0)
    along, across = sine_of(turn + 0.25), sine_of(turn)
    for n in range(frames):
        cosine[n] = c
        sine[n] = s
        c, s = c * along - s * across, s * along + c * across
    state[_ANGLES + 2 * pair], state[_ANGLES + 2 * pair + 1] = c, s


@kernel
def _put(state, lines, k, start, row, frames):
    """Writes a row into a line's ring; returns where the next one's starts."""
    span, at = int(lines[_PER_LINE * k]), int(state[_PLACES + k])
    until = min(frames, span - at)
    target = state[start + at : start + at + until]
    for n in range(until):
        target[n] = row[n]
    if until < frames:
        target, rest = state[start : start + frames - until], row[until:frames]
        for n in range(frames - until):
            target[n] = rest[n]
    at += frames
    state[_PLACES + k] = at - span if at >= span else at
    return start + span
