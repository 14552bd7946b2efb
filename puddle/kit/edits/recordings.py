"""Recordings that are cut: taken in, their gauges set, their marks and groups changed by hand.

A mark is named by the frame at which its hit begins. Whatever a hand does to a hit keeps it: the
gauges look for others only.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterable, Sequence
from typing import Any

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.items import fresh_id, replaced
from puddle.kit.model.document import Kit, Likes, Mark, Recording
from puddle.kit.model.limits import MOST_MARKS, MOST_RECORDINGS
from puddle.kit.model.roles import Role
from puddle.parameter import changed

replace = msgspec.structs.replace
Change = Callable[[Recording], Recording]


def recording_of(kit: Kit, recording_id: str) -> Recording:
    """The recording of that id. Raises EditError if there is none."""
    found = kit.recording(recording_id)
    if found is None:
        raise EditError(f"The kit has no recording “{recording_id}”.")
    return found


def add_recording(kit: Kit, name: str, path: str) -> tuple[Kit, Recording]:
    """A recording more, or the one that is there already of this file."""
    known = next((r for r in kit.recordings if r.path == path), None)
    if known is not None:
        return kit, known
    if len(kit.recordings) >= MOST_RECORDINGS:
        raise EditError(f"A kit has {MOST_RECORDINGS} recordings to cut at most.")
    made = Recording(
        id=fresh_id("recording", [r.id for r in kit.recordings]), name=name[:120], path=path
    )
    return replace(kit, recordings=(*kit.recordings, made)), made


def in_recording(kit: Kit, recording_id: str, change: Change) -> Kit:
    """The kit with a recording changed."""
    old = recording_of(kit, recording_id)
    new = change(old)
    if len(new.marks) > MOST_MARKS:
        raise EditError(f"A recording has {MOST_MARKS:,} marks by hand at most.")
    return replace(kit, recordings=replaced(kit.recordings, old, new))


def set_recording(kit: Kit, recording_id: str, **values: Any) -> Kit:
    """New values for fields of a recording, brought into their ranges."""
    return in_recording(kit, recording_id, lambda old: changed(old, **values))


def remove_recording(kit: Kit, recording_id: str) -> Kit:
    """The kit without a recording; the file stays, and so does what was sent of it."""
    gone = recording_of(kit, recording_id)
    return replace(kit, recordings=tuple(r for r in kit.recordings if r is not gone))


# Marks. Each takes a recording and gives another one: see `in_recording`.


def mark_at(recording: Recording, at: int) -> Mark | None:
    """The mark that a hand has touched at a frame, if there is one."""
    return next((m for m in recording.marks if m.at == at and not m.gone), None)


def _with_mark(recording: Recording, old: Mark | None, new: Mark | None) -> Recording:
    left = [m for m in recording.marks if m is not old]
    made = [*left, new] if new is not None else left
    return replace(recording, marks=tuple(sorted(made, key=lambda m: m.at)))


def _touched(recording: Recording, at: int) -> tuple[Mark | None, Mark]:
    """The mark at a frame as it is kept, and as it is changed: one that was found becomes kept."""
    old = mark_at(recording, at)
    return old, old if old is not None else Mark(at=at, found=at)


def move_mark(recording: Recording, at: int, to: int) -> Recording:
    """A hit begins elsewhere; where its end was dragged it stays behind its start."""
    old, mark = _touched(recording, at)
    if to != at and mark_at(recording, to) is not None:
        raise EditError("There is a hit already.")
    end = None if mark.end is None else max(mark.end, to + 1)
    made = _with_mark(recording, old, replace(mark, at=max(0, to), end=end))
    return _renamed_hit(made, at, max(0, to))


def add_mark(recording: Recording, at: int) -> Recording:
    """A hit more, put there by hand; one that was taken away there comes back."""
    if mark_at(recording, at) is not None:
        return recording
    gone = next((m for m in recording.marks if m.gone and m.at == at), None)
    if gone is not None:
        return _with_mark(recording, gone, replace(gone, gone=False))
    return _with_mark(recording, None, Mark(at=at))


def add_marks(
    recording: Recording, places: Sequence[int], known: Sequence[int], near: int
) -> Recording:
    """Hits more at places that are not so near to one that is known, nor to each other."""
    taken = sorted(known)
    for at in sorted(places):
        n = bisect_left(taken, at)
        around = taken[max(0, n - 1) : n + 1]
        if all(abs(at - one) > near for one in around):
            recording = add_mark(recording, at)
            taken.insert(n, at)
    return recording


def remove_mark(recording: Recording, at: int) -> Recording:
    """A hit less; the gauges do not find it again."""
    old, mark = _touched(recording, at)
    new = None if mark.found is None else replace(mark, gone=True)
    return _without_hit(_with_mark(recording, old, new), at)


def end_mark(recording: Recording, at: int, end: int | None) -> Recording:
    """A hit ends at a frame; with None where it has died away."""
    old, mark = _touched(recording, at)
    return _with_mark(recording, old, replace(mark, end=None if end is None else max(at + 1, end)))


def join_mark(recording: Recording, at: int, joined: bool) -> Recording:
    """A hit belongs to the one before it, as a flam does; or is one of its own again."""
    old, mark = _touched(recording, at)
    made = _with_mark(recording, old, replace(mark, joined=joined))
    return _without_hit(made, at) if joined else made


def lock_mark(recording: Recording, at: int, locked: bool) -> Recording:
    """A hit stays as it is whatever the gauges say; or is as it is found again."""
    old, mark = _touched(recording, at)
    if locked:
        return _with_mark(recording, old, mark)
    made = _with_mark(recording, old, None)
    return made if mark.found is None else _renamed_hit(made, at, mark.found)


def lift_mark(recording: Recording, at: int, amount: float) -> Recording:
    """What lies over a hit is taken out of it, by an amount in percent."""
    old, mark = _touched(recording, at)
    return _with_mark(recording, old, changed(mark, lift=amount))


# Groups.


def _renamed_hit(recording: Recording, at: int, to: int) -> Recording:
    if at == to:
        return recording

    def renamed(hits: Sequence[int]) -> tuple[int, ...]:
        return tuple(sorted(to if hit == at else hit for hit in hits))

    groups = tuple(replace(g, hits=renamed(g.hits)) for g in recording.groups)
    return replace(recording, groups=groups, left_out=renamed(recording.left_out))


def _without_hit(recording: Recording, at: int) -> Recording:
    groups = tuple(
        replace(g, hits=tuple(hit for hit in g.hits if hit != at)) for g in recording.groups
    )
    left_out = tuple(hit for hit in recording.left_out if hit != at)
    return replace(recording, groups=groups, left_out=left_out)


def with_groups(recording: Recording, groups: Iterable[Likes]) -> Recording:
    """The recording with groups kept as they are now; without any they are as they are found."""
    return replace(recording, groups=tuple(groups))


def group_hit(recording: Recording, at: int, to: int | None, name: str = "") -> Recording:
    """A hit in another group, by its place; with None in one of its own. Groups must be kept.

    A group that is left empty goes.
    """
    role: Role = next((g.role for g in recording.groups if at in g.hits), "percussion")
    target = recording.groups[to] if to is not None and to < len(recording.groups) else None
    freed = _without_hit(recording, at)
    groups = []
    for old, group in zip(recording.groups, freed.groups, strict=True):
        if old is target:
            group = replace(group, hits=tuple(sorted((*group.hits, at))))
        if group.hits:
            groups.append(group)
    if target is None:
        groups.append(Likes(name=name or role.capitalize(), role=role, hits=(at,)))
    return replace(freed, groups=tuple(groups))


def set_group(recording: Recording, place: int, **values: Any) -> Recording:
    """Another name or role for a group."""
    groups = list(recording.groups)
    groups[place] = changed(groups[place], **values)
    return replace(recording, groups=tuple(groups))


def leave_out(recording: Recording, at: int, out: bool) -> Recording:
    """A hit is not sent; or is again."""
    left = {hit for hit in recording.left_out if hit != at} | ({at} if out else set())
    return replace(recording, left_out=tuple(sorted(left)))
