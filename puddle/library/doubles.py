"""Near-doubles: sounds so alike that one row stands for all of them.

Two sounds are doubles where they hold the same content, or where their lengths differ by at most a
hundredth and their likeness rows lie nearer than takes of one drum do.
"""

from __future__ import annotations

import numpy as np

from puddle.library.columns import DOUBLE, FIGURES, REJECTED, THERE, Columns

_NEAR = 9.0  # in units of likeness
_LONGER = 1.01
_MOST_COMPARED = 64  # neighbors by length
_LENGTH = FIGURES.index("length_ms")


def fold(columns: Columns, of_kit: np.ndarray) -> np.ndarray:
    """Flags all but the first of near-doubles; returns how many each row stands for: (count,).

    `of_kit`, bool (count,), are entries that are not counted.
    """
    from puddle.kernels.nearness import folded

    there = (columns.flags & (THERE | REJECTED)) == THERE
    ids = np.flatnonzero(there & np.isfinite(columns.figures[_LENGTH]))
    lengths = columns.figures[_LENGTH][ids]
    order = np.argsort(lengths, kind="stable")
    ids, lengths = ids[order], np.ascontiguousarray(lengths[order])
    firsts = folded(columns.likeness, ids, lengths, _LONGER, _NEAR, _MOST_COMPARED)
    counts = np.zeros(columns.count, np.uint16)
    np.add.at(counts, firsts[~of_kit[ids]], 1)  # a kit's own copy of a file is no other sound
    flags = columns.flags
    flags[:] = flags & (255 - DOUBLE)
    flags[ids[firsts != ids]] |= DOUBLE
    return counts
