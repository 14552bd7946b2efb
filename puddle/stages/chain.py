"""Stages in a row over a whole one-shot, by the same entries and quanta as the live engine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from puddle.kernels.blocks import run_stage
from puddle.stages.insert import Insert
from puddle.stages.process import Measures, Process
from puddle.units import gain_from_db


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
    inserts = [stage if isinstance(stage, Insert) else Insert(stage) for stage in chain]
    latency = sum(i.latency_frames(rate_hz) for i in inserts)
    tail = round(sum(i.tail_ms() for i in inserts) / 1000.0 * rate_hz)
    frames = audio.shape[0] + tail
    work = np.zeros((frames + latency, 2), np.float32)
    work[: audio.shape[0]] = audio
    reductions = []
    for insert in inserts:
        if measures is None:
            alone = replace(insert, matched=False)
            state = _run(alone, work, rate_hz)
        else:
            alone, work, state = _fitted(insert, work, rate_hz, measures)
        cell = alone.reduction_cell(rate_hz)
        reductions.append(alone.reduction_db(state[cell]) if cell is not None else 0.0)
    return work[latency:], reductions


def fitted(
    insert: Insert, audio: np.ndarray, rate_hz: float, measures: Measures
) -> tuple[Insert, np.ndarray]:
    """A stage for this one-shot, no longer to be matched, and what it makes of it."""
    made, heard, _ = _fitted(insert, audio.copy(), rate_hz, measures)
    return made, heard


def _fitted(
    insert: Insert, work: np.ndarray, rate_hz: float, measures: Measures
) -> tuple[Insert, np.ndarray, np.ndarray]:
    before = measures.loudness_db(work, rate_hz) if insert.matched else None
    process = insert.process.fitted(work, rate_hz, measures)
    alone = replace(insert, process=process, matched=False)
    state = _run(alone, work, rate_hz)
    after = measures.loudness_db(work, rate_hz) if before is not None else None
    if before is not None and after is not None:
        work *= np.float32(gain_from_db(before - after))
        alone = replace(alone, output_db=alone.output_db + before - after)
    return alone, work, state


def _run(insert: Insert, work: np.ndarray, rate_hz: float) -> np.ndarray:
    """Runs a stage in place; returns its state."""
    state = np.zeros(insert.cells(rate_hz))
    run_stage(insert.entry(), state, insert.coefficients(rate_hz), work)
    return state
