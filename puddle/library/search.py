"""What remains of a library, by words, roles, ranges of figures, marks and folders; what is near.

All of it works on the columns in memory; only words are asked of the index.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal

import msgspec
import numpy as np

from puddle.library.columns import (
    DOUBLE,
    FIGURES,
    KEPT,
    LOOP,
    REJECTED,
    ROLE_NAMES,
    SYNTHESIZED,
    THERE,
    USED,
    Columns,
)

if TYPE_CHECKING:
    from puddle.library.index import Index

Made = Literal["", "synthesized", "recorded"]
Shape = Literal["", "one-shots", "loops"]
Judged = Literal["", "kept", "rejected"]
BINS = 40
NO_BIN = BINS  # what has no such figure


class Measure(msgspec.Struct, frozen=True):
    """A figure that a sieve shows: its name, unit, range and whether it is drawn by octaves."""

    field: str
    label: str
    unit: str
    low: float
    high: float
    log: bool
    says: str

    def place(self, value: float) -> float:
        """Where a value lies, 0 to 1 within the range."""
        if self.log:
            return math.log(max(value, 1e-9) / self.low) / math.log(self.high / self.low)
        return (value - self.low) / (self.high - self.low)

    def at(self, place: float) -> float:
        """The value at a place."""
        if self.log:
            return float(self.low * (self.high / self.low) ** place)
        return self.low + place * (self.high - self.low)


MEASURES = (
    Measure("length_ms", "Length", "ms", 10.0, 20000.0, True, "How long the file is."),
    Measure("brightness_hz", "Brightness", "Hz", 50.0, 16000.0, True,
            "The center of gravity of the spectrum: low is dark, high is bright."),
    Measure("pitch_hz", "Pitch", "note", 25.0, 2500.0, True,
            "The settled fundamental. Sounds without one stay unless a range is set."),
    Measure("loudness_lufs", "Loudness", "LUFS", -50.0, 0.0, False,
            "The loudness by BS.1770."),
    Measure("attack_ms", "Attack", "ms", 0.05, 200.0, True,
            "How long the level takes from a tenth to nine tenths of its peak."),
    Measure("decay_ms", "Decay", "ms", 5.0, 10000.0, True,
            "How long it takes from the peak to 60 dB under it."),
    Measure("noisiness", "Noisiness", "", 0.0005, 1.0, True,
            "The flatness of the spectrum: low is a tone, high is noise."),
    Measure("bpm", "Tempo", "bpm", 60.0, 190.0, False,
            "The tempo of a loop. Sounds without one stay unless a range is set."),
)  # fmt: skip
assert tuple(m.field for m in MEASURES) == FIGURES


class Query(msgspec.Struct, frozen=True):
    """What is asked of a library. Ranges by the field of a measure, in its unit."""

    words: str = ""
    roles: tuple[str, ...] = ()
    ranges: dict[str, tuple[float, float]] = {}
    judged: Judged = ""
    never_used: bool = False
    made: Made = ""
    shape: Shape = ""
    folder: str = ""  # and what lies below it
    collection: str = ""
    doubles: bool = False  # each of near-doubles by itself


class Sieved(msgspec.Struct, frozen=True, eq=False):
    """What a query leaves: ids in no order, and a histogram for each measure: (measures, BINS)."""

    ids: np.ndarray
    histograms: np.ndarray
    of: int  # how many there are in the folder or collection


class Sieve:
    """Answers queries over an index."""

    def __init__(self, index: Index) -> None:
        self._index = index
        self._bins = np.zeros((0, len(MEASURES)), np.uint8)
        self._binned: tuple[int, str] = (0, "")
        self._words: tuple[str, str, np.ndarray] = ("", "", np.zeros(0, np.bool_))

    @property
    def _columns(self) -> Columns:
        return self._index.columns

    def sieved(self, query: Query, among: frozenset[str] | None = None) -> Sieved:
        """What remains. `among` are the hashes of a collection."""
        from puddle.kernels.sieve import sieved

        place = self._place(query, among)
        base = place & self._base(query)
        lows, highs, nones = _limits(query.ranges)
        remains, counts = sieved(
            self._columns.figures, self._bins_now(), base, lows, highs, nones, BINS + 1
        )
        return Sieved(np.flatnonzero(remains), counts[:, :BINS], int(np.count_nonzero(place)))

    def _place(self, query: Query, among: frozenset[str] | None) -> np.ndarray:
        """Who lies in the folder or collection, and is there."""
        flags = self._columns.flags
        there: np.ndarray = (flags & THERE) != 0
        if query.judged != "rejected":
            there = there & ((flags & REJECTED) == 0)
        shows_all = query.doubles or among is not None or query.folder.startswith("puddle:")
        if not shows_all:
            there = there & ((flags & DOUBLE) == 0)
        if query.folder:
            there = there & self._below(query.folder.encode("utf-8", "surrogateescape"))
        if among is not None:
            chosen = np.zeros(there.size, np.bool_)
            chosen[[n for n in self._index.with_hash(among) if n < there.size]] = True
            there = there & chosen
        return there

    def _below(self, folder: bytes) -> np.ndarray:
        """Who lies in a folder or below it."""
        known = self._index.folders()
        inside = np.zeros(max((row[0] for row in known), default=0) + 1, np.bool_)
        for number, path, _, _ in known:
            inside[number] = path == folder or path.startswith(folder.rstrip(b"/") + b"/")
        found: np.ndarray = inside[np.minimum(self._columns.folders, inside.size - 1)]
        return found

    def _base(self, query: Query) -> np.ndarray:
        """Who fits all but the ranges."""
        flags = self._columns.flags
        fits = np.ones(flags.size, np.bool_)
        if query.words.strip():
            fits &= self._with_words(query.words)
        if query.roles:
            wanted = np.zeros(len(ROLE_NAMES), np.bool_)
            wanted[[ROLE_NAMES.index(r) for r in query.roles if r in ROLE_NAMES]] = True
            fits &= wanted[self._columns.roles]
        for asked, bit, on in (
            (query.judged == "kept", KEPT, True),
            (query.judged == "rejected", REJECTED, True),
            (query.never_used, USED, False),
            (query.made == "synthesized", SYNTHESIZED, True),
            (query.made == "recorded", SYNTHESIZED, False),
            (query.shape == "loops", LOOP, True),
            (query.shape == "one-shots", LOOP, False),
        ):
            if asked:
                fits &= ((flags & bit) != 0) == on
        return fits

    def _with_words(self, words: str) -> np.ndarray:
        revision = self._index.revision
        if self._words[:2] != (words, revision) or self._words[2].size != self._columns.count:
            found = np.zeros(self._columns.count, np.bool_)
            ids = self._index.ids_with_words(words)
            found[ids[ids < found.size]] = True
            self._words = (words, revision, found)
        return self._words[2]

    def _bins_now(self) -> np.ndarray:
        now = (self._columns.count, self._index.revision)
        if self._binned != now:
            found = [_bins(m, self._columns.figures[n]) for n, m in enumerate(MEASURES)]
            self._bins = np.ascontiguousarray(np.stack(found, axis=1))
            self._binned = now
        return self._bins

    def ordered(self, ids: np.ndarray, by: str, down: bool = False) -> np.ndarray:
        """Ids in the order of a figure, of "role" or of "name"; those without one last."""
        if by == "name":
            place = np.zeros(self._columns.count, np.int64)
            names = np.array(self._index.by_name(), np.int64)
            names = names[names < place.size]
            place[names] = np.arange(names.size)
            values = place[ids].astype(np.float64)
        elif by == "role":
            values = self._columns.roles[ids].astype(np.float64)
        else:
            values = self._columns.figures[FIGURES.index(by)][ids].astype(np.float64)
        if down:
            values = -values
        order: np.ndarray = ids[np.argsort(values, kind="stable")]  # NaN come last
        return order

    def nearest(self, row: np.ndarray, ids: np.ndarray, most: int) -> tuple[np.ndarray, np.ndarray]:
        """The ids nearest to a likeness row, with their distances, among some."""
        from puddle.kernels.nearness import city_block_among

        apart = city_block_among(self._columns.likeness, ids, row)
        count = min(most, ids.size)
        if count == 0:
            return ids[:0], apart[:0]
        best = np.argpartition(apart, count - 1)[:count]
        best = best[np.argsort(apart[best], kind="stable")]
        return ids[best], apart[best]


def _limits(ranges: Mapping[str, tuple[float, float]]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    lows = np.full(len(MEASURES), -np.inf, np.float32)
    highs = np.full(len(MEASURES), np.inf, np.float32)
    nones = np.ones(len(MEASURES), np.bool_)
    for n, measure in enumerate(MEASURES):
        if measure.field in ranges:
            lows[n], highs[n] = ranges[measure.field]
            nones[n] = False
    return lows, highs, nones


def _bins(measure: Measure, values: np.ndarray) -> np.ndarray:
    """The bin of each value; those outside the measure's range in the outermost ones."""
    with np.errstate(invalid="ignore", divide="ignore"):
        if measure.log:
            span = math.log(measure.high / measure.low)
            places = np.log(np.maximum(values, 1e-9) / np.float32(measure.low)) / np.float32(span)
        else:
            places = (values - measure.low) / np.float32(measure.high - measure.low)
        found = np.clip(places * BINS, 0, BINS - 1)
        return np.where(np.isnan(values), NO_BIN, np.nan_to_num(found)).astype(np.uint8)
