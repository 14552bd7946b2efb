"""A line of the benchmark, and how its figure is taken."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from pathlib import Path

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


def most_mib() -> float:
    """The most memory that this process has held.

    Not as the usage of resources tells it: that begins with what the process held that started it.
    """
    told = Path("/proc/self/status").read_text().split("VmHWM:")[1]
    return float(told.split()[0]) / 1024.0
