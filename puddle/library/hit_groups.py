"""The hits of a recording in groups that sound alike, named by role and number."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from puddle.formats.recording_file import RecordingFile
from puddle.kit.model.document import Likes, Recording
from puddle.kit.model.roles import ROLES, Role
from puddle.library.marked import Marked
from puddle.measure.alike import BEFORE_S, LONGEST_S, HitSpectrum, groups_of, hit_spectrum
from puddle.measure.envelope import mono_of
from puddle.render.cache import RenderCache
from puddle.tasks import check_cancelled

_LISTENED_S = 3.0  # of a hit, to find its role
_ASKED = 3  # hits of a group, for its role
_SHORT_S = 1.0
_REMEMBERED = 1 << 16  # hits of one file: more than nine a second for two hours


class HeardHits:
    """What was heard of a file's hits: who moves one of them need not wait for all the others."""

    def __init__(self, file: RecordingFile) -> None:
        self.file = file
        self._spectra: RenderCache[HitSpectrum] = RenderCache(_REMEMBERED, lambda _: 1)
        self._told: RenderCache[tuple[str, float]] = RenderCache(_REMEMBERED, lambda _: 1)

    def spectrum(self, start: int, end: int) -> HitSpectrum:
        """Of a hit by its frames, and of what rings before it. Raises SoundFileError."""
        rate = self.file.rate_hz
        end = min(end, start + round(LONGEST_S * rate))
        return self._spectra.get((start, end), lambda: self._spectrum(start, end))

    def _spectrum(self, start: int, end: int) -> HitSpectrum:
        rate = self.file.rate_hz
        first = max(0, start - round(BEFORE_S * rate))
        mono = mono_of(self.file.read(first, end - first))
        return hit_spectrum(mono[: start - first], mono[start - first :], rate)

    def role(self, start: int, end: int) -> tuple[str, float]:
        """The likely role of a hit by its frames, and how sure it is, 0 to 1.

        What is short and like no drum is percussion: an effect takes its time. Raises
        SoundFileError.
        """
        frames = min(end - start, round(_LISTENED_S * self.file.rate_hz))
        return self._told.get((start, frames), lambda: self._role(start, frames))

    def _role(self, start: int, frames: int) -> tuple[str, float]:
        from puddle.measure.report import measured

        told = measured(self.file.read(start, frames), self.file.rate_hz)
        role, sure = str(told.get("role", "percussion")), told.get("role_confidence")
        if role == "effect" and frames < _SHORT_S * self.file.rate_hz:
            role = "percussion"
        return role, sure if isinstance(sure, float) else 0.0


def found_groups(heard: HeardHits, cut: Marked) -> tuple[Likes, ...]:
    """Groups as they are found; the one with the most hits first. Raises SoundFileError."""
    found = []
    for start, end in zip(cut.starts.tolist(), cut.ends.tolist(), strict=True):
        check_cancelled()
        found.append(heard.spectrum(start, end))
    places = sorted(groups_of(found), key=lambda group: (-len(group), group[0]))
    return named([(role_of(heard, cut, g), g) for g in places], cut)


def role_of(heard: HeardHits, cut: Marked, places: Sequence[int]) -> Role:
    """The likely role of a group: as its loudest hits that can be used say, by how sure each is."""
    usable = [n for n in places if not cut.doubts[n]] or list(places)
    loudest = sorted(usable, key=lambda n: -float(cut.peaks[n]))[:_ASKED]
    sure: dict[str, float] = defaultdict(float)
    for place in loudest:
        check_cancelled()
        role, confidence = heard.role(int(cut.starts[place]), int(cut.ends[place]))
        sure[role] += 0.01 + confidence
    best = max(sure, key=lambda role: sure[role])
    return next((role for role in ROLES if role == best), "percussion")


def named(groups: Sequence[tuple[Role, Sequence[int]]], cut: Marked) -> tuple[Likes, ...]:
    """Groups named by role, those of one role by numbers."""
    count = Counter(role for role, _ in groups)
    used: Counter[str] = Counter()
    made = []
    for role, places in groups:
        used[role] += 1
        name = f"{role.capitalize()} {used[role]}" if count[role] > 1 else role.capitalize()
        made.append(Likes(name=name, role=role, hits=tuple(int(cut.starts[n]) for n in places)))
    return tuple(made)


def standing_groups(recording: Recording, cut: Marked, found: Sequence[Likes]) -> list[Likes]:
    """The groups as they stand: those that are kept, with hits that are no longer there left out.

    Hits that the gauges have found since are in a group of their own, the last one.
    """
    if not recording.groups:
        return list(found)
    there = set(cut.starts.tolist())
    groups = [replace(g, hits=tuple(h for h in g.hits if h in there)) for g in recording.groups]
    known = {hit for group in groups for hit in group.hits}
    rest = tuple(hit for hit in cut.starts.tolist() if hit not in known)
    return [*groups, Likes(name="Not grouped yet", hits=rest)] if rest else groups


def soft_to_hard(cut: Marked, hits: Sequence[int]) -> list[int]:
    """Hits by their peaks, the softest first."""
    places = np.searchsorted(cut.starts, hits)
    order = np.argsort(cut.peaks[places], kind="stable")
    return [int(hits[n]) for n in order]


def hit_name(group: str, place: int) -> str:
    """A hit's name: its group's and its number, told apart from a number of the group's."""
    return f"{group}{'.' if group[-1:].isdigit() else ' '}{place + 1}"
