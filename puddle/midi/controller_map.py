"""Which note of a controller strikes which pad and how hard, and which control moves which gauge.

A map knows nothing of a kit: it names pads by their places, by what general MIDI calls a drum, or
leaves it to the kit's own notes. It becomes a table of one kit's pads when it is used.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

import msgspec
import numpy as np

from puddle.kit.edits.from_midi import pad_for
from puddle.kit.model.document import Kit, Pad, Point
from puddle.kit.model.roles import ROLES
from puddle.kit.model.tonality import ROOTS, SCALES, Key
from puddle.kit.playing.response import strength_of
from puddle.midi.gauged import Gauged
from puddle.midi.table import CHANNELS, NO_SLOT, NOTES, Table
from puddle.parameter import Declared, choice, number, switch

Way = Literal["as the kit says", "by percussion names", "rising", "along a scale", "taught"]
Note = Annotated[int, msgspec.Meta(ge=0, lt=NOTES)]
MAP_VERSION = 2
Layout = Literal["4 by 4", "2 by 8", "keys", "loose"]


class Taught(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A note that strikes the pad at a place."""

    note: Note
    place: Annotated[int, msgspec.Meta(ge=0)]
    channel: Annotated[int, msgspec.Meta(ge=-1, lt=CHANNELS)] = -1  # from 0; -1 for any


class ControllerMap(Declared, frozen=True):
    """How a controller plays: its notes, its velocities, what is dropped, and its controls."""

    version: Annotated[int, msgspec.Meta(ge=1)] = MAP_VERSION
    name: Annotated[str, msgspec.Meta(min_length=1, max_length=120)] = "As the kit says"
    way: Annotated[
        Way,
        choice(
            "Notes",
            "The pads' own notes; drums by their general MIDI notes; one pad after the other from "
            "a note up, with all keys or those of a scale; or as it was taught.",
        ),
    ] = "as the kit says"
    first: Annotated[
        int, number("First note", 0, 127, "", "The note of the first pad.", decimals=0)
    ] = 36
    key: Key = Key()
    taught: tuple[Taught, ...] = ()
    curve: tuple[Point, ...] = ()
    fixed_on: Annotated[
        bool, switch("Fixed", "Every stroke is as hard as the fixed velocity says.")
    ] = False
    fixed: Annotated[
        int,
        number(
            "Fixed velocity", 1, 127, "", "How hard every stroke is while it is on.", decimals=0
        ),
    ] = 100
    least: Annotated[
        int, number("Softest", 1, 127, "", "No stroke plays softer than this.", decimals=0)
    ] = 1
    most: Annotated[
        int, number("Hardest", 1, 127, "", "No stroke plays harder than this.", decimals=0)
    ] = 127
    double_ms: Annotated[
        float,
        number(
            "Doubles",
            0,
            100,
            "ms",
            "A second stroke of a pad within this time is dropped: a pad that bounces.",
            zero="kept",
        ),
    ] = 0.0
    crosstalk_ms: Annotated[
        float,
        number(
            "Crosstalk",
            0,
            50,
            "ms",
            "A much softer stroke of another pad within this time is dropped: a pad that shakes "
            "its neighbor.",
            zero="kept",
        ),
    ] = 0.0
    layout: Annotated[
        Layout,
        choice("Layout", "How its pads lie: in a square, in two rows, on keys, or standing free."),
    ] = "4 by 4"
    gauges: tuple[Gauged, ...] = ()
    sustain: Annotated[
        bool, switch("Sustain", "While the sustain pedal (control 64) is down, nothing is let go.")
    ] = True
    pressure_chokes: Annotated[
        bool,
        switch("Pressure chokes", "A pad that is pressed after its stroke falls silent."),
    ] = False
    foot: Annotated[
        bool,
        switch(
            "Foot strokes",
            "A hat pedal (control 4) that closes fast strikes the hat that follows it, the faster "
            "the harder; opened again at once it splashes.",
        ),
    ] = True
    programs: Annotated[
        Literal["nothing", "patterns", "alternates"],
        choice(
            "Programs",
            "A program change chooses nothing, the kit's pattern or the selected pad's alternate "
            "of that number.",
        ),
    ] = "nothing"


def table_of(made: ControllerMap, kit: Kit, slot: Callable[[str], int]) -> Table:
    """A map for a kit as it stands; `slot` gives the engine's slot of a pad's id."""
    slots = np.full((CHANNELS, NOTES), NO_SLOT, np.int64)
    as_key = np.zeros((CHANNELS, NOTES), bool)
    if made.way == "taught":
        at_place = {pad.place: slot(pad.id) for pad in kit.pads}
        # A note of one channel goes before one of any.
        for one in sorted(made.taught, key=lambda t: t.channel):
            channels = slice(None) if one.channel < 0 else one.channel
            slots[channels, one.note] = at_place.get(one.place, NO_SLOT)
        return Table(slots, as_key, velocities(made))
    for note in range(NOTES):
        pad, plays_note = _pad_of(made, kit, note)
        if pad is not None:
            slots[:, note], as_key[:, note] = slot(pad.id), plays_note
    return Table(slots, as_key, velocities(made))


def _pad_of(made: ControllerMap, kit: Kit, note: int) -> tuple[Pad | None, bool]:
    """The pad that a note strikes, and whether as a key that it follows."""
    if made.way == "as the kit says":
        return pad_for(kit, note)
    in_order = sorted(kit.pads, key=lambda pad: pad.place)
    if made.way == "by percussion names":
        role = next((role for role, facts in ROLES.items() if note in facts.notes), None)
        of_role = [pad for pad in in_order if role is not None and pad.role == role]
        if role is None or not of_role:
            return None, False
        return of_role[min(ROLES[role].notes.index(note), len(of_role) - 1)], False
    place = _rises(made, note)
    return next((pad for pad in in_order if pad.place == place), None), False


def _rises(made: ControllerMap, note: int) -> int:
    """The place of a note that rises from the first one; -1 for one that the scale leaves out."""
    if note < made.first:
        return -1
    if made.way == "rising":
        return note - made.first
    root = ROOTS.index(made.key.root)
    inside = {(root + step) % 12 for step in SCALES[made.key.scale]}
    if note % 12 not in inside:
        return -1
    return sum(n % 12 in inside for n in range(made.first, note))


def velocities(made: ControllerMap) -> np.ndarray:
    """What each velocity of the controller plays as: float64 (128,), 1 to 127."""
    low, high = min(made.least, made.most), max(made.least, made.most)
    if made.fixed_on:
        return np.full(NOTES, float(min(high, max(low, made.fixed))))
    played = [strength_of(made.curve, float(max(1, struck))) for struck in range(NOTES)]
    return np.asarray(np.clip(np.array(played), low, high))


_SOFT, _MEDIUM, _HARD = 36.0, 80.0, 118.0  # what a soft, a medium and a hard stroke shall play as
_LEAST_APART = 2.0


def measured_curve(soft: list[int], medium: list[int], hard: list[int]) -> tuple[Point, ...]:
    """A curve from strokes that were asked for: their medians play as 36, 80 and 118.

    Raises ValueError, with a sentence, where they do not rise.
    """
    if not (soft and medium and hard):
        raise ValueError("Strike softly, medium and hard, a few times each.")
    struck = [float(np.median(strokes)) for strokes in (soft, medium, hard)]
    if struck[1] - struck[0] < _LEAST_APART or struck[2] - struck[1] < _LEAST_APART:
        raise ValueError(
            "The strokes hardly differ in velocity. The controller may have a fixed velocity "
            "switched on."
        )
    return tuple(
        Point(struck=max(1.0, at), plays=plays)
        for at, plays in zip(struck, (_SOFT, _MEDIUM, _HARD), strict=True)
    )


def teach(made: ControllerMap, place: int, note: int, channel: int = -1) -> ControllerMap:
    """The map with a note on a place; what the note struck before it strikes no more.

    A map of another way becomes a taught one, of nothing else yet.
    """
    kept = made.taught if made.way == "taught" else ()
    others = tuple(t for t in kept if (t.note, t.channel) != (note, channel))
    one = Taught(note=note, place=place, channel=channel)
    return msgspec.structs.replace(made, way="taught", taught=(*others, one))
