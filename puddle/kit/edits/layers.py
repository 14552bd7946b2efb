"""Layers of a pad's sound: added, copied, changed, moved, taken out."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.items import fresh_id, moved, replaced
from puddle.kit.edits.pads import pad_of, with_pad
from puddle.kit.edits.side_chains import listening
from puddle.kit.model.document import Kit, Layer, Reach, Source
from puddle.kit.model.limits import check_layers
from puddle.kit.model.roles import DYES, Dye
from puddle.parameter import changed

replace = msgspec.structs.replace


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
