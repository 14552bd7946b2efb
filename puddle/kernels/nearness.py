"""Distances between rows of figures."""

from __future__ import annotations

import numpy as np

from puddle.kernels.compiling import kernel


@kernel
def _city_block(rows, which, row, out):
    for n in range(which.shape[0]):
        total = np.float32(0.0)
        at = which[n]
        for k in range(rows.shape[1]):
            total += abs(rows[at, k] - row[k])
        out[n] = total


def city_block_among(rows: np.ndarray, which: np.ndarray, row: np.ndarray) -> np.ndarray:
    """The sum of absolute differences of some of float32 (count, width) from a row: float32."""
    out = np.empty(which.shape[0], np.float32)
    wanted = np.ascontiguousarray(row, np.float32)
    _city_block(rows, np.ascontiguousarray(which, np.int64), wanted, out)
    return out


def city_block(rows: np.ndarray, row: np.ndarray) -> np.ndarray:
    """The same of all rows: float32 (count,)."""
    return city_block_among(rows, np.arange(rows.shape[0]), row)
