"""Hits of a recording sent into a kit: as groups on pads, or each in its order on a pad of its own
with a pattern that plays the recording again.

What is sent are regions: of the recording kept whole, or of the parts of it that are used.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.hits import to_steps
from puddle.kit.edits.landing import Landing, with_contents
from puddle.kit.edits.layers import new_layer
from puddle.kit.edits.pads import add_pad, set_pad
from puddle.kit.edits.patterns import add_pattern
from puddle.kit.model.document import (
    MOST_PADS,
    Content,
    Hit,
    Kit,
    Lane,
    Pattern,
    Sample,
    Sound,
    Stage,
)
from puddle.kit.model.pattern import GRIDS, MOST_STEPS, Grid, Meter, bar_beats
from puddle.kit.model.roles import Role

LEAD_MS = 1.0  # of the recording before a hit, faded in
_FADE_MS = 5.0  # at a hit's end, where it is as long
_FADE_SHARE = 0.25
_EARLY_BARS = 0.05  # by which a hit may come before the downbeat that it is on
_GRIDS: tuple[Grid, ...] = ("1/16", "1/8", "1/4")
MOST_BEATS = MOST_STEPS * GRIDS[_GRIDS[-1]][0] / GRIDS[_GRIDS[-1]][1]


class Slice(msgspec.Struct, frozen=True):
    """A hit that is sent: a region of a sample."""

    name: str
    content: str
    start: int  # frames of the content: where the hit begins
    end: int
    rate_hz: float
    seconds: float  # of the recording, at which it begins
    level_lufs: float = -20.0
    role: Role = "percussion"

    def source(self, fade_ms: float | None = None) -> Sample:
        """Its region, from a short lead on that does not click; its end faded."""
        per_ms = self.rate_hz / 1000.0
        lead = min(self.start, round(LEAD_MS * per_ms))
        length_ms = (self.end - self.start) / per_ms
        fade = min(_FADE_MS, _FADE_SHARE * length_ms) if fade_ms is None else fade_ms
        return Sample(
            content=self.content,
            start_ms=(self.start - lead) / per_ms,
            end_ms=self.end / per_ms,
            fade_in_ms=lead / per_ms,
            fade_out_ms=fade,
        )


def landing_of(
    name: str,
    role: Role,
    slices: Sequence[Slice],
    rungs: Sequence[Sequence[int]],
    contents: Sequence[Content],
    stages: tuple[Stage, ...] = (),
) -> Landing:
    """A group of hits as it lands; `rungs` are places among the slices, soft to hard."""
    return Landing(
        name=name,
        role=role,
        contents=tuple(contents),
        sources=tuple(one.source() for one in slices),
        names=tuple(one.name for one in slices),
        rungs=tuple(tuple(rung) for rung in rungs),
        levels=tuple(one.level_lufs for one in slices),
        stages=stages,
    )


class Tempo(msgspec.Struct, frozen=True):
    """Beats of a recording: how fast, and where its first bar begins."""

    bpm: float
    downbeat_s: float
    meter: Meter = "4/4"


def in_order(
    kit: Kit,
    slices: Sequence[Slice],
    contents: Sequence[Content],
    name: str,
    tempo: Tempo,
    seconds: float,
    stages: tuple[Stage, ...] = (),
) -> tuple[Kit, Pattern]:
    """Each slice on a pad of its own, playing until the next one, and a pattern that rebuilds it.

    `seconds` is how long the recording is, so that a loop comes round in time. The kit plays it at
    its own tempo; at the recording's it is the recording again. Raises EditError where there is no
    place for as many pads, or where it lasts too long for a pattern.
    """
    if not slices:
        raise EditError("There are no hits to send.")
    if len(kit.pads) + len(slices) > MOST_PADS:
        raise EditError(f"The kit has no places left for {len(slices)} pads.")
    kit = with_contents(kit, contents)
    # Each chokes the one before it, wherever in the pattern they are put.
    group = min(32, 1 + max((pad.choke_group for pad in kit.pads), default=0))
    lanes = []
    per_second = tempo.bpm / 60.0
    lead_s = min(slices[0].start / slices[0].rate_hz, LEAD_MS / 1000.0)
    first = min(_origin_s(slices[0].seconds, tempo), slices[0].seconds - lead_s)
    for n, one in enumerate(slices):
        following = slices[n + 1].seconds if n + 1 < len(slices) else seconds
        # It goes over into the next within that one's lead: faded as the other comes.
        source = one.source(fade_ms=LEAD_MS)
        sound = Sound(layers=(new_layer((), one.name, source),), stages=stages)
        kit, pad = add_pad(kit, one.name, one.role, sound)
        kit = set_pad(kit, pad.id, velocity_amount=0.0, choke_group=group)
        lead_s = min(one.start / one.rate_hz, LEAD_MS / 1000.0)
        at = (one.seconds - first - lead_s) * per_second
        lanes.append((pad.id, at, (following - one.seconds) * per_second))
    beats = (seconds - first) * per_second
    pattern = _pattern(name, lanes, beats, tempo.meter)
    return add_pattern(kit, pattern)


def _origin_s(first_s: float, tempo: Tempo) -> float:
    """Where a pattern begins: at the downbeat, or so many whole bars before it that the first hit
    lies in them. One that comes a little early is still on the downbeat."""
    bar_s = bar_beats(tempo.meter) * 60.0 / tempo.bpm
    early = math.ceil((tempo.downbeat_s - first_s) / bar_s - _EARLY_BARS)
    return tempo.downbeat_s - max(0, early) * bar_s


def _pattern(
    name: str, lanes: Sequence[tuple[str, float, float]], beats: float, meter: Meter
) -> Pattern:
    """A pattern of exact times that is as long as its recording, in whole bars if it nearly is."""
    bar = bar_beats(meter)
    bars = round(beats / bar)
    whole = bars * bar if bars and abs(beats - bars * bar) < 0.05 * bar else beats
    for grid in _GRIDS:
        over, under = GRIDS[grid]
        steps = math.ceil(whole * under / over - 1e-6)
        if steps <= MOST_STEPS:
            break
    else:
        raise EditError(
            f"It lasts {whole:.0f} beats; a pattern has {MOST_BEATS:.0f} at most. Send fewer hits."
        )
    return Pattern(
        id="",
        name=name[:120],
        length=max(1, steps),
        grid=grid,
        meter=meter,
        lanes=tuple(
            Lane(pad=pad, exact=True, hits=(_played(at, held * under / over),))
            for pad, at, held in lanes
        ),
    )


def _played(at: float, steps: float) -> Hit:
    return Hit(at=at, velocity=127, length=max(0.05, min(64.0, steps)))


def velocity_of(level: float) -> int:
    """The velocity, 1 to 127, that plays as high as a level of 0 to 1: 40 log10 of it in dB."""
    return max(1, min(127, round(127.0 * math.sqrt(max(0.0, level)))))


def timed_pattern(
    name: str, hits: Sequence[tuple[str, float, float]], tempo: Tempo, seconds: float
) -> Pattern:
    """A pattern of hits at exact times: pads, seconds and levels of 0 to 1; without an id.

    It begins with the downbeat, or whole bars before it where hits lie before it. What lies behind
    the longest pattern is left out.
    """
    if not hits:
        raise EditError("There are no hits to keep the timing of.")
    per_second = tempo.bpm / 60.0
    origin = _origin_s(min(at for _, at, _ in hits), tempo)
    beats = min(MOST_BEATS, (seconds - origin) * per_second)
    lanes: dict[str, list[Hit]] = {}
    for pad, at, level in sorted(hits, key=lambda hit: hit[1]):
        beat = (at - origin) * per_second
        if beat < beats:
            hit = Hit(at=max(0.0, beat), velocity=velocity_of(level))
            lanes.setdefault(pad, []).append(hit)
    played = _pattern(name, [], max(beats, 0.25), tempo.meter)
    made = tuple(Lane(pad=pad, exact=True, hits=tuple(own)) for pad, own in lanes.items())
    return msgspec.structs.replace(played, lanes=made)


def stepped(pattern: Pattern, bpm: float) -> Pattern:
    """A pattern of exact times with every hit on its nearest step; of two on one the louder one."""
    for lane in pattern.lanes:
        pattern, _ = to_steps(pattern, lane.pad, bpm)
    return pattern
