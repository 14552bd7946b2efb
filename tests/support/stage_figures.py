"""What a stage does to a spectrum."""

import math

import numpy as np

from puddle.stages import (
    Process,
)
from puddle.stages.chain import processed

RATE = 48000.0


def db(x: float) -> float:
    return 20.0 * math.log10(max(x, 1e-12))


def impulse_response_db(process: Process, hz: np.ndarray) -> np.ndarray:
    x = np.zeros((1 << 17, 2), np.float32)
    x[0] = 1.0
    y, _ = processed(x, [process], RATE)
    spectrum = np.abs(np.fft.rfft(y[: 1 << 17, 0].astype(np.float64)))
    bins = np.fft.rfftfreq(1 << 17, 1 / RATE)
    return np.interp(hz, bins, 20 * np.log10(np.maximum(spectrum, 1e-9)))
