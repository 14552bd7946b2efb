"""Hits of a pattern: put, taken out, moved, copied; functions from a pattern to a pattern.

A hit is named by its pad and where it stands in the pad's lane: no lane has two at one place.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.patterns import lane_in, with_lane
from puddle.kit.model.document import Hit, Lane, Pattern
from puddle.kit.model.limits import MOST_HITS
from puddle.kit.model.pattern import MOST_STEPS, Grid, grid_beats
from puddle.kit.playing.schedule import hit_beat, lane_beats, lane_grid, lane_steps, step_beat

replace = msgspec.structs.replace
_BETWEEN = 0.75  # of a step: farther from one it lies not between it and its neighbor


class Spot(msgspec.Struct, frozen=True):
    """Where a hit stands: the pad of its lane, and its step, or its beat where times are exact."""

    pad: str
    at: float


Spots = Collection[Spot]


class Clip(msgspec.Struct, frozen=True):
    """Hits that were copied: lanes down from the first, and beats on from the first hit."""

    hits: tuple[tuple[int, float, Hit], ...]
    beats: float  # from the first step to after the last one


def hit_at(pattern: Pattern, spot: Spot) -> Hit | None:
    """The hit that stands there."""
    lane = pattern.lane(spot.pad)
    if lane is None:
        return None
    return next((hit for hit in lane.hits if hit.at == spot.at), None)


def spots_of(pattern: Pattern, pad_id: str | None = None) -> list[Spot]:
    """Where hits stand, of one lane or of all."""
    return [
        Spot(lane.pad, hit.at)
        for lane in pattern.lanes
        if pad_id is None or lane.pad == pad_id
        for hit in lane.hits
    ]


def with_hits(lane: Lane, hits: Iterable[Hit]) -> Lane:
    """The lane with these hits, in order; of two at one place the later one."""
    by_place = {hit.at: hit for hit in hits}
    kept = tuple(by_place[at] for at in sorted(by_place))
    if len(kept) > MOST_HITS:
        raise EditError(f"A lane holds {MOST_HITS:,} hits at most.")
    return lane if kept == lane.hits else replace(lane, hits=kept)


def put(pattern: Pattern, pad_id: str, hits: Iterable[Hit]) -> Pattern:
    """Hits more in a pad's lane, in the place of those that stand there."""
    lane = lane_in(pattern, pad_id)
    return with_lane(pattern, with_hits(lane, (*lane.hits, *hits)))


def taken_out(pattern: Pattern, spots: Spots) -> Pattern:
    """The pattern without some hits; lanes stay."""
    gone = set(spots)
    for lane in pattern.lanes:
        kept = tuple(hit for hit in lane.hits if Spot(lane.pad, hit.at) not in gone)
        if len(kept) != len(lane.hits):
            pattern = with_lane(pattern, replace(lane, hits=kept))
    return pattern


def with_each(pattern: Pattern, spots: Spots, change: Callable[[Hit], Hit]) -> Pattern:
    """The pattern with some hits changed, where they are."""
    wanted = set(spots)
    for lane in pattern.lanes:
        made = tuple(change(hit) if Spot(lane.pad, hit.at) in wanted else hit for hit in lane.hits)
        if made != lane.hits:
            pattern = with_lane(pattern, replace(lane, hits=made))
    return pattern


# Moved and copied.


def moved_hits(
    pattern: Pattern,
    spots: Spots,
    beats: float,
    lanes: int,
    pads: Sequence[str],
    *,
    copy: bool = False,
) -> tuple[Pattern, list[Spot]]:
    """Hits so many beats later and so many lanes down, or copies of them; and where they are now.

    `pads` are the lanes in their order. On steps they land on the nearest one. Nothing leaves the
    pattern: they go as far as all can.
    """
    found = [(spot, hit) for spot in spots if (hit := hit_at(pattern, spot)) is not None]
    if not found:
        return pattern, []
    places = {pad: n for n, pad in enumerate(pads)}
    rows = [places[spot.pad] for spot, _ in found if spot.pad in places]
    lanes = max(-min(rows), min(len(pads) - 1 - max(rows), lanes)) if rows else 0
    starts = [_beat_of(pattern, spot.pad, hit.at) for spot, hit in found]
    room = [
        _longest(pattern, pads[places[spot.pad] + lanes]) for spot, _ in found if spot.pad in places
    ]
    most = min((long - at for long, at in zip(room, starts, strict=False)), default=0.0)
    beats = max(-min(starts), min(most, beats))
    left = pattern if copy else taken_out(pattern, spots)
    made: dict[str, list[Hit]] = {}
    for (spot, hit), start in zip(found, starts, strict=True):
        pad = pads[places[spot.pad] + lanes] if spot.pad in places else spot.pad
        made.setdefault(pad, []).append(replace(hit, at=_place_of(left, pad, start + beats)))
    for pad, hits in made.items():
        left = put(left, pad, hits)
    return left, [Spot(pad, hit.at) for pad, hits in made.items() for hit in hits]


def _longest(pattern: Pattern, pad_id: str) -> float:
    """The last beat at which a lane may hold a hit."""
    lane = lane_in(pattern, pad_id)
    if lane.exact:
        return lane_beats(pattern, lane) - 1e-6
    return (lane_steps(pattern, lane) - 1) * grid_beats(lane_grid(pattern, lane))


def beat_of(pattern: Pattern, spot: Spot) -> float:
    """The beat of a place, without swing."""
    return _beat_of(pattern, spot.pad, spot.at)


def _beat_of(pattern: Pattern, pad_id: str, at: float) -> float:
    """The beat of a place in a lane, without swing."""
    lane = lane_in(pattern, pad_id)
    return at if lane.exact else at * grid_beats(lane_grid(pattern, lane))


def _place_of(pattern: Pattern, pad_id: str, beat: float) -> float:
    """The place in a lane of a beat."""
    lane = lane_in(pattern, pad_id)
    return beat if lane.exact else float(round(beat / grid_beats(lane_grid(pattern, lane))))


def copied(pattern: Pattern, spots: Spots, pads: Sequence[str]) -> Clip:
    """Hits to be pasted elsewhere, in this pattern or another."""
    places = {pad: n for n, pad in enumerate(pads)}
    found = [
        (places.get(spot.pad, 0), _beat_of(pattern, spot.pad, spot.at), hit)
        for spot in spots
        if (hit := hit_at(pattern, spot)) is not None
    ]
    if not found:
        return Clip((), 0.0)
    top, first = min(row for row, _, _ in found), min(beat for _, beat, _ in found)
    step = grid_beats(pattern.grid)
    first = first // step * step
    last = max(beat for _, beat, _ in found)
    return Clip(
        tuple((row - top, beat - first, hit) for row, beat, hit in found), last - first + step
    )


def pasted(
    pattern: Pattern, clip: Clip, pads: Sequence[str], pad_id: str, beat: float
) -> tuple[Pattern, list[Spot]]:
    """A clip from a pad's lane and a beat on; what would lie outside is left out."""
    if pad_id not in pads:
        return pattern, []
    top = pads.index(pad_id)
    spots = []
    for row, later, hit in clip.hits:
        if top + row >= len(pads):
            continue
        pad = pads[top + row]
        if beat + later <= _longest(pattern, pad) + 1e-9:
            at = _place_of(pattern, pad, beat + later)
            pattern = put(pattern, pad, (replace(hit, at=at),))
            spots.append(Spot(pad, at))
    return pattern, spots


# Steps and exact times.


def to_events(pattern: Pattern, pad_id: str, bpm: float) -> tuple[Pattern, str]:
    """A lane's hits at exact times: swing and nudges become part of the time.

    Nothing is lost but what no event can be: earlier than the start of its pass. That is told.
    """
    lane = lane_in(pattern, pad_id)
    if lane.exact:
        return pattern, ""
    beats = lane_beats(pattern, lane)
    made, early = [], 0
    for hit in lane.hits:
        beat = hit_beat(pattern, lane, hit) + hit.nudge_ms * bpm / 60000.0
        if 0.0 <= beat < beats:
            made.append(replace(hit, at=beat, nudge_ms=0.0))
        else:
            early += 1
            made.append(replace(hit, at=hit_beat(pattern, lane, hit)))
    kept = with_hits(replace(lane, exact=True), made)
    told = f"{early} at the edge of the pass kept as nudged." if early else ""
    return with_lane(pattern, kept), told


def to_steps(
    pattern: Pattern, pad_id: str, bpm: float, strength: float = 100.0
) -> tuple[Pattern, str]:
    """A lane's hits on their nearest steps, as far as a strength in percent; the rest is a nudge.

    Told is what cannot be kept: of two hits on one step the softer one, and nudges over 100 ms.
    """
    lane = lane_in(pattern, pad_id)
    if not lane.exact:
        return pattern, ""
    grid = lane_grid(pattern, lane)
    swing = pattern.swing if lane.swing is None else lane.swing
    steps = lane_steps(pattern, lane)
    by_step: dict[int, Hit] = {}
    lost = cut = 0
    for number, hit in _on_steps(lane.hits, grid, swing, steps):
        late = (hit.at - step_beat(grid, swing, number)) * 60000.0 / bpm * (1.0 - strength / 100.0)
        late += hit.nudge_ms
        step = number % steps
        cut += abs(late) > 100.0
        made = replace(hit, at=float(step), nudge_ms=max(-100.0, min(100.0, round(late, 3))))
        known = by_step.get(step)
        lost += known is not None
        if known is None or made.velocity > known.velocity:
            by_step[step] = made
    told = []
    if lost:
        told.append(f"{lost} softer on a step that has another {'is' if lost == 1 else 'are'} gone")
    if cut:
        told.append(f"{cut} moved by more than 100 ms")
    kept = with_hits(replace(lane, exact=False), by_step.values())
    return with_lane(pattern, kept), f"{'; '.join(told)}." if told else ""


def _on_steps(hits: Sequence[Hit], grid: Grid, swing: float, steps: int) -> list[tuple[int, Hit]]:
    """The step of each hit, counted on past the last: the nearest.

    Of two that share one, one goes to the step beside where that is free and it lies between them.
    """
    beat = grid_beats(grid)

    def away(hit: Hit, step: int) -> float:
        return abs(step_beat(grid, swing, step) - hit.at)

    taken: dict[int, tuple[int, Hit]] = {}
    shared: list[tuple[int, Hit]] = []
    for hit in hits:
        at = round(hit.at / beat)
        near = min(range(max(0, at - 1), at + 2), key=lambda n: away(hit, n))
        if near % steps not in taken:
            taken[near % steps] = near, hit
            continue
        was, other = taken[near % steps]
        beside = [
            (away(one, step) - away(one, number), step, one is hit)
            for number, one in ((was, other), (near, hit))
            for step in (number - 1, number + 1)
            if step >= 0 and step % steps not in taken and away(one, step) < _BETWEEN * beat
        ]
        if not beside:
            shared.append((near, hit))
            continue
        _, step, itself = min(beside)
        taken[step % steps] = step, hit if itself else other
        if not itself:
            taken[near % steps] = near, hit
    return [*taken.values(), *shared]


def quantized(pattern: Pattern, spots: Spots, strength: float, bpm: float) -> Pattern:
    """Hits drawn to the grid by a share in percent: exact times, and nudges of steps."""
    wanted = set(spots)
    for lane in pattern.lanes:
        grid = lane_grid(pattern, lane)
        swing = pattern.swing if lane.swing is None else lane.swing
        made = []
        for hit in lane.hits:
            if Spot(lane.pad, hit.at) not in wanted:
                made.append(hit)
                continue
            rest = 1.0 - strength / 100.0
            if not lane.exact:
                made.append(replace(hit, nudge_ms=hit.nudge_ms * rest))
                continue
            at = round(hit.at / grid_beats(grid))
            steps = lane_steps(pattern, lane)
            near = min(range(at - 1, at + 2), key=lambda n: abs(step_beat(grid, swing, n) - hit.at))
            on = step_beat(grid, swing, near)
            drawn = max(0.0, on + (hit.at - on) * rest)
            if near >= steps and strength >= 100.0:
                drawn = 0.0  # the first step of the next pass
            made.append(replace(hit, at=drawn))
        pattern = with_lane(pattern, with_hits(lane, made))
    return pattern


def resized(pattern: Pattern, length: int) -> Pattern:
    """The pattern of another length; a longer one repeats what there is, but lanes of their own."""
    before, length = pattern.length, max(1, min(MOST_STEPS, length))
    if length == before:
        return pattern
    made = replace(pattern, length=length)
    step = grid_beats(pattern.grid)
    for lane in pattern.lanes:
        unit = 1.0 if lane.exact else grid_beats(lane_grid(pattern, lane))
        cycle, most = before * step / unit, length * step / unit
        if length < before or lane.length or not (lane.exact or cycle.is_integer()):
            continue
        hits = [hit for hit in lane.hits if hit.at < cycle]
        again = [
            replace(hit, at=hit.at + n * cycle)
            for n in range(1, -(-length // before))
            for hit in hits
            if hit.at + n * cycle < most
        ]
        made = with_lane(made, with_hits(lane, (*hits, *again)))
    return made
