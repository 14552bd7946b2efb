"""How fast the machine is just now: what shares it can make it several times slower."""

from __future__ import annotations

import time

_PIECE_S = 0.006  # for `_timed_piece`, by the two-core machine that the budgets are for


def slowness() -> float:
    """By how much longer a fixed piece of work takes now than at the machine's usual speed.

    The quickest of three, and never under 1: what is slow by itself is not excused.
    """
    quickest = min(_timed_piece() for _ in range(3))
    return max(1.0, quickest / _PIECE_S)


def _timed_piece() -> float:
    start, total = time.thread_time(), 0
    for n in range(60_000):
        total += n * n % 7
    return time.thread_time() - start
