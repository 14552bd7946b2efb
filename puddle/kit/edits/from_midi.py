"""Notes of a MIDI file as lanes: by the pads' notes, then by the percussion map's roles."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from puddle.kit.edits.hits import with_hits
from puddle.kit.model.document import Hit, Kit, Lane, Pad, Pattern
from puddle.kit.model.limits import MOST_HITS
from puddle.kit.model.pattern import METERS, MOST_STEPS, Grid, Meter, bar_beats, grid_beats
from puddle.kit.model.roles import ROLES

replace = msgspec.structs.replace
_ON_STEP = 0.02  # beats: as near as that a note is on its step


class PlayedNote(msgspec.Struct, frozen=True):
    """A note, wherever it comes from."""

    beat: float
    beats: float
    note: int
    velocity: int


class FromNotes(msgspec.Struct, frozen=True):
    """A pattern made of notes, without an id; and the notes that no pad answers to."""

    pattern: Pattern
    lost: tuple[int, ...]


def pattern_from(
    kit: Kit, notes: Sequence[PlayedNote], name: str, meter: str | None = None
) -> FromNotes:
    """A pattern of the notes that find a pad; longer ones than a pattern may be are cut.

    Where all of a lane's notes lie on steps it has steps, else exact times.
    """
    known: Meter = next((m for m in METERS if m == meter), "4/4")
    found: dict[str, list[tuple[PlayedNote, bool]]] = {}
    lost = []
    for note in notes:
        pad, melodic = pad_for(kit, note.note)
        if pad is None:
            lost.append(note.note)
        else:
            found.setdefault(pad.id, []).append((note, melodic))
    grid = _grid_of([n for played in found.values() for n, _ in played])
    step = grid_beats(grid)
    last = max((n.beat for played in found.values() for n, _ in played), default=0.0)
    bar = bar_beats(known)
    beats = max(1.0, -(-(last + 1e-6) // bar)) * bar
    length = max(1, min(MOST_STEPS, round(beats / step)))
    lanes = [
        _lane(pad.id, found[pad.id], grid)
        for pad in sorted(kit.pads, key=lambda p: p.place)
        if pad.id in found
    ]
    made = Pattern(
        id="", name=name[:120], length=length, grid=grid, meter=known, lanes=tuple(lanes)
    )
    return FromNotes(made, tuple(dict.fromkeys(lost)))


def pad_for(kit: Kit, note: int) -> tuple[Pad | None, bool]:
    """The pad that a note strikes, and whether as a key that it follows.

    First that which answers to the note; then, of those that follow keys, the one whose root is
    nearest; then a pad of the role that the percussion map gives the note.
    """
    pads = sorted(kit.pads, key=lambda p: p.place)
    for pad in pads:
        if note in pad.notes:
            return pad, pad.tracking > 0.0
    role = next((role for role, facts in ROLES.items() if note in facts.notes), None)
    of_role = [pad for pad in pads if pad.role == role]
    if of_role and role is not None:
        return of_role[min(ROLES[role].notes.index(note), len(of_role) - 1)], False
    melodic = [pad for pad in pads if pad.tracking > 0.0]
    if melodic:
        return min(melodic, key=lambda pad: abs(pad.root - note)), True
    return None, False


def _grid_of(notes: Sequence[PlayedNote]) -> Grid:
    """The coarsest grid on which nearly all notes lie; sixteenths where none fits."""
    grids: tuple[Grid, ...] = ("1/16", "1/8 triplet", "1/16 triplet", "1/32")
    for grid in grids:
        step = grid_beats(grid)
        near = sum(abs(n.beat / step - round(n.beat / step)) * step < _ON_STEP for n in notes)
        if near >= 0.95 * len(notes):
            return grid
    return "1/16"


def _lane(pad_id: str, played: list[tuple[PlayedNote, bool]], grid: Grid) -> Lane:
    step = grid_beats(grid)
    on_steps = all(abs(n.beat / step - round(n.beat / step)) * step < _ON_STEP for n, _ in played)
    most = MOST_STEPS * step
    hits = [
        Hit(
            at=float(round(n.beat / step)) if on_steps else n.beat,
            velocity=max(1, min(127, n.velocity)),
            length=max(0.05, min(64.0, n.beats / step)),
            note=n.note if melodic else None,
        )
        for n, melodic in played
        if n.beat < most
    ]
    return with_hits(Lane(pad=pad_id, exact=not on_steps), hits[:MOST_HITS])
