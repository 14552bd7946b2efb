"""Where an edge may lie without a click: zero crossings, and the onsets of hits."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np


def zero_crossing(mono: np.ndarray, frame: float, reach: float) -> float | None:
    """The frame next to the nearest change of sign within a reach; None where there is none.

    Of the two frames around the change it is the quieter one.
    """
    first = max(0, int(np.floor(frame - reach)))
    part = mono[first : max(first, int(np.ceil(frame + reach)) + 2)]
    if part.size < 2:
        return None
    changes = np.flatnonzero((part[:-1] < 0.0) != (part[1:] < 0.0))
    if changes.size == 0:
        return None
    quieter = changes + (np.abs(part[changes + 1]) < np.abs(part[changes]))
    places = first + quieter
    near = float(places[np.argmin(np.abs(places - frame))])
    return near if abs(near - frame) <= reach + 1.0 else None


def nearest(places: Iterable[float], at: float, reach: float) -> float | None:
    """The nearest of some places within a reach; None where there is none."""
    found = min(places, key=lambda place: abs(place - at), default=None)
    return found if found is not None and abs(found - at) <= reach else None
