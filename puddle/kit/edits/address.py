"""Controls of a kit, read and set by their address; and every control that there is."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec

from puddle.errors import EditError, ParameterError
from puddle.kit.edits import rows
from puddle.kit.edits.alternates import choose_alternate
from puddle.kit.edits.buses import bus_of, set_bus, set_kit, set_master
from puddle.kit.edits.layers import layer_of, set_band, set_envelope, set_layer, set_source
from puddle.kit.edits.pads import pad_of, set_pad, set_sound
from puddle.kit.edits.routing import sends_of, set_send
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, Layer, Pad, SendTo, Stage
from puddle.parameter import Parameter, Scale, parameter, parameters
from puddle.stages import Branch

ALTERNATE = "alternate"


def row_of(address: Address) -> RowPath:
    """The row of stages in which an address's stage stands."""
    return RowPath(
        pad=address.pad or None,
        layer=address.layer or None,
        bus=address.bus or None,
        live=address.live,
        branches=address.branches,
    )


def _stage_at(kit: Kit, address: Address) -> Stage:
    for stage in rows.stages_at(kit, row_of(address)):
        if stage.id == address.stage:
            return stage
    raise EditError(f"There is no stage “{address.stage}” there.")


def _send_at(kit: Kit, address: Address) -> SendTo:
    for send in sends_of(kit, address.pad, address.bus):
        if send.bus == address.to:
            return send
    raise EditError(f"There is no send to “{address.to}” there.")


def struct_at(kit: Kit, address: Address) -> msgspec.Struct:
    """What holds the parameter. Raises EditError where it is gone."""
    match address.of:
        case "kit":
            return kit
        case "master":
            return kit.master
        case "bus":
            return bus_of(kit, address.bus)
        case "pad":
            return pad_of(kit, address.pad)
        case "sound":
            return pad_of(kit, address.pad).sound
        case "stage":
            return _stage_at(kit, address)
        case "process":
            return _stage_at(kit, address).process
        case "send":
            return _send_at(kit, address)
        case _:
            layer = layer_of(kit, address.pad, address.layer)
            part: msgspec.Struct = layer if address.of == "layer" else getattr(layer, address.of)
            return part


def parameter_at(kit: Kit, address: Address) -> Parameter:
    """What is known of it. Raises EditError where it is gone, or is no number."""
    struct = struct_at(kit, address)
    if isinstance(struct, Pad) and address.field == ALTERNATE:
        return _alternate_parameter(struct)
    try:
        known = parameter(type(struct), address.field)
    except ParameterError as error:
        raise EditError(str(error)) from None
    if known.kind not in ("number", "whole"):
        raise EditError(f"{known.label} is no number: a kit gauge cannot move it.")
    return known


def _alternate_parameter(pad: Pad) -> Parameter:
    return Parameter(
        field=ALTERNATE,
        label="Alternate",
        low=1.0,
        high=float(max(2, len(pad.alternates))),
        default=1.0,
        unit="",
        scale=Scale.LINEAR,
        decimals=0,
        says="Which of its sounds the pad plays.",
        part="",
        kind="whole",
    )


def is_there(kit: Kit, address: Address) -> bool:
    """Whether the parameter can be moved now; its pad, layer or stage may be gone."""
    try:
        parameter_at(kit, address)
    except EditError:
        return False
    return True


def value_at(kit: Kit, address: Address) -> float:
    """The control's value. Raises EditError where it is gone."""
    struct = struct_at(kit, address)
    if isinstance(struct, Pad) and address.field == ALTERNATE:
        return struct.alternate + 1.0
    return float(getattr(struct, address.field))


def with_value(kit: Kit, address: Address, value: float) -> Kit:
    """The kit with the parameter set. Raises EditError where it is gone."""
    values: dict[str, Any] = {address.field: value}
    match address.of:
        case "kit":
            return set_kit(kit, **values)
        case "master":
            return set_master(kit, **values)
        case "bus":
            return set_bus(kit, address.bus, **values)
        case "pad":
            if address.field == ALTERNATE:
                return _choose(kit, address.pad, value)
            return set_pad(kit, address.pad, **values)
        case "sound":
            return set_sound(kit, address.pad, **values)
        case "layer":
            return set_layer(kit, address.pad, address.layer, **values)
        case "source":
            return set_source(kit, address.pad, address.layer, **values)
        case "envelope":
            return set_envelope(kit, address.pad, address.layer, **values)
        case "band":
            return set_band(kit, address.pad, address.layer, **values)
        case "stage":
            return rows.set_stage(kit, row_of(address), address.stage, **values)
        case "process":
            return rows.set_process(kit, row_of(address), address.stage, **values)
        case "send":
            _send_at(kit, address)  # to set one would make it
            return set_send(kit, address.pad, address.bus, address.to, **values)


def _choose(kit: Kit, pad_id: str, value: float) -> Kit:
    pad = pad_of(kit, pad_id)
    if not pad.alternates:
        return kit
    return choose_alternate(kit, pad_id, min(len(pad.alternates), max(1, round(value))) - 1)


def told(kit: Kit, address: Address) -> str:
    """Where a control lies, in words: "Keel, thud: decay"."""
    known = parameter_at(kit, address)
    words = []
    if address.pad:
        words.append(pad_of(kit, address.pad).name)
    if address.layer:
        words.append(layer_of(kit, address.pad, address.layer).name)
    if address.bus:
        words.append(bus_of(kit, address.bus).name)
    if address.of == "master":
        words.append("Master")
    if address.of == "send":
        words.append(f"to {bus_of(kit, address.to).name}")
    if address.stage:
        words.append(_stage_at(kit, address).process.noun)
    what = f"{known.part} {known.label}".strip().lower()
    return f"{', '.join(words)}: {what}" if words else what


# Every control.

_NUMBERS = ("number", "whole")


class Control(msgspec.Struct, frozen=True):
    """A number in a kit: what holds it, what is known of it, and where that lies, in words."""

    struct: msgspec.Struct
    known: Parameter
    lies: str  # "Keel, Hull sine"
    place: Address  # but for its field

    @property
    def address(self) -> Address:
        """What it is named by."""
        return msgspec.structs.replace(self.place, field=self.known.field)

    def text(self) -> str:
        """Its value with its unit."""
        return self.known.text(getattr(self.struct, self.known.field))


def every_control(kit: Kit) -> Iterator[Control]:
    """The kit's own numbers, then each pad's, each bus's and the master's, in their order."""
    yield from _of_struct(kit, kit.name, of="kit")
    for pad in kit.pads:
        yield from _of_pad(pad)
    names = {bus.id: bus.name for bus in kit.buses}
    for pad in kit.pads:
        yield from _of_sends(pad.sends, pad.name, names, pad=pad.id)
    for bus in kit.buses:
        yield from _of_struct(bus, bus.name, of="bus", bus=bus.id)
        yield from _of_sends(bus.sends, bus.name, names, bus=bus.id)
        yield from _of_stages(bus.stages, bus.name, RowPath(bus=bus.id))
    yield from _of_struct(kit.master, "Master", of="master")
    yield from _of_stages(kit.master.stages, "Master", RowPath())


def _of_pad(pad: Pad) -> Iterator[Control]:
    yield from _of_struct(pad, pad.name, of="pad", pad=pad.id)
    yield from _of_struct(pad.sound, pad.name, of="sound", pad=pad.id)
    for layer in pad.sound.layers:
        yield from _of_layer(pad, layer)
    yield from _of_stages(pad.sound.stages, pad.name, RowPath(pad=pad.id))
    yield from _of_stages(pad.stages, f"{pad.name} live", RowPath(pad=pad.id, live=True))


def _of_sends(
    sends: tuple[SendTo, ...], whose: str, names: dict[str, str], **place: str
) -> Iterator[Control]:
    for send in sends:
        lies = f"{whose}, to {names.get(send.bus, send.bus)}"
        yield from _of_struct(send, lies, of="send", to=send.bus, **place)


def _of_layer(pad: Pad, layer: Layer) -> Iterator[Control]:
    lies, place = f"{pad.name}, {layer.name}", {"pad": pad.id, "layer": layer.id}
    yield from _of_struct(layer.source, lies, of="source", **place)
    yield from _of_struct(layer, lies, of="layer", **place)
    yield from _of_struct(layer.envelope, lies, of="envelope", **place)
    yield from _of_struct(layer.band, lies, of="band", **place)
    yield from _of_stages(layer.stages, lies, RowPath(pad=pad.id, layer=layer.id))


def _of_stages(stages: tuple[Stage, ...], lies: str, row: RowPath) -> Iterator[Control]:
    for stage in stages:
        place = row.place(stage.id)
        here = f"{lies}, {stage.process.noun}"
        yield from _of_struct(stage, here, of="stage", **place)
        yield from _of_struct(stage.process, here, of="process", **place)
        if isinstance(stage.process, Branch):
            inner = msgspec.structs.replace(row, branches=(*row.branches, stage.id))
            yield from _of_stages(stage.process.stages, here, inner)


def _of_struct(struct: msgspec.Struct, lies: str, **place: Any) -> Iterator[Control]:
    for known in parameters(type(struct)):
        if known.kind in _NUMBERS:
            yield Control(struct, known, lies, Address(**place))
