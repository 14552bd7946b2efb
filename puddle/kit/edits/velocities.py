"""Layers split across strengths: evenly, or in proportion to how far apart in loudness they lie."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import msgspec

from puddle.kit.edits.layers import layer_of, with_layers
from puddle.kit.edits.pads import pad_of, with_pad
from puddle.kit.model.document import Kit, Layer, Sound
from puddle.kit.playing.levels import falls

Range = tuple[int, int]
HARDEST = 127
MOST_FALL_DB = 40.0
_LEAST_DB = 0.5  # two that are equally loud still have strengths of their own
replace = msgspec.structs.replace


def evenly(count: int) -> list[Range]:
    """So many ranges of one size, from soft to hard."""
    return _ranges([1.0] * count)


def by_loudness(levels: Sequence[float]) -> list[Range]:
    """A range for each level, in dB and rising: half way to its neighbors, as loudness goes."""
    if len(levels) < 2:
        return evenly(len(levels))
    steps = [max(_LEAST_DB, b - a) for a, b in itertools.pairwise(levels)]
    shares = [(a + b) / 2.0 for a, b in itertools.pairwise(steps)]
    return _ranges([steps[0], *shares, steps[-1]])


def _ranges(shares: Sequence[float]) -> list[Range]:
    """1 to 127 in parts of these shares, none of them empty."""
    total, done = sum(shares), 0.0
    edges = [1]
    for n, share in enumerate(shares):
        done += share
        left = len(shares) - 1 - n
        edge = 1 + round(HARDEST * done / total) if left else HARDEST + 1
        edges.append(min(max(edge, edges[-1] + 1), HARDEST + 1 - left))
    return [(a, b - 1) for a, b in itertools.pairwise(edges)]


def rungs(sound: Sound) -> list[list[Layer]]:
    """Layers by their ranges, from soft to hard; those of one range are turns, or together."""
    found: dict[Range, list[Layer]] = {}
    for layer in sound.layers:
        found.setdefault((layer.softest, layer.hardest), []).append(layer)
    return [found[key] for key in sorted(found)]


def with_ranges(
    kit: Kit, pad_id: str, groups: Sequence[Sequence[str]], ranges: Sequence[Range], blend: int = 0
) -> Kit:
    """The kit with layers, in groups from soft to hard, split across ranges."""
    placed = {key: found for group, found in zip(groups, ranges, strict=True) for key in group}
    layers = []
    for layer in pad_of(kit, pad_id).sound.layers:
        if layer.id in placed:
            low, high = placed[layer.id]
            layer = replace(layer, softest=low, hardest=high, blend_in=blend, blend_out=blend)
        layers.append(layer)
    return with_layers(kit, pad_id, tuple(layers))


def move_edge(kit: Kit, pad_id: str, edge: int, to: int) -> Kit:
    """The edge under a strength moved: what ended under it, and what began there, follow."""
    layers = pad_of(kit, pad_id).sound.layers
    lowest = max((k.softest for k in layers if k.hardest == edge - 1), default=1) + 1
    highest = min((k.hardest for k in layers if k.softest == edge), default=HARDEST)
    to = min(max(to, lowest), highest)
    made = tuple(
        replace(k, hardest=to - 1)
        if k.hardest == edge - 1
        else replace(k, softest=to)
        if k.softest == edge
        else k
        for k in layers
    )
    return with_layers(kit, pad_id, made)


def set_blend(kit: Kit, pad_id: str, blend: int) -> Kit:
    """Every inner edge blended over so many strengths; 0 is hard."""
    pad = pad_of(kit, pad_id)
    made = tuple(
        replace(
            k,
            blend_in=blend if k.softest > 1 else 0,
            blend_out=blend if k.hardest < HARDEST else 0,
        )
        for k in pad.sound.layers
    )
    return with_pad(kit, pad, replace(pad, sound=replace(pad.sound, layers=made)))


def as_turns(kit: Kit, pad_id: str, layer_ids: Sequence[str]) -> Kit:
    """Layers as turns of one strength, in this order; their range is that of the first."""
    first = layer_of(kit, pad_id, layer_ids[0])
    turns = {key: n + 1 for n, key in enumerate(layer_ids)}
    made = tuple(
        replace(
            k,
            turn=turns[k.id],
            softest=first.softest,
            hardest=first.hardest,
            own_level=first.own_level,
            fall_db=first.fall_db,
        )
        if k.id in turns
        else k
        for k in pad_of(kit, pad_id).sound.layers
    )
    return with_layers(kit, pad_id, made)


def as_grid(
    kit: Kit,
    pad_id: str,
    groups: Sequence[Sequence[str]],
    levels: Sequence[float],
    *,
    even: bool = False,
) -> Kit:
    """Layers in groups from soft to hard, each group's own layers its turns.

    Levels in dB are those of the groups, rising: ranges are in proportion to how far apart they
    lie, or of one size. Recordings of several levels keep them.
    """
    ranges = evenly(len(groups)) if even else by_loudness(levels)
    kit = with_ranges(kit, pad_id, groups, ranges)
    falling = falls(levels)
    placed = {
        key: {
            "turn": n + 1 if len(group) > 1 else 0,
            "own_level": falling is not None,
            "fall_db": min(MOST_FALL_DB, falling[rung]) if falling is not None else 0.0,
        }
        for rung, group in enumerate(groups)
        for n, key in enumerate(group)
    }
    made = tuple(replace(k, **placed.get(k.id, {})) for k in pad_of(kit, pad_id).sound.layers)
    return with_layers(kit, pad_id, made)


def together(kit: Kit, pad_id: str, layer_ids: Sequence[str]) -> Kit:
    """Layers in every strike, whatever its strength and turn."""
    whole = with_ranges(kit, pad_id, [list(layer_ids)], [(1, HARDEST)])
    made = tuple(
        replace(k, turn=0, own_level=False, fall_db=0.0) if k.id in layer_ids else k
        for k in pad_of(whole, pad_id).sound.layers
    )
    return with_layers(whole, pad_id, made)


class Split(msgspec.Struct, frozen=True):
    """How a sound's layers were split across velocities, to be had again."""

    layers: tuple[Layer, ...]

    def fits(self, sound: Sound) -> bool:
        """Whether the sound has all of these layers."""
        return {k.id for k in self.layers} <= {k.id for k in sound.layers}


def split_of(sound: Sound) -> Split | None:
    """The sound's split; None where every layer answers to the same velocities."""
    return Split(sound.layers) if len(rungs(sound)) > 1 else None


def with_split(kit: Kit, pad_id: str, split: Split) -> Kit:
    """The kit with a pad's layers on the velocities, turns and levels that they had."""
    had = {k.id: k for k in split.layers}
    fields = ("softest", "hardest", "blend_in", "blend_out", "turn", "own_level", "fall_db")
    made = tuple(
        replace(k, **{field: getattr(had[k.id], field) for field in fields}) if k.id in had else k
        for k in pad_of(kit, pad_id).sound.layers
    )
    return with_layers(kit, pad_id, made)
