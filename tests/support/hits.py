"""Hits for tests of stages, and what stages make of them."""

import math

import numpy as np

from puddle.stages import (
    Process,
)
from puddle.stages.chain import processed

RATE = 48000.0


def db(x: float) -> float:
    return 20.0 * math.log10(max(x, 1e-12))


def through(x: np.ndarray, process: Process) -> np.ndarray:
    return processed(x, [process], RATE)[0]


def click(frames: int = 1 << 15) -> np.ndarray:
    x = np.zeros((frames, 2), np.float32)
    x[0] = 1.0
    return x


def hit(
    decay_s: float = 0.1, seconds: float = 0.6, level: float = 0.8, hz: float = 180.0
) -> np.ndarray:
    """A decaying sine, silent for 10 ms first."""
    t = np.arange(round(seconds * RATE)) / RATE
    x = level * np.sin(2 * np.pi * hz * t) * np.exp(-t * math.log(1000) / decay_s)
    x = np.concatenate([np.zeros(480), x])
    return np.stack([x, x], 1).astype(np.float32)


def rms(x: np.ndarray) -> float:
    return float(np.sqrt(np.mean(np.square(x, dtype=np.float64))))
