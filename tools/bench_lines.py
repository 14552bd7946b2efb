"""A line of the benchmark, and how its figure is taken."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

RATE = 48000.0


def timed(work: Callable[[], object], runs: int = 15) -> float:
    """The median in ms, after two runs that are not counted."""
    times = []
    for n in range(runs + 2):
        start = time.perf_counter()
        work()
        if n >= 2:
            times.append(1000.0 * (time.perf_counter() - start))
    return statistics.median(times)


def line(what: str, found: str, budget: str) -> None:
    """Prints one line."""
    print(f"{what:52} {found:34} budget: {budget}", flush=True)
