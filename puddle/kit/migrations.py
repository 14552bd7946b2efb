"""Older kits brought up to the version of today, one step at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

Raw = dict[str, Any]


def migrated(raw: Any, version: int) -> Any:
    """A decoded kit of an older version as one of today's; what is no kit is left as it is."""
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
    follow keys, share voices and answer to strength, alternates, links and kit gauges. 5 to 6
    likewise: recordings' own levels.
    """


def _stages(kit: Raw) -> Iterator[Raw]:
    """Every stage of a kit of version 1."""
    holders = [*_dicts(kit.get("buses")), *_dicts([kit.get("master")])]
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
    _as_it_is,
)
