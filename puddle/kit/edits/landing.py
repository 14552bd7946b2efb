"""Recordings that land on pads: as strengths, as turns, or as both."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Literal

import msgspec

from puddle.errors import EditError
from puddle.kit.edits import velocities as splitting
from puddle.kit.edits.buses import add_content
from puddle.kit.edits.items import fresh_id
from puddle.kit.edits.layers import new_layer
from puddle.kit.edits.pads import add_pad, pad_of, set_pad, with_pad
from puddle.kit.model.document import (
    MOST_PADS,
    Content,
    Kit,
    Layer,
    Pad,
    Sample,
    Sound,
    Stage,
)
from puddle.kit.model.roles import Role

As = Literal["velocities and round robin", "round robin", "all at once"]
AS: tuple[As, ...] = ("velocities and round robin", "round robin", "all at once")
replace = msgspec.structs.replace


class Landing(msgspec.Struct, frozen=True):
    """A drum that is to land: its recordings, and which of them are of one strength."""

    name: str
    role: Role
    contents: tuple[Content, ...]
    sources: tuple[Sample, ...]  # the regions of the contents, each a layer
    names: tuple[str, ...]  # of the layers
    rungs: tuple[tuple[int, ...], ...]  # places among the sources, soft to hard; turns in each
    levels: tuple[float, ...]  # LUFS of each source
    taken_as: As = "velocities and round robin"
    stages: tuple[Stage, ...] = ()  # of the whole sound, before those that a pad has
    root: int | None = None  # the key that plays it as it is, where its files tell
    notes: tuple[int, ...] = ()  # the keys that play it, where they tell
    velocities: tuple[tuple[int, int], ...] = ()  # of each source, where all of them tell


def layers_of(landing: Landing) -> tuple[Layer, ...]:
    """A layer for each recording, all of them in every strike."""
    layers: tuple[Layer, ...] = ()
    for name, source in zip(landing.names, landing.sources, strict=True):
        layers = (*layers, new_layer(layers, name, source))
    return layers


def split(kit: Kit, pad_id: str, landing: Landing, ids: Sequence[str]) -> Kit:
    """The kit with layers of a pad, one for each recording, taken as the landing says."""
    if len(ids) < 2 or landing.taken_as == "all at once":
        return kit
    if landing.velocities:
        return _as_told(kit, pad_id, landing, ids)
    if landing.taken_as == "round robin":
        return splitting.as_turns(kit, pad_id, ids)
    groups = [[ids[n] for n in rung] for rung in landing.rungs]
    if len(groups) == 1:
        return splitting.as_turns(kit, pad_id, groups[0])
    levels = [sum(landing.levels[n] for n in rung) / len(rung) for rung in landing.rungs]
    return splitting.as_grid(kit, pad_id, groups, sorted(levels))


def _as_told(kit: Kit, pad_id: str, landing: Landing, ids: Sequence[str]) -> Kit:
    """Each recording on the velocities that its file tells; those of one range are turns."""
    groups: dict[tuple[int, int], list[str]] = {}
    for key, velocities in zip(ids, landing.velocities, strict=True):
        groups.setdefault(velocities, []).append(key)
    ranges = sorted(groups)
    kit = splitting.with_ranges(kit, pad_id, [groups[one] for one in ranges], ranges)
    for one in ranges:
        if len(groups[one]) > 1:
            kit = splitting.as_turns(kit, pad_id, groups[one])
    return kit


def with_contents(kit: Kit, contents: Iterable[Content]) -> Kit:
    """The kit that names some samples."""
    for content in contents:
        kit = add_content(kit, content)
    return kit


def with_stages(own: tuple[Stage, ...], first: tuple[Stage, ...]) -> tuple[Stage, ...]:
    """A row with others before it, but for those that begin it already."""
    if not first or [s.process for s in own[: len(first)]] == [s.process for s in first]:
        return own
    taken = [s.id for s in own]
    made: list[Stage] = []
    for stage in first:
        key = fresh_id("stage", [*taken, *(s.id for s in made)])
        made.append(replace(stage, id=key))
    return (*made, *own)


def landed_on(kit: Kit, pad_id: str, landing: Landing) -> Kit:
    """The kit with a pad's layers replaced by recordings; its stages and all else stay."""
    kit = with_contents(kit, landing.contents)
    pad = pad_of(kit, pad_id)
    made = layers_of(landing)
    stages = with_stages(pad.sound.stages, landing.stages)
    kit = with_pad(kit, pad, replace(pad, sound=replace(pad.sound, layers=made, stages=stages)))
    return split(kit, pad_id, landing, [layer.id for layer in made])


def landed(kit: Kit, landings: Sequence[Landing], place: int = 0) -> tuple[Kit, list[Pad]]:
    """The kit with a new pad for each, at the free places from one on. Raises EditError."""
    made: list[Pad] = []
    for landing in landings:
        kit = with_contents(kit, landing.contents)
        taken = {p.place for p in kit.pads}
        free = next((n for n in (*range(place, MOST_PADS), *range(place)) if n not in taken), None)
        if free is None:
            raise EditError(f"The kit is full: there is no place for {landing.name}.")
        sound = Sound(layers=layers_of(landing), stages=landing.stages)
        kit, pad = add_pad(kit, landing.name, landing.role, sound, free)
        kit = split(kit, pad.id, landing, [layer.id for layer in sound.layers])
        if landing.root is not None:
            kit = set_pad(kit, pad.id, root=landing.root)
        if landing.notes:
            kit = set_pad(kit, pad.id, notes=landing.notes)
        made.append(pad_of(kit, pad.id))
    return kit, made


def told(landing: Landing) -> str:
    """How its recordings are taken, in words."""
    count = len(landing.sources)
    if count == 1:
        return "one recording"
    if landing.taken_as == "all at once":
        return f"{count} at once"
    if landing.taken_as == "round robin" or len(landing.rungs) == 1:
        return f"{count} in a round robin"
    turns = max(len(rung) for rung in landing.rungs)
    velocities = f"{len(landing.rungs)} velocities"
    return f"{velocities}, {turns} in each round robin" if turns > 1 else velocities
