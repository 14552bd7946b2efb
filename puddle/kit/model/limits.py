"""How much a kit may hold: what is over it is refused when a kit is read, and by the edits.

The limits are far over what a kit needs and keep a hostile file from filling memory; they are
listed in `docs/kit-format.md`.
"""

from collections.abc import Iterator, Sequence
from typing import Any

from puddle.errors import EditError
from puddle.kit.model.document import MOST_PADS, Kit, Layer, Sound, Stage
from puddle.kit.model.pad import kept_sounds
from puddle.stages import Branch

MOST_STAGES = 64  # in a row
MOST_STAGES_INSIDE = 512  # in a row and all of its branches
MOST_LAYERS = 256
MOST_BUSES = 64
MOST_SENDS = 8  # of a pad or bus
MOST_PATTERNS = 256
MOST_HITS = 4096  # in a lane
MOST_SNAPSHOTS = 512
MOST_CONTENTS = 19_000  # with what else is in the zip, under its most entries
MOST_RECORDINGS = 64
MOST_MARKS = 20_000  # of a recording
MOST_LISTED = 1024  # of anything else


def too_many_stages(stages: Sequence[Stage]) -> bool:
    """Whether a row is longer than a row may be."""
    return len(stages) > MOST_STAGES or _inside(stages) > MOST_STAGES_INSIDE


def _inside(stages: Sequence[Stage]) -> int:
    inner = (_inside(s.process.stages) for s in stages if isinstance(s.process, Branch))
    return len(stages) + sum(inner)


def check_stages(stages: Sequence[Stage]) -> None:
    """Raises EditError for a row that is too long."""
    if too_many_stages(stages):
        raise EditError(
            f"A row has {MOST_STAGES} stages at most, {MOST_STAGES_INSIDE} with its branches."
        )


def check_layers(layers: Sequence[Layer]) -> None:
    """Raises EditError for a sound of too many layers."""
    if len(layers) > MOST_LAYERS:
        raise EditError(f"A sound has {MOST_LAYERS} layers at most.")


def excess(kit: Kit) -> str:
    """What a kit holds too much of, in words; "" where all is well."""
    return next(_excesses(kit), "")


def _excesses(kit: Kit) -> Iterator[str]:
    counted: list[tuple[Sequence[Any], int, str]] = [
        (kit.pads, MOST_PADS, "pads"),
        (kit.buses, MOST_BUSES, "buses"),
        (kit.patterns, MOST_PATTERNS, "patterns"),
        (kit.contents, MOST_CONTENTS, "samples"),
        (kit.references, MOST_LISTED, "references"),
        (kit.gauges, MOST_LISTED, "kit gauges"),
        (kit.feels, 64, "feels"),
        (kit.backings, 8, "files under its groove"),
        (kit.recordings, MOST_RECORDINGS, "recordings to cut"),
        *((r.marks, MOST_MARKS, f"marks of {r.name}") for r in kit.recordings),
        *((r.groups, MOST_LISTED, f"groups of {r.name}") for r in kit.recordings),
        *((g.hits, MOST_MARKS, f"hits of {g.name}") for r in kit.recordings for g in r.groups),
        *((r.left_out, MOST_MARKS, f"hits left out of {r.name}") for r in kit.recordings),
        (kit.order, MOST_LISTED, "patterns in its play order"),
        (kit.tempos, MOST_LISTED, "tempos"),
        *((p.chords, MOST_LISTED, f"chords of {p.name}") for p in kit.patterns),
        *((b.sends, MOST_SENDS, f"sends of {b.name}") for b in kit.buses),
        *((g.targets, MOST_LISTED, f"targets of {g.name}") for g in kit.gauges),
        *((p.lanes, MOST_PADS, f"lanes of {p.name}") for p in kit.patterns),
        *((k.hits, MOST_HITS, f"hits of {p.name}") for p in kit.patterns for k in p.lanes),
    ]
    for pad in kit.pads:
        counted += [
            (pad.notes, 128, f"notes of {pad.name}"),
            (pad.response, 127, f"bends of {pad.name}"),
            (pad.sends, MOST_SENDS, f"sends of {pad.name}"),
            (pad.snapshots, MOST_SNAPSHOTS, f"snapshots of {pad.name}"),
            (pad.alternates, MOST_LISTED, f"alternates of {pad.name}"),
        ]
        yield from _of_row(pad.stages, pad.name)
        for name, sound in [(pad.name, pad.sound), *kept_sounds(pad)]:
            yield from _of_sound(sound, name)
    for found, most, what in counted:
        if len(found) > most:
            yield f"it holds {len(found):,} {what}; {most:,} are the most"
    for content in kit.contents:
        if content.printed is not None:
            yield from _of_sound(content.printed.sound, content.name)
    for bus in kit.buses:
        yield from _of_row(bus.stages, bus.name)
    yield from _of_row(kit.master.stages, "the master")


def _of_sound(sound: Sound, name: str) -> Iterator[str]:
    if len(sound.layers) > MOST_LAYERS:
        yield f"{name} has {len(sound.layers):,} layers; {MOST_LAYERS} are the most"
    yield from _of_row(sound.stages, name)
    for layer in sound.layers:
        yield from _of_row(layer.stages, f"{name}, {layer.name}")
        if len(layer.reaches) > MOST_LISTED:
            yield f"{name}, {layer.name}: velocity moves {len(layer.reaches):,} parameters"


def _of_row(stages: Sequence[Stage], name: str) -> Iterator[str]:
    if too_many_stages(stages):
        yield (
            f"{name} has a row of {len(stages):,} stages, {_inside(stages):,} with its branches; "
            f"{MOST_STAGES} and {MOST_STAGES_INSIDE} are the most"
        )
