"""The simulated card's loop: asks for blocks at exact times, outside of the interpreter.

A real card calls the compiled callback by its address. A loop in Python would wait for the
interpreter before each block while anything else computes, as no card does.
"""

from puddle.engine.mixer import deliver, deliver_outputs
from puddle.engine.pointers import f32_at, i64_at
from puddle.kernels.compiling import (
    carray,
    kernel,
    load_acquire,
    monotonic_ns,
    sleep_until_ns,
    store_release,
)

# Cells of the loop, int64: what it is given, and what it tells.
STOP, ENGINE, BLOCK, CHANNELS, PERIOD_NS, BEGAN_NS, OUT, KEPT, MOST_KEPT = range(9)
FRAMES, LATE, TIMESPEC = 9, 10, 11  # the timespec has two
CELLS = 13
_OWED_NS = 250_000_000  # a suspended machine does not owe the time that it slept


@kernel
def run_card(address):
    """Plays an engine until the first cell is set: blocks of CHANNELS of float32 at OUT.

    PERIOD_NS is a block's length times 2^20, so that nothing drifts. With MOST_KEPT frames of room
    at KEPT, what was played is kept there.
    """
    cells = carray(i64_at(address), (CELLS,))
    block, channels = cells[BLOCK], cells[CHANNELS]
    began, blocks = cells[BEGAN_NS], 0
    out = carray(f32_at(cells[OUT]), (block, channels))
    kept = carray(f32_at(cells[KEPT]), (max(1, cells[MOST_KEPT]), channels))
    timespec = address + 8 * TIMESPEC
    while load_acquire(address + 8 * STOP) == 0:
        if channels == 2:
            deliver(cells[ENGINE], cells[OUT], block)
        else:
            deliver_outputs(cells[ENGINE], cells[OUT], block, channels)
        done = cells[FRAMES]
        for n in range(min(block, cells[MOST_KEPT] - done)):
            for channel in range(channels):
                kept[done + n, channel] = out[n, channel]
        store_release(address + 8 * FRAMES, done + block)
        blocks += 1
        due = began + (blocks * cells[PERIOD_NS] >> 20)
        now = monotonic_ns(timespec)
        if now - due > _OWED_NS:
            cells[LATE] += 1
            began, blocks = now, 0
        elif due > now:
            sleep_until_ns(timespec, due)
