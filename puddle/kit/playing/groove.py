"""What plays: patterns one after the other, from beats of the groove on."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

import msgspec

from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.model.pattern import Meter, bar_beats
from puddle.kit.playing.schedule import Part, pattern_beats

When = Literal["at once", "next beat", "next bar"]
_MOST_PARTS = 4096


class Groove(msgspec.Struct, frozen=True):
    """Parts, each from its start until the next one's; the last one loops."""

    parts: tuple[Part, ...] = ()

    def part_at(self, beat: float) -> Part | None:
        """The part that is heard at a beat."""
        found = None
        for part in self.parts:
            if part.start <= beat + 1e-9 or found is None:
                found = part
        return found

    def place(self, beat: float) -> tuple[Pattern | None, float]:
        """The pattern that is heard at a beat of the groove, and the beat in its pass."""
        part = self.part_at(beat)
        if part is None:
            return None, beat
        if beat < part.origin:
            return part.pattern, beat - part.origin
        return part.pattern, math.fmod(beat - part.origin, pattern_beats(part.pattern))


def position(meter: Meter, beat: float) -> tuple[int, int, int]:
    """Bar, beat of the meter and quarter of that beat, all from 1, at a quarter note's count."""
    unit = 4.0 / int(meter.split("/")[1])
    bar, rest = divmod(beat, bar_beats(meter))
    whole, part = divmod(rest, unit)
    return int(bar) + 1, int(whole) + 1, int(4.0 * part / unit) + 1


def groove_of(pattern: Pattern | None) -> Groove:
    """One pattern that loops."""
    return Groove((Part(pattern),)) if pattern is not None else Groove()


def moves_something(groove: Groove) -> bool:
    """Whether some pattern of a groove has curves."""
    return any(part.pattern.curves for part in groove.parts)


def without_curves(groove: Groove, addresses: frozenset[Address]) -> Groove:
    """The groove without what its patterns' curves move of some controls."""
    if not addresses:
        return groove
    parts = []
    for part in groove.parts:
        kept = tuple(c for c in part.pattern.curves if c.address not in addresses)
        if len(kept) < len(part.pattern.curves):
            pattern = msgspec.structs.replace(part.pattern, curves=kept)
            part = msgspec.structs.replace(part, pattern=pattern)
        parts.append(part)
    return Groove(tuple(parts))


def in_order(kit: Kit) -> Groove:
    """The patterns of the kit's play order, over and over; none where it has no order."""
    plays = [(p, play.times) for play in kit.order if (p := kit.pattern(play.pattern)) is not None]
    if not plays:
        return Groove()
    parts: list[Part] = []
    beat = 0.0
    rounds = max(1, _MOST_PARTS // len(plays) if len(plays) > 1 else 1)
    for _ in range(min(rounds, 256)):
        for pattern, times in plays:
            parts.append(Part(pattern, beat, beat))
            beat += times * pattern_beats(pattern)
    return Groove(tuple(parts))


def changed_groove(groove: Groove, pattern: Pattern, beat: float) -> Groove:
    """The groove with the pattern that sounds at a beat edited; where it is, it stays.

    Where its length is another, the pass that runs goes on from its beginning.
    """
    now = groove.part_at(beat)
    if now is None or now.pattern.id != pattern.id:
        return groove
    origin = now.origin
    before, after = pattern_beats(now.pattern), pattern_beats(pattern)
    if before != after and beat > origin:
        origin += math.floor((beat - origin) / before) * before
        origin += math.floor((beat - origin) / after) * after
    made = Part(pattern, now.start, origin)
    return Groove(tuple(made if part is now else part for part in groove.parts))


def turned_to(groove: Groove, pattern: Pattern, beat: float, when: When) -> Groove:
    """The groove that goes over to another pattern, which is in its first step then.

    At once, it goes on at the beat of the pass where the other one is.
    """
    now = groove.part_at(beat)
    if now is None or beat < 0.0:
        return groove_of(pattern)
    kept = _heard(groove, now)
    if when == "at once":
        beats = pattern_beats(pattern)
        origin = now.origin + math.floor(max(0.0, beat - now.origin) / beats) * beats
        return Groove((*kept, Part(pattern, beat, origin)))
    unit = 1.0 if when == "next beat" else bar_beats(now.pattern.meter)
    start = now.origin + (math.floor((beat - now.origin) / unit + 1e-6) + 1.0) * unit
    return Groove((*kept, Part(pattern, start, start)))


def _heard(groove: Groove, now: Part) -> Sequence[Part]:
    """The part that is heard and the one before it, which may still play late."""
    at = groove.parts.index(now)
    return groove.parts[max(0, at - 1) : at + 1]
