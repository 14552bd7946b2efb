"""Keys in the document: what stages listen to, when things are copied and taken out."""

from __future__ import annotations

from collections.abc import Container, Iterator, Mapping, Sequence
from typing import TypeVar

import msgspec

from puddle.kit.model.document import Bus, Kit, Layer, Master, Pad, Sound, Stage
from puddle.stages import Branch, keys_of

H = TypeVar("H", Layer, Sound, Pad, Bus, Master)
replace = msgspec.structs.replace


def rekeyed(stages: Sequence[Stage], names: Mapping[str, str]) -> tuple[Stage, ...]:
    """Stages that listen to other ids, in branches too.

    A key without one is forgotten, and its stage switched off: keyed by what comes in, it would do
    something else than it was made for.
    """
    if not keys_of(stages):
        return tuple(stages)
    made = []
    for stage in stages:
        process = stage.process
        if isinstance(process, Branch):
            process = replace(process, stages=rekeyed(process.stages, names))
        lost = process.keyable and stage.key != "" and not names.get(stage.key)
        key = names.get(stage.key, "")
        made.append(replace(stage, process=process, key=key, on=stage.on and not lost))
    return tuple(made)


def listening(holder: H, names: Mapping[str, str]) -> H:
    """What holds a row of stages, with the row `rekeyed`; itself where nothing differs."""
    stages = rekeyed(holder.stages, names)
    return holder if stages == holder.stages else replace(holder, stages=stages)


def with_known_keys(kit: Kit) -> Kit:
    """The kit without keys of pads and buses that are gone."""
    ids = [*(pad.id for pad in kit.pads), *(bus.id for bus in kit.buses)]
    names = {name: name for name in ids}
    return replace(
        kit,
        pads=tuple(listening(p, names) for p in kit.pads),
        buses=tuple(listening(b, names) for b in kit.buses),
        master=listening(kit.master, names),
    )


def lost_keys(before: Kit, after: Kit) -> list[str]:
    """A sentence for each stage that an edit switched off because what keyed it has gone."""
    if not _went(before, after):
        return []
    was = {(whose, stage.id): stage for whose, stage, _ in _keyed_stages(before)}
    names = {pad.id: pad.name for pad in before.pads}
    names |= {bus.id: f"the {bus.name} bus" for bus in before.buses}
    told = []
    for whose, stage, said in _keyed_stages(after, also=was):
        old = was.get((whose, stage.id))
        if old is not None and old.key and old.on and not stage.key and not stage.on:
            by = _layer_name(before, whose, old.key) or names.get(old.key, "what has gone")
            told.append(f"{said}: its {stage.process.noun} was keyed by {by} and is off now.")
    return told


def _went(before: Kit, after: Kit) -> bool:
    """Whether anything went that could have been a key: a pad, a bus or a layer."""
    if len(after.pads) < len(before.pads) or len(after.buses) < len(before.buses):
        return True
    return any(
        len(b.sound.layers) < len(a.sound.layers)
        for a, b in zip(before.pads, after.pads, strict=False)
        if a is not b
    )


_Whose = tuple[str, ...]  # what holds a row, by ids


def _keyed_stages(
    kit: Kit, also: Container[tuple[_Whose, str]] = ()
) -> Iterator[tuple[_Whose, Stage, str]]:
    """Stages with a key, or those that are asked for too: whose, the stage, and in words."""
    rows: list[tuple[_Whose, tuple[Stage, ...], str]] = []
    for pad in kit.pads:
        rows.append((("pad", pad.id), pad.stages, pad.name))
        rows.append((("sound", pad.id), pad.sound.stages, pad.name))
        for layer in pad.sound.layers:
            said = f"{pad.name}, {layer.name}"
            rows.append((("layer", pad.id, layer.id), layer.stages, said))
    rows += [(("bus", bus.id), bus.stages, f"{bus.name} bus") for bus in kit.buses]
    rows.append((("master",), kit.master.stages, "Master"))
    for whose, stages, said in rows:
        for way, stage in _with_inner(stages):
            if stage.key or ((*whose, *way), stage.id) in also:
                yield (*whose, *way), stage, said


def _with_inner(stages: Sequence[Stage], way: _Whose = ()) -> Iterator[tuple[_Whose, Stage]]:
    for stage in stages:
        yield way, stage
        if isinstance(stage.process, Branch):
            yield from _with_inner(stage.process.stages, (*way, stage.id))


def _layer_name(kit: Kit, whose: _Whose, layer_id: str) -> str:
    """The name of a layer that keys stages of its sound; "" where it is no layer's key."""
    if whose[0] not in ("sound", "layer"):
        return ""
    pad = kit.pad(whose[1])
    layers = pad.sound.layers if pad is not None else ()
    return next((k.name for k in layers if k.id == layer_id), "")
