"""What a bus gives, kept in rings for the window to look at: the last seconds of a few of them."""

import numpy as np

from puddle.engine.layout import SCOPE_FRAMES, SCOPED, SCOPES, UNSEEN
from puddle.engine.lookup import tables_of
from puddle.engine.pointers import f32_at, i64_at, scopes_at
from puddle.kernels.compiling import carray, kernel
from puddle.kernels.quantum import QUANTUM


@kernel
def keep_scopes(engine, audio, buses):
    """Adds a quantum of each bus that is looked at to its ring."""
    table = tables_of(engine)[SCOPED]
    places = carray(i64_at(table.address), (table.count,))
    scopes = carray(scopes_at(engine.scopes), (SCOPES,))
    for k in range(table.count):
        bus = places[k]
        if bus == UNSEEN:
            continue
        ring = carray(f32_at(scopes[k].audio), (SCOPE_FRAMES, 2))
        at = scopes[k].written % SCOPE_FRAMES
        there = 0 <= bus < buses  # what is gone is silent: files that are written go on together
        for n in range(QUANTUM):
            ring[at + n, 0] = audio[bus, n, 0] if there else np.float32(0.0)
            ring[at + n, 1] = audio[bus, n, 1] if there else np.float32(0.0)
        scopes[k].written += QUANTUM
