"""A sound that others are compared with: one of the library, or one that a pad makes."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np

from puddle.library.columns import FIGURES
from puddle.library.library import Library
from puddle.library.pulls import Pulls, pulled
from puddle.library.record import record_of
from puddle.library.rows import Entry
from puddle.library.search import Query

_WIDER = 40  # so many times what is wanted is looked at, before it is pulled
_UNLIKE = 60.0  # what is nearer than that to a sound that is not wanted is pushed away
_REPORTED = ("length_ms", "centroid_hz", "fundamental_hz", "loudness_lufs", "attack_ms",
             "decay_60_ms", "flatness")  # fmt: skip


class Question(msgspec.Struct, frozen=True, eq=False):
    """A name, a likeness row, its figures in the order of FIGURES, and the entry, if it is one."""

    name: str
    row: np.ndarray
    figures: np.ndarray
    entry: int = 0


def of_entry(library: Library, entry: Entry) -> Question:
    """A sound of the library."""
    with library.index.lock:
        figures = np.array(library.index.columns.figures[:, entry.id])
    return Question(entry.name, library.row_of(entry.id), figures, entry.id)


def of_sound(name: str, audio: np.ndarray, rate_hz: float) -> Question:
    """A sound as float32 (frames, 2)."""
    record = record_of(audio, rate_hz, "")
    told = [record.figures[key] for key in _REPORTED] + [record.bpm or None]
    figures = np.array([np.nan if value is None else value for value in told], np.float32)
    assert figures.size == len(FIGURES)
    return Question(name, np.frombuffer(record.likeness, np.float32), figures)


def nearest(
    library: Library,
    question: Question,
    query: Query,
    pulls: Pulls,
    most: int,
    unlike: Callable[[], list[int]] = list,
) -> list[tuple[Entry, float]]:
    """The sounds nearest to a question within a query, pulled by gauges, away from some."""
    ids = library.sieved(msgspec.structs.replace(query, ranges={}, words="")).ids
    ids = ids[ids != question.entry]
    if not ids.size:
        return []
    near, apart = library.nearest(question.row, ids, min(ids.size, _WIDER * most))
    with library.index.lock:
        columns = library.index.columns
        score = apart + pulled(pulls, question.figures, columns.figures[:, near])
        for entry in unlike():
            away = np.abs(columns.likeness[near] - columns.likeness[entry]).sum(axis=1)
            score = score + np.maximum(0.0, _UNLIKE - away)
    best = np.argsort(score, kind="stable")[:most]
    found = {entry.id: entry for entry in library.entries(near[best])}
    pairs = zip(near[best].tolist(), apart[best].tolist(), strict=True)
    return [(found[n], far) for n, far in pairs if n in found]
