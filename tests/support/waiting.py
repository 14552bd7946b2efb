"""Waiting for what another thread or process does."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

_LOOKS_S = 0.005


def until(
    done: Callable[[], Any], seconds: float = 10.0, told: Callable[[], object] = lambda: None
) -> None:
    """Looks again and again. Raises AssertionError, with what was told by then."""
    end = time.monotonic() + seconds
    while not done():
        if time.monotonic() > end:
            raise AssertionError("it never came", told())
        time.sleep(_LOOKS_S)


def until_calm(seconds: float = 20.0) -> None:
    """Waits, at most so long, for a second in which this machine lets no sleeper stand still."""
    calm_since = time.monotonic()
    end = calm_since + seconds
    while time.monotonic() < min(end, calm_since + 1.0):
        before = time.monotonic()
        time.sleep(0.002)
        if time.monotonic() - before > 0.015:
            calm_since = time.monotonic()
