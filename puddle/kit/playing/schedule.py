"""When patterns sound: strokes in beats, for any span of time.

Engine, bounce and MIDI file read them; nothing else computes swing, length, rolls, chance or turns
of the round robin. A stroke is found from the pattern alone: in the pass `n` of its lane it falls

    beat = n * lane beats + step (with swing) + shift + nudge + scatter

and what is by chance is drawn from a hash of the pattern, the pad, the pass and the place of the
hit, so that every render has the same, and a hit that is added changes no other one's chance. A
turn of the round robin is counted over all strokes of a lane, whether chance lets them sound or
not.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterator, Sequence
from functools import lru_cache

import msgspec
import numpy as np

from puddle.kit.model.pattern import GRIDS, Grid, Hit, Lane, Pattern, bar_beats, grid_beats
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.chords import noted

STROKE = np.dtype(
    [
        ("beat", np.float64),
        ("velocity", np.float64),  # 1 to 127
        ("beats", np.float64),  # how long it is held
        ("turn", np.int64),  # how many strokes of the lane came before it
        ("note", np.int64),  # or NO_NOTE
        ("part", np.int64),  # of the groove
        ("lane", np.int64),  # of the part's pattern
        ("hit", np.int64),  # of the lane
    ]
)
_EVEN_CHANCE = 2.0**-64
LATE_BEATS = 4.0  # after its end, in which what falls late is still played
_LATEST_BEATS = 100.0  # a roll of 64 dotted steps is the longest that lasts
_MOST_CYCLES = 128  # passes after which a pattern that has no chance repeats, at most


class Part(msgspec.Struct, frozen=True):
    """A pattern that is heard from a beat of the groove on, until the next part begins."""

    pattern: Pattern
    start: float = 0.0
    origin: float = 0.0  # the beat of its first step; at or before its start


class Stroke(msgspec.Struct, frozen=True):
    """One strike of a pad."""

    beat: float  # from the first step of the first pass
    pad: str
    velocity: int
    beats: float  # how long it is held
    turn: int  # how many strokes of this pad came before it
    note: int = NO_NOTE


def pattern_beats(pattern: Pattern) -> float:
    """The pattern's length in beats."""
    over, under = GRIDS[pattern.grid]
    return pattern.length * over / under


def bars_of(pattern: Pattern) -> int:
    """How many bars a pattern fills."""
    return max(1, round(pattern_beats(pattern) / bar_beats(pattern.meter)))


def lane_grid(pattern: Pattern, lane: Lane) -> Grid:
    """The step size of a lane: its own, or the pattern's."""
    return lane.grid or pattern.grid


def lane_steps(pattern: Pattern, lane: Lane) -> int:
    """How many steps a lane has before it starts again."""
    if lane.length:
        return lane.length
    return max(1, math.ceil(pattern_beats(pattern) / grid_beats(lane_grid(pattern, lane)) - 1e-9))


def lane_beats(pattern: Pattern, lane: Lane) -> float:
    """How many beats a lane lasts before it starts again."""
    if not lane.length:
        return pattern_beats(pattern)
    over, under = GRIDS[lane_grid(pattern, lane)]
    return lane.length * over / under


def step_beat(grid: Grid, swing: float, step: float) -> float:
    """The beat at which a step falls in its pass; swing moves every second step later."""
    over, under = GRIDS[grid]
    late = (swing - 50.0) / 50.0 if int(step) % 2 else 0.0
    return (step + late) * over / under


def hit_beat(pattern: Pattern, lane: Lane, hit: Hit) -> float:
    """The beat of a hit in its pass, before shift and nudge."""
    if lane.exact:
        return hit.at
    swing = pattern.swing if lane.swing is None else lane.swing
    return step_beat(lane_grid(pattern, lane), swing, hit.at)


# One pass of a lane.

_PLAIN = np.dtype(
    [
        ("grid", np.float64),  # the beat of its step
        ("offset_beats", np.float64),  # from there, of a stroke of a roll
        ("offset_ms", np.float64),  # of flams and nudges
        ("velocity", np.float64),
        ("beats", np.float64),
        ("chance", np.float64),
        ("every", np.int64),
        ("which", np.int64),
        ("hit", np.int64),
        ("place", np.float64),  # what its chance is drawn by
        ("grace", np.bool_),
    ]
)


@lru_cache(maxsize=512)
def _plain(
    lane: Lane, grid: Grid, swing: float, beats: float
) -> tuple[np.ndarray, float]:  # of immutable trees: equal ones have equal strokes
    """The strokes of a pass as they are written, in order of time, and the farthest offset in ms.

    Shift, chance and scatter come later.
    """
    rows = []
    over, under = GRIDS[grid]
    for n, hit in enumerate(lane.hits):
        at = hit.at if lane.exact else step_beat(grid, swing, hit.at)
        if at >= beats:
            continue
        held = hit.length * over / under
        chance = (hit.chance / 100.0, hit.every, min(hit.which, hit.every), n, hit.at)
        for flam in hit.flams:
            soft = max(1.0, hit.velocity * flam.level / 100.0)
            rows.append((at, 0.0, hit.nudge_ms - flam.before_ms, soft, held, *chance, True))
        for k in range(hit.roll):
            velocity = max(1.0, hit.velocity * _ramped(hit, k))
            rows.append(
                (at, held * k / hit.roll, hit.nudge_ms, velocity, held / hit.roll, *chance, False)
            )
    made = np.array(rows, _PLAIN)
    order = np.lexsort((made["hit"], made["offset_ms"], made["grid"] + made["offset_beats"]))
    made = made[order]
    made.flags.writeable = False
    far = float(np.abs(made["offset_ms"]).max()) if made.size else 0.0
    return made, far


def _ramped(hit: Hit, k: int) -> float:
    """The share of its velocity that the stroke k of a roll has."""
    if hit.roll < 2 or hit.ramp == 0.0:
        return 1.0
    share = k / (hit.roll - 1)
    return 1.0 - abs(hit.ramp) / 100.0 * ((1.0 - share) if hit.ramp > 0.0 else share)


# Chance.


@lru_cache(maxsize=1024)
def _seed(pattern_id: str, pad: str) -> int:
    data = f"{pattern_id}\0{pad}".encode()
    return int.from_bytes(hashlib.blake2b(data, digest_size=8).digest(), "little")


def _drawn(seed: int, passes: np.ndarray, places: np.ndarray, salt: int) -> np.ndarray:
    """Even numbers from 0 to 1 by pass and place: float64 (passes, places).

    The finalizer of SplitMix64 (Steele, Lea and Flood 2014) over what they are drawn by.
    """
    with np.errstate(over="ignore"):
        start = np.uint64((seed + salt * 0x9E3779B97F4A7C15) % (1 << 64))
        by_place = _mixed(start + np.ascontiguousarray(places, np.float64).view(np.uint64))
        by_pass = _mixed(passes.astype(np.uint64) * np.uint64(0xD1342543DE82EF95))
        mixed = _mixed(by_place[None, :] ^ by_pass[:, None])
    drawn: np.ndarray = mixed.astype(np.float64) * _EVEN_CHANCE
    return drawn


def _mixed(z: np.ndarray) -> np.ndarray:
    z = z + np.uint64(0x9E3779B97F4A7C15)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    mixed: np.ndarray = z ^ (z >> np.uint64(31))
    return mixed


# Spans.


def strokes_in(parts: Sequence[Part], bpm: float, first: float, last: float) -> np.ndarray:
    """STROKE rows of a groove from a beat on to before another, in order of time, then of lanes.

    A part has the hits whose steps lie within it; what falls before its start is played there, but
    grace strokes, which are left out.
    """
    found = [np.zeros(0, STROKE)]
    for n, part in enumerate(parts):
        end = parts[n + 1].start if n + 1 < len(parts) else math.inf
        if part.start < last and end > first - _LATEST_BEATS:
            found += [
                _in_lane(part, n, k, bpm, (first, last), end)
                for k, lane in enumerate(part.pattern.lanes)
                if _sounds(part.pattern, lane)
            ]
    made = np.concatenate(found)
    return made[np.lexsort((made["lane"], made["beat"]))]


def _sounds(pattern: Pattern, lane: Lane) -> bool:
    if any(one.solo for one in pattern.lanes) and not lane.solo:
        return False
    return bool(lane.hits) and not lane.mute


def _in_lane(
    part: Part, number: int, which: int, bpm: float, span: tuple[float, float], end: float
) -> np.ndarray:
    """The strokes of one lane of a part."""
    pattern, lane = part.pattern, part.pattern.lanes[which]
    beats = lane_beats(pattern, lane)
    swing = pattern.swing if lane.swing is None else lane.swing
    plain, far_ms = _plain(lane, lane_grid(pattern, lane), swing, beats)
    if not plain.size:
        return np.zeros(0, STROKE)
    per_ms = bpm / 60000.0
    margin = (far_ms + abs(lane.shift_ms) + lane.scatter_ms) * per_ms
    margin += float(plain["offset_beats"].max())
    cycle = max(0, math.floor((span[0] - part.origin - margin) / beats))
    after = min(
        math.ceil((span[1] - part.origin + margin) / beats) + 1,
        math.ceil((end - part.origin) / beats) if end < math.inf else 1 << 60,
    )
    passes = np.arange(cycle, max(cycle, after))
    seed = _seed(pattern.id, lane.pad)
    began = part.origin + passes[:, None] * beats
    grid = began + plain["grid"]
    late_ms = np.broadcast_to(plain["offset_ms"] + lane.shift_ms, grid.shape)
    velocity = np.broadcast_to(plain["velocity"], grid.shape)
    if lane.scatter_ms:
        drawn = _drawn(seed, passes, plain["place"], 1)
        late_ms = late_ms + lane.scatter_ms * (2.0 * drawn - 1.0)
    if lane.scatter_velocity:
        drawn = _drawn(seed, passes, plain["place"], 2)
        velocity = velocity + np.round(lane.scatter_velocity * (2.0 * drawn - 1.0))
    # Summed in the order in which the engine does it for a pattern that loops: equal to the bit.
    beat = began + (plain["grid"] + plain["offset_beats"] + late_ms * per_ms)
    plays = (grid >= part.start - 1e-9) & (grid < end - 1e-9)
    plays &= passes[:, None] % plain["every"] == plain["which"] - 1
    if (plain["chance"] < 1.0).any():
        plays &= _drawn(seed, passes, plain["place"], 3) < plain["chance"]
    early = beat < part.start
    plays &= ~(early & plain["grace"])
    beat = np.where(early, part.start, beat)
    plays &= (beat >= span[0]) & (beat < span[1])
    rows, columns = np.nonzero(plays)
    made = np.zeros(rows.size, STROKE)
    made["beat"] = beat[rows, columns]
    made["velocity"] = np.clip(np.round(velocity[rows, columns]), 1.0, 127.0)
    made["beats"] = plain["beats"][columns]
    made["turn"] = passes[rows] * plain.size + columns
    made["part"], made["lane"] = number, which
    made["hit"] = plain["hit"][columns]
    made["note"] = NO_NOTE
    if lane.follow != "off" or any(hit.note is not None for hit in lane.hits):
        inside = np.mod(grid[rows, columns] - part.origin, pattern_beats(pattern))
        made["note"] = noted(pattern, lane, made["hit"], inside)
    return made


def strokes_of(pattern: Pattern, bpm: float = 120.0) -> tuple[Stroke, ...]:
    """The strokes of the first pass, in order of time, then of the lanes."""
    return strokes_until(pattern, pattern_beats(pattern), bpm)


def strokes_until(pattern: Pattern, beats: float, bpm: float = 120.0) -> tuple[Stroke, ...]:
    """The strokes of as many passes as it takes, of the steps before some beat."""
    return tuple(listed(ended((Part(pattern),), beats), bpm, 0.0, beats + LATE_BEATS))


def ended(parts: Sequence[Part], beats: float) -> tuple[Part, ...]:
    """The parts without the steps from a beat on; what falls late is played after it."""
    kept = [part for part in parts if part.start < beats]
    return (*kept, Part(Pattern(id="", name=""), beats, beats))


def listed(parts: Sequence[Part], bpm: float, first: float, last: float) -> Iterator[Stroke]:
    """The same as `strokes_in`, one by one."""
    for row in strokes_in(parts, bpm, first, last):
        lane = parts[row["part"]].pattern.lanes[row["lane"]]
        yield Stroke(
            float(row["beat"]),
            lane.pad,
            int(row["velocity"]),
            float(row["beats"]),
            int(row["turn"]),
            int(row["note"]),
        )


# What repeats.


def loops_alike(parts: Sequence[Part], bpm: float) -> bool:
    """Whether every pass is like the first, and no stroke falls outside of its pass."""
    if len(parts) != 1 or parts[0].start != 0.0 or parts[0].origin != 0.0:
        return False
    pattern = parts[0].pattern
    lanes = [lane for lane in pattern.lanes if _sounds(pattern, lane)]
    if any(lane.length for lane in lanes) or passes_alike(pattern) != 1:
        return False
    beats = pattern_beats(pattern)
    for lane in lanes:
        swing = pattern.swing if lane.swing is None else lane.swing
        plain, _ = _plain(lane, lane_grid(pattern, lane), swing, beats)
        late = (plain["offset_ms"] + lane.shift_ms) * (bpm / 60000.0)
        at = plain["grid"] + plain["offset_beats"] + late
        if at.size and (at.min() < 0.0 or at.max() >= beats):
            return False
    return True


def passes_alike(pattern: Pattern) -> int:
    """After how many passes all strokes come again; 0 where that is never, or after very many.

    Chance and scatter never repeat; lanes of other lengths and hits of some passes do.
    """
    whole = 1
    for lane in pattern.lanes:
        if not _sounds(pattern, lane):
            continue
        by_chance = any(0.0 < hit.chance < 100.0 for hit in lane.hits)
        if by_chance or lane.scatter_ms or lane.scatter_velocity:
            return 0
        cycles = math.lcm(*(hit.every for hit in lane.hits))
        if lane.length:
            cycles = _passes_of(pattern, lane, cycles)
        whole = math.lcm(whole, cycles)
        if whole > _MOST_CYCLES:
            return 0
    return whole


def _passes_of(pattern: Pattern, lane: Lane, cycles: int) -> int:
    """How many passes of the pattern a lane of its own length takes to begin with one again."""
    (over, under), (own, part) = GRIDS[pattern.grid], GRIDS[lane_grid(pattern, lane)]
    whole, round_ = pattern.length * over * part, cycles * lane.length * own * under
    return round_ // math.gcd(whole, round_)
