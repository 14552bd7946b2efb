"""The demo's patterns: the storm, a lull with a bass line, a gale of rolls, a shuffle."""

from __future__ import annotations

import msgspec

from puddle.kit.edits.address import is_there
from puddle.kit.edits.chords import typed_chord
from puddle.kit.model.address import Address
from puddle.kit.model.document import Flam, Hit, Kit, Lane, OwnValue, Pattern, Play
from puddle.kit.presets.grooves import written

replace = msgspec.structs.replace


def with_grooves(kit: Kit) -> Kit:
    """The kit with its four patterns, and the order in which they play."""
    ids = {pad.name: pad.id for pad in kit.pads}
    made = (_storm(), _lull(ids), _gale(kit, ids), _shuffle(ids))
    order = (Play(pattern="a", times=2), Play(pattern="b"), Play(pattern="a"), Play(pattern="c"))
    return replace(kit, patterns=made, order=order, tempos=(92.0, 104.0, 118.0))


def _line(steps: str, notes: dict[int, int], length: float = 1.6) -> tuple[Hit, ...]:
    """Hits of a line with the keys that they play."""
    return tuple(replace(hit, note=notes[int(hit.at)], length=length) for hit in written(steps))


def _lull(ids: dict[str, str]) -> Pattern:
    """Half time: a bass line under four chords, flams on the plank, chains that come late."""
    bass = {0: 26, 6: 26, 8: 31, 14: 29, 16: 34, 22: 34, 24: 33}
    knocks = Hit(at=14, velocity=58, chance=60.0)
    lanes = (
        Lane(pad=ids["Keel"], hits=written("x.....6.....5...x.....6...7.....")),
        Lane(
            pad=ids["Plank"],
            hits=(
                Hit(at=8, velocity=116, flams=(Flam(before_ms=28.0, level=45.0),)),
                Hit(at=15, velocity=34, every=2, which=2),
                Hit(at=24, velocity=118, flams=(Flam(before_ms=32.0, level=50.0),)),
            ),
        ),
        Lane(
            pad=ids["Drizzle"],
            scatter_velocity=9.0,
            hits=written("7.4.6.4.7.4.6.r.7.4.6.4.7.4.6.t."),
        ),
        Lane(pad=ids["Crate"], hits=(knocks, replace(knocks, at=30.0, chance=40.0))),
        Lane(
            pad=ids["Shackle"],
            shift_ms=14.0,
            scatter_ms=5.0,
            hits=written("....5.......4.......5.......4..."),
        ),
        Lane(pad=ids["Lantern"], hits=written("6...............5...............")),
        Lane(pad=ids["Towline"], hits=_line("x.....6.7.....5.x.....6.7.......", bass, 2.4)),
    )
    chords = tuple(
        typed_chord(name, at) for name, at in (("Dm7", 0.0), ("Gm", 2.0), ("Bb", 4.0), ("A7", 6.0))
    )
    return Pattern(
        id="b", name="B", dye="madder", length=32, swing=55.0, lanes=lanes, chords=chords
    )


def _gale(kit: Kit, ids: dict[str, str]) -> Pattern:
    """Hats in rolls that rise, and a roll of the plank that climbs and shortens."""
    tune = Address(of="pad", pad=ids["Plank"], field="tune_st")
    pad = next(pad for pad in kit.pads if pad.name == "Plank")
    known = [
        address
        for layer in pad.sound.layers
        if is_there(
            kit,
            address := Address(of="source", pad=pad.id, layer=layer.id, field="decay_ms"),
        )
    ]

    def climbing(n: int) -> Hit:
        own = [OwnValue(address=tune, value=float(n))]
        own += [OwnValue(address=a, value=150.0 - 16.0 * n) for a in known[:1]]
        return Hit(at=float(24 + n), velocity=62 + 7 * n, values=tuple(own))

    rising = Hit(at=6, velocity=92, roll=4, ramp=60.0, length=2.0)
    lanes = (
        Lane(pad=ids["Keel"], hits=written("x..5..x...5.....x..5..x.5.......")),
        Lane(
            pad=ids["Plank"],
            hits=(*written("....x.......x.......x..."), *(climbing(n) for n in range(8))),
        ),
        Lane(
            pad=ids["Drizzle"],
            hits=(
                *written("7.5.6.......7.5.7.5.6......."),
                rising,
                Hit(at=8, velocity=84, roll=3, length=2.0),
                replace(rising, at=22.0, roll=6),
            ),
        ),
        Lane(pad=ids["Downpour"], hits=written("..............6...............5.")),
        Lane(pad=ids["Barrel lo"], hits=written("..........6...............5.....")),
        Lane(pad=ids["Squall"], hits=written("7...............................")),
        Lane(pad=ids["Bilge D"], hits=written("8.....6.........8.....5.........")),
    )
    return Pattern(id="c", name="C", dye="weld", length=32, swing=52.0, lanes=lanes)


def _shuffle(ids: dict[str, str]) -> Pattern:
    """In triplets: two bars, a shaker of five steps across them."""
    lanes = (
        Lane(pad=ids["Keel"], hits=written("x.....x..5..x.....x.....")),
        Lane(pad=ids["Plank"], hits=written("...x..2..x.2...x..2..x.f")),
        Lane(pad=ids["Drizzle"], hits=written("8.58.58.58.58.58.58.58.5")),
        Lane(pad=ids["Shackle"], length=5, hits=written("5..3.")),
        Lane(pad=ids["Lantern"], hits=written("6.......................")),
        Lane(pad=ids["Bilge G"], hits=written("x.....6..5..............")),
        Lane(pad=ids["Bilge D"], hits=written("............x.....7.....")),
    )
    return Pattern(id="d", name="D", dye="verdigris", length=24, grid="1/8 triplet", lanes=lanes)


_GROOVE = {
    # Two bars of sixteenths: a digit is a tenth of the velocity's way, x is an accent.
    "pad1": "x.....7...x.....x..6..7...x....5",
    "pad2": "....x.......x..3....x..2....x...",
    "pad3": "............5...............6..3",
    "pad4": "7.5.7.4.7.5.7.4.7.5.7.4.7.5.7...",
    "pad5": "..............................6.",
    "pad6": "..............................7.",
    "pad7": ".............................6..",
    "pad8": "............................6...",
    "pad9": "...4..5.......4....4..5.........",
    "pad10": "..................3.............",
    "pad11": "..3...3...3..43...3...3...3..43.",
    "pad12": "........3...............3.......",
    "pad13": "6...............................",
    "pad14": "8.....6.........8..5............",
    "pad15": "..........7...............7.....",
    "pad16": "..............5...............5.",
}


def _storm() -> Pattern:
    """The storm scene: two bars of every drum."""
    lanes = []
    for pad, line in _GROOVE.items():
        hits = tuple(
            Hit(at=n, velocity=118 if mark == "x" else 8 + 13 * int(mark))
            for n, mark in enumerate(line)
            if mark != "."
        )
        lanes.append(Lane(pad=pad, hits=hits))
    return Pattern(id="a", name="A", length=32, swing=55.0, lanes=tuple(lanes))
