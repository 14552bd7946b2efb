"""When a pattern sounds: its strokes in beats, with the turn of the round robin that each plays.

Engine, bounce and MIDI file read it; nothing else computes swing, length or turns. Swing belongs to
the steps of the pattern: every pass falls alike, however many steps it has.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from puddle.kit.model.document import Pattern


@dataclass(frozen=True, slots=True)
class Stroke:
    """One strike of a pad."""

    beat: float  # from the first step of the first pass
    pad: str
    velocity: int
    beats: float  # how long it is held
    turn: int  # how many strokes of this pad came before it


def pattern_beats(pattern: Pattern) -> float:
    """The pattern's length in beats."""
    return pattern.length / pattern.steps_per_beat


def bars_of(pattern: Pattern) -> int:
    """How many bars of four beats a pattern fills."""
    return max(1, round(pattern_beats(pattern) / 4.0))


def step_beat(pattern: Pattern, step: int) -> float:
    """The beat at which a step falls in its pass; swing moves every second step later."""
    late = (pattern.swing - 50.0) / 50.0 if step % 2 else 0.0
    return (step + late) / pattern.steps_per_beat


def strokes_of(pattern: Pattern) -> tuple[Stroke, ...]:
    """The strokes of the first pass, in order of time, then of the lanes."""
    hits = [
        (step_beat(pattern, hit.step), n, lane.pad, hit)
        for n, lane in enumerate(pattern.lanes)
        for hit in lane.hits
        if hit.step < pattern.length
    ]
    hits.sort(key=lambda hit: hit[:2])
    counts: Counter[str] = Counter()
    made = []
    for beat, _, pad, hit in hits:
        held = hit.steps / pattern.steps_per_beat
        made.append(Stroke(beat, pad, hit.velocity, held, counts[pad]))
        counts[pad] += 1
    return tuple(made)


def turns_in(strokes: Sequence[Stroke]) -> Counter[str]:
    """How many strokes of each pad a pass has: by so many the turns of the next pass are later."""
    return Counter(stroke.pad for stroke in strokes)


def strokes_until(pattern: Pattern, beats: float) -> tuple[Stroke, ...]:
    """The strokes of as many passes as it takes, those that fall before some beat."""
    first, length = strokes_of(pattern), pattern_beats(pattern)
    counts = turns_in(first)
    made: list[Stroke] = []
    passed = 0
    while passed * length < beats:
        for one in first:
            beat, turn = passed * length + one.beat, one.turn + passed * counts[one.pad]
            if beat < beats:
                made.append(Stroke(beat, one.pad, one.velocity, one.beats, turn))
        passed += 1
    return tuple(made)
