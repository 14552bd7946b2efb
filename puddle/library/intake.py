"""Recordings that are taken in: measured, and sorted into drums, each with its name and role."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from puddle.formats.sampler_chunks import SamplerFacts, sampler_facts
from puddle.formats.sound import SUFFIXES
from puddle.kit.edits.landing import AS, Landing
from puddle.kit.edits.trimming import trimmed
from puddle.kit.model.document import Content, Sample
from puddle.kit.model.roles import ROLES, Role, named_role
from puddle.parameter import changed
from puddle.tasks import check_cancelled

if TYPE_CHECKING:
    from puddle.measure.grouping import Likeness
    from puddle.measure.ordering import Strength

_LISTENED_S = 20.0  # of a recording, to find its role and strength: a hit is long over
MOST_FILES = 512
_MOST_SEEN = 100_000
_NOTHING = SamplerFacts()


class Found(msgspec.Struct, eq=False):
    """A recording that was taken in, and what was measured of it."""

    content: Content
    role: str
    strength: Strength
    likeness: Likeness
    onset_ms: float = 0.0  # where its hit begins; 0 where it is taken whole
    told: SamplerFacts = _NOTHING  # by its file: root key, loops, ranges

    @property
    def source(self) -> Sample:
        """The recording as a layer's source: from its onset, with the loop that its file tells."""
        sample = trimmed(self.content, self.onset_ms)
        if not self.told.loops:
            return sample
        first, last = self.told.loops[0]
        per_ms = self.content.rate_hz / 1000.0
        start, end = first / per_ms - sample.start_ms, (last + 1) / per_ms - sample.start_ms
        if not 0.0 <= start < end <= self.content.length_ms:
            return sample
        return changed(sample, loop_start_ms=start, loop_end_ms=end, loop_fade_ms=0.0)


class Drum(msgspec.Struct, eq=False):
    """Recordings of one drum, as they are to land."""

    name: str
    found: list[Found] = msgspec.field(default_factory=list)
    role: Role | None = None  # None for what most of its recordings are
    taken_as: str = AS[0]

    def landing(self) -> Landing:
        """What lands of it."""
        from puddle.measure.ordering import strengths_and_turns

        strengths = [one.strength for one in self.found]
        counts = Counter(one.role for one in self.found)
        role = self.role or next((r for r in ROLES if r == counts.most_common(1)[0][0]), None)
        return Landing(
            name=self.name,
            role=role or "percussion",
            contents=tuple(one.content for one in self.found),
            sources=tuple(one.source for one in self.found),
            names=tuple(_stem(one.content.name) for one in self.found),
            rungs=tuple(tuple(rung) for rung in strengths_and_turns(strengths)),
            levels=tuple(one.loudness_lufs for one in strengths),
            taken_as=next(a for a in AS if a == self.taken_as),
            root=next((one.told.note for one in self.found if one.told.note is not None), None),
            notes=self._notes(),
            velocities=self._velocities(),
        )

    def _notes(self) -> tuple[int, ...]:
        """The keys that all of its files tell; none where they differ, or tell nothing."""
        keys = {one.told.keys for one in self.found}
        told = keys.pop() if len(keys) == 1 else None
        if told is None or told == (0, 127):
            return ()
        return tuple(range(told[0], told[1] + 1))

    def _velocities(self) -> tuple[tuple[int, int], ...]:
        """The velocities of each, where all tell and they are not all the same."""
        told = [one.told.velocities for one in self.found]
        known = tuple(one for one in told if one is not None)
        return known if len(known) == len(told) and len(set(known)) > 1 else ()


def _stem(name: str) -> str:
    return name.rsplit(".", 1)[0] or name


def found_in(
    content: Content, audio: np.ndarray, rate_hz: float, *, trims: bool = True, raw: bytes = b""
) -> Found:
    """A recording, float32 (frames, 2), measured; where its hit begins only if it is trimmed.

    Of `raw`, its file, chunks of WAV files are read: root key, loops, ranges.
    """
    from puddle.measure.grouping import likeness
    from puddle.measure.ordering import strength
    from puddle.measure.report import measured
    from puddle.measure.trim import hit_start

    audio = audio[: round(_LISTENED_S * rate_hz)]
    role = named_role(content.name) or str(measured(audio, rate_hz).get("role", "percussion"))
    onset_ms = 1000.0 * hit_start(audio, rate_hz) / rate_hz if trims else 0.0
    strength_ = strength(audio, rate_hz)
    like = likeness(audio, rate_hz)
    return Found(content, role, strength_, like, onset_ms, sampler_facts(raw))


def sound_files(paths: list[Path]) -> list[Path]:
    """The files given, and the sound files in the folders given, in the order of their names.

    Of a folder no more than `_MOST_SEEN` files are looked at: a whole disk may have been dropped.
    """
    found: list[Path] = []
    for path in paths:
        found += sorted(_inside(path)) if path.is_dir() else [path]
    return found


def _inside(folder: Path) -> Iterator[Path]:
    seen = 0
    for place, _, names in os.walk(folder):  # links to folders are not followed
        for name in names:
            check_cancelled()
            seen += 1
            if seen > _MOST_SEEN:
                return
            path = Path(place, name)
            if path.suffix.lower() in SUFFIXES and path.is_file():
                yield path


def sorted_drums(found: list[Found]) -> list[Drum]:
    """Recordings by drum, each drum named after what its files share."""
    from puddle.measure.grouping import grouped

    names = [one.content.name for one in found]
    groups = grouped(names, [one.likeness for one in found])
    drums = [drum_of([found[n] for n in g]) for g in groups]
    used: Counter[str] = Counter()
    for drum in drums:
        used[drum.name] += 1
        if used[drum.name] > 1:
            drum.name = f"{drum.name} {used[drum.name]}"
    return drums


def drum_of(found: list[Found]) -> Drum:
    """A drum called after the stem that most of its files share; else after its role."""
    from puddle.measure.grouping import stem

    names = [one.content.name for one in found]
    if len(names) == 1:
        name = names[0].rsplit(".", 1)[0] or names[0]
        return Drum((name[:1].upper() + name[1:])[:120], found)
    shared, count = Counter(stem(name) for name in names).most_common(1)[0]
    drum = Drum("", found)
    told = shared if count > len(names) / 2 and len(shared) > 1 else drum.landing().role
    drum.name = (told[:1].upper() + told[1:])[:120]
    return drum
