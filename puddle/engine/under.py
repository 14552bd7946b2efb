"""Recordings that run with the groove, under it: mixed in after everything that is exported."""

from __future__ import annotations

import math

from puddle.engine.layout import UNDER, UNDERS
from puddle.engine.lookup import tables_of
from puddle.engine.pointers import f32_at, unders_at
from puddle.kernels.compiling import carray, kernel
from puddle.kernels.quantum import QUANTUM

_CROSS_S = 0.010


@kernel
def add_under(engine, monitor, audio):
    """Adds the next quantum of what runs under the groove; it fades out where the groove stops."""
    table = tables_of(engine)
    count = min(UNDERS, table[UNDER].count)
    wanted = 1.0 if engine.playing == 1 else 0.0
    if count == 0 or (wanted == 0.0 and monitor.under_now == 0.0):
        monitor.under_now = wanted
        return
    per_beat = 60.0 * engine.rate / engine.bpm
    zero = engine.base_frame - math.floor(engine.base_beat * per_beat + 0.5)
    at = engine.clock - QUANTUM - engine.late - int(zero)
    step = QUANTUM / (_CROSS_S * engine.rate)
    share = monitor.under_now
    following = min(wanted, share + step) if wanted > share else max(wanted, share - step)
    if share == 0.0 and at <= 0:
        share = following = wanted  # its first sound comes in whole
    unders = carray(unders_at(table[UNDER].address), (count,))
    for k in range(count):
        one = unders[k]
        take = carray(f32_at(one.audio), (max(1, one.frames), 2))
        start = math.floor(one.offset * per_beat + 0.5)
        for n in range(QUANTUM):
            place = at + n - start
            if place < 0:
                continue
            if one.length >= 1.0:
                # Each round begins with the frame that is nearest to where it should.
                turn = math.floor((place + 0.5) / one.length)
                place -= math.floor(turn * one.length + 0.5)
            if place >= one.frames:
                continue
            level = one.gain * (share + (following - share) * (n + 1.0) / QUANTUM)
            audio[n, 0] += take[place, 0] * level
            audio[n, 1] += take[place, 1] * level
    monitor.under_now = following
