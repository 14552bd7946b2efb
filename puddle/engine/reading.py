"""How a voice reads its take between frames: by the filters of `kernels.polyphase`."""

import math

import numpy as np

from puddle.engine.pointers import FRAME, f32_at
from puddle.kernels.compiling import carray, kernel
from puddle.kernels.gliding import add_long, add_short
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


@kernel
def _add_by_short(take, position, rate, table, left, right, out, count):
    """What lies at places of a take, by the short filter.

    `take` is the address of where its window begins for the first frame.
    """
    for n in range(count):
        at = position + n * rate
        whole = int(at)
        place = (at - whole) * PHASES
        row = int(place)
        fraction = np.float32(place - row)
        taps = table + SHORT_BYTES * row
        add_short(take + FRAME * whole, taps, fraction, left, right, out + FRAME * n)


@kernel
def _add_by_long(take, position, rate, table, left, right, out, count):
    """The same by a long one."""
    for n in range(count):
        at = position + n * rate
        whole = int(at)
        place = (at - whole) * PHASES
        row = int(place)
        fraction = np.float32(place - row)
        taps = table + LONG_BYTES * row
        add_long(take + FRAME * whole, taps, fraction, left, right, out + FRAME * n)
