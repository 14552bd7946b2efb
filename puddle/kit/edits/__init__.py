"""Edits: functions from a kit to a kit.

Every number is brought into its declared range; a name that the kit does not hold raises
EditError, and the kit given is never touched.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeVar

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.side_chains import listening, with_known_keys
from puddle.kit.model.document import (
    Bus,
    Content,
    Kit,
    Layer,
    Pad,
    Reach,
    Sound,
    Source,
)
from puddle.kit.model.limits import MOST_BUSES, check_layers
from puddle.kit.model.reference import PadReference
from puddle.kit.model.roles import DYES, ROLES, Dye, Role, free_note
from puddle.parameter import changed

T = TypeVar("T")
replace = msgspec.structs.replace


def fresh_id(prefix: str, taken: Sequence[str]) -> str:
    """An id that is not taken."""
    number = 1
    known = set(taken)
    while f"{prefix}{number}" in known:
        number += 1
    return f"{prefix}{number}"


def replaced(items: tuple[T, ...], old: T, new: T) -> tuple[T, ...]:
    """The items with one of them replaced."""
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
    return replace(kit, pads=replaced(kit.pads, pad, new))


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
    references = tuple(
        r for r in kit.references if not (isinstance(r, PadReference) and r.pad == pad_id)
    )
    kit = replace(
        kit,
        pads=tuple(p for p in kit.pads if p is not pad),
        patterns=patterns,
        references=references,
    )
    return with_known_keys(kit)


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
    check_layers(layers)
    pad = pad_of(kit, pad_id)
    return with_pad(kit, pad, replace(pad, sound=replace(pad.sound, layers=layers)))


def with_layer(kit: Kit, pad_id: str, layer: Layer, new: Layer) -> Kit:
    """The kit with one layer replaced."""
    return with_layers(kit, pad_id, replaced(pad_of(kit, pad_id).sound.layers, layer, new))


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
    rest = tuple(listening(layer, heard) if layer not in before else layer for layer in layers)
    return with_layers(kit, pad_id, rest)


def remove_layer(kit: Kit, pad_id: str, layer_id: str) -> Kit:
    """The kit without a layer."""
    layer = layer_of(kit, pad_id, layer_id)
    pad = pad_of(kit, pad_id)
    heard = {k.id: k.id for k in pad.sound.layers if k is not layer}
    layers = tuple(listening(k, heard) for k in pad.sound.layers if k is not layer)
    sound = listening(replace(pad.sound, layers=layers), heard)
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
    return replace(kit, buses=replaced(kit.buses, bus, changed(bus, **values)))


def add_bus(kit: Kit, name: str) -> tuple[Kit, Bus]:
    """A bus that goes to the master. Raises EditError where there are too many."""
    if len(kit.buses) >= MOST_BUSES:
        raise EditError(f"A kit has {MOST_BUSES} buses at most.")
    bus = Bus(id=fresh_id("bus", [b.id for b in kit.buses]), name=name)
    return replace(kit, buses=(*kit.buses, bus)), bus


def remove_bus(kit: Kit, bus_id: str) -> Kit:
    """The kit without a bus; pads that went to it go straight to the master."""
    bus = bus_of(kit, bus_id)
    pads = tuple(replace(pad, bus="") if pad.bus == bus_id else pad for pad in kit.pads)
    kit = replace(kit, buses=tuple(b for b in kit.buses if b is not bus), pads=pads)
    return with_known_keys(kit)


def set_master(kit: Kit, **values: Any) -> Kit:
    """New values for fields of the master."""
    return replace(kit, master=changed(kit.master, **values))


# Samples.


def add_content(kit: Kit, content: Content) -> Kit:
    """The kit knowing of a sample; one that it knows already stays as it is."""
    if kit.content(content.hash) is not None:
        return kit
    return replace(kit, contents=(*kit.contents, content))
