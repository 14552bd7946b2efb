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


@kernel
def _fold(rows, ids, lengths, longer, near, most, firsts):
    for n in range(ids.shape[0]):
        firsts[n] = ids[n]
        for m in range(n - 1, max(-1, n - 1 - most), -1):
            if lengths[n] > longer * lengths[m]:
                break
            total = np.float32(0.0)
            for k in range(rows.shape[1]):
                total += abs(rows[ids[n], k] - rows[ids[m], k])
                if total > near:
                    break
            if total <= near:
                firsts[n] = firsts[m]
                break


def folded(
    rows: np.ndarray,
    ids: np.ndarray,
    lengths: np.ndarray,
    longer: float,
    near: float,
    most: int,
) -> np.ndarray:
    """For each of some rows, rising in length, the id of the first that it is a double of.

    `rows` float32 (count, width), `ids` int64, `lengths` float32 of them; two are doubles where one
    is at most `longer` times as long and they lie within `near`; so many before it are looked at.
    """
    firsts = np.empty(ids.shape[0], np.int64)
    _fold(rows, ids.astype(np.int64), lengths, longer, near, most, firsts)
    return firsts
