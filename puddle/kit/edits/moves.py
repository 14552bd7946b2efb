"""Gauges that were moved while the groove ran, as own values of the strokes that fell meanwhile."""

from __future__ import annotations

import bisect
from collections.abc import Sequence
from dataclasses import dataclass

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.address import every_control, with_value
from puddle.kit.edits.own_values import may_have
from puddle.kit.edits.patterns import lane_in, with_lane
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, OwnValue, Pad, Pattern
from puddle.kit.playing.schedule import Part, strokes_in

replace = msgspec.structs.replace


@dataclass(frozen=True, slots=True)
class Moved:
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
