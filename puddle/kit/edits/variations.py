"""Variations of lanes, and fills: drawn from a seed, so that each can be had again."""

from __future__ import annotations

import random
from collections.abc import Collection

import msgspec

from puddle.kit.edits.hits import Spot, put, taken_out, with_hits
from puddle.kit.edits.patterns import lane_in, with_lane
from puddle.kit.model.document import Flam, Hit, Kit, Lane, Pattern
from puddle.kit.model.pattern import bar_beats, grid_beats
from puddle.kit.playing.schedule import hit_beat, lane_grid, lane_steps, pattern_beats

replace = msgspec.structs.replace
_ROLLED = ("hat", "snare", "percussion", "tom")
_FILLS = ("snare", "tom", "percussion", "clap")


def varied(kit: Kit, pattern: Pattern, pads: Collection[str], amount: float, seed: int) -> Pattern:
    """Lanes of some pads varied by an amount in percent; at 0 they are as they were.

    Hits on the beat stay; between them some go, some come softly, velocities stray, and hats and
    snares get rolls and flams now and then.
    """
    if amount <= 0.0:
        return pattern
    for pad_id in pads:
        lane = pattern.lane(pad_id)
        pad = kit.pad(pad_id)
        if lane is None or pad is None or not lane.hits:
            continue
        chance = random.Random(f"{seed} {pattern.id} {pad_id}")
        rolls = pad.role in _ROLLED
        made = _varied_lane(pattern, lane, amount / 100.0, chance, rolls)
        pattern = with_lane(pattern, made)
    return pattern


def _varied_lane(
    pattern: Pattern, lane: Lane, amount: float, chance: random.Random, rolls: bool
) -> Lane:
    made: list[Hit] = []
    for hit in lane.hits:
        on_beat = abs(hit_beat(pattern, lane, hit) % 1.0) < 1e-6
        if not on_beat and chance.random() < 0.35 * amount:
            continue
        velocity = hit.velocity + round(chance.uniform(-40, 40) * amount)
        hit = replace(hit, velocity=max(1, min(127, velocity)))
        if rolls and hit.roll == 1 and chance.random() < 0.14 * amount:
            hit = replace(hit, roll=chance.choice((2, 3, 4)), ramp=chance.choice((-40.0, 40.0)))
        elif rolls and not hit.flams and chance.random() < 0.08 * amount:
            hit = replace(hit, flams=(Flam(),))
        made.append(hit)
    if not lane.exact:
        taken = {hit.at for hit in made}
        soft = max(1, round(0.45 * sum(h.velocity for h in lane.hits) / len(lane.hits)))
        for step in range(lane_steps(pattern, lane)):
            if step not in taken and chance.random() < 0.12 * amount:
                stray = soft + chance.randint(-8, 8)
                made.append(Hit(at=float(step), velocity=max(1, min(127, stray))))
    return with_hits(lane, made)


def filled(kit: Kit, pattern: Pattern, beats: float, seed: int) -> Pattern:
    """A fill in the last beats of a pattern, over the snares, toms and percussion that it has.

    Hats and cymbals are silent there; the kick keeps its beats. Strokes run up in strength, and
    from higher drums to lower ones.
    """
    whole = pattern_beats(pattern)
    start = max(0.0, whole - beats)
    drums = sorted(
        (pad for pad in kit.pads if pad.role in _FILLS and pad.sound.layers),
        key=lambda pad: (_FILLS.index(pad.role), -pad.place if pad.role == "tom" else pad.place),
    )
    if not drums:
        return pattern
    chance = random.Random(f"{seed} {pattern.id} fill")
    silent = {pad.id for pad in kit.pads if pad.role in ("hat", "cymbal", *_FILLS)}
    gone = [
        Spot(lane.pad, hit.at)
        for lane in pattern.lanes
        if lane.pad in silent
        for hit in lane.hits
        if hit_beat(pattern, lane, hit) >= start - 1e-6
    ]
    pattern = taken_out(pattern, gone)
    step = grid_beats(pattern.grid)
    first = round(start / step)
    count = pattern.length - first
    walk = drums[:1] + [pad for pad in drums[1:] if pad.role in ("tom", "percussion")][:4]
    for n in range(count):
        share = n / max(1, count - 1)
        if n and chance.random() < 0.28 * (1.0 - share):
            continue
        pad = walk[min(len(walk) - 1, int(share * len(walk) + chance.uniform(-0.4, 0.4)))]
        lane = lane_in(pattern, pad.id)
        beat = (first + n) * step
        at = beat if lane.exact else float(round(beat / grid_beats(lane_grid(pattern, lane))))
        if lane.length:
            continue
        roll = 2 if chance.random() < 0.15 else 1
        velocity = round(62 + 56 * share + chance.uniform(-10, 10))
        pattern = put(
            pattern, pad.id, (Hit(at=at, velocity=max(1, min(127, velocity)), roll=roll),)
        )
    return pattern


def last_bar(pattern: Pattern) -> float:
    """How many beats the last bar of a pattern has."""
    return min(pattern_beats(pattern), bar_beats(pattern.meter))
