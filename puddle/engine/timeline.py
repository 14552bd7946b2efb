"""Musical time on the engine's clock, and the strikes of the coming quantum in order of time."""

import math

import numpy as np

from puddle.engine.layout import RELEASE, STRIKE
from puddle.kernels.compiling import kernel


@kernel
def beat_at(engine, frame):
    """The beat of the groove that falls on a frame."""
    return engine.base_beat + (frame - engine.base_frame) * engine.bpm / (60.0 * engine.rate)


@kernel
def frame_of(engine, beat):
    """The frame on which a beat falls, to the nearest."""
    beats = beat - engine.base_beat
    return engine.base_frame + np.int64(math.floor(beats * 60.0 * engine.rate / engine.bpm + 0.5))


@kernel
def insert(due, count, kind, pad, note, turn, velocity, offset):
    """Inserts by time; of two at one frame a release comes first. Returns the new count."""
    place = count
    while place > 0 and (
        due[place - 1].frame > offset
        or (due[place - 1].frame == offset and kind == RELEASE and due[place - 1].kind == STRIKE)
    ):
        due[place] = due[place - 1]
        place -= 1
    due[place].kind = kind
    due[place].a = pad
    due[place].b = note
    due[place].count = turn
    due[place].x = velocity
    due[place].frame = offset
    return count + 1
