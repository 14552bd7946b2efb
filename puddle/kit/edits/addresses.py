"""Every number of a kit that can be moved, by its address."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import msgspec

from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Kit, Layer, Pad, Stage, Target
from puddle.parameter import Parameter, parameters
from puddle.stages import Branch

_NUMBERS = ("number", "whole")


@dataclass(frozen=True, slots=True)
class Address:
    """A number in a kit: what holds it, what is known of it, and where that lies, in words."""

    struct: msgspec.Struct
    known: Parameter
    lies: str  # "Keel, Hull sine"
    place: dict[str, Any]  # of a Target, without its field

    def target(self) -> Target:
        """What kit gauges name it by, over its whole range."""
        return Target(
            field=self.known.field, low=self.known.low, high=self.known.high, **self.place
        )

    def text(self) -> str:
        """Its value with its unit."""
        return self.known.text(getattr(self.struct, self.known.field))


def every_address(kit: Kit) -> Iterator[Address]:
    """The kit's own numbers, then each pad's, each bus's and the master's, in their order."""
    yield from _of_struct(kit, kit.name, of="kit")
    for pad in kit.pads:
        yield from _of_pad(pad)
    for bus in kit.buses:
        yield from _of_struct(bus, bus.name, of="bus", bus=bus.id)
        yield from _of_stages(bus.stages, bus.name, RowPath(bus=bus.id))
    yield from _of_struct(kit.master, "Master", of="master")
    yield from _of_stages(kit.master.stages, "Master", RowPath())


def _of_pad(pad: Pad) -> Iterator[Address]:
    yield from _of_struct(pad, pad.name, of="pad", pad=pad.id)
    yield from _of_struct(pad.sound, pad.name, of="sound", pad=pad.id)
    for layer in pad.sound.layers:
        yield from _of_layer(pad, layer)
    yield from _of_stages(pad.sound.stages, pad.name, RowPath(pad=pad.id))
    yield from _of_stages(pad.stages, f"{pad.name} live", RowPath(pad=pad.id, live=True))


def _of_layer(pad: Pad, layer: Layer) -> Iterator[Address]:
    lies, place = f"{pad.name}, {layer.name}", {"pad": pad.id, "layer": layer.id}
    yield from _of_struct(layer.source, lies, of="source", **place)
    yield from _of_struct(layer, lies, of="layer", **place)
    yield from _of_struct(layer.envelope, lies, of="envelope", **place)
    yield from _of_struct(layer.band, lies, of="band", **place)
    yield from _of_stages(layer.stages, lies, RowPath(pad=pad.id, layer=layer.id))


def _of_stages(stages: tuple[Stage, ...], lies: str, row: RowPath) -> Iterator[Address]:
    for stage in stages:
        place = {
            "pad": row.pad or "",
            "layer": row.layer or "",
            "bus": row.bus or "",
            "live": row.live,
            "branches": row.branches,
            "stage": stage.id,
        }
        here = f"{lies}, {stage.process.noun}"
        yield from _of_struct(stage, here, of="stage", **place)
        yield from _of_struct(stage.process, here, of="process", **place)
        if isinstance(stage.process, Branch):
            inner = replace(row, branches=(*row.branches, stage.id))
            yield from _of_stages(stage.process.stages, here, inner)


def _of_struct(struct: msgspec.Struct, lies: str, **place: Any) -> Iterator[Address]:
    for known in parameters(type(struct)):
        if known.kind in _NUMBERS:
            yield Address(struct, known, lies, place)
