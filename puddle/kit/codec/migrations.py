"""Older files brought up to the version of today, one step at a time.

One number counts for kits and templates, and for voices and stage sets in files of their own, which
hold the same voices and stages. Those of their own had version 1 until kits had 6; what the steps
do to a kit of version 1 finds nothing to do in them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from typing import Any

Raw = dict[str, Any]


def migrated(raw: Any, version: int) -> Any:
    """What was decoded of an older version as one of today's; what is no object is left."""
    if isinstance(raw, dict):
        for step in _STEPS[max(0, version - 1) :]:
            step(raw)
        raw["version"] = len(_STEPS) + 1
    return raw


def _dry_blend_to_the_stage(kit: Raw) -> None:
    """1 to 2: a compressor's dry blend is its stage's, as every stage has one."""
    for stage in _stages(kit):
        process = stage.get("process")
        if isinstance(process, dict) and "dry" in process:
            stage["dry"] = process.pop("dry")


def _as_it_is(kit: Raw) -> None:
    """2 to 3: what came anew has a default: keys of stages, live stages of pads.

    3 to 4 likewise: prints, snapshots, references, and the kit's key. 4 to 5 likewise: how pads
    follow keys, share voices and answer to strength, alternates, links and kit gauges.
    """


def _pan_without_boost(kit: Raw) -> None:
    """5 to 6: a pan lifts no side any more; what it lifted by is in the level now.

    The sides stood at sqrt(2) cos and sin of 45 degrees and on; the higher one is 1 now.
    """
    for node in _every_dict(kit):
        pan, level = node.get("pan", 0.0), node.get("level_db", 0.0)
        is_placed = "source" in node or "sound" in node  # a layer, a pad
        if is_placed and _is_number(pan) and _is_number(level) and pan != 0.0:
            angle = (1.0 + min(100.0, abs(pan)) / 100.0) * math.pi / 4.0
            lifted_db = 20.0 * math.log10(math.sqrt(2.0) * math.sin(angle))
            node["level_db"] = min(12.0, level + lifted_db)


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _every_dict(node: Any) -> Iterator[Raw]:
    """Every object in a kit: layers also lie in snapshots, alternates and recipes of prints."""
    waiting = [node]
    while waiting:
        node = waiting.pop()
        if isinstance(node, dict):
            yield node
            waiting += node.values()
        elif isinstance(node, list):
            waiting += node


def _stages(kit: Raw) -> Iterator[Raw]:
    """Every stage of a kit of version 1, or of a stage set."""
    holders = [kit, *_dicts(kit.get("buses")), *_dicts([kit.get("master")])]
    for pad in _dicts(kit.get("pads")):
        sound = pad.get("sound")
        if isinstance(sound, dict):
            holders += [sound, *_dicts(sound.get("layers"))]
    for holder in holders:
        yield from _dicts(holder.get("stages"))


def _dicts(found: Any) -> list[Raw]:
    """The objects in a list; what else a hostile file holds is refused later, by type."""
    return [entry for entry in found if isinstance(entry, dict)] if isinstance(found, list) else []


_STEPS: tuple[Callable[[Raw], None], ...] = (
    _dry_blend_to_the_stage,
    _as_it_is,
    _as_it_is,
    _as_it_is,
    _pan_without_boost,
)
