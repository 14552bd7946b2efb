"""Edits: functions from a kit to a kit.

Every number is brought into its declared range; a name that the kit does not hold raises
EditError, and the kit given is never touched.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

import msgspec

from puddle.errors import EditError
from puddle.kit.document import (
    Bus,
    Content,
    Kit,
    Layer,
    Master,
    Pad,
    Reach,
    Sound,
    Source,
    Stage,
)
from puddle.kit.roles import DYES, ROLES, Dye, Role, free_note
from puddle.parameter import changed
from puddle.stages import AnyProcess, Branch, keys_of

T = TypeVar("T")
H = TypeVar("H", Layer, Sound, Pad, Bus, Master)
replace = msgspec.structs.replace


@dataclass(frozen=True, slots=True)
class RowPath:
    """Where a row of stages stands: a layer, a whole sound, a pad, a bus, or the master (None)."""

    pad: str | None = None
    layer: str | None = None
    bus: str | None = None
    live: bool = False  # of a pad: not its sound's, but its own, which run live
    branches: tuple[str, ...] = ()  # the way into a branch's own row: ids of stages


def fresh_id(prefix: str, taken: Sequence[str]) -> str:
    """An id that is not taken."""
    number = 1
    known = set(taken)
    while f"{prefix}{number}" in known:
        number += 1
    return f"{prefix}{number}"


def _replaced(items: tuple[T, ...], old: T, new: T) -> tuple[T, ...]:
    return tuple(new if item is old else item for item in items)


def moved(items: tuple[T, ...], start: int, to: int) -> tuple[T, ...]:
    """The items with one of them at another place."""
    rest = list(items)
    item = rest.pop(start)
    rest.insert(max(0, min(to, len(rest))), item)
    return tuple(rest)


def set_kit(kit: Kit, **values: Any) -> Kit:
    """Name, tempo, notes."""
    return changed(kit, **values)


# Pads.


def pad_of(kit: Kit, pad_id: str) -> Pad:
    """The pad of that id. Raises EditError if there is none."""
    pad = kit.pad(pad_id)
    if pad is None:
        raise EditError(f"The kit holds no pad “{pad_id}”.")
    return pad


def with_pad(kit: Kit, pad: Pad, new: Pad) -> Kit:
    """The kit with one pad replaced."""
    return replace(kit, pads=_replaced(kit.pads, pad, new))


def set_pad(kit: Kit, pad_id: str, **values: Any) -> Kit:
    """New values for fields of a pad."""
    pad = pad_of(kit, pad_id)
    return with_pad(kit, pad, changed(pad, **values))


def set_sound(kit: Kit, pad_id: str, **values: Any) -> Kit:
    """New values for fields of a pad's sound."""
    pad = pad_of(kit, pad_id)
    return with_pad(kit, pad, replace(pad, sound=changed(pad.sound, **values)))


def add_pad(
    kit: Kit, name: str, role: Role, sound: Sound, place: int | None = None
) -> tuple[Kit, Pad]:
    """A new pad at a free place, with the role's next free note and its dye."""
    taken = {p.place for p in kit.pads}
    if place is None or place in taken:
        place = next(n for n in range(len(taken) + 1) if n not in taken)
    used = frozenset(n for p in kit.pads for n in p.notes)
    note = free_note(role, used)
    pad = Pad(
        id=fresh_id("pad", [p.id for p in kit.pads]),
        name=name[:120],
        place=place,
        role=role,
        dye=ROLES[role].dye,
        sound=sound,
        notes=() if note is None else (note,),
    )
    return replace(kit, pads=(*kit.pads, pad)), pad


def remove_pad(kit: Kit, pad_id: str) -> Kit:
    """The kit without a pad and its lanes."""
    pad = pad_of(kit, pad_id)
    patterns = tuple(
        replace(p, lanes=tuple(lane for lane in p.lanes if lane.pad != pad_id))
        for p in kit.patterns
    )
    kit = replace(kit, pads=tuple(p for p in kit.pads if p is not pad), patterns=patterns)
    return _with_known_keys(kit)


def move_pad(kit: Kit, pad_id: str, place: int) -> Kit:
    """A pad at another place; a pad that is there already changes places with it."""
    pad = pad_of(kit, pad_id)
    there = kit.pad_at(place)
    if there is not None and there is not pad:
        kit = with_pad(kit, there, replace(there, place=pad.place))
    return with_pad(kit, pad, replace(pad, place=place))


# Layers.


def layer_of(kit: Kit, pad_id: str, layer_id: str) -> Layer:
    """The layer of that id. Raises EditError if there is none."""
    pad = pad_of(kit, pad_id)
    for layer in pad.sound.layers:
        if layer.id == layer_id:
            return layer
    raise EditError(f"{pad.name} holds no layer “{layer_id}”.")


def with_layers(kit: Kit, pad_id: str, layers: tuple[Layer, ...]) -> Kit:
    """The kit with the layers of one sound replaced."""
    pad = pad_of(kit, pad_id)
    return with_pad(kit, pad, replace(pad, sound=replace(pad.sound, layers=layers)))


def with_layer(kit: Kit, pad_id: str, layer: Layer, new: Layer) -> Kit:
    """The kit with one layer replaced."""
    return with_layers(kit, pad_id, _replaced(pad_of(kit, pad_id).sound.layers, layer, new))


def set_layer(kit: Kit, pad_id: str, layer_id: str, **values: Any) -> Kit:
    """New values for fields of a layer."""
    layer = layer_of(kit, pad_id, layer_id)
    return with_layer(kit, pad_id, layer, changed(layer, **values))


def set_source(kit: Kit, pad_id: str, layer_id: str, **values: Any) -> Kit:
    """New values for parameters of a layer's voice or sample."""
    layer = layer_of(kit, pad_id, layer_id)
    return with_layer(kit, pad_id, layer, replace(layer, source=changed(layer.source, **values)))


def set_envelope(kit: Kit, pad_id: str, layer_id: str, **values: Any) -> Kit:
    """New values for a layer's envelope."""
    layer = layer_of(kit, pad_id, layer_id)
    envelope = changed(layer.envelope, **values)
    return with_layer(kit, pad_id, layer, replace(layer, envelope=envelope))


def new_layer(layers: Sequence[Layer], name: str, source: Source) -> Layer:
    """A layer with the next dye."""
    used = [layer.dye for layer in layers]
    dye: Dye = next((d for d in DYES if d not in used), DYES[len(used) % len(DYES)])
    return Layer(
        id=fresh_id("layer", [layer.id for layer in layers]),
        name=name[:120],
        source=source,
        dye=dye,
    )


def add_layer(kit: Kit, pad_id: str, name: str, source: Source) -> tuple[Kit, Layer]:
    """A new layer under the others."""
    layers = pad_of(kit, pad_id).sound.layers
    layer = new_layer(layers, name, source)
    return with_layers(kit, pad_id, (*layers, layer)), layer


def copy_layers(kit: Kit, pad_id: str, found: Sequence[Layer]) -> Kit:
    """Copies of layers, from here or from another pad, under the others."""
    before = layers = pad_of(kit, pad_id).sound.layers
    names: dict[str, str] = {}
    for layer in found:
        fresh = new_layer(layers, layer.name, layer.source)
        names[layer.id] = fresh.id
        layers = (*layers, replace(layer, id=fresh.id, dye=fresh.dye))
    # What a copy listened to is its copy; else, within one sound, what it was.
    at_home = {layer.id for layer in before} if all(k in before for k in found) else set()
    heard = {name: name for name in at_home} | names
    rest = tuple(_listening(layer, heard) if layer not in before else layer for layer in layers)
    return with_layers(kit, pad_id, rest)


def remove_layer(kit: Kit, pad_id: str, layer_id: str) -> Kit:
    """The kit without a layer."""
    layer = layer_of(kit, pad_id, layer_id)
    pad = pad_of(kit, pad_id)
    heard = {k.id: k.id for k in pad.sound.layers if k is not layer}
    layers = tuple(_listening(k, heard) for k in pad.sound.layers if k is not layer)
    sound = _listening(replace(pad.sound, layers=layers), heard)
    return with_pad(kit, pad, replace(pad, sound=sound))


def set_band(kit: Kit, pad_id: str, layer_id: str, **values: Any) -> Kit:
    """New values for a layer's band."""
    layer = layer_of(kit, pad_id, layer_id)
    band = changed(layer.band, **values)
    return with_layer(kit, pad_id, layer, replace(layer, band=band))


def set_reach(kit: Kit, pad_id: str, layer_id: str, field: str, amount: float) -> Kit:
    """How far velocity moves a parameter of a layer's voice, in % of its gauge; 0 is not at all."""
    layer = layer_of(kit, pad_id, layer_id)
    others = tuple(reach for reach in layer.reaches if reach.field != field)
    mine = () if round(amount) == 0 else (changed(Reach(field=field), amount=amount),)
    return with_layer(kit, pad_id, layer, replace(layer, reaches=(*others, *mine)))


def move_layer(kit: Kit, pad_id: str, layer_id: str, to: int) -> Kit:
    """A layer at another place in the stack."""
    layers = pad_of(kit, pad_id).sound.layers
    layer = layer_of(kit, pad_id, layer_id)
    return with_layers(kit, pad_id, moved(layers, layers.index(layer), to))


# Buses and master.


def bus_of(kit: Kit, bus_id: str) -> Bus:
    """The bus of that id. Raises EditError if there is none."""
    for bus in kit.buses:
        if bus.id == bus_id:
            return bus
    raise EditError(f"The kit holds no bus “{bus_id}”.")


def set_bus(kit: Kit, bus_id: str, **values: Any) -> Kit:
    """New values for fields of a bus."""
    bus = bus_of(kit, bus_id)
    return replace(kit, buses=_replaced(kit.buses, bus, changed(bus, **values)))


def add_bus(kit: Kit, name: str) -> tuple[Kit, Bus]:
    """A bus that goes to the master."""
    bus = Bus(id=fresh_id("bus", [b.id for b in kit.buses]), name=name)
    return replace(kit, buses=(*kit.buses, bus)), bus


def remove_bus(kit: Kit, bus_id: str) -> Kit:
    """The kit without a bus; pads that went to it go straight to the master."""
    bus = bus_of(kit, bus_id)
    pads = tuple(replace(pad, bus="") if pad.bus == bus_id else pad for pad in kit.pads)
    kit = replace(kit, buses=tuple(b for b in kit.buses if b is not bus), pads=pads)
    return _with_known_keys(kit)


def set_master(kit: Kit, **values: Any) -> Kit:
    """New values for fields of the master."""
    return replace(kit, master=changed(kit.master, **values))


# Stages: on a layer, on a whole sound, on a bus, on the master.


def stages_at(kit: Kit, path: RowPath) -> tuple[Stage, ...]:
    """The row of stages at a path."""
    if path.branches:
        return _branch_at(kit, path)[1].stages
    if path.pad is not None and path.layer is not None:
        return layer_of(kit, path.pad, path.layer).stages
    if path.pad is not None:
        pad = pad_of(kit, path.pad)
        return pad.stages if path.live else pad.sound.stages
    if path.bus is not None:
        return bus_of(kit, path.bus).stages
    return kit.master.stages


def _branch_at(kit: Kit, path: RowPath) -> tuple[RowPath, Branch]:
    """The row in which a branch stands, and the branch."""
    outer = dataclasses.replace(path, branches=path.branches[:-1])
    wanted = path.branches[-1]
    for stage in stages_at(kit, outer):
        if stage.id == wanted and isinstance(stage.process, Branch):
            return outer, stage.process
    raise EditError(f"There is no branch “{wanted}” there.")


def with_stages(kit: Kit, path: RowPath, stages: tuple[Stage, ...]) -> Kit:
    """The kit with the row of stages at a path replaced. Raises EditError."""
    if path.branches:
        outer, branch = _branch_at(kit, path)
        try:
            made = replace(branch, stages=stages)
        except ValueError as error:
            raise EditError(f"That is too much: {error}.") from None
        return _edit_stage(
            kit, outer, path.branches[-1], lambda stage: replace(stage, process=made)
        )
    if path.pad is not None and path.layer is not None:
        layer = layer_of(kit, path.pad, path.layer)
        return with_layer(kit, path.pad, layer, replace(layer, stages=stages))
    if path.pad is not None:
        pad = pad_of(kit, path.pad)
        if path.live:
            return with_pad(kit, pad, replace(pad, stages=stages))
        return with_pad(kit, pad, replace(pad, sound=replace(pad.sound, stages=stages)))
    if path.bus is not None:
        bus = bus_of(kit, path.bus)
        return replace(kit, buses=_replaced(kit.buses, bus, replace(bus, stages=stages)))
    master: Master = replace(kit.master, stages=stages)
    return replace(kit, master=master)


def _edit_stage(kit: Kit, path: RowPath, stage_id: str, edit: Callable[[Stage], Stage]) -> Kit:
    stages = stages_at(kit, path)
    for stage in stages:
        if stage.id == stage_id:
            return with_stages(kit, path, _replaced(stages, stage, edit(stage)))
    raise EditError(f"There is no stage “{stage_id}” there.")


def set_process(kit: Kit, path: RowPath, stage_id: str, **values: Any) -> Kit:
    """New values for a stage's parameters."""

    def edit(stage: Stage) -> Stage:
        return replace(stage, process=changed(stage.process, **values))

    return _edit_stage(kit, path, stage_id, edit)


def set_stage(kit: Kit, path: RowPath, stage_id: str, **values: Any) -> Kit:
    """A stage on or off, its levels and its dry blend."""
    return _edit_stage(kit, path, stage_id, lambda stage: changed(stage, **values))


def add_stage(kit: Kit, path: RowPath, process: AnyProcess) -> tuple[Kit, Stage]:
    """A new stage at the end of a row."""
    stages = stages_at(kit, path)
    fresh = fresh_id("stage", [s.id for s in stages])
    stage = Stage(id=fresh, process=process, dry=process.starts_dry)
    return with_stages(kit, path, (*stages, stage)), stage


def insert_stages(kit: Kit, path: RowPath, found: Sequence[Stage]) -> Kit:
    """Stages from elsewhere at the end of a row, under ids of their own.

    A key that cannot be heard there is forgotten: the stage listens to what comes in.
    """
    stages = stages_at(kit, path)
    heard = {key: key for key, _ in keys_at(kit, path)}
    for stage in rekeyed(found, heard):
        fresh = fresh_id("stage", [s.id for s in stages])
        stages = (*stages, replace(stage, id=fresh))
    return with_stages(kit, path, stages)


def rekeyed(stages: Sequence[Stage], names: Mapping[str, str]) -> tuple[Stage, ...]:
    """Stages that listen to other ids; a key without one is forgotten, in branches too."""
    if not keys_of(stages):
        return tuple(stages)
    made = []
    for stage in stages:
        process = stage.process
        if isinstance(process, Branch):
            process = replace(process, stages=rekeyed(process.stages, names))
        made.append(replace(stage, process=process, key=names.get(stage.key, "")))
    return tuple(made)


def _listening(holder: H, names: Mapping[str, str]) -> H:
    """What holds a row of stages, with the row `rekeyed`; itself where nothing differs."""
    stages = rekeyed(holder.stages, names)
    return holder if stages == holder.stages else replace(holder, stages=stages)


def _with_known_keys(kit: Kit) -> Kit:
    """The kit without keys of pads and buses that are gone."""
    ids = [*(pad.id for pad in kit.pads), *(bus.id for bus in kit.buses)]
    names = {name: name for name in ids}
    return replace(
        kit,
        pads=tuple(_listening(p, names) for p in kit.pads),
        buses=tuple(_listening(b, names) for b in kit.buses),
        master=_listening(kit.master, names),
    )


def keys_at(kit: Kit, path: RowPath) -> list[tuple[str, str]]:
    """What stages of a row can listen to besides what comes in, as (id, name).

    In a sound its other layers; on pads, buses and the master the other pads, and buses before.
    """
    if path.pad is not None and not path.live:
        layers = pad_of(kit, path.pad).sound.layers
        return [(k.id, k.name) for k in layers if k.id != path.layer]
    pads = [(pad.id, pad.name) for pad in kit.pads if pad.id != path.pad]
    if path.pad is not None:
        return pads
    buses = [(bus.id, f"{bus.name} bus") for bus in kit.buses]
    ids = [bus.id for bus in kit.buses]
    return pads + (buses[: ids.index(path.bus)] if path.bus in ids else buses)


def remove_stage(kit: Kit, path: RowPath, stage_id: str) -> Kit:
    """The row without a stage."""
    stages = stages_at(kit, path)
    return with_stages(kit, path, tuple(s for s in stages if s.id != stage_id))


def move_stage(kit: Kit, path: RowPath, stage_id: str, to: int) -> Kit:
    """A stage at another place in its row."""
    stages = stages_at(kit, path)
    index = next((n for n, s in enumerate(stages) if s.id == stage_id), None)
    if index is None:
        raise EditError(f"There is no stage “{stage_id}” there.")
    return with_stages(kit, path, moved(stages, index, to))


# Samples.


def add_content(kit: Kit, content: Content) -> Kit:
    """The kit knowing of a sample; one that it knows already stays as it is."""
    if kit.content(content.hash) is not None:
        return kit
    return replace(kit, contents=(*kit.contents, content))


def without_unused_contents(kit: Kit) -> Kit:
    """The kit without samples that no layer plays; done when it is saved, so that undo has them."""
    from puddle.kit.document import Sample

    used = {
        layer.source.content
        for pad in kit.pads
        for layer in pad.sound.layers
        if isinstance(layer.source, Sample)
    }
    return replace(kit, contents=tuple(c for c in kit.contents if c.hash in used))
