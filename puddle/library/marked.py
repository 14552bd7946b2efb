"""The hits of a recording as they stand: found by its gauges, and as a hand has changed them."""

from __future__ import annotations

import msgspec
import numpy as np

from puddle.kit.model.document import Mark, Recording
from puddle.measure.hits import Doubt, Hits, Noted, doubts, hits_from, starts_of

_SAME_MS = 3.0  # what is found so close to a mark by hand is that mark


class Marked(msgspec.Struct, frozen=True, eq=False):
    """Hits in their order, without those that are joined to the one before."""

    rate_hz: float
    frames: int  # of the recording
    hits: Hits
    doubts: list[Doubt]
    marks: list[Mark | None]  # of each hit, where a hand has touched it
    joined: np.ndarray  # int64: frames of strokes that belong to the hit before them
    groups: tuple[tuple[int, ...], ...] = ()  # which hits are of one drum, where that is known

    def __len__(self) -> int:
        return len(self.hits)

    @property
    def starts(self) -> np.ndarray:
        """Where each hit begins, int64 frames."""
        return self.hits.starts

    @property
    def ends(self) -> np.ndarray:
        """Before which frame each hit ends, int64."""
        return self.hits.ends

    @property
    def peaks(self) -> np.ndarray:
        """How high each hit comes, float32."""
        return self.hits.peaks

    def place_of(self, at: int) -> int | None:
        """Which hit begins at a frame; None where none does."""
        place = int(np.searchsorted(self.starts, at))
        return place if place < len(self) and int(self.starts[place]) == at else None

    def lift_of(self, place: int) -> float:
        """How much of what lies over a hit is taken out of it, in percent."""
        mark = self.marks[place]
        return mark.lift if mark is not None else 0.0

    def under(self, frame: float) -> int | None:
        """The hit that a frame lies in; None where it lies in none."""
        place = int(np.searchsorted(self.starts, frame, side="right")) - 1
        return place if place >= 0 and frame < self.ends[place] else None


def marked(noted: Noted, recording: Recording) -> Marked:
    """The hits of a recording, of what was noted of it."""
    found = starts_of(noted.risen, noted.rate_hz, recording.sensitivity / 100.0, recording.gap_ms)
    kept = [m for m in recording.marks if m.at < noted.frames]
    starts = _with_kept(found, kept, recording.gap_ms, noted.rate_hz)
    by_frame = {m.at: m for m in kept if not m.gone}
    joined = {m.at for m in by_frame.values() if m.joined and m.at > starts[0]}
    whole = np.array([at for at in starts.tolist() if at not in joined], np.int64)
    hits = hits_from(noted, whole, recording.ends_db)
    marks = [by_frame.get(at) for at in whole.tolist()]
    for place, mark in enumerate(marks):
        if mark is not None and mark.end is not None:
            hits.ends[place] = min(mark.end, noted.frames)
    return Marked(
        noted.rate_hz,
        noted.frames,
        hits,
        doubts(noted, hits),
        marks,
        np.array(sorted(joined), np.int64),
    )


def _with_kept(found: np.ndarray, kept: list[Mark], gap_ms: float, rate_hz: float) -> np.ndarray:
    """What was found and what a hand keeps; found ones give way."""
    if not kept:
        return found
    gap, same = gap_ms * rate_hz / 1000.0, _SAME_MS * rate_hz / 1000.0
    free = np.ones(found.size, bool)
    for mark in kept:
        places = [(mark.at, same if mark.gone else gap)]
        if mark.found is not None:
            places.append((mark.found, same))
        for at, near in places:
            first, last = np.searchsorted(found, (at - near, at + near + 1))
            free[first:last] = False
    own = np.array([m.at for m in kept if not m.gone], np.int64)
    return np.union1d(found[free], own)
