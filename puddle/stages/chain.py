"""Stages in a row over a whole one-shot, by the same entries and quanta as the live engine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from puddle.stages.insert import Insert
from puddle.stages.process import Measures, Process
from puddle.units import gain_from_db

if TYPE_CHECKING:
    import numpy as np


def processed(
    audio: np.ndarray,
    chain: Sequence[Process | Insert],
    rate_hz: float,
    measures: Measures | None = None,
) -> tuple[np.ndarray, list[float]]:
    """The audio after a chain, its latency taken out, and each stage's deepest reduction in dB.

    Takes and returns float32 (frames, 2); the result is longer by the stages' tails. Where a stage
    depends on what comes in, or is to be as loud as that, it is measured by `measures`.
    """
    import numpy as np

    from puddle.kernels.blocks import run_stage

    inserts = [stage if isinstance(stage, Insert) else Insert(stage) for stage in chain]
    latency = sum(i.latency_frames(rate_hz) for i in inserts)
    tail = round(sum(i.tail_ms() for i in inserts) / 1000.0 * rate_hz)
    frames = audio.shape[0] + tail
    work = np.zeros((frames + latency, 2), np.float32)
    work[: audio.shape[0]] = audio
    reductions = []
    for insert in inserts:
        alone = replace(insert, matched=False)
        if measures is not None:
            alone = replace(alone, process=insert.process.fitted(work, rate_hz, measures))
        before = measures.loudness_db(work, rate_hz) if insert.matched and measures else None
        state = np.zeros(alone.cells(rate_hz))
        run_stage(alone.entry(), state, alone.coefficients(rate_hz), work)
        if before is not None and measures is not None:
            after = measures.loudness_db(work, rate_hz)
            work *= np.float32(gain_from_db(before - after)) if after is not None else 1.0
        cell = alone.reduction_cell(rate_hz)
        reductions.append(alone.reduction_db(state[cell]) if cell is not None else 0.0)
    return work[latency:], reductions
