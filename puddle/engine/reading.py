"""How a voice reads its take between frames: by the filters of `kernels.polyphase`."""

import math

import numpy as np

from puddle.engine.pointers import FRAME, f32_at
from puddle.kernels.compiling import carray, inlined, kernel
from puddle.kernels.gliding import add_long, add_short, add_two_long, add_two_short
from puddle.kernels.polyphase import (
    LONG,
    LONG_BYTES,
    LONG_START,
    LONG_TABLE_BYTES,
    PHASES,
    SHORT,
    SHORT_BYTES,
    SHORT_RATIO,
    TABLES,
)

_PART_BITS, _ROW_BITS = 40, 32
_FRAME_PARTS = 1 << _PART_BITS  # the parts of a frame that a gliding voice's places are counted in
_ROW_MASK, _ROW_PART = (1 << _ROW_BITS) - 1, np.float32(1.0 / (1 << _ROW_BITS))


@kernel
def table_for(engine, rate):
    """The address of the filters that a ratio is read by: the short one's, or a long one's."""
    if rate <= SHORT_RATIO:
        return engine.filters
    place = math.ceil(6.0 * math.log2(rate / SHORT_RATIO)) - 1
    place = min(TABLES - 1, max(0, place))
    return engine.filters + LONG_START + place * LONG_TABLE_BYTES


@kernel
def add_at(engine, table, frames, part, left, right, out):
    """Adds what lies at a part of a frame after the middle of LONG frames at an address."""
    place = part * PHASES
    row = int(place)
    fraction = np.float32(place - row)
    if table == engine.filters:
        inner = frames + FRAME * (LONG - SHORT) // 2
        add_short(inner, table + SHORT_BYTES * row, fraction, left, right, out)
    else:
        add_long(frames, table + LONG_BYTES * row, fraction, left, right, out)


@kernel
def around(engine, voice, take, whole):
    """The address of the LONG frames around one, with silence before and after the take."""
    start = whole - (LONG // 2 - 1)
    if start >= 0 and start + LONG <= voice.frames:
        return voice.take + FRAME * start
    edge = carray(f32_at(engine.edge), (LONG, 2))
    for n in range(LONG):
        inside = 0 <= start + n < voice.frames
        edge[n, 0] = take[start + n, 0] if inside else 0.0
        edge[n, 1] = take[start + n, 1] if inside else 0.0
    return engine.edge


@kernel
def add_gliding(engine, voice, room, count):
    """Adds what a voice well inside its take plays: no edge and no fade to look out for."""
    left = np.float32(voice.left * voice.envelope)
    right = np.float32(voice.right * voice.envelope)
    table = table_for(engine, voice.rate)
    short = table == engine.filters
    before = (SHORT if short else LONG) // 2 - 1
    take = voice.take - FRAME * before
    out = room.ctypes.data
    if short:
        _add_by_short(take, voice.position, voice.rate, table, left, right, out, count)
    else:
        _add_by_long(take, voice.position, voice.rate, table, left, right, out, count)
    voice.position += count * voice.rate


@inlined
def _frames(take, at):
    """The address of the first frame of the window around a place."""
    return take + FRAME * (at >> _PART_BITS)


@inlined
def _row(table, row_bytes, at):
    """The address of the row of taps before a place."""
    return table + row_bytes * ((at >> _ROW_BITS) & (PHASES - 1))


@inlined
def _past_row(at):
    """How far a place is on the way to the next row: 0 to 1."""
    return np.float32(at & _ROW_MASK) * _ROW_PART


@kernel
def _add_by_short(take, position, rate, table, left, right, out, count):
    """What lies at places of a take, by the short filter.

    `take` is the address of where its window begins for the first frame. Places go on in whole
    numbers of 2^-40 frames: the wait for conversions from float64 took a third of the time.
    """
    take += FRAME * int(position)
    at, step = int((position - int(position)) * _FRAME_PARTS), int(rate * _FRAME_PARTS)
    for _ in range(count // 2):
        here, row, part = _frames(take, at), _row(table, SHORT_BYTES, at), _past_row(at)
        at += step
        there, row2, part2 = _frames(take, at), _row(table, SHORT_BYTES, at), _past_row(at)
        at += step
        add_two_short(here, row, part, there, row2, part2, left, right, out)
        out += 2 * FRAME
    if count % 2:
        here, row, part = _frames(take, at), _row(table, SHORT_BYTES, at), _past_row(at)
        add_short(here, row, part, left, right, out)


@kernel
def _add_by_long(take, position, rate, table, left, right, out, count):
    """The same by a long one."""
    take += FRAME * int(position)
    at, step = int((position - int(position)) * _FRAME_PARTS), int(rate * _FRAME_PARTS)
    for _ in range(count // 2):
        here, row, part = _frames(take, at), _row(table, LONG_BYTES, at), _past_row(at)
        at += step
        there, row2, part2 = _frames(take, at), _row(table, LONG_BYTES, at), _past_row(at)
        at += step
        add_two_long(here, row, part, there, row2, part2, left, right, out)
        out += 2 * FRAME
    if count % 2:
        here, row, part = _frames(take, at), _row(table, LONG_BYTES, at), _past_row(at)
        add_long(here, row, part, left, right, out)
