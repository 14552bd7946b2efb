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
    follow keys, share voices and answer to strength, alternates, links and kit gauges. 7 to 8
    likewise: recordings that hits are cut out of. 8 to 9 likewise: pads that follow a hat pedal,
    and the map of controllers that a kit likes. 9 to 10 likewise: who made it, and how it may be
    used. 10 to 11 likewise: curves of patterns. 11 to 12 likewise: sends that
    kit gauges and curves move.
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


_GRIDS = {
    1: "1/4", 2: "1/8", 3: "1/8 triplet", 4: "1/16", 6: "1/16 triplet", 8: "1/32",
    12: "1/32 triplet",
}  # fmt: skip


def _patterns_on_grids(kit: Raw) -> None:
    """6 to 7: a step has a note's length, not a share of a beat; a pad has one lane in a pattern.

    Where a beat had five steps, or another count that no note has, hits are at exact times, and
    the length is the nearest in sixteenths.
    """
    for pattern in _dicts(kit.get("patterns")):
        per_beat = pattern.pop("steps_per_beat", 4)
        if not _is_number(per_beat) or per_beat < 1:
            continue  # refused later, by what is missing
        odd = per_beat not in _GRIDS
        pattern["grid"] = _GRIDS.get(per_beat, "1/16")
        swing = pattern.get("swing", 50.0)
        if odd and _is_number(pattern.get("length")):
            pattern["length"] = max(1, round(pattern["length"] * 4 / per_beat))
        lanes: dict[Any, Raw] = {}
        for lane in _dicts(pattern.get("lanes")):
            for hit in _dicts(lane.get("hits")):
                _placed_hit(hit, per_beat if odd else 0, swing if _is_number(swing) else 50.0)
            lane |= {"exact": True} if odd else {}
            pad = lane.get("pad")
            first = lanes.setdefault(pad if isinstance(pad, str) else id(lane), lane)
            if first is not lane and isinstance(first.get("hits"), list):
                first["hits"] += _dicts(lane.get("hits"))
        if isinstance(pattern.get("lanes"), list):
            pattern["lanes"] = list(lanes.values())


def _placed_hit(hit: Raw, per_beat: float, swing: float) -> None:
    """A hit on its step; with `per_beat` at its beat."""
    if "step" in hit:
        hit["at"] = hit.pop("step")
    if "steps" in hit:
        hit["length"] = hit.pop("steps")
    at: Any = hit.get("at")
    if per_beat and _is_number(at):
        late = (swing - 50.0) / 50.0 if int(at) % 2 else 0.0
        hit["at"] = (at + late) / per_beat
    length: Any = hit.get("length")
    if _is_number(length):
        hit["length"] = min(64.0, max(0.05, length * (4.0 / per_beat if per_beat else 1.0)))


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
    _patterns_on_grids,
    _as_it_is,
    _as_it_is,
    _as_it_is,
    _as_it_is,
    _as_it_is,
)
