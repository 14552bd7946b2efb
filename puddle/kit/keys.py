"""Keys in the document: what stages listen to, when things are copied and taken out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TypeVar

import msgspec

from puddle.kit.document import Bus, Kit, Layer, Master, Pad, Sound, Stage
from puddle.stages import Branch, keys_of

H = TypeVar("H", Layer, Sound, Pad, Bus, Master)
replace = msgspec.structs.replace


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
