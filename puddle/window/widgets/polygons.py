"""Polygons out of arrays, without a Python object for every point."""

from __future__ import annotations

from typing import Any, cast

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPolygonF


def polygon(xs: np.ndarray, ys: np.ndarray) -> QPolygonF:
    """The points (x, y) in their order; both arrays are as long."""
    count = len(xs)
    made = QPolygonF([QPointF()] * count)  # one point, shared: Qt copies it
    if count:
        memory = made.data()
        assert memory is not None
        memory.setsize(16 * count)
        points = np.frombuffer(cast(Any, memory), np.float64).reshape(count, 2)
        points[:, 0] = xs
        points[:, 1] = ys
    return made
