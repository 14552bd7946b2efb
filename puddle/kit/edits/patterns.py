"""Patterns of a kit: made, named, ordered, removed; their lanes; the order in which they play."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.items import fresh_id, moved, replaced
from puddle.kit.model.document import Kit, Lane, Pattern, Play
from puddle.kit.model.limits import MOST_PATTERNS
from puddle.kit.model.roles import DYES
from puddle.parameter import changed

replace = msgspec.structs.replace
Change = Callable[[Pattern], Pattern]


def pattern_of(kit: Kit, pattern_id: str) -> Pattern:
    """The pattern of that id. Raises EditError if there is none."""
    found = kit.pattern(pattern_id)
    if found is None:
        raise EditError(f"The kit holds no pattern “{pattern_id}”.")
    return found


def in_pattern(kit: Kit, pattern_id: str, change: Change) -> Kit:
    """The kit with a pattern changed; the same one where nothing differs."""
    old = pattern_of(kit, pattern_id)
    new = change(old)
    return kit if new is old else replace(kit, patterns=replaced(kit.patterns, old, new))


def set_pattern(kit: Kit, pattern_id: str, **values: Any) -> Kit:
    """New values for fields of a pattern."""
    return in_pattern(kit, pattern_id, lambda pattern: changed(pattern, **values))


def free_name(kit: Kit) -> str:
    """The first letter that no pattern is named by, then AA, AB and so on."""
    taken = {pattern.name for pattern in kit.patterns}
    letters = [chr(65 + n) for n in range(26)]
    names = (*letters, *(a + b for a in letters for b in letters))
    return next(name for name in names if name not in taken)


def add_pattern(kit: Kit, made: Pattern | None = None, after: str = "") -> tuple[Kit, Pattern]:
    """A pattern more: empty, or as given, with a name and color of its own.

    It stands after another one, or last. Raises EditError where there are too many.
    """
    if len(kit.patterns) >= MOST_PATTERNS:
        raise EditError(f"A kit has {MOST_PATTERNS} patterns at most.")
    model = made or Pattern(id="", name="")
    named = model.name and all(p.name != model.name for p in kit.patterns)
    new = replace(
        model,
        id=fresh_id("pattern", [p.id for p in kit.patterns]),
        name=model.name if named else free_name(kit),
        dye=DYES[len(kit.patterns) % len(DYES)],
    )
    places = [n + 1 for n, p in enumerate(kit.patterns) if p.id == after]
    at = places[0] if places else len(kit.patterns)
    return replace(kit, patterns=(*kit.patterns[:at], new, *kit.patterns[at:])), new


def duplicate_pattern(kit: Kit, pattern_id: str) -> tuple[Kit, Pattern]:
    """A copy, after the one that it is of."""
    return add_pattern(kit, replace(pattern_of(kit, pattern_id), name=""), pattern_id)


def remove_pattern(kit: Kit, pattern_id: str) -> Kit:
    """The kit without a pattern, in its play order too."""
    gone = pattern_of(kit, pattern_id)
    return replace(
        kit,
        patterns=tuple(p for p in kit.patterns if p is not gone),
        order=tuple(play for play in kit.order if play.pattern != pattern_id),
    )


def move_pattern(kit: Kit, pattern_id: str, to: int) -> Kit:
    """The pattern at another place among the others."""
    at = kit.patterns.index(pattern_of(kit, pattern_id))
    return replace(kit, patterns=moved(kit.patterns, at, to))


def set_order(kit: Kit, plays: Iterable[Play]) -> Kit:
    """The order in which patterns play; none: one loops."""
    kept = tuple(plays)
    for play in kept:
        pattern_of(kit, play.pattern)
    return replace(kit, order=kept)


def keep_tempo(kit: Kit, bpm: float) -> Kit:
    """The kit with a tempo kept, to be tried by a click."""
    kept = sorted({*kit.tempos, round(bpm, 1)})
    return kit if tuple(kept) == kit.tempos else replace(kit, tempos=tuple(kept[:16]))


def drop_tempo(kit: Kit, bpm: float) -> Kit:
    """The kit with a kept tempo less."""
    return replace(kit, tempos=tuple(t for t in kit.tempos if t != bpm))


# Lanes.


def lane_in(pattern: Pattern, pad_id: str) -> Lane:
    """The lane of a pad; an empty one where it has none."""
    return pattern.lane(pad_id) or Lane(pad=pad_id)


def with_lane(pattern: Pattern, lane: Lane) -> Pattern:
    """The pattern with the lane of a pad replaced, or one more at its end."""
    known = pattern.lane(lane.pad)
    if known is lane:
        return pattern
    if known is None:
        return replace(pattern, lanes=(*pattern.lanes, lane))
    return replace(pattern, lanes=replaced(pattern.lanes, known, lane))


def lanes_ordered(pattern: Pattern, pads: Sequence[str]) -> Pattern:
    """The pattern with its lanes in the order of some pads; others after them."""
    places = {pad: n for n, pad in enumerate(pads)}
    lanes = sorted(pattern.lanes, key=lambda lane: places.get(lane.pad, len(places)))
    return replace(pattern, lanes=tuple(lanes)) if tuple(lanes) != pattern.lanes else pattern
