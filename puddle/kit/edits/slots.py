"""Slices played otherwise: moved, repeated, silenced, shuffled, turned around, replaced.

A pattern of slices has places, where its hits fall one after the other; what is changed is which
hits fall on which place. The places stay where they are in time, and velocities with their hits.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from puddle.errors import EditError
from puddle.kit.edits.layers import with_layers
from puddle.kit.edits.pads import pad_of
from puddle.kit.model.document import Hit, Kit, Lane, Pattern, Sample
from puddle.kit.playing.schedule import pattern_beats

replace = msgspec.structs.replace
_SAME = 1e-6  # beats: what falls so close together is on one place


class Slot(msgspec.Struct, frozen=True):
    """A place of a pattern: from a beat on until the next one, with what falls on it."""

    beat: float
    beats: float
    hits: tuple[tuple[str, Hit], ...]  # pads and their hits


def is_sliced(pattern: Pattern) -> bool:
    """Whether a pattern is one of slices: at exact times, on every pad one after the other."""
    return bool(pattern.lanes) and all(lane.exact for lane in pattern.lanes)


def slots_of(pattern: Pattern) -> list[Slot]:
    """The places in time. Raises EditError where the pattern is none of slices."""
    if not is_sliced(pattern):
        raise EditError("Only hits at exact times have places: send a recording in order first.")
    found = sorted(
        ((hit.at, lane.pad, hit) for lane in pattern.lanes for hit in lane.hits),
        key=lambda one: (one[0], one[1]),
    )
    beats: list[float] = []
    for at, _, _ in found:
        if not beats or at - beats[-1] > _SAME:
            beats.append(at)
    ends = [*beats[1:], max(pattern_beats(pattern), (beats[-1] if beats else 0.0) + _SAME)]
    return [
        Slot(beat, end - beat, tuple((p, h) for at, p, h in found if beat <= at <= beat + _SAME))
        for beat, end in zip(beats, ends, strict=True)
    ]


Filled = Sequence[tuple[tuple[str, Hit], ...]]


def _filled(pattern: Pattern, slots: Sequence[Slot], contents: Filled) -> Pattern:
    """The pattern with other hits on its places. Lanes stay, also those without hits."""
    by_pad: dict[str, list[Hit]] = {lane.pad: [] for lane in pattern.lanes}
    for slot, content in zip(slots, contents, strict=True):
        for pad, hit in content:
            by_pad.setdefault(pad, []).append(replace(hit, at=slot.beat))
    known = {lane.pad: lane for lane in pattern.lanes}
    lanes = tuple(
        replace(known.get(pad) or Lane(pad=pad, exact=True), hits=tuple(hits))
        for pad, hits in by_pad.items()
    )
    return replace(pattern, lanes=lanes)


def _changed(
    pattern: Pattern, change: Callable[[list[tuple[tuple[str, Hit], ...]]], Filled]
) -> Pattern:
    slots = slots_of(pattern)
    return _filled(pattern, slots, change([slot.hits for slot in slots]))


def moved(pattern: Pattern, place: int, to: int) -> Pattern:
    """What falls on a place on another one; those between move up."""

    def change(contents: list[tuple[tuple[str, Hit], ...]]) -> Filled:
        contents.insert(to, contents.pop(place))
        return contents

    return _changed(pattern, change)


def repeated(pattern: Pattern, place: int) -> Pattern:
    """What falls on a place on the next one too, instead of what falls there."""

    def change(contents: list[tuple[tuple[str, Hit], ...]]) -> Filled:
        if place + 1 < len(contents):
            contents[place + 1] = contents[place]
        return contents

    return _changed(pattern, change)


def replaced(pattern: Pattern, place: int, pad_id: str) -> Pattern:
    """Another pad's sound on a place, as hard as what falls there."""

    def change(contents: list[tuple[tuple[str, Hit], ...]]) -> Filled:
        hit = contents[place][0][1] if contents[place] else Hit(at=0.0)
        contents[place] = ((pad_id, hit),)
        return contents

    return _changed(pattern, change)


def shuffled(pattern: Pattern, seed: int) -> Pattern:
    """What falls on the places in another order: that of a seed."""

    def change(contents: list[tuple[tuple[str, Hit], ...]]) -> Filled:
        order = np.random.Generator(np.random.PCG64(seed)).permutation(len(contents))
        return [contents[n] for n in order]

    return _changed(pattern, change)


def turned_around(pattern: Pattern) -> Pattern:
    """The last first."""
    return _changed(pattern, lambda contents: contents[::-1])


def silenced(pattern: Pattern, place: int) -> Pattern:
    """Nothing on a place, which goes over to the one before; undo brings it back."""
    slots = slots_of(pattern)
    gone = {(pad, hit.at) for pad, hit in slots[place].hits}
    lanes = tuple(
        replace(lane, hits=tuple(h for h in lane.hits if (lane.pad, h.at) not in gone))
        for lane in pattern.lanes
    )
    return replace(pattern, lanes=lanes)


def reversed_slice(kit: Kit, pad_id: str) -> Kit:
    """A slice played backwards, or forwards again: wherever it falls."""
    pad = pad_of(kit, pad_id)
    layers = []
    for layer in pad.sound.layers:
        source = layer.source
        if isinstance(source, Sample):
            layer = replace(layer, source=replace(source, reverse=not source.reverse))
        layers.append(layer)
    if tuple(layers) == pad.sound.layers:
        raise EditError(f"{pad.name} plays no recording: only such a slice can be reversed.")
    return with_layers(kit, pad_id, tuple(layers))
