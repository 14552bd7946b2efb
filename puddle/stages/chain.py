"""Stages in a row over a whole one-shot, by the same entries and quanta as the live engine."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from puddle.stages.process import Process

if TYPE_CHECKING:
    import numpy as np


def processed(
    audio: np.ndarray, chain: Sequence[Process], rate_hz: float
) -> tuple[np.ndarray, list[float]]:
    """The audio after a chain, its latency taken out, and each stage's deepest reduction in dB.

    Takes and returns float32 (frames, 2); the result is longer by the stages' tails.
    """
    import numpy as np

    from puddle.kernels.blocks import run_stage

    latency = sum(p.latency_frames(rate_hz) for p in chain)
    tail = round(sum(p.tail_ms() for p in chain) / 1000.0 * rate_hz)
    frames = audio.shape[0] + tail
    work = np.zeros((frames + latency, 2), np.float32)
    work[: audio.shape[0]] = audio
    reductions = []
    for process in chain:
        state = np.zeros(process.cells(rate_hz))
        run_stage(process.entry(), state, process.coefficients(rate_hz), work)
        cell = process.reduction_cell()
        reductions.append(process.reduction_db(state[cell]) if cell is not None else 0.0)
    return work[latency:], reductions
