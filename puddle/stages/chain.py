"""Stages in a row over a whole one-shot, by the same entries and quanta as the live engine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from puddle.kernels.blocks import run_keyed, run_stage
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
    depends on what comes in, or is to be as loud as that, it is measured by `measures`, which also
    has the keys that stages listen to.
    """
    inserts = [stage if isinstance(stage, Insert) else Insert(stage) for stage in chain]
    latency = sum(i.latency_frames(rate_hz) for i in inserts)
    tail = round(sum(i.tail_ms() for i in inserts) / 1000.0 * rate_hz)
    frames = max(audio.shape[0], _longest_key(inserts, rate_hz, measures)) + tail
    work = np.zeros((frames + latency, 2), np.float32)
    work[: audio.shape[0]] = audio
    reductions = []
    late = 0
    for insert in inserts:
        if measures is None:
            alone = replace(insert, matched=False)
            state = _run(alone, work, rate_hz, None)
        else:
            alone, work, state = _fitted(insert, work, rate_hz, measures.later(late))
        cell = alone.reduction_cell(rate_hz)
        reductions.append(alone.reduction_db(state[cell]) if cell is not None else 0.0)
        late += insert.latency_frames(rate_hz)
    return work[latency:], reductions


def fitted(
    insert: Insert, audio: np.ndarray, rate_hz: float, measures: Measures
) -> tuple[Insert, np.ndarray]:
    """A stage for this one-shot, no longer to be matched, and what it makes of it."""
    made, heard, _ = _fitted(insert, audio.copy(), rate_hz, measures)
    return made, heard


def _longest_key(inserts: list[Insert], rate_hz: float, measures: Measures | None) -> int:
    """A stage that is keyed goes on for as long as its key sounds."""
    if measures is None:
        return 0
    names = {ear.key for insert in inserts for ear in insert.ears(rate_hz) if ear.key}
    return max((measures.key_frames(name) for name in names), default=0)


def _fitted(
    insert: Insert, work: np.ndarray, rate_hz: float, measures: Measures
) -> tuple[Insert, np.ndarray, np.ndarray]:
    before = measures.loudness_db(work, rate_hz) if insert.matched else None
    process = insert.process.fitted(work, rate_hz, measures)
    alone = replace(insert, process=process, matched=False)
    state = _run(alone, work, rate_hz, measures)
    after = measures.loudness_db(work, rate_hz) if before is not None else None
    if before is not None and after is not None:
        work *= np.float32(gain_from_db(before - after))
        alone = replace(alone, output_db=alone.output_db + before - after)
    return alone, work, state


def _run(insert: Insert, work: np.ndarray, rate_hz: float, measures: Measures | None) -> np.ndarray:
    """Runs a stage in place; returns its state."""
    state = np.zeros(insert.cells(rate_hz))
    places, keys = [], []
    for ear in insert.ears(rate_hz) if measures is not None else []:
        key = measures.key(ear.key, work.shape[0], ear.late) if measures and ear.key else None
        if key is not None:
            places.append(ear.cell)
            keys.append(key)
    entry, coefficients = insert.entry(), insert.coefficients(rate_hz)
    if keys:
        run_keyed(entry, state, coefficients, work, np.array(places, np.int64), np.stack(keys))
    else:
        run_stage(entry, state, coefficients, work)
    return state
