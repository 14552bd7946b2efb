"""Polygons out of arrays, without a Python object for every point."""

from __future__ import annotations

from typing import Any, cast

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPolygonF

_ORIGIN = QPointF()


def polygon(xs: np.ndarray, ys: np.ndarray) -> QPolygonF:
    """The points (x, y) in their order; both arrays are as long."""
    made, points = _blank(len(xs))
    points[:, 0] = xs
    points[:, 1] = ys
    return made


def under(xs: np.ndarray, ys: np.ndarray, base: float) -> QPolygonF:
    """The area between a line of at least one point and a height."""
    count = len(xs)
    made, points = _blank(count + 2)
    points[:count, 0] = xs
    points[:count, 1] = ys
    points[count:, 0] = xs[-1], xs[0]
    points[count:, 1] = base
    return made


def _blank(count: int) -> tuple[QPolygonF, np.ndarray]:
    """A polygon of so many points, and its memory (count, 2): theirs until it is copied."""
    made = QPolygonF()
    made.fill(_ORIGIN, count)
    if not count:
        return made, np.zeros((0, 2))
    memory = made.data()
    assert memory is not None
    memory.setsize(16 * count)
    return made, np.frombuffer(cast(Any, memory), np.float64).reshape(count, 2)
