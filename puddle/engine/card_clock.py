"""When a sound card asks for its blocks: what carries a time is struck a constant time later.

A card asks late now and then, never early: the earliest of the latest calls tells when it was due
(a windowed minimum, as the clock filter of RFC 5905, section 10). Two windows follow a clock that
drifts, and a card that has run dry and asks later from then on.
"""

import math

import numpy as np

from puddle.kernels.compiling import kernel, monotonic_ns

_WINDOW_S = 0.25
_FARTHEST_S = 1.0  # a stamp further away is of another clock, or of a card that stood still
_NONE = 1e18


@kernel
def see_card(engine, frames):
    """Notes that the card asks for a block now."""
    now = monotonic_ns(engine.timespec) * 1e-9
    begins = now - (engine.clock - engine.fifo_left) / engine.rate  # when frame 0 was asked for
    engine.block = frames
    if now - engine.window_since > _WINDOW_S:
        fresh = now - engine.window_since < 2.0 * _WINDOW_S
        engine.window_before = engine.window_least if fresh else _NONE
        engine.window_least = begins
        engine.window_since = now
    engine.window_least = min(engine.window_least, begins)


@kernel
def frame_of_stamp(engine, stamp):
    """The frame on which to strike what came at a time of the monotonic clock, in s: a block after
    that moment, or at once (0) where that cannot be told."""
    if stamp <= 0.0 or engine.immediate == 1 or engine.block == 0:
        return 0
    begins = min(engine.window_least, engine.window_before)
    frame = (stamp - begins) * engine.rate + engine.block
    if abs(frame - engine.clock) > _FARTHEST_S * engine.rate:
        return 0
    return np.int64(math.floor(frame + 0.5))
