"""Brings an index up to date with its folders: what is new is measured, the rest only looked at."""

from __future__ import annotations

import os
import time
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence

import msgspec

from puddle.library.index import Index
from puddle.library.kit_entries import forget_kits, set_kits_away
from puddle.library.measuring import Measurer, Task
from puddle.library.record import Unreadable
from puddle.library.walking import Seen, seen_below
from puddle.library.worker import Found
from puddle.tasks import check_cancelled

_BATCH = 128  # entries that are noted at once
_BATCH_S = 0.5
_MOST_ALIKE = 64  # contents of one size that a file is compared with


class Progress(msgspec.Struct, frozen=True):
    """How far a scan has come."""

    done: int
    of: int
    per_second: float


class Counts(msgspec.Struct):
    """What a scan found."""

    entries: int = 0
    new: int = 0
    changed: int = 0
    moved: int = 0
    unreadable: int = 0
    seconds: float = 0.0


def scan(
    index: Index,
    folders: Sequence[bytes],
    measurer: Measurer,
    tell: Callable[[Progress], None] = lambda _: None,
) -> Counts:
    """Scans folders, each with what lies below it. Raises Cancelled where it is to be left:
    what has been measured until then is kept."""
    counts, began = Counts(), time.monotonic()
    for folder in folders:
        root = os.path.realpath(folder)
        _scan_below(index, root, root, measurer, tell, counts)
    learn_roles(index)
    index.keep_columns()
    counts.seconds = round(time.monotonic() - began, 3)
    return counts


def scan_parts(index: Index, root: bytes, parts: Sequence[bytes], measurer: Measurer) -> Counts:
    """Scans some folders of a root, with what lies below them: those in which something changed."""
    counts, root = Counts(), os.path.realpath(root)
    for part in parts:
        if not any(part != other and part.startswith(other + b"/") for other in parts):
            _scan_below(index, root, part, measurer, lambda _: None, counts)
    learn_roles(index)
    return counts


def _scan_below(
    index: Index,
    root: bytes,
    folder: bytes,
    measurer: Measurer,
    tell: Callable[[Progress], None],
    counts: Counts,
) -> None:
    files, kits = index.states_below(folder), index.kits_below(folder)
    before = files | kits
    found = {seen.path: seen for seen in seen_below(folder)}
    away = not os.path.isdir(root) or (folder == root and not found)
    if before and away:  # a disk that was taken out
        index.set_away([state[0] for state in before.values() if not state[3]], True)
        set_kits_away(index, folder, True)
        counts.entries += len(before)
        return
    tell(Progress(0, len(found), 0.0))
    same = {p for p, seen in found.items() if p in before and _same(seen, before[p])}
    index.set_away([files[p][0] for p in same if p in files and files[p][3]], False)
    set_kits_away(index, folder, False)
    counts.entries += len(found)
    todo = [seen for path, seen in found.items() if path not in same]
    _measure(index, root, todo, before, measurer, tell, counts)
    if os.path.isdir(root):  # and did not go away meanwhile
        index.forget([state[0] for path, state in files.items() if path not in found])
        forget_kits(index, [state[0] for path, state in kits.items() if path not in found])


def _same(seen: Seen, state: tuple[int, int, int, bool]) -> bool:
    return seen.size == state[1] and seen.changed_ns == state[2]


def _measure(
    index: Index,
    root: bytes,
    todo: list[Seen],
    before: dict[bytes, tuple[int, int, int, bool]],
    measurer: Measurer,
    tell: Callable[[Progress], None],
    counts: Counts,
) -> None:
    """Measures files and notes them."""
    tasks: list[Task] = list(_tasks(index, todo))
    began, noted = time.monotonic(), _Batch()
    for done, (seen, found) in enumerate(measurer.measured(tasks), 1):
        if seen.path in before:
            counts.changed += 1
        elif isinstance(found, str):
            counts.moved += 1
        else:
            counts.new += 1
        counts.unreadable += isinstance(found, Unreadable)
        noted.add(seen, found)
        if noted.full or done == len(tasks):
            index.put(noted.taken(), root)
            passed = time.monotonic() - began
            tell(Progress(done, len(tasks), done / max(passed, 1e-3)))


class _Batch:
    """What is to be noted at once: every so many, or every so often."""

    def __init__(self) -> None:
        self._held: list[tuple[Seen, Found]] = []
        self._since = time.monotonic()

    def add(self, seen: Seen, found: Found) -> None:
        self._held.append((seen, found))

    @property
    def full(self) -> bool:
        return len(self._held) >= _BATCH or time.monotonic() - self._since > _BATCH_S

    def taken(self) -> list[tuple[Seen, Found]]:
        held, self._held = self._held, []
        self._since = time.monotonic()
        return held


def _tasks(index: Index, todo: Iterable[Seen]) -> Iterable[Task]:
    """Files with the contents that they may hold: those of other files of the same size."""
    sizes: dict[int, list[str]] = defaultdict(list)
    for size, content in index.sizes():
        sizes[size].append(content)
    for seen in todo:
        check_cancelled()
        yield seen, tuple(sizes.get(seen.size, ())[:_MOST_ALIKE])


def learn_roles(index: Index) -> None:
    """Gives entries without a told role the role of what they are near to, where that is clear.

    Only where something was measured, or corrected, since that was done last.
    """
    from puddle.library.learning import learned_roles

    if index.unlearned:
        index.set_roles(learned_roles(index))
        index.unlearned = False
