"""Note repeat: a lane that the engine strikes by itself, on exact frames.

By beats it falls on the groove's own grid while that plays, so that it can be recorded; else, and
by an interval in frames, it goes on from its last stroke. Its strokes are written into a ring for
the window.
"""

import math

import numpy as np

from puddle.engine.layout import NO_TURN, PENDING, REPEAT, STRIKE, STROKES
from puddle.engine.lookup import row_of, tables_of
from puddle.engine.pointers import f64_at, repeats_at, strokes_at
from puddle.engine.timeline import beat_at, frame_of, insert
from puddle.kernels.compiling import carray, kernel, store_release

_NO_NOTE = -1
_SAME_BEAT = 1e-9  # beats that differ by less are one


@kernel
def take_repeat(engine):
    """After the lane has changed: one that begins has its first stroke soon, or after half a
    period where a hand has struck just now."""
    table = tables_of(engine)[REPEAT]
    if table.count == 0:
        return
    lane = carray(repeats_at(table.address), (1,))[0]
    if lane.serial != engine.repeat_serial:
        engine.repeat_serial = lane.serial
        engine.repeat_turn = 0
        engine.repeat_last = float(engine.clock) - (0.0 if lane.struck == 1 else 1e12)


@kernel
def _period(engine, lane):
    """Frames from stroke to stroke."""
    return lane.beats * 60.0 * engine.rate / engine.bpm if lane.beats > 0.0 else lane.frames


@kernel
def _next_stroke(engine, lane):
    """The frame of the next stroke, float64: on the groove's grid, or a period after the last."""
    period = _period(engine, lane)
    if lane.beats > 0.0 and engine.playing == 1:
        start = max(float(engine.clock), engine.repeat_last + 0.5 * period)
        number = math.ceil(beat_at(engine, start - 0.5) / lane.beats - _SAME_BEAT)
        return float(frame_of(engine, number * lane.beats))
    return max(float(engine.clock), engine.repeat_last + period)


@kernel
def gather_repeat(engine, due, count, end):
    """Adds the lane's strokes before a frame to the due list; returns the new count."""
    table = tables_of(engine)[REPEAT]
    if table.count == 0:
        return count
    lane = carray(repeats_at(table.address), (1,))[0]
    if row_of(engine, lane.slot) < 0:
        return count
    velocities = carray(f64_at(lane.velocities), (lane.velocity_count,))
    while count < PENDING:
        exact = _next_stroke(engine, lane)
        frame = np.int64(math.floor(exact + 0.5))
        if frame >= end:
            return count
        velocity = velocities[engine.repeat_turn % lane.velocity_count]
        offset = max(0, frame - engine.clock)
        count = insert(due, count, STRIKE, lane.slot, _NO_NOTE, NO_TURN, velocity, offset)
        engine.repeat_last = exact
        engine.repeat_turn += 1
        _write(engine, lane.slot, velocity, frame)
    return count


@kernel
def _write(engine, slot, velocity, frame):
    """Tells the window of a stroke: the newest STROKES of them are kept."""
    stroke = carray(strokes_at(engine.strokes), (STROKES,))[engine.strokes_written % STROKES]
    stroke.slot = slot
    stroke.velocity = velocity
    stroke.frame = frame
    stroke.playing = engine.playing
    stroke.beat = beat_at(engine, frame)
    engine.strokes_written += 1
    store_release(engine.strokes_count, engine.strokes_written)
