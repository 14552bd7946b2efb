"""Regions of an SFZ instrument in the words of the model."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from puddle.formats.sfz import Instrument, Opcodes
from puddle.units import parsed_note

# Understood, or saying nothing that a kit does not do anyway.
_WORDS = """
sample lokey hikey key lovel hivel pitch_keycenter pitch_keytrack transpose tune volume pan
amp_veltrack seq_length seq_position lorand hirand group off_by off_mode off_time polyphony
note_polyphony loop_mode loopmode loop_start loop_end loopstart loopend offset end delay
direction ampeg_attack ampeg_decay ampeg_sustain ampeg_release xfin_lovel xfin_hivel
xfout_lovel xfout_hivel xf_velcurve amplitude phase trigger note_offset octave_offset
default_path region_label group_label global_label master_label group_volume
"""
_READ = frozenset(_WORDS.split())
_MOST_OFFSET = 1 << 31


class Region(msgspec.Struct, eq=False):
    """One region: its sample, when it plays, and how."""

    sample: str
    keys: tuple[int, int]
    velocities: tuple[int, int]
    opcodes: Opcodes
    volume_db: float = 0.0
    pan: float = 0.0
    tune_st: int = 0
    tune_ct: float = 0.0
    turn: int = 0
    by_chance: bool = False
    blend_in: int = 0
    blend_out: int = 0
    offset: int = 0
    end: int | None = None
    loop: tuple[int, int] | None = None
    sustains: bool = False
    backward: bool = False
    flip: bool = False
    delay_ms: float = 0.0
    # How its pad plays, by fields of the model.
    plays: dict[str, Any] = msgspec.field(default_factory=dict)


def regions_of(instrument: Instrument) -> tuple[list[Region], list[str]]:
    """The regions that sound on a strike, and the opcodes that were not understood."""
    found: list[Region] = []
    untold: list[str] = []
    for opcodes in instrument.regions:
        untold += [name for name in opcodes if not _is_read(name)]
        region = _region(opcodes)
        if isinstance(region, str):
            untold.append(region)
        else:
            found.append(region)
    _tell_turns(found)
    return found, untold


def _is_read(name: str) -> bool:
    return name in _READ or name.startswith("amp_velcurve_")


def _region(opcodes: Opcodes) -> Region | str:
    """A region; or the word for why it is none that a kit can have."""
    sample = opcodes.get("sample", "")
    if not sample or sample.startswith("*"):
        return f"sample={sample or 'none'}"
    trigger = opcodes.get("trigger", "attack")
    if trigger not in ("attack", "first"):
        return f"trigger={trigger}"
    keys = _keys(opcodes)
    low, high = _whole(opcodes, "lovel", 1, 0, 127), _whole(opcodes, "hivel", 127, 0, 127)
    if keys is None or high < max(1, low):
        return "regions without keys or velocities"
    low = max(1, low)
    region = Region(sample, keys, (low, high), opcodes)
    amplitude = _number(opcodes, "amplitude", 100.0, 0.0, 400.0)
    region.volume_db = _number(opcodes, "volume", 0.0, -144.0, 24.0)
    region.volume_db += _number(opcodes, "group_volume", 0.0, -144.0, 24.0)
    if amplitude != 100.0:
        region.volume_db += 20.0 * math.log10(max(1e-4, amplitude / 100.0))
    region.pan = _number(opcodes, "pan", 0.0, -100.0, 100.0)
    region.flip = opcodes.get("phase") == "invert"
    _pitch(region)
    _crossfades(region)
    _span(region)
    region.delay_ms = min(500.0, 1000.0 * _number(opcodes, "delay", 0.0, 0.0, 100.0))
    _playing(region)
    return region


def _keys(opcodes: Mapping[str, str]) -> tuple[int, int] | None:
    moved = _whole(opcodes, "note_offset", 0, -127, 127)
    moved += 12 * _whole(opcodes, "octave_offset", 0, -10, 10)
    key = _note(opcodes.get("key"))
    low = _note(opcodes.get("lokey"), key if key is not None else 0)
    high = _note(opcodes.get("hikey"), key if key is not None else 127)
    if low is None or high is None or low < 0 or high < low:
        return None  # -1 says that no key plays it
    low, high = low + moved, high + moved
    return (max(0, low), min(127, high)) if low <= 127 and high >= 0 else None


def _note(text: str | None, without: int | None = None) -> int | None:
    """A key by its number or name, C4 being 60."""
    if text is None:
        return without
    try:
        return int(text)
    except ValueError:
        note = parsed_note(text.strip().capitalize())
        return round(note) if note is not None else without


def _number(
    opcodes: Mapping[str, str], name: str, without: float, low: float, high: float
) -> float:
    try:
        value = float(opcodes.get(name, without))
    except ValueError:
        return without
    return min(high, max(low, value)) if math.isfinite(value) else without


def _whole(opcodes: Mapping[str, str], name: str, without: int, low: int, high: int) -> int:
    return round(_number(opcodes, name, without, low, high))


def _pitch(region: Region) -> None:
    """Tuning, and whether keys move the pitch; where keys do, a transposition moves the root."""
    opcodes = region.opcodes
    tune = _whole(opcodes, "transpose", 0, -48, 48)
    cents = _number(opcodes, "tune", 0.0, -2400.0, 2400.0)
    track = _number(opcodes, "pitch_keytrack", 100.0, -1200.0, 1200.0)
    key = _note(opcodes.get("key"))
    center = _note(opcodes.get("pitch_keycenter"), key if key is not None else 60) or 0
    low, high = region.keys
    if track == 0.0 or low == high:
        tune_ct = 100.0 * tune + cents + (track * (low - center) if low == high else 0.0)
        region.tune_st = round(tune_ct / 100.0)
        region.tune_ct = round(tune_ct - 100.0 * region.tune_st, 3)
        return
    if track == 100.0:
        center, tune = center - tune, 0
    region.plays |= {"tracking": min(200.0, max(0.0, track)), "root": min(127, max(0, center))}
    region.tune_st, region.tune_ct = tune, cents


def _crossfades(region: Region) -> None:
    """Blended edges: a fade from nothing to all between two velocities."""
    opcodes = region.opcodes
    low, high = region.velocities
    if "xfin_hivel" in opcodes or "xfin_lovel" in opcodes:
        a, b = _whole(opcodes, "xfin_lovel", 0, 0, 127), _whole(opcodes, "xfin_hivel", 0, 0, 127)
        if b > a:
            low, region.blend_in = max(1, round((a + b) / 2.0 + 0.5)), min(63, b - a)
    if "xfout_hivel" in opcodes or "xfout_lovel" in opcodes:
        a = _whole(opcodes, "xfout_lovel", 127, 0, 127)
        b = _whole(opcodes, "xfout_hivel", 127, 0, 127)
        if b > a:
            high, region.blend_out = min(127, round((a + b) / 2.0 - 0.5)), min(63, b - a)
    region.velocities = (low, max(low, high))


def _span(region: Region) -> None:
    """Which frames are played, and which of them go round."""
    opcodes = region.opcodes
    region.offset = _whole(opcodes, "offset", 0, 0, _MOST_OFFSET)
    end = _whole(opcodes, "end", -1, -1, _MOST_OFFSET)
    region.end = end + 1 if end > 0 else None
    region.backward = opcodes.get("direction") == "reverse"
    mode = opcodes.get("loop_mode", opcodes.get("loopmode", ""))
    start = opcodes.get("loop_start", opcodes.get("loopstart"))
    last = opcodes.get("loop_end", opcodes.get("loopend"))
    region.sustains = mode in ("loop_sustain", "loop_continuous")
    if region.sustains and start is not None and last is not None:
        first = _whole({"at": start}, "at", 0, 0, _MOST_OFFSET)
        end = _whole({"at": last}, "at", 0, 0, _MOST_OFFSET)
        if end > first:
            region.loop = (first, end)


def _playing(region: Region) -> None:
    """Chokes, voices, and whether it plays whole or while it is held."""
    opcodes = region.opcodes
    strikes = _whole(opcodes, "group", 0, 0, 1 << 30)
    silenced = _whole(opcodes, "off_by", 0, 0, 1 << 30)
    region.plays |= {"choke_group": silenced, "chokes": strikes if strikes != silenced else 0}
    mode = opcodes.get("loop_mode", opcodes.get("loopmode", "no_loop"))
    gated = mode != "one_shot" and ("loop_mode" in opcodes or "loopmode" in opcodes)
    gated = gated or any(name.startswith("ampeg_") for name in opcodes)
    if gated and mode != "one_shot":
        region.plays |= {
            "trigger": "gate",
            "attack_ms": 1000.0 * _number(opcodes, "ampeg_attack", 0.0, 0.0, 2.0),
            "decay_ms": max(1.0, 1000.0 * _number(opcodes, "ampeg_decay", 0.4, 0.001, 10.0)),
            "sustain": _number(opcodes, "ampeg_sustain", 100.0, 0.0, 100.0),
            "release_ms": max(1.0, 1000.0 * _number(opcodes, "ampeg_release", 0.001, 0.001, 5.0)),
        }
    limit = _whole(opcodes, "polyphony", 0, 0, 1 << 20)
    limit = limit or _whole(opcodes, "note_polyphony", 0, 0, 1 << 20)
    region.plays["limit"] = limit if limit <= 32 else 0


def _tell_turns(regions: Sequence[Region]) -> None:
    """Places in a round robin, by sequence or by ranges of chance; groups to few numbers."""
    chances: dict[tuple[tuple[int, int], tuple[int, int]], list[float]] = {}
    for region in regions:
        if "lorand" in region.opcodes or "hirand" in region.opcodes:
            low = _number(region.opcodes, "lorand", 0.0, 0.0, 1.0)
            chances.setdefault((region.keys, region.velocities), []).append(low)
    for region in regions:
        length = _whole(region.opcodes, "seq_length", 1, 1, 100)
        if length > 1:
            region.turn = min(16, _whole(region.opcodes, "seq_position", 1, 1, 100))
        elif (region.keys, region.velocities) in chances:
            lows = sorted(set(chances[region.keys, region.velocities]))
            low = _number(region.opcodes, "lorand", 0.0, 0.0, 1.0)
            if len(lows) > 1 and low in lows:
                region.turn, region.by_chance = min(16, lows.index(low) + 1), True
    used = sorted({n for r in regions for n in (r.plays["choke_group"], r.plays["chokes"]) if n})
    if used and used[-1] > 32:
        numbers = {n: min(32, place + 1) for place, n in enumerate(used)}
        for region in regions:
            for name in ("choke_group", "chokes"):
                region.plays[name] = numbers.get(region.plays[name], 0)
