"""What the Groove page draws of a pattern: rows of drops, and the lines of its bars and steps."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from puddle.kit.edits.patterns import lane_in
from puddle.kit.model.document import Hit, Kit, Lane, Pad, Pattern
from puddle.kit.model.pattern import bar_beats, grid_beats
from puddle.kit.model.roles import Dye
from puddle.kit.playing.schedule import (
    hit_beat,
    lane_beats,
    lane_grid,
    lane_steps,
    pattern_beats,
)
from puddle.units import MINUS, THIN, note_name


class Drop(msgspec.Struct, frozen=True):
    """A hit, as it is drawn."""

    at: float  # where it stands in its lane
    beat: float  # of its cell, before what makes it late
    late: float  # beats by which swing and nudge move it
    velocity: int
    chance: float  # 0 to 100
    roll: int
    flams: int
    own: bool  # whether it has values of its own
    every: int
    label: str = ""  # its note, where the pad follows keys
    echo: bool = False  # a lane's own cycle come again

    def told(self) -> str:
        """What it is, in words."""
        words = [f"velocity {self.velocity}"]
        if self.label:
            words.append(self.label)
        if self.chance < 100.0:
            words.append(f"chance {self.chance:.0f}{THIN}%")
        if self.every > 1:
            words.append(f"one of {self.every} passes")
        if self.roll > 1:
            words.append(f"roll of {self.roll}")
        if self.flams:
            words.append("1 flam" if self.flams == 1 else f"{self.flams} flams")
        if self.own:
            words.append("own values")
        return ", ".join(words)


class Row(msgspec.Struct, frozen=True):
    """A pad's lane, as it is drawn."""

    pad_id: str
    name: str
    dye: Dye
    step: float  # beats
    steps: int  # of the lane's own cycle
    beats: float  # of that
    exact: bool
    mute: bool
    solo: bool
    silent: bool  # muted, or another lane is solo
    figures: str  # what of the lane is not as usual
    drops: tuple[Drop, ...]

    def at_beat(self, beat: float) -> float:
        """The place in the lane of a beat: a step, or the beat where times are exact."""
        return beat if self.exact else float(int(beat / self.step + 1e-9))


class PatternView(msgspec.Struct, frozen=True):
    """A pattern, as it is drawn."""

    rows: tuple[Row, ...]
    beats: float  # that are drawn
    length: float  # of the pattern, in beats
    step: float
    bar: float
    beat: float  # of the meter: a quarter, or an eighth


class Rows:
    """Remembers rows, so that those of lanes that did not change are not made again."""

    def __init__(self) -> None:
        self._known: dict[str, tuple[Pad, Lane, tuple[object, ...], Row]] = {}

    def row(self, pad: Pad, pattern: Pattern, lane: Lane, bpm: float, solo: bool) -> Row:
        """The row of a lane."""
        beats = pattern_beats(pattern)
        rest = (pattern.grid, pattern.swing, beats, bpm, solo)
        known = self._known.get(pad.id)
        if known is not None and known[0] is pad and known[1] is lane and known[2] == rest:
            return known[3]
        made = _row(pad, pattern, lane, bpm, solo)
        self._known[pad.id] = (pad, lane, rest, made)
        return made


def pattern_view(
    kit: Kit,
    pattern: Pattern,
    bpm: float,
    shows: Callable[[Pad, Lane], bool],
    known: Rows | None = None,
) -> PatternView:
    """Rows for the pads that are shown: those with lanes in the pattern's order, then by place."""
    known = known or Rows()
    pads = rows_of(kit, pattern)
    solo = any(lane.solo for lane in pattern.lanes)
    rows = []
    for pad in pads:
        lane = lane_in(pattern, pad.id)
        if shows(pad, lane):
            rows.append(known.row(pad, pattern, lane, bpm, solo))
    length = pattern_beats(pattern)
    return PatternView(
        rows=tuple(rows),
        beats=max([length, *(row.beats for row in rows)]),
        length=length,
        step=grid_beats(pattern.grid),
        bar=bar_beats(pattern.meter),
        beat=4.0 / int(pattern.meter.split("/")[1]),
    )


def rows_of(kit: Kit, pattern: Pattern) -> list[Pad]:
    """Every pad: lanes in the pattern's order, pads without one after their neighbor by place."""
    by_place = sorted(kit.pads, key=lambda p: p.place)
    known = {pad.id: pad for pad in by_place}
    order = [lane.pad for lane in pattern.lanes if lane.pad in known]
    for n, pad in enumerate(by_place):
        if pad.id not in order:
            order.insert(order.index(by_place[n - 1].id) + 1 if n else 0, pad.id)
    return [known[pad_id] for pad_id in order]


def _row(pad: Pad, pattern: Pattern, lane: Lane, bpm: float, solo: bool) -> Row:
    grid = lane_grid(pattern, lane)
    step, beats = grid_beats(grid), lane_beats(pattern, lane)
    cell = grid_beats(pattern.grid) if lane.exact else step
    drops = [
        _drop(pad, pattern, lane, hit, bpm, cell)
        for hit in lane.hits
        if hit_beat(pattern, lane, hit) < beats
    ]
    return Row(
        pad_id=pad.id,
        name=pad.name,
        dye=pad.dye,
        step=cell,
        steps=lane_steps(pattern, lane),
        beats=beats,
        exact=lane.exact,
        mute=lane.mute,
        solo=lane.solo,
        silent=lane.mute or (solo and not lane.solo),
        figures=lane_figures(lane),
        drops=(*drops, *_echoes(pattern, lane, drops, beats)),
    )


def _drop(pad: Pad, pattern: Pattern, lane: Lane, hit: Hit, bpm: float, cell: float) -> Drop:
    beat = hit.at if lane.exact else hit.at * cell
    late = hit_beat(pattern, lane, hit) - beat + hit.nudge_ms * bpm / 60000.0
    label = ""
    if pad.tracking > 0.0:
        label = note_name(hit.note if hit.note is not None else pad.root)
    return Drop(
        at=hit.at,
        beat=beat,
        late=late,
        velocity=hit.velocity,
        chance=hit.chance,
        roll=hit.roll,
        flams=len(hit.flams),
        own=bool(hit.values),
        every=hit.every,
        label=label,
    )


def _echoes(pattern: Pattern, lane: Lane, drops: list[Drop], beats: float) -> list[Drop]:
    """A lane's own cycle, as often as it begins again within the pattern."""
    if not lane.length:
        return []
    whole = pattern_beats(pattern)
    made: list[Drop] = []
    start = beats
    while start < whole - 1e-9 and len(made) < 512:
        made += [
            Drop(
                d.at, d.beat + start, d.late, d.velocity, d.chance, d.roll, d.flams, d.own,
                d.every, d.label, True,
            )
            for d in drops
            if d.beat + start < whole
        ]  # fmt: skip
        start += beats
    return made


def lane_figures(lane: Lane) -> str:
    """What of a lane is not as usual: "+6 ms", "62 %", "7 of 1/16"."""
    words = []
    if lane.shift_ms:
        sign = "+" if lane.shift_ms > 0.0 else MINUS
        words.append(f"{sign}{abs(lane.shift_ms):g}{THIN}ms")
    if lane.swing is not None:
        words.append(f"{lane.swing:.0f}{THIN}%")
    if lane.length or lane.grid:
        words.append(f"{lane.length or ''} {lane.grid or 'steps'}".strip())
    if lane.exact:
        words.append("exact")
    if lane.follow != "off":
        words.append(lane.follow)
    return " ".join(words)
