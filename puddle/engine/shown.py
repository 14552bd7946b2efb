"""Where the groove is, for other processes: written beside the rings with every block of the card.

A count is odd while it is written: whoever reads takes what lies between two equal even counts.
"""

from puddle.engine.layout import SHOWN_AT
from puddle.engine.pointers import shown_at
from puddle.kernels.compiling import carray, kernel, store_release


@kernel
def show(engine):
    """Writes the clock and the groove's place."""
    place = engine.rings + SHOWN_AT
    shown = carray(shown_at(place), (1,))[0]
    count = shown.writes
    store_release(place, count + 1)
    shown.clock = engine.clock
    shown.rate = engine.rate
    shown.playing = engine.playing
    shown.bpm = engine.bpm
    shown.base_frame = engine.base_frame
    shown.base_beat = engine.base_beat
    shown.late = engine.late
    store_release(place, count + 2)
