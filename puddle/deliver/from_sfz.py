"""A kit from an SFZ instrument: a pad for the keys of each sound, a layer for each region."""

from __future__ import annotations

import itertools
import os
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import msgspec

from puddle.deliver.levels_read import Curve, curve_of, read_gains
from puddle.deliver.opcodes_read import Region, regions_of
from puddle.errors import EditError, PuddleError
from puddle.files import shown
from puddle.formats.sfz import inside, read_sfz
from puddle.formats.store import SampleStore
from puddle.kit.edits.buses import add_content
from puddle.kit.edits.pads import add_pad, with_pad
from puddle.kit.model.document import MOST_PADS, Content, Kit, Layer, Pad, Sample, Sound
from puddle.kit.model.roles import DYES, ROLES, Role, named_role
from puddle.tasks import check_cancelled
from puddle.units import note_name

_EVEN_DB = 0.01  # a level curve that lies so near is the instrument's
_MOST_TOLD = 12
replace = msgspec.structs.replace


class Imported(msgspec.Struct, eq=False):
    """A kit, and what of the instrument is not in it, in sentences."""

    kit: Kit
    told: list[str] = msgspec.field(default_factory=list)


def kit_from_sfz(path: Path, store: SampleStore, root: Path | None = None) -> Imported:
    """Reads an instrument and takes its samples into a store. Raises FileError.

    Samples have to lie below the instrument's folder, or below `root`. What is missing or not
    understood is told; passes checkpoints.
    """
    read = read_sfz(path)
    regions, untold = regions_of(read)
    made = Imported(Kit(name=path.stem[:120] or "Instrument"))
    below = os.path.realpath(os.fsdecode(root if root is not None else path.parent))
    contents = _samples(regions, path, below, store, made)
    groups = _by_keys([r for r in regions if r.sample in contents])
    for keys, found in groups:
        check_cancelled()
        if len(made.kit.pads) >= MOST_PADS:
            made.told.append(f"A kit holds {MOST_PADS} pads: {len(groups) - MOST_PADS} are left.")
            break
        _add(made, keys, found, contents)
    headers = ", ".join(f"<{name}>" for name in sorted(read.headers))
    if headers:
        made.told.append(f"Not read: {headers}.")
    if untold:
        names = [f"{name} ({count})" for name, count in Counter(untold).most_common()]
        more = f" and {len(names) - _MOST_TOLD} more" if names[_MOST_TOLD:] else ""
        made.told.append(
            f"Opcodes that change nothing here: {', '.join(names[:_MOST_TOLD])}{more}."
        )
    if not made.kit.pads:
        raise EditError(f"{shown(path)}: no sample of it could be read. {' '.join(made.told[:2])}")
    return made


def _samples(
    regions: Sequence[Region], path: Path, root: str, store: SampleStore, made: Imported
) -> dict[str, Content]:
    """The samples that are there, by the names under which the instrument has them."""
    found: dict[str, Content] = {}
    missing: list[str] = []
    for name in dict.fromkeys(region.sample for region in regions):
        check_cancelled()
        place = inside(path.parent, name, root)
        try:
            if place is None:
                missing.append(f"{name} is not in the instrument's folder")
            elif not place.exists():
                missing.append(f"{name} is missing")
            else:
                found[name] = store.add_file(place)
        except (PuddleError, OSError) as error:
            missing.append(str(error).rstrip("."))
    made.told += [f"{one}." for one in missing[:_MOST_TOLD]]
    if missing[_MOST_TOLD:]:
        made.told.append(f"And {len(missing) - _MOST_TOLD} more samples were not read.")
    return found


Keys = tuple[int, int]


def _by_keys(regions: Sequence[Region]) -> list[tuple[Keys, list[Region]]]:
    """Regions that the same keys play are one sound; keys in rising order.

    Keys that play the very same regions, one by one, are one pad with several notes.
    """
    groups: dict[Keys, list[Region]] = {}
    for region in regions:
        groups.setdefault(region.keys, []).append(region)
    return sorted(groups.items())


def _add(made: Imported, keys: Keys, regions: list[Region], contents: dict[str, Content]) -> None:
    """A pad for some keys; for one that has the same sound already, more notes for that pad."""
    ranges = sorted({region.velocities for region in regions})
    curve = _curve(regions, ranges, _curves_of(regions))
    level = _shared([region.volume_db for region in regions])
    pan = _shared([region.pan for region in regions])
    values = {
        "level_db": _level(level),
        "pan": _within(pan, 100.0),
        "velocity_amount": curve.amount,
        "response": curve.response,
        **regions[0].plays,
    }
    falls = dict(zip(ranges, curve.falls_db, strict=False))
    layers = tuple(
        _layer(n, region, contents[region.sample], (level, pan), falls.get(region.velocities))
        for n, region in enumerate(regions)
    )
    chance = any(region.by_chance for region in regions)
    sound = Sound(layers=layers, round_robin="by chance" if chance else "in order")
    kit, notes = made.kit, tuple(range(keys[0], keys[1] + 1))
    for content in {
        contents[region.sample].hash: contents[region.sample] for region in regions
    }.values():
        if kit.content(content.hash) is None:
            kit = add_content(kit, content)
    same = _same_pad(kit, sound, values)
    if same is not None:
        made.kit = with_pad(kit, same, replace(same, notes=(*same.notes, *notes)))
        return
    name = _name(regions, keys, contents)
    kit, pad = add_pad(kit, name, _role(name, keys[0]), sound)
    made.kit = with_pad(kit, pad, _ranged(replace(pad, notes=notes, **values), curve))
    if curve.off_db > _EVEN_DB:
        made.told.append(f"{name}: its level curve is met within {curve.off_db:.1f} dB only.")


def _curves_of(regions: Sequence[Region]) -> list[dict[int, float]]:
    """The level curve of each region; most have the same."""
    known: dict[tuple[tuple[str, str], ...], dict[int, float]] = {}
    found = []
    for region in regions:
        own = tuple(pair for pair in region.opcodes.items() if pair[0].startswith("amp_vel"))
        if own not in known:
            known[own] = read_gains(region.opcodes)
        found.append(known[own])
    return found


def _curve(
    regions: Sequence[Region], ranges: Sequence[tuple[int, int]], gains: list[dict[int, float]]
) -> Curve:
    """One curve for all regions.

    Regions with curves of their own are joined: each velocity goes by the region that plays it.
    """
    if all(one is gains[0] for one in gains[1:]):
        return curve_of(gains[0], ranges)
    joined: dict[int, float] = {}
    for velocity in range(1, 128):
        found = [
            gain[velocity]
            for region, gain in zip(regions, gains, strict=True)
            if region.velocities[0] <= velocity <= region.velocities[1]
        ]
        joined[velocity] = found[0] if found else gains[-1][velocity]
    return curve_of(joined, ranges)


def _layer(
    n: int, region: Region, content: Content, shared: tuple[float, float], fall_db: float | None
) -> Layer:
    """A region as a layer: its level and pan beside what all have in common."""
    level, pan = shared
    low, high = region.velocities
    return Layer(
        id=f"layer{n + 1}",
        name=Path(content.name).stem[:120] or "Sample",
        source=_source(region, content),
        dye=DYES[n % len(DYES)],
        softest=low,
        hardest=high,
        blend_in=region.blend_in,
        blend_out=region.blend_out,
        turn=region.turn,
        level_db=_level(region.volume_db - level),
        pan=_within(region.pan - pan, 100.0),
        flip=region.flip,
        tune_st=float(region.tune_st),
        tune_ct=region.tune_ct,
        offset_ms=region.delay_ms,
        own_level=fall_db is not None,
        fall_db=fall_db or 0.0,
    )


def _ranged(pad: Pad, curve: Curve) -> Pad:
    """Layers on the velocities that the response makes of theirs."""
    if not curve.response:
        return pad
    from puddle.kit.playing.response import strength_of

    def moved(layer: Layer) -> Layer:
        low = strength_of(curve.response, float(layer.softest))
        high = strength_of(curve.response, float(layer.hardest))
        after = strength_of(curve.response, float(min(127, layer.hardest + 1)))
        hardest = 127 if layer.hardest == 127 else max(int(high), int(-(-after // 1)) - 1)
        softest = 1 if layer.softest == 1 else int(-(-low // 1))
        return replace(layer, softest=softest, hardest=max(softest, hardest))

    layers = tuple(moved(layer) for layer in pad.sound.layers)
    return replace(pad, sound=replace(pad.sound, layers=layers))


def _same_pad(kit: Kit, sound: Sound, values: dict[str, Any]) -> Pad | None:
    """A pad that plays the same in the same way, where keys do not move the pitch."""
    if values.get("tracking", 0.0) != 0.0:
        return None
    for pad in kit.pads:
        if pad.sound == sound and all(getattr(pad, name) == own for name, own in values.items()):
            return pad
    return None


def _source(region: Region, content: Content) -> Sample:
    """The part of a sample that a region plays."""
    per_ms = content.rate_hz / 1000.0
    end = content.length_ms if region.end is None else min(content.length_ms, region.end / per_ms)
    start = min(region.offset / per_ms, max(0.0, end - 1.0))
    sample = Sample(
        content=content.hash, start_ms=start, end_ms=end, fade_out_ms=0.0, reverse=region.backward
    )
    if region.loop is None:
        return sample
    first, last = region.loop
    lasts = 30000.0 if region.sustains else 4000.0
    return replace(
        sample,
        loop=True,
        loop_start_ms=max(0.0, first / per_ms - start),
        loop_end_ms=max(1.0, (last + 1) / per_ms - start),
        loop_fade_ms=0.0,
        loop_for_ms=lasts,
    )


def _name(regions: Sequence[Region], keys: Keys, contents: dict[str, Content]) -> str:
    """What its samples' names share, without what tells their strengths; else its key."""
    stems = [Path(contents[region.sample].name).stem for region in regions]
    columns = itertools.takewhile(
        lambda words: len(set(words)) == 1,
        zip(*(stem.replace("_", " ").split() for stem in stems), strict=False),
    )
    words = [words[0] for words in columns]
    while words and _tells_strength(words[-1]):
        words.pop()
    return " ".join(words)[:120] or note_name(keys[0])


def _tells_strength(word: str) -> bool:
    return len(word) > 1 and word[0] in "vr" and word[1:].isdigit()


def _role(name: str, note: int) -> Role:
    named = named_role(name)
    if named is not None:
        return named
    return next((role for role, facts in ROLES.items() if note in facts.notes), "percussion")


def _shared(values: Sequence[float]) -> float:
    """What all have in common; 0 where they differ."""
    return values[0] if len(set(values)) == 1 else 0.0


def _level(db: float) -> float:
    return min(12.0, max(-60.0, db))


def _within(value: float, most: float) -> float:
    return min(most, max(-most, value))
