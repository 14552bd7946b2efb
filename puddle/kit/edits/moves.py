"""Gauges that were moved while the groove ran: own values of strokes, curves of what is live."""

from __future__ import annotations

import bisect
from collections.abc import Mapping, Sequence
from typing import TypeVar

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.address import every_control, with_value
from puddle.kit.edits.curves import may_move, recorded
from puddle.kit.edits.own_values import may_have
from puddle.kit.edits.patterns import lane_in, with_lane
from puddle.kit.model.address import Address
from puddle.kit.model.document import Bus, Kit, OwnValue, Pad, Pattern, Sound
from puddle.kit.playing.schedule import Part, pattern_beats, strokes_in

replace = msgspec.structs.replace
_Named = TypeVar("_Named", Pad, Bus)


class Moved(msgspec.Struct, frozen=True):
    """A gauge at a beat of the groove."""

    beat: float
    value: float


def moved_controls(before: Pad, after: Pad) -> dict[Address, tuple[float, float]]:
    """The gauges of a pad's sound, layers, stages and trigger that differ: what was, what is."""
    if before is after:
        return {}

    def values(pad: Pad) -> dict[Address, float]:
        kit = Kit(name="", pads=(replace(pad, link=None),))
        return {
            control.address: float(getattr(control.struct, control.known.field))
            for control in every_control(kit)
            if may_have(control.address, pad.id)
        }

    was, now = values(before), values(after)
    return {
        address: (was[address], value)
        for address, value in now.items()
        if address in was and was[address] != value
    }


def moved_anywhere(before: Kit, after: Kit) -> dict[Address, tuple[float, float]]:
    """The gauges of a kit that differ and that a pattern can hold: what was, what is.

    Those of pads' sounds, which strokes have for themselves, and those of what runs live, which
    have curves.
    """
    if before is after:
        return {}
    pads, buses = _changed(before.pads, after.pads), _changed(before.buses, after.buses)
    found: dict[Address, tuple[float, float]] = {}
    for was, pad in pads:
        found |= moved_controls(was, pad)
    if not pads and not buses and before.master is after.master:
        return found
    live = [_live_values(kit, n, pads, buses) for n, kit in enumerate((before, after))]
    for address, value in live[1].items():
        if address in live[0] and live[0][address] != value:
            found[address] = live[0][address], value
    return found


def _changed(before: Sequence[_Named], after: Sequence[_Named]) -> list[tuple[_Named, _Named]]:
    """Those that are there on both sides, and differ."""
    known = {one.id: one for one in before}
    return [(known[one.id], one) for one in after if known.get(one.id, one) is not one]


def _live_values(
    kit: Kit, which: int, pads: Sequence[tuple[Pad, Pad]], buses: Sequence[tuple[Bus, Bus]]
) -> dict[Address, float]:
    """The values of what runs live in pads and buses that differ, and in the master."""
    own = tuple(replace(pair[which], link=None, sound=Sound()) for pair in pads)
    small = Kit(name="", pads=own, buses=tuple(pair[which] for pair in buses), master=kit.master)
    return {
        control.address: float(getattr(control.struct, control.known.field))
        for control in every_control(small)
        if may_move(small, control.address)
    }


def as_curves(
    kit: Kit, part: Part, moves: Mapping[Address, Sequence[Moved]], rests: Mapping[Address, float]
) -> Kit:
    """The kit with moves of what runs live as curves of the pattern that played.

    What was moved goes back to where it rested. Raises EditError where the pattern is gone.
    """
    beats = pattern_beats(part.pattern)
    for address, made in moves.items():
        kit = with_value(kit, address, rests[address])
        inside = [((move.beat - part.origin) % beats, move.value) for move in made]
        kit = recorded(kit, part.pattern.id, address, inside, rests[address])
    return kit


def with_moves(kit: Kit, part: Part, address: Address, moves: Sequence[Moved], rest: float) -> Kit:
    """The kit with the moves as own values of the strokes that fell between first and last one.

    A stroke takes the value that stood when it fell. The gauge itself goes back to `rest`. Of a hit
    that fell several times the last pass counts. Raises EditError where the gauge is gone.
    """
    pattern = kit.pattern(part.pattern.id)
    if pattern is None or not moves:
        raise EditError("The pattern that played is gone.")
    kit = with_value(kit, address, rest)
    made = _valued(pattern, part, address, moves, kit.tempo_bpm)
    if made is pattern:
        return kit
    patterns = tuple(made if p is pattern else p for p in kit.patterns)
    return replace(kit, patterns=patterns)


def _valued(
    pattern: Pattern, part: Part, address: Address, moves: Sequence[Moved], bpm: float
) -> Pattern:
    lane = lane_in(pattern, address.pad)
    beats = [move.beat for move in moves]
    heard = (Part(replace(pattern, lanes=(replace(lane, mute=False),)), part.start, part.origin),)
    values: dict[int, float] = {}
    for stroke in strokes_in(heard, bpm, beats[0], beats[-1] + 1e-6):
        at = bisect.bisect_right(beats, float(stroke["beat"])) - 1
        values[int(stroke["hit"])] = moves[max(0, at)].value
    hits = []
    for n, hit in enumerate(lane.hits):
        if n in values:
            kept = tuple(own for own in hit.values if own.address != address)
            hit = replace(hit, values=(*kept, OwnValue(address=address, value=values[n])))
        hits.append(hit)
    made = tuple(hits)
    return with_lane(pattern, replace(lane, hits=made)) if made != lane.hits else pattern
