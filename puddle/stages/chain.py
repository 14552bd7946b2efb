"""Stages in a row over a whole one-shot, by the same entries and quanta as the live engine."""

from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from puddle.kernels.blocks import peaks, run_watched
from puddle.kernels.envelopes import fade_edges
from puddle.kernels.quantum import QUANTUM
from puddle.stages.insert import Insert
from puddle.stages.process import Ear, Measures, Process
from puddle.tasks import check_cancelled
from puddle.units import gain_from_db

_FADE_S = 0.01
_PART = 4096 * QUANTUM  # frames that a stage takes some 30 ms for


class Over(msgspec.Struct, frozen=True, eq=False):
    """What a stage did over the hit, by quanta of 32 frames from the hit's first frame."""

    insert: Insert
    entered: np.ndarray  # peaks, linear
    left: np.ndarray
    cells: np.ndarray  # of the reduction; empty where a stage has none

    @property
    def deepest_db(self) -> float:
        """The deepest reduction."""
        return self.insert.reduction_db(float(self.cells.max())) if self.cells.size else 0.0

    def reduction_db(self, count: int | None = None) -> np.ndarray | None:
        """The deepest reduction of each quantum, or of so many; None where a stage has none."""
        if not self.cells.size:
            return None
        return np.array([self.insert.reduction_db(float(cell)) for cell in self.cells[:count]])


class _Layout(NamedTuple):
    """What a stage needs to run at a rate, all but its state."""

    entry: int
    coefficients: np.ndarray  # only read
    cells: int
    ears: tuple[Ear, ...]
    reduction_cell: int | None
    latency_frames: int
    tail_ms: float


@lru_cache(512)
def _layout(insert: Insert, rate_hz: float) -> _Layout:
    """Kept: while another control is moved, a chain's stages are the same each time."""
    return _Layout(
        insert.entry(),
        insert.coefficients(rate_hz),
        insert.cells(rate_hz),
        tuple(insert.ears(rate_hz)),
        insert.reduction_cell(rate_hz),
        insert.latency_frames(rate_hz),
        insert.tail_ms(),
    )


def processed(
    audio: np.ndarray,
    chain: Sequence[Process | Insert],
    rate_hz: float,
    measures: Measures | None = None,
) -> tuple[np.ndarray, list[Over]]:
    """The audio after a chain, its latency taken out, and what each stage did.

    Takes and returns float32 (frames, 2); the result is longer by the stages' tails. Where a stage
    depends on what comes in, or is to be as loud as that, it is measured by `measures`, which also
    has the keys that stages listen to.
    """
    inserts = [stage if isinstance(stage, Insert) else Insert(stage) for stage in chain]
    layouts = [_layout(insert, rate_hz) for insert in inserts]
    latency = sum(layout.latency_frames for layout in layouts)
    tail = round(sum(layout.tail_ms for layout in layouts) / 1000.0 * rate_hz)
    frames = max(audio.shape[0], _longest_key(layouts, measures)) + tail
    work = np.empty((frames + latency, 2), np.float32)
    work[: audio.shape[0]] = audio
    work[audio.shape[0] :] = 0.0
    overs = []
    late = 0
    entered = _peaks(work)
    for insert, layout in zip(inserts, layouts, strict=True):
        if measures is None:
            alone = replace(insert, matched=False)
            cells = _run(alone, work, rate_hz, None)
        else:
            alone, work, cells = _fitted(insert, work, rate_hz, measures.later(late))
        left = _peaks(work)
        before, late = late // QUANTUM, late + layout.latency_frames
        after = late // QUANTUM  # what was before it, and its own delay, is taken out
        overs.append(Over(alone, entered[before:], left[after:], cells[after:]))
        entered = left
    out = work[latency:]
    if tail > 0:  # whatever still rings ends at rest
        fade_edges(out, 0, min(tail, round(_FADE_S * rate_hz)))
    return out, overs


def _peaks(work: np.ndarray) -> np.ndarray:
    """The peak of each quantum."""
    found = np.empty(-(-work.shape[0] // QUANTUM), np.int32)
    peaks(work, found)
    return found.view(np.float32)


def fitted(
    insert: Insert, audio: np.ndarray, rate_hz: float, measures: Measures
) -> tuple[Insert, np.ndarray]:
    """A stage for this one-shot, no longer to be matched, and what it makes of it."""
    made, heard, _ = _fitted(insert, audio.copy(), rate_hz, measures)
    return made, heard


def _longest_key(layouts: list[_Layout], measures: Measures | None) -> int:
    """A stage that is keyed goes on for as long as its key sounds."""
    if measures is None:
        return 0
    names = {ear.key for layout in layouts for ear in layout.ears if ear.key}
    return max((measures.key_frames(name) for name in names), default=0)


def _fitted(
    insert: Insert, work: np.ndarray, rate_hz: float, measures: Measures
) -> tuple[Insert, np.ndarray, np.ndarray]:
    before = measures.loudness_db(work, rate_hz) if insert.matched else None
    process = insert.process.fitted(work, rate_hz, measures)
    alone = replace(insert, process=process, matched=False)
    cells = _run(alone, work, rate_hz, measures)
    after = measures.loudness_db(work, rate_hz) if before is not None else None
    if before is not None and after is not None:
        work *= np.float32(gain_from_db(before - after))
        alone = replace(alone, output_db=alone.output_db + before - after)
    return alone, work, cells


def _run(insert: Insert, work: np.ndarray, rate_hz: float, measures: Measures | None) -> np.ndarray:
    """Runs a stage in place; returns the cell of its reduction by quanta, empty for none."""
    layout = _layout(insert, rate_hz)
    state = np.zeros(layout.cells)
    places, keys = [], []
    for ear in layout.ears:
        key = measures.key(ear.key, work.shape[0], ear.late) if measures and ear.key else None
        if key is not None:
            places.append(ear.cell)
            keys.append(key)
    cell = layout.reduction_cell
    seen = np.zeros(-(-work.shape[0] // QUANTUM) if cell is not None else 0)
    laid = np.array(places, np.int64)
    heard = np.stack(keys) if keys else np.zeros((0, 1, 2), np.float32)
    for start in range(0, work.shape[0], _PART):  # so that long work can be left
        check_cancelled()
        run_watched(
            layout.entry,
            state,
            layout.coefficients,
            work[start : start + _PART],
            laid,
            np.ascontiguousarray(heard[:, start : start + _PART]),
            -1 if cell is None else cell,
            seen[start // QUANTUM :],
        )
    return seen
