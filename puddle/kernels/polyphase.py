"""Reading between frames without images or aliases: windowed sincs, tabulated by phase.

A row holds the taps for one of 256 places between two frames; between two rows they are blended
(J. O. Smith, *Digital Audio Resampling*: linear interpolation of a filter table). Played faster,
a take is read by longer and lower filters, so that what would fold back is gone before: each table
is for ratios up to some bound, its stop band beginning at half the rate over that bound.

With a Kaiser window of β = 8.5 images and aliases lie 84 dB down; a filter of 32 taps passes up to
0.40 of the rate, one of 64 up to 0.085 of the rate below its stop band.
"""

from __future__ import annotations

import math
from functools import cache

import numpy as np

PHASES = 256
SHORT, LONG = 32, 64
SHORT_RATIO = 1.1  # up to which the short filter does
TABLES = 13  # of long filters, each for ratios up to a sixth of an octave more
_PER_OCTAVE = 6
_BETA = 8.5
_LINE_BYTES = 64  # of a cache line
_SHORT_CUTOFF = 0.48  # of the rate: where it is 6 dB down
_READ_CUTOFF = 0.5
_HALF_WIDTH = 34.1 / (2.0 * math.pi) / 2.0  # of the transition, times the taps: Kaiser's formula


def filter_rows(taps: int, cutoff: float) -> np.ndarray:
    """float64 (PHASES + 1, taps): row p reads p / PHASES after the frame at taps / 2 - 1."""
    x = np.arange(taps) - (taps // 2 - 1) - np.arange(PHASES + 1)[:, None] / PHASES
    inside = np.sqrt(np.maximum(0.0, 1.0 - (2.0 * x / taps) ** 2))
    rows = np.sinc(2.0 * cutoff * x) * np.i0(_BETA * inside)
    found: np.ndarray = rows / rows.sum(axis=1, keepdims=True)
    return found


def long_cutoff(bound: float) -> float:
    """Where a long filter for ratios up to a bound is 6 dB down, over the rate."""
    return max(0.02, 0.5 / bound - _HALF_WIDTH / LONG)


def _on_lines(rows: np.ndarray) -> np.ndarray:
    """float32, C order, from the first byte of a cache line on: no row's vector lies across two."""
    memory = np.empty(4 * rows.size + _LINE_BYTES, np.uint8)
    start = -memory.ctypes.data % _LINE_BYTES
    found = memory[start : start + 4 * rows.size].view(np.float32).reshape(rows.shape)
    found[:] = rows
    return found


@cache
def voice_tables() -> np.ndarray:
    """float32: the short table, then the long ones."""
    bounds = SHORT_RATIO * 2.0 ** (np.arange(1, TABLES + 1) / _PER_OCTAVE)
    parts = [filter_rows(SHORT, _SHORT_CUTOFF)]
    parts += [filter_rows(LONG, long_cutoff(float(bound))) for bound in bounds]
    return _on_lines(np.concatenate([part.ravel() for part in parts]))


# One table for delays that waver, which are read at about the rate that they were written at.
READ_ROWS = _on_lines(filter_rows(SHORT, _READ_CUTOFF))
SHORT_BYTES = 4 * SHORT
LONG_BYTES = 4 * LONG
LONG_START = (PHASES + 1) * SHORT_BYTES
LONG_TABLE_BYTES = (PHASES + 1) * LONG_BYTES
