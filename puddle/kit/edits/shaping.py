"""What hits are: one kind of value at a time, drawn, ramped, scattered, scaled, reversed, shifted.

A kind is a field of a hit by its name, or the address of a gauge of the pad (`own` values).
"""

from __future__ import annotations

import random
from collections.abc import Mapping

import msgspec

from puddle.kit.edits.address import parameter_at, value_at
from puddle.kit.edits.hits import Spot, Spots, hit_at, with_each, with_hits
from puddle.kit.edits.patterns import with_lane
from puddle.kit.model.address import Address
from puddle.kit.model.document import Flam, Hit, Kit, OwnValue, Pattern
from puddle.kit.playing.schedule import lane_steps
from puddle.parameter import Parameter, Scale, parameter

replace = msgspec.structs.replace
Kind = str | Address
FLAM, NOTE = "flam", "note"
_FLAM = msgspec.structs.replace(  # a hit may also have none
    parameter(Flam, "before_ms"), low=0.0, default=0.0, zero="no flam"
)


class Drawn(msgspec.Struct, frozen=True):
    """The range and the rest of a kind of value, as bars show it."""

    known: Parameter
    rest: float  # what a hit has that says nothing else


def drawn_as(kit: Kit, pad_id: str, kind: Kind) -> Drawn:
    """How a kind of value is drawn for a pad. Raises EditError where its gauge is gone."""
    if isinstance(kind, Address):
        return Drawn(parameter_at(kit, kind), value_at(kit, kind))
    if kind == FLAM:
        return Drawn(_FLAM, 0.0)
    if kind == NOTE:
        pad = kit.pad(pad_id)
        root = float(pad.root) if pad is not None else 60.0
        return Drawn(_note_parameter(root), root)
    known = parameter(Hit, kind)
    return Drawn(known, known.default)


def _note_parameter(root: float) -> Parameter:
    return Parameter(
        field=NOTE,
        label="Note",
        low=max(0.0, root - 24.0),
        high=min(127.0, root + 24.0),
        default=root,
        unit="note",
        scale=Scale.LINEAR,
        decimals=0,
        says="The key that plays the pad, where it follows keys.",
        part="",
        kind="whole",
    )


def value_of(hit: Hit, kind: Kind, rest: float) -> float:
    """A hit's value of a kind."""
    if isinstance(kind, Address):
        return next((own.value for own in hit.values if own.address == kind), rest)
    if kind == FLAM:
        return hit.flams[-1].before_ms if hit.flams else 0.0
    if kind == NOTE:
        return float(hit.note) if hit.note is not None else rest
    return float(getattr(hit, kind))


def with_value_of(hit: Hit, kind: Kind, value: float, drawn: Drawn) -> Hit:
    """The hit with a value of a kind, in its range."""
    value = drawn.known.clamped(value)
    if isinstance(kind, Address):
        kept = tuple(own for own in hit.values if own.address != kind)
        return replace(hit, values=(*kept, OwnValue(address=kind, value=value)))
    if kind == FLAM:
        if value < 1.0:
            return replace(hit, flams=()) if hit.flams else hit
        last = hit.flams[-1] if hit.flams else Flam()
        return replace(hit, flams=(*hit.flams[:-1], replace(last, before_ms=value)))
    if kind == NOTE:
        return replace(hit, note=round(value))
    if drawn.known.kind == "whole":
        return replace(hit, **{kind: round(value)})
    return replace(hit, **{kind: value})


def without_value(hit: Hit, kind: Kind) -> Hit:
    """The hit with what it has where nothing is said."""
    if isinstance(kind, Address):
        return replace(hit, values=tuple(own for own in hit.values if own.address != kind))
    if kind == FLAM:
        return replace(hit, flams=())
    if kind == NOTE:
        return replace(hit, note=None)
    return replace(hit, **{kind: getattr(Hit(at=0), kind)})


def draw(
    kit: Kit, pattern: Pattern, pad_id: str, kind: Kind, values: Mapping[float, float]
) -> Pattern:
    """Values by place in a pad's lane; places without a hit are passed over."""
    drawn = drawn_as(kit, pad_id, kind)
    spots = [Spot(pad_id, at) for at in values]
    return with_each(pattern, spots, lambda hit: with_value_of(hit, kind, values[hit.at], drawn))


def ramp(
    kit: Kit, pattern: Pattern, pad_id: str, kind: Kind, start: tuple[float, float],
    end: tuple[float, float],
) -> Pattern:  # fmt: skip
    """A line from one (place, value) to another over the hits between, as the gauge is laid out."""
    (a, low), (b, high) = sorted((start, end))
    known = drawn_as(kit, pad_id, kind).known
    lane = pattern.lane(pad_id)
    if lane is None:
        return pattern
    first, last = known.position(low), known.position(high)
    values = {
        hit.at: known.at(first + (last - first) * ((hit.at - a) / (b - a) if b > a else 0.0))
        for hit in lane.hits
        if a - 1e-9 <= hit.at <= b + 1e-9
    }
    return draw(kit, pattern, pad_id, kind, values)


def scatter(
    kit: Kit, pattern: Pattern, spots: Spots, kind: Kind, amount: float, seed: int
) -> Pattern:
    """Each hit's value around what it is, by up to a share of the range in percent."""

    def change(hit: Hit, pad_id: str) -> Hit:
        drawn = drawn_as(kit, pad_id, kind)
        at = drawn.known.position(value_of(hit, kind, drawn.rest))
        by = random.Random(f"{seed} {pad_id} {hit.at}").uniform(-1.0, 1.0) * amount / 100.0
        return with_value_of(hit, kind, drawn.known.at(at + by), drawn)

    return _by_lane(pattern, spots, change)


def scale(kit: Kit, pattern: Pattern, spots: Spots, kind: Kind, factor: float) -> Pattern:
    """Each hit's distance from what it has at rest multiplied; velocities as a whole."""

    def change(hit: Hit, pad_id: str) -> Hit:
        drawn = drawn_as(kit, pad_id, kind)
        rest = 0.0 if kind in ("velocity", "chance") else drawn.rest
        value = value_of(hit, kind, drawn.rest)
        return with_value_of(hit, kind, rest + (value - rest) * factor, drawn)

    return _by_lane(pattern, spots, change)


def reverse(kit: Kit, pattern: Pattern, spots: Spots, kind: Kind) -> Pattern:
    """The values of each lane's hits in reverse order; the hits stay where they are."""
    return _rotated(kit, pattern, spots, kind, lambda values: values[::-1])


def shift(kit: Kit, pattern: Pattern, spots: Spots, kind: Kind, by: int) -> Pattern:
    """The values of each lane's hits so many hits later; what goes over the end comes first."""
    return _rotated(
        kit, pattern, spots, kind, lambda v: [v[(n - by) % len(v)] for n in range(len(v))]
    )


def _rotated(kit: Kit, pattern: Pattern, spots: Spots, kind: Kind, order: object) -> Pattern:
    assert callable(order)
    for pad_id in dict.fromkeys(spot.pad for spot in spots):
        places = sorted(spot.at for spot in spots if spot.pad == pad_id)
        hits = [h for at in places if (h := hit_at(pattern, Spot(pad_id, at))) is not None]
        drawn = drawn_as(kit, pad_id, kind)
        values = order([value_of(hit, kind, drawn.rest) for hit in hits])
        made = {hit.at: value for hit, value in zip(hits, values, strict=True)}
        pattern = draw(kit, pattern, pad_id, kind, made)
    return pattern


def _by_lane(pattern: Pattern, spots: Spots, change: object) -> Pattern:
    assert callable(change)
    for pad_id in dict.fromkeys(spot.pad for spot in spots):
        here = [spot for spot in spots if spot.pad == pad_id]
        pattern = with_each(pattern, here, lambda hit, pad_id=pad_id: change(hit, pad_id))  # type: ignore[misc]
    return pattern


def rotated_lane(pattern: Pattern, pad_id: str, by: int) -> Pattern:
    """A lane's hits so many steps later; what leaves at the end comes in at the start."""
    lane = pattern.lane(pad_id)
    if lane is None or lane.exact:
        return pattern
    steps = lane_steps(pattern, lane)
    hits = [replace(h, at=float((int(h.at) + by) % steps)) for h in lane.hits if h.at < steps]
    return with_lane(pattern, with_hits(lane, hits))
