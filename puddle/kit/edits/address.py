"""What kit gauges can move: any declared number in a kit, found by its address."""

from __future__ import annotations

from typing import Any

import msgspec

from puddle.errors import EditError, ParameterError
from puddle.kit.edits import rows
from puddle.kit.edits.alternates import choose_alternate
from puddle.kit.edits.buses import bus_of, set_bus, set_kit, set_master
from puddle.kit.edits.layers import layer_of, set_band, set_envelope, set_layer, set_source
from puddle.kit.edits.pads import pad_of, set_pad, set_sound
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Kit, Pad, Stage, Target
from puddle.parameter import Parameter, Scale, parameter

ALTERNATE = "alternate"


def row_of(target: Target) -> RowPath:
    """The row of stages that a target's stage stands in."""
    return RowPath(
        pad=target.pad or None,
        layer=target.layer or None,
        bus=target.bus or None,
        live=target.live,
        branches=target.branches,
    )


def _stage_at(kit: Kit, target: Target) -> Stage:
    for stage in rows.stages_at(kit, row_of(target)):
        if stage.id == target.stage:
            return stage
    raise EditError(f"There is no stage “{target.stage}” there.")


def struct_at(kit: Kit, target: Target) -> msgspec.Struct:
    """What holds the parameter. Raises EditError where it is gone."""
    match target.of:
        case "kit":
            return kit
        case "master":
            return kit.master
        case "bus":
            return bus_of(kit, target.bus)
        case "pad":
            return pad_of(kit, target.pad)
        case "sound":
            return pad_of(kit, target.pad).sound
        case "stage":
            return _stage_at(kit, target)
        case "process":
            return _stage_at(kit, target).process
        case _:
            layer = layer_of(kit, target.pad, target.layer)
            part: msgspec.Struct = layer if target.of == "layer" else getattr(layer, target.of)
            return part


def parameter_at(kit: Kit, target: Target) -> Parameter:
    """What is known of it. Raises EditError where it is gone, or is no number."""
    struct = struct_at(kit, target)
    if isinstance(struct, Pad) and target.field == ALTERNATE:
        return _alternate_parameter(struct)
    try:
        known = parameter(type(struct), target.field)
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


def is_there(kit: Kit, target: Target) -> bool:
    """Whether the parameter can be moved now; its pad, layer or stage may be gone."""
    try:
        parameter_at(kit, target)
    except EditError:
        return False
    return True


def value_at(kit: Kit, target: Target) -> float:
    """What it is set to now."""
    struct = struct_at(kit, target)
    if isinstance(struct, Pad) and target.field == ALTERNATE:
        return struct.alternate + 1.0
    return float(getattr(struct, target.field))


def with_value(kit: Kit, target: Target, value: float) -> Kit:
    """The kit with the parameter set. Raises EditError where it is gone."""
    values: dict[str, Any] = {target.field: value}
    match target.of:
        case "kit":
            return set_kit(kit, **values)
        case "master":
            return set_master(kit, **values)
        case "bus":
            return set_bus(kit, target.bus, **values)
        case "pad":
            if target.field == ALTERNATE:
                return _choose(kit, target.pad, value)
            return set_pad(kit, target.pad, **values)
        case "sound":
            return set_sound(kit, target.pad, **values)
        case "layer":
            return set_layer(kit, target.pad, target.layer, **values)
        case "source":
            return set_source(kit, target.pad, target.layer, **values)
        case "envelope":
            return set_envelope(kit, target.pad, target.layer, **values)
        case "band":
            return set_band(kit, target.pad, target.layer, **values)
        case "stage":
            return rows.set_stage(kit, row_of(target), target.stage, **values)
        case "process":
            return rows.set_process(kit, row_of(target), target.stage, **values)


def _choose(kit: Kit, pad_id: str, value: float) -> Kit:
    pad = pad_of(kit, pad_id)
    if not pad.alternates:
        return kit
    return choose_alternate(kit, pad_id, min(len(pad.alternates), max(1, round(value))) - 1)


def told(kit: Kit, target: Target) -> str:
    """Where a target lies, in words: "Keel, thud: decay"."""
    known = parameter_at(kit, target)
    words = []
    if target.pad:
        words.append(pad_of(kit, target.pad).name)
    if target.layer:
        words.append(layer_of(kit, target.pad, target.layer).name)
    if target.bus:
        words.append(bus_of(kit, target.bus).name)
    if target.of == "master":
        words.append("Master")
    if target.stage:
        words.append(_stage_at(kit, target).process.noun)
    what = f"{known.part} {known.label}".strip().lower()
    return f"{', '.join(words)}: {what}" if words else what
