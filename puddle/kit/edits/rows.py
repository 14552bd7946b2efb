"""Rows of stages and their edits: on a layer, a sound, a pad, a bus, the master, in a branch.

As in `edits`, numbers are brought into range, and what the kit does not hold raises EditError.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.buses import bus_of
from puddle.kit.edits.items import fresh_id, moved, replaced
from puddle.kit.edits.layers import layer_of, with_layer
from puddle.kit.edits.pads import pad_of, with_pad
from puddle.kit.edits.side_chains import rekeyed
from puddle.kit.model.document import Kit, Master, Stage
from puddle.kit.model.limits import check_stages
from puddle.kit.playing.flow import is_before
from puddle.parameter import changed
from puddle.stages import AnyProcess, Branch

replace = msgspec.structs.replace


class RowPath(msgspec.Struct, frozen=True):
    """Where a row of stages stands: a layer, a whole sound, a pad, a bus, or the master (None)."""

    pad: str | None = None
    layer: str | None = None
    bus: str | None = None
    live: bool = False  # of a pad: not its sound's, but its own, which run live
    branches: tuple[str, ...] = ()  # the way into a branch's own row: ids of stages

    def place(self, stage_id: str) -> dict[str, Any]:
        """Where a stage of the row is, as the fields of an address have it."""
        return {
            "pad": self.pad or "",
            "layer": self.layer or "",
            "bus": self.bus or "",
            "live": self.live,
            "branches": self.branches,
            "stage": stage_id,
        }


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
    outer = msgspec.structs.replace(path, branches=path.branches[:-1])
    wanted = path.branches[-1]
    for stage in stages_at(kit, outer):
        if stage.id == wanted and isinstance(stage.process, Branch):
            return outer, stage.process
    raise EditError(f"There is no branch “{wanted}” there.")


def with_stages(kit: Kit, path: RowPath, stages: tuple[Stage, ...]) -> Kit:
    """The kit with the row of stages at a path replaced. Raises EditError."""
    check_stages(stages)
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
        return replace(kit, buses=replaced(kit.buses, bus, replace(bus, stages=stages)))
    master: Master = replace(kit.master, stages=stages)
    return replace(kit, master=master)


def _edit_stage(kit: Kit, path: RowPath, stage_id: str, edit: Callable[[Stage], Stage]) -> Kit:
    stages = stages_at(kit, path)
    for stage in stages:
        if stage.id == stage_id:
            return with_stages(kit, path, replaced(stages, stage, edit(stage)))
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


def keys_at(kit: Kit, path: RowPath) -> list[tuple[str, str]]:
    """What stages of a row can listen to besides what comes in, as (id, name).

    In a sound its other layers; on pads, buses and the master the other pads; on buses and the
    master the buses that it neither flows into nor keys.
    """
    if path.pad is not None and not path.live:
        layers = pad_of(kit, path.pad).sound.layers
        return [(k.id, k.name) for k in layers if k.id != path.layer]
    in_order = sorted(kit.pads, key=lambda p: p.place)
    pads = [(pad.id, pad.name) for pad in in_order if pad.id != path.pad]
    if path.pad is not None:
        return pads
    # What a bus flows into, or is heard by, is run after it.
    return pads + [
        (bus.id, f"{bus.name} bus")
        for bus in kit.buses
        if path.bus is None or not is_before(kit, path.bus, bus.id)
    ]


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
