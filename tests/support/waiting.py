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
