"""Feels: the timing and strengths of a pattern or of played notes, laid over other lanes.

A feel says for each sixteenth of its cycle how late strokes fall, in parts of a beat, and how hard
they are beside the mean. Sixteenths without a stroke say nothing.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from statistics import fmean

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.from_midi import PlayedNote
from puddle.kit.edits.hits import with_hits
from puddle.kit.edits.items import fresh_id
from puddle.kit.edits.patterns import with_lane
from puddle.kit.model.document import Feel, FeelStep, Hit, Kit, Lane, Pattern
from puddle.kit.playing.schedule import hit_beat, pattern_beats

replace = msgspec.structs.replace
MOST_FEELS = 64
_STEP = 0.25  # beats
_MOST_MS = 100.0


def feel_of(pattern: Pattern, bpm: float, pads: Collection[str] = ()) -> tuple[FeelStep, ...]:
    """The steps of a pattern's feel: of some lanes, or of all."""
    struck = [
        (
            hit_beat(pattern, lane, hit) + (hit.nudge_ms + lane.shift_ms) * bpm / 60000.0,
            hit.velocity,
        )
        for lane in pattern.lanes
        if not pads or lane.pad in pads
        for hit in lane.hits
    ]
    return _steps(struck, pattern_beats(pattern))


def feel_of_notes(notes: Iterable[PlayedNote]) -> tuple[FeelStep, ...]:
    """The steps of the feel of played notes, folded into a bar of four beats."""
    return _steps([(note.beat, note.velocity) for note in notes], 4.0)


def _steps(struck: list[tuple[float, int]], beats: float) -> tuple[FeelStep, ...]:
    if not struck:
        raise EditError("There are no strokes to take a feel from.")
    count = max(1, min(512, round(beats / _STEP)))
    mean = fmean(velocity for _, velocity in struck)
    found: dict[int, list[tuple[float, float]]] = {}
    for beat, velocity in struck:
        near = round(beat / _STEP)
        late = beat - near * _STEP
        found.setdefault(near % count, []).append((late, velocity / mean))
    steps = []
    for step in range(count):
        here = found.get(step)
        if here is None:
            steps.append(FeelStep())
        else:
            late, strength = (fmean(values) for values in zip(*here, strict=True))
            steps.append(FeelStep(late=round(late, 6), strength=round(min(8.0, strength), 4)))
    return tuple(steps)


def keep_feel(kit: Kit, name: str, steps: tuple[FeelStep, ...]) -> tuple[Kit, Feel]:
    """The kit with a feel more. Raises EditError where there are too many."""
    if len(kit.feels) >= MOST_FEELS:
        raise EditError(f"A kit keeps {MOST_FEELS} feels at most.")
    made = Feel(id=fresh_id("feel", [f.id for f in kit.feels]), name=name[:120], steps=steps)
    return replace(kit, feels=(*kit.feels, made)), made


def remove_feel(kit: Kit, feel_id: str) -> Kit:
    """The kit without a feel; what it was laid over stays."""
    return replace(kit, feels=tuple(f for f in kit.feels if f.id != feel_id))


def laid_over(
    pattern: Pattern, pads: Collection[str], feel: Feel, amount: float, bpm: float
) -> Pattern:
    """Lanes of some pads with a feel, by an amount in percent; at 0 they stay as they are."""
    share = amount / 100.0
    if share <= 0.0 or not feel.steps:
        return pattern
    for lane in pattern.lanes:
        if lane.pad in pads and lane.hits:
            mean = fmean(hit.velocity for hit in lane.hits)
            hits = [_felt(pattern, lane, hit, feel, (share, bpm, mean)) for hit in lane.hits]
            pattern = with_lane(pattern, with_hits(lane, hits))
    return pattern


def _felt(
    pattern: Pattern, lane: Lane, hit: Hit, feel: Feel, how: tuple[float, float, float]
) -> Hit:
    share, bpm, mean = how
    on = hit_beat(pattern, lane, hit)
    near = round(on / _STEP)
    step = feel.steps[near % len(feel.steps)]
    if step.strength <= 0.0:
        return hit
    velocity = hit.velocity * (1.0 - share) + mean * step.strength * share
    hit = replace(hit, velocity=max(1, min(127, round(velocity))))
    wanted = near * _STEP + step.late
    if lane.exact:
        return replace(hit, at=max(0.0, on + (wanted - on) * share))
    late_ms = (wanted - on) * 60000.0 / bpm
    nudge = hit.nudge_ms * (1.0 - share) + late_ms * share
    return replace(hit, nudge_ms=round(max(-_MOST_MS, min(_MOST_MS, nudge)), 3))
