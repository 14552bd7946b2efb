"""What a stage does to a spectrum."""

import math

import numpy as np

from puddle.stages import Equalizer, Process
from puddle.stages.chain import processed

RATE = 48000.0
BUSY = Equalizer(
    low_cut_on=True,
    low_cut_hz=40,
    low_cut_slope="24 dB/oct",
    low_shelf_db=4,
    bell1_db=-6,
    bell2_db=5,
    bell2_q=3,
    bell3_db=-3,
    bell4_db=2,
    high_shelf_db=-4,
    high_cut_on=True,
    high_cut_slope="36 dB/oct",
)


def db(x: float) -> float:
    return 20.0 * math.log10(max(x, 1e-12))


def impulse_response_db(process: Process, hz: np.ndarray) -> np.ndarray:
    x = np.zeros((1 << 17, 2), np.float32)
    x[0] = 1.0
    y, _ = processed(x, [process], RATE)
    spectrum = np.abs(np.fft.rfft(y[: 1 << 17, 0].astype(np.float64)))
    bins = np.fft.rfftfreq(1 << 17, 1 / RATE)
    return np.interp(hz, bins, 20 * np.log10(np.maximum(spectrum, 1e-9)))
