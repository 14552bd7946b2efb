"""Patterns to start from: written by role, put on whatever pads a kit has for them.

A line is a step each: `.` is none, 1 to 9 a velocity from soft to hard, `x` an accent, `f` a flam,
`r` and `t` a roll of two and of three, `c` a soft hit that plays every other time or so.
"""

from __future__ import annotations

import msgspec

from puddle.kit.model.document import Flam, Hit, Kit, Lane, Pad, Pattern
from puddle.kit.model.pattern import Grid, Meter
from puddle.kit.model.roles import Role

# What a line is written for: a role, and the how-manieth pad of it.
SLOTS: dict[str, tuple[Role, int]] = {
    "kick": ("kick", 0),
    "snare": ("snare", 0),
    "rim": ("snare", 1),
    "clap": ("clap", 0),
    "hat": ("hat", 0),
    "open": ("hat", 1),
    "ride": ("cymbal", 0),
    "crash": ("cymbal", 1),
    "low": ("tom", 0),
    "mid": ("tom", 1),
    "high": ("tom", 2),
    "one": ("percussion", 0),
    "two": ("percussion", 1),
    "three": ("percussion", 2),
    "bass": ("bass", 0),
}
# Where a kit has no pad of its own for a line, another one may take it.
_INSTEAD = {"rim": "snare", "open": "hat", "crash": "ride", "mid": "low", "high": "low"}


class Start(msgspec.Struct, frozen=True):
    """A pattern to start from."""

    name: str
    says: str
    bpm: float  # at which it was written
    lines: dict[str, str]
    meter: Meter = "4/4"
    grid: Grid = "1/16"
    swing: float = 50.0


STARTS: tuple[Start, ...] = (
    Start("Towpath", "Straight, with the weight on two and four.", 96, {
        "kick": "x.......8.9.....", "snare": "....x.......x...", "hat": "8.5.8.5.8.5.8.5."}),
    Start("Crossing", "A kick on every beat, open hats between.", 124, {
        "kick": "x...x...x...x...", "clap": "....9.......9...",
        "hat": "3.3.3.3.3.3.3.3.", "open": "..7...7...7...7."}),
    Start("Half tide", "Half time: one heavy stroke on three.", 140, {
        "kick": "x.....7...6.....", "snare": "........x.......", "hat": "8.4.6.4.8.4.6.r."}),
    Start("Mill race", "Fast and broken, the snare pushed ahead.", 172, {
        "kick": "x.........x.....", "snare": "....x..3.3..x..2", "ride": "8.5.8.5.8.5.8.5."}),
    Start("Undertow", "The kick pulls against the beat.", 104, {
        "kick": "x..7..x....7..6.", "snare": "....x.......x..3", "hat": "7.4.7.4.7.4.7.4."}),
    Start("Cobbles", "Swung sixteenths, loose and behind.", 90, {
        "kick": "x..4...78.......", "snare": "....x..2.3..x...", "hat": "7474747474747474"},
        swing=62),
    Start("Lamplight", "A shuffle in triplets.", 112, {
        "kick": "x.....x..x..", "snare": "...x..2..x.2", "hat": "8.58.58.58.5"},
        grid="1/8 triplet"),
    Start("Slow barge", "Heavy twelve, every stroke with room.", 62, {
        "kick": "x....5x.....", "snare": "...x.....x..", "hat": "8468468468t6"},
        meter="12/8", grid="1/8"),
    Start("Three oars", "Three beats, the third one light.", 128, {
        "kick": "x.......6...", "snare": "....8...7...", "ride": "8...6...6.4."}, meter="3/4"),
    Start("Gull's turn", "A waltz for two bars, answered on toms.", 150, {
        "kick": "x...........x...........", "snare": "....5...5.......5.......",
        "high": "....................7...", "low": "......................8.",
        "hat": "..6...6...6...6...6....."}, meter="3/4"),
    Start("Five planks", "Five beats: three and two.", 118, {
        "kick": "x.......7...x.......", "snare": "....x...........x...",
        "hat": "8.5.8.5.8.5.8.5.8.5."}, meter="5/4"),
    Start("Short step", "Five eighths, limping on.", 140, {
        "kick": "x.....8...", "snare": "....x...4.", "hat": "8.5.8.8.5."}, meter="5/8"),
    Start("Loose board", "Seven eighths: two, two and three.", 132, {
        "kick": "x.......x.5...", "snare": "....x.......7.", "hat": "8.5.8.5.8.5.5."},
        meter="7/8"),
    Start("Rowing", "Six eighths, two long pulls to the bar.", 84, {
        "kick": "x....5", "snare": "...x..", "hat": "846846"}, meter="6/8", grid="1/8"),
    Start("Swell", "Six eighths in sixteenths, accents that wander.", 92, {
        "kick": "x.....7.....", "snare": "......x..2.3", "two": "7..5..7..5..",
        "hat": "8.6.6.8.6.6."}, meter="6/8"),
    Start("Nine waves", "Nine eighths, three threes.", 100, {
        "kick": "x..7.....", "snare": "...x..x..", "ride": "865865865"}, meter="9/8", grid="1/8"),
    Start("Bell buoy", "A ride with ghosts under it.", 108, {
        "kick": "x.......5.7.....", "snare": "..1.x..2.2..x..1", "ride": "8.6.8.6.8.6.8.6x"}),
    Start("Landing party", "Two beats, drummed in rolls.", 108, {
        "snare": "x.tt8.r.", "kick": "x...7...", "crash": "6......."}, meter="2/4"),
    Start("Rope walk", "Toms alone, walking down and up.", 100, {
        "kick": "x...x...x...x...", "low": "......8.......8.", "mid": "..7..6....7..6..",
        "high": "7..5....7..5...t"}),
    Start("Needle rain", "Fast hats in rolls over a slow kick.", 142, {
        "kick": "x......7..x.....", "clap": "........x.......", "hat": "7.7t7.r.7.7.tr77"}),
    Start("Two boats", "Two bars: one calls, the other answers.", 102, {
        "kick": "x..x....x.......x..x..7.........", "snare": "....x.......x.......x.......f...",
        "two": "..........5.6.7...........7.6.5.", "hat": "7.5.7.5.7.5.7.5.7.5.7.5.7.5....."}),
    Start("Small hours", "Ghost notes in every gap.", 94, {
        "kick": "x.6....7.x......", "snare": "..2.x.21.2.1x.2c", "hat": "8.6.8.6.8.6.8.6."},
        swing=56),
    Start("Dry dock", "Rim and sticks, hardly a kick.", 88, {
        "kick": "......x...x.....", "rim": "x..6..6...6.6...", "three": "..4...4...4...4."}),
    Start("Net menders", "Small percussion in sixteenths.", 116, {
        "kick": "x.....6.8.......", "one": "7.4c6.4.7.c46.4.", "two": "...6..6....6..6.",
        "three": "5...5...5...5...", "clap": "....6.......6..c"}),
    Start("Harbor wall", "The first beat left open, everything on three.", 74, {
        "kick": "........x.......", "snare": "........9.......", "hat": "7.5.7.57.57.57.5",
        "open": "..............6."}, swing=58),
    Start("Keel and line", "A bass line locked to the kick.", 106, {
        "kick": "x.....x...x.....", "snare": "....x.......x...", "hat": "7.5.7.5.7.5.7.r.",
        "bass": "x.....8...x..5.."}),
)  # fmt: skip


def pads_by_slot(kit: Kit) -> dict[str, Pad]:
    """The pad that plays each kind of line in a kit, where it has one."""
    by_role: dict[Role, list[Pad]] = {}
    for pad in sorted(kit.pads, key=lambda p: p.place):
        by_role.setdefault(pad.role, []).append(pad)
    found = {
        slot: by_role[role][number]
        for slot, (role, number) in SLOTS.items()
        if number < len(by_role.get(role, ()))
    }
    for slot, other in _INSTEAD.items():
        if slot not in found and other in found:
            found[slot] = found[other]
    return found


def started(kit: Kit, start: Start) -> tuple[Pattern, list[str]]:
    """The pattern on a kit's pads, without an id; and the lines that found no pad."""
    pads = pads_by_slot(kit)
    lanes: dict[str, Lane] = {}
    missing = []
    for slot, line in start.lines.items():
        pad = pads.get(slot)
        if pad is None:
            missing.append(SLOTS[slot][0])
            continue
        known = {hit.at: hit for hit in lanes[pad.id].hits} if pad.id in lanes else {}
        known |= {hit.at: hit for hit in written(line) if hit.at not in known}
        lanes[pad.id] = Lane(pad=pad.id, hits=tuple(known[at] for at in sorted(known)))
    order = {pad.id: pad.place for pad in kit.pads}
    pattern = Pattern(
        id="",
        name=start.name,
        length=max(len(line) for line in start.lines.values()),
        grid=start.grid,
        meter=start.meter,
        swing=start.swing,
        lanes=tuple(sorted(lanes.values(), key=lambda lane: order[lane.pad])),
    )
    return pattern, list(dict.fromkeys(missing))


def written(line: str) -> tuple[Hit, ...]:
    """The hits of a line."""
    return tuple(_hit(n, mark) for n, mark in enumerate(line) if mark != ".")


def _hit(step: int, mark: str) -> Hit:
    if mark == "x":
        return Hit(at=step, velocity=120)
    if mark == "f":
        return Hit(at=step, velocity=116, flams=(Flam(),))
    if mark == "r":
        return Hit(at=step, velocity=84, roll=2)
    if mark == "t":
        return Hit(at=step, velocity=80, roll=3, ramp=40.0)
    if mark == "c":
        return Hit(at=step, velocity=40, chance=55.0)
    return Hit(at=step, velocity=8 + 12 * int(mark))
