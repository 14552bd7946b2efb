"""What was played by hand, as hits: recorded over a pattern, or kept afterwards as a new one."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

import msgspec

from puddle.kit.edits.hits import put, with_hits
from puddle.kit.edits.patterns import lane_in, with_lane
from puddle.kit.model.document import Flam, Hit, Kit, Lane, OwnValue, Pattern, Play
from puddle.kit.model.pattern import MOST_FLAMS, MOST_STEPS, bar_beats, grid_beats
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.schedule import lane_beats, lane_grid, lane_steps, pattern_beats, step_beat

replace = msgspec.structs.replace
_FLAM_MS = 60.0  # a stroke so shortly before another one is its flam
_MOST_NUDGE_MS = 100.0
_LEAST_TURN = 0.25  # of a pass: what was chosen for less was passed over on the way to another
_MOST_TIMES = 64


class Struck(msgspec.Struct, frozen=True):
    """A stroke by hand, at a beat of the groove; held so many beats, where that is known."""

    pad: str
    beat: float
    velocity: int
    note: int = NO_NOTE
    beats: float = 0.0
    flams: tuple[Flam, ...] = ()
    values: tuple[OwnValue, ...] = ()


def joined(before: Struck, struck: Struck, bpm: float) -> Struck | None:
    """Two strokes of a pad as one with a flam, where they lie as close as that; else None."""
    apart_ms = (struck.beat - before.beat) * 60000.0 / bpm
    if before.pad != struck.pad or not 1.0 <= apart_ms <= _FLAM_MS:
        return None
    if len(before.flams) >= MOST_FLAMS:
        return None
    level = max(1.0, min(100.0, 100.0 * before.velocity / struck.velocity))
    earlier = [replace(f, before_ms=min(150.0, f.before_ms + apart_ms)) for f in before.flams]
    made = Flam(before_ms=round(apart_ms, 1), level=round(level, 1))
    return msgspec.structs.replace(struck, flams=(*earlier, made))


def recorded(
    pattern: Pattern,
    struck: Struck,
    origin: float,
    bpm: float,
    quantize: float,
    before: Struck | None = None,
) -> Pattern:
    """The pattern with a stroke more, where it was heard; drawn to the grid by a share in percent.

    `origin` is the beat of the groove with which a pass begins. `before` is the pad's stroke before
    this one: where both fall on one step, it is a roll; else what stands is played anew.
    """
    lane = lane_in(pattern, struck.pad)
    beats = lane_beats(pattern, lane)
    inside = math.fmod(struck.beat - origin, beats)
    inside += beats if inside < 0.0 else 0.0
    late_ms = lane.shift_ms * bpm / 60000.0
    inside = (inside - late_ms) % beats
    grid = lane_grid(pattern, lane)
    held = max(0.05, min(64.0, struck.beats / grid_beats(grid))) if struck.beats else 1.0
    hit = Hit(
        at=0.0,
        velocity=struck.velocity,
        length=held,
        flams=struck.flams,
        note=None if struck.note == NO_NOTE else struck.note,
        values=struck.values,
    )
    if lane.exact:
        swing = pattern.swing if lane.swing is None else lane.swing
        _, on = _nearest(grid, swing, inside)
        at = (on + (inside - on) * (1.0 - quantize / 100.0)) % beats
        return put(pattern, struck.pad, (replace(hit, at=at),))
    since = struck.beat - before.beat if before is not None else math.inf
    rolls = 0.0 < since < grid_beats(grid)
    return _on_step(pattern, lane, hit, inside, (bpm, quantize, rolls))


def _nearest(grid: str, swing: float, beat: float) -> tuple[int, float]:
    """The nearest step, and its beat with swing."""
    near = round(beat / grid_beats(grid))  # type: ignore[arg-type]
    step = min(
        (n for n in (near - 1, near, near + 1) if n >= 0),
        key=lambda n: abs(step_beat(grid, swing, n) - beat),  # type: ignore[arg-type]
    )
    return step, step_beat(grid, swing, step)  # type: ignore[arg-type]


def _on_step(
    pattern: Pattern, lane: Lane, hit: Hit, inside: float, how: tuple[float, float, bool]
) -> Pattern:
    bpm, quantize, rolls = how
    grid = lane_grid(pattern, lane)
    swing = pattern.swing if lane.swing is None else lane.swing
    step, on = _nearest(grid, swing, inside)
    late_ms = (inside - on) * 60000.0 / bpm
    nudge = late_ms * (1.0 - quantize / 100.0)
    made = replace(
        hit,
        at=float(step % lane_steps(pattern, lane)),
        nudge_ms=round(max(-_MOST_NUDGE_MS, min(_MOST_NUDGE_MS, nudge)), 2),
    )
    stands = next((h for h in lane.hits if h.at == made.at), None)
    if stands is None:
        return put(pattern, lane.pad, (made,))
    if rolls:
        return put(pattern, lane.pad, (replace(stands, roll=min(16, stands.roll + 1)),))
    return put(pattern, lane.pad, (replace(made, values=made.values or stands.values),))


def cleared(pattern: Pattern, pad_id: str) -> Pattern:
    """The pattern with a lane emptied, to be played anew."""
    lane = lane_in(pattern, pad_id)
    return with_lane(pattern, replace(lane, hits=())) if lane.hits else pattern


# Afterwards.


def played_order(kit: Kit, turns: Sequence[tuple[float, str]], end: float) -> tuple[Play, ...]:
    """Patterns as they were chosen while the groove ran, each as often as it came.

    `turns` are the beats of the groove at which they began, rising, and their ids; the last one
    played until `end`. Nothing where it was one pattern all along.
    """
    lengths = {pattern.id: pattern_beats(pattern) for pattern in kit.patterns}
    plays: list[Play] = []
    for (start, name), (last, _) in itertools.pairwise([*turns, (end, "")]):
        if name not in lengths or last - start < _LEAST_TURN * lengths[name]:
            continue
        times = max(1, round((last - start) / lengths[name]))
        if plays and plays[-1].pattern == name:
            times += plays.pop().times
        plays.append(Play(pattern=name, times=min(_MOST_TIMES, times)))
    return tuple(plays) if len({play.pattern for play in plays}) > 1 else ()


class TimedStroke(msgspec.Struct, frozen=True):
    """A stroke by hand, at a moment in seconds."""

    pad: str
    seconds: float
    velocity: int
    note: int = NO_NOTE
    values: tuple[OwnValue, ...] = ()


def last_phrase(played: Sequence[TimedStroke], pause_s: float = 3.0) -> list[TimedStroke]:
    """The strokes since the last long pause."""
    found: list[TimedStroke] = []
    for stroke in reversed(played):
        if found and found[-1].seconds - stroke.seconds > pause_s:
            break
        found.append(stroke)
    return found[::-1]


def kept(kit: Kit, played: Sequence[TimedStroke], bpm: float, before_first: float = 0.0) -> Pattern:
    """A pattern of exact times of what was played, without an id: whole bars, as it was played.

    The first stroke falls so many beats after the start.
    """
    first = (played[0].seconds if played else 0.0) - before_first * 60.0 / bpm
    known = {pad.id for pad in kit.pads}
    by_pad: dict[str, list[Hit]] = {}
    last = 0.0
    for stroke in played:
        beat = (stroke.seconds - first) * bpm / 60.0
        if stroke.pad in known and beat < MOST_STEPS / 4:
            note = None if stroke.note == NO_NOTE else stroke.note
            by_pad.setdefault(stroke.pad, []).append(
                Hit(at=beat, velocity=stroke.velocity, note=note, values=stroke.values)
            )
            last = max(last, beat)
    bar = bar_beats("4/4")
    length = min(MOST_STEPS, max(16, round(math.ceil((last + 0.25) / bar) * bar * 4)))
    order = {pad.id: pad.place for pad in kit.pads}
    lanes = tuple(
        with_hits(Lane(pad=pad, exact=True), hits)
        for pad, hits in sorted(by_pad.items(), key=lambda item: order[item[0]])
    )
    made = Pattern(id="", name="", length=length, lanes=lanes)
    assert pattern_beats(made) > last
    return made
