"""Curves of patterns: drawn, recorded and taken out."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.address import parameter_at, struct_at
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.model.pattern import MOST_CURVES, MOST_POINTS, Curve, CurvePoint
from puddle.kit.playing.curves import value_at
from puddle.kit.playing.schedule import pattern_beats
from puddle.parameter import Parameter
from puddle.stages.process import Process

replace = msgspec.structs.replace
_BUS_FIELDS = ("level_db", "pan", "width")
_SAME = 0.002  # of a gauge's way: what lies so near to a straight line needs no point


def may_move(kit: Kit, address: Address) -> bool:
    """Whether a curve can move a control: of a live stage, a bus, or the master, by ramps.

    Not what changes how much a stage keeps, as the size of a room does.
    """
    if address.of == "bus":
        return address.field in _BUS_FIELDS
    if address.of == "master":
        return address.field == "level_db"
    if address.of not in ("stage", "process", "send") or not address.runs_live:
        return False
    try:
        parameter_at(kit, address)
    except EditError:
        return False
    struct = struct_at(kit, address)
    return not (isinstance(struct, Process) and address.field in struct.structural)


def moved_buses(kit: Kit) -> frozenset[str]:
    """The buses whose width or balance a curve of some pattern moves."""
    return frozenset(
        curve.address.bus
        for pattern in kit.patterns
        for curve in pattern.curves
        if curve.address.of == "bus" and curve.address.field != "level_db"
    )


def curve_of(pattern: Pattern, address: Address) -> Curve | None:
    """The pattern's curve of a control, if it has one."""
    return next((curve for curve in pattern.curves if curve.address == address), None)


def with_points(kit: Kit, pattern_id: str, address: Address, points: Sequence[CurvePoint]) -> Kit:
    """The kit with a pattern's curve of a control; without points it has none.

    Raises EditError where the control runs in no stage that is live, or where there are too many.
    """
    pattern = kit.pattern(pattern_id)
    if pattern is None:
        raise EditError("The pattern is gone.")
    kept = [curve for curve in pattern.curves if curve.address != address]
    if points:
        if not may_move(kit, address):
            raise EditError("Only what runs live has curves: stages of pads, buses and the master.")
        known = parameter_at(kit, address)
        thinned = thin(known, points)
        if len(thinned) > MOST_POINTS or len(kept) >= MOST_CURVES:
            raise EditError(
                f"A pattern has up to {MOST_CURVES} curves of up to {MOST_POINTS} points."
            )
        kept.append(Curve(address=address, points=thinned))
    if tuple(kept) == pattern.curves:
        return kit
    made = replace(pattern, curves=tuple(kept))
    return replace(kit, patterns=tuple(made if p is pattern else p for p in kit.patterns))


def thin(known: Parameter, points: Sequence[CurvePoint]) -> tuple[CurvePoint, ...]:
    """Points in order and in range, without those on the line between their neighbors.

    Of a line of points the one farthest from it stays, and both parts are looked at in turn
    (Douglas and Peucker 1973), at a five hundredth of the gauge's way.
    """
    rising = sorted(points, key=lambda point: point.at)
    rising = [replace(point, value=known.clamped(point.value)) for point in rising]
    places = [known.position(point.value) for point in rising]
    stays = [False] * len(rising)
    waiting = [(0, len(rising) - 1)] if rising else []
    while waiting:
        first, last = waiting.pop()
        stays[first] = stays[last] = True
        span = rising[last].at - rising[first].at
        far, farthest = _SAME, -1
        for n in range(first + 1, last):
            share = (rising[n].at - rising[first].at) / span if span > 0.0 else 0.0
            line = places[first] + share * (places[last] - places[first])
            if abs(places[n] - line) > far:
                far, farthest = abs(places[n] - line), n
        if farthest >= 0:
            waiting += [(first, farthest), (farthest, last)]
    return tuple(point for point, stay in zip(rising, stays, strict=True) if stay)


def drawn_over(
    points: Sequence[CurvePoint], drawn: Sequence[CurvePoint], known: Parameter, rest: float
) -> list[CurvePoint]:
    """Points with what was drawn in the place of those between its first and last beat.

    Around it the curve stays as it was; where there was none it stands at `rest`. A single place
    is a point more, to which lines lead.
    """
    if not drawn:
        return list(points)
    first, last = drawn[0].at, drawn[-1].at
    before = [point for point in points if point.at < first]
    after = [point for point in points if point.at > last]
    if len(drawn) > 1:
        edges = (value_at(points, known, beat) if points else rest for beat in (first, last))
        left, right = (
            CurvePoint(at=at, value=v) for at, v in zip((first, last), edges, strict=True)
        )
        before, after = [*before, left], [right, *after]
    return [*before, *drawn, *after]


def recorded(
    kit: Kit, pattern_id: str, address: Address, moves: Sequence[tuple[float, float]], rest: float
) -> Kit:
    """The kit with moves, beats of the pattern's pass and values, as a curve of the pattern.

    Moves that go on into the next pass lie over what the first one left. Where nothing was moved
    it stands at `rest`, to which what was moved goes back.
    """
    pattern = kit.pattern(pattern_id)
    if pattern is None:
        raise EditError("The pattern that played is gone.")
    scale, known = parameter_at(kit, address), curve_of(pattern, address)
    points: list[CurvePoint] = list(known.points) if known is not None else []
    run: list[CurvePoint] = []
    beats = pattern_beats(pattern)
    for beat, value in moves:
        at = min(max(0.0, beat), beats * (1.0 - 1e-9))
        if run and at < run[-1].at:  # the next pass
            points = drawn_over(points, run, scale, rest)
            run = []
        run.append(CurvePoint(at=at, value=value))
    return with_points(kit, pattern_id, address, drawn_over(points, run, scale, rest))


def scaled(
    points: Sequence[CurvePoint], known: Parameter, rest: float, factor: float
) -> list[CurvePoint]:
    """Points nearer to where the gauge rests, or farther from it, on its scale."""
    middle = known.position(rest)
    return [
        replace(p, value=known.at(middle + factor * (known.position(p.value) - middle)))
        for p in points
    ]


def reversed_in(points: Sequence[CurvePoint], beats: float) -> list[CurvePoint]:
    """Points backwards in a pattern of so many beats."""
    last = beats * (1.0 - 1e-9)
    return [replace(p, at=min(last, max(0.0, beats - p.at))) for p in reversed(points)]


def shifted(
    points: Sequence[CurvePoint], known: Parameter, beats: float, by: float
) -> list[CurvePoint]:
    """Points later by so many beats, or earlier; what goes over an edge comes in at the other.

    What stood at the edge stands there still, on both sides of it.
    """
    cut = (-by) % beats
    edge = value_at(points, known, cut)
    last = beats * (1.0 - 1e-9)
    made = [replace(p, at=min(last, (p.at + by) % beats)) for p in points if p.at < beats]
    first = CurvePoint(at=0.0, value=edge)
    end = CurvePoint(at=last, value=edge)
    seam = (by % beats, value_at(points, known, 0.0), value_at(points, known, last))
    leap = [CurvePoint(at=seam[0], value=seam[2]), CurvePoint(at=seam[0], value=seam[1])]
    inside = sorted(made, key=lambda point: point.at)
    before = [point for point in inside if point.at < seam[0]]
    after = [point for point in inside if point.at >= seam[0]]
    return [first, *before, *leap, *after, end]
