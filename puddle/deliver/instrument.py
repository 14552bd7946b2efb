"""An SFZ instrument: a region for each strength, turn and range of keys, its samples beside it.

Opcodes are those of SFZ 1; `polyphony` is of later versions, and can be left out. A pad's
strengths become velocity ranges, blended edges the takes that are blended; its level curve the
power law of `amp_veltrack` where it is one, else `amp_velcurve_N` for every velocity.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from functools import partial

import msgspec
import numpy as np

from puddle.deliver.ends import ended, over_full_db
from puddle.deliver.making import Making
from puddle.deliver.names import named
from puddle.deliver.one_shots import facts_of
from puddle.deliver.opcodes import KeyRange, curve_opcodes, key_ranges, number, pad_opcodes
from puddle.deliver.plan import Planned, turn_of
from puddle.deliver.sound_files import estimated_bytes, sound_file
from puddle.deliver.strikes import Strike, strikes_of, take_for, turns_at
from puddle.deliver.sustaining import sustained
from puddle.formats.sampler_chunks import SamplerFacts
from puddle.kit.edits.alternates import alternates_of
from puddle.kit.model.document import Pad
from puddle.kit.playing.levels import velocity_gain_db
from puddle.tasks import check_cancelled
from puddle.units import ascii_note_name, gain_from_db

FOLDER = "instrument/"
_SAMPLES = "samples/"
_HIGHEST_DB = 6.0  # of the opcode `volume`
_SOFTEST_DB = -90.0
_QUIETER_DB = 0.1  # under full scale, where a sample is brought down


class _Facts(msgspec.Struct, frozen=True):
    """What is known of a sample once it is made."""

    lowered_db: float
    loop: tuple[int, int] | None


class _Region(msgspec.Struct, frozen=True):
    pad: Pad
    strike: Strike
    turns: int
    keys: tuple[KeyRange, ...]
    path: str  # of the sample, from the instrument's folder


class Instrument:
    """The files of an instrument; the text comes last, when its samples are known."""

    def __init__(self, making: Making, folder: str = FOLDER) -> None:
        self._making, self._folder = making, folder
        self._facts: dict[str, _Facts] = {}
        self._lock = threading.Lock()
        self._regions: list[_Region] = []

    def files(self) -> Iterator[Planned]:
        """The samples, then the text."""
        making, options = self._making, self._making.options
        for pad in making.pads():
            check_cancelled()
            if not pad.notes:
                continue
            size = estimated_bytes(making.frames_about(pad), 2, options)
            for keys in key_ranges(pad):
                for strike in strikes_of(pad, turns=options.turns):
                    turns = len(turns_at(pad, strike.strength)) if options.turns else 1
                    path = self._path(pad, strike, keys)
                    self._regions.append(_Region(pad, strike, turns, (keys,), path))
                    work = partial(self._sample, pad, strike, keys, path)
                    whole, turn = f"{self._folder}{path}", turn_of(pad.place)
                    yield Planned(whole, "instrument", size, work, pad.dye, turn=turn)
        if not self._regions:
            return
        text = making.taken.free(f"{self._folder}{named('{kit}', {'kit': making.kit.name})}.sfz")
        about = 200 * len(self._regions)
        yield Planned(text, "instrument", about, lambda: self.text().encode(), last=True)

    def _path(self, pad: Pad, strike: Strike, keys: KeyRange) -> str:
        values = {
            "pad": pad.name,
            "key": ascii_note_name(keys.low) if keys.zone else "",
            "velocity": f"{strike.strength.high:03d}",
            "turn": str(strike.place + 1) if strike.place else "",
        }
        stem = named("{pad} {key} v{velocity} r{turn}", values)
        taken = self._making.taken
        path = taken.free(f"{self._folder}{_SAMPLES}{stem}{self._making.options.suffix}")
        return path.removeprefix(self._folder)

    def _sample(self, pad: Pad, strike: Strike, keys: KeyRange, path: str) -> bytes:
        making, options = self._making, self._making.options
        rate = making.takes.rate_hz
        if options.source == "dry":
            audio = take_for(pad, making.takes, strike, keys.zone)
        else:
            # At full strength's level again: the velocity turns it down as it does the others.
            velocity_db = max(_SOFTEST_DB, velocity_gain_db(pad, strike.strength.high))
            audio = making.heard().audio(pad, strike) * np.float32(gain_from_db(-velocity_db))
        loop = sustained(pad, audio, rate) if options.source == "dry" else None
        if loop is not None:
            audio = audio[: loop[1] + 1]
        else:
            audio = ended(audio, rate, options.tail_db, options.fade_ms)
        lowered = over_full_db(audio)
        lowered = lowered + _QUIETER_DB if lowered > 0.0 and options.bits != "32f" else 0.0
        if lowered:
            audio = (audio * np.float32(gain_from_db(-lowered))).astype(np.float32)
        with self._lock:
            self._facts[path] = _Facts(lowered, loop)
        facts = facts_of(making, pad)
        loops = (loop,) if loop is not None else ()
        facts = SamplerFacts(facts.note, facts.cents, loops)
        return sound_file(audio, rate, options, facts)

    # The text.

    def text(self) -> str:
        """The instrument, once its samples are made."""
        kit = self._making.kit
        shift = self._shift_db()
        lines = [f"// {_plain(kit.name)}"]
        lines += [f"// {_plain(line)}" for line in (kit.author, kit.license) if line.strip()]
        pads: dict[str, list[_Region]] = {}
        for region in self._regions:
            pads.setdefault(region.pad.id, []).append(region)
        for regions in pads.values():
            lines += ["", *self._group(regions, shift)]
        return "\n".join(lines) + "\n"

    def _shift_db(self) -> float:
        """By how much all is brought down, so that no `volume` is over its range."""
        highest = max((self._volume_db(region) for region in self._regions), default=0.0)
        return max(0.0, highest - _HIGHEST_DB)

    def _volume_db(self, region: _Region) -> float:
        level = region.pad.level_db if self._making.options.source == "dry" else 0.0
        return level + self._facts[region.path].lowered_db

    def _group(self, regions: list[_Region], shift_db: float) -> Iterator[str]:
        pad, options = regions[0].pad, self._making.options
        looped = any(self._facts[region.path].loop is not None for region in regions)
        held = pad_opcodes(pad, later=options.later_opcodes, looped=looped)
        if options.source == "dry" and pad.pan:
            held["pan"] = number(pad.pan)
        yield f"<group> // {_plain(pad.name)}"
        yield " ".join(f"{name}={value}" for name, value in held.items())
        yield from curve_opcodes({v: velocity_gain_db(pad, v) for v in range(1, 128)})
        for region in regions:
            yield from self._region(region, shift_db)

    def _region(self, region: _Region, shift_db: float) -> Iterator[str]:
        pad, strength = region.pad, region.strike.strength
        facts = self._facts[region.path]
        for keys in region.keys:
            said = {"lovel": str(strength.low), "hivel": str(strength.high)}
            said |= keys.opcodes(pad)
            said |= _turn_opcodes(region)
            volume = self._volume_db(region) - shift_db
            if abs(volume) > 1e-6:
                said["volume"] = number(volume)
            if facts.loop is not None:
                said |= {"loop_start": str(facts.loop[0]), "loop_end": str(facts.loop[1])}
            yield " ".join(["<region>", *(f"{k}={v}" for k, v in said.items())])
            yield f"sample={region.path}"


def _turn_opcodes(region: _Region) -> dict[str, str]:
    if region.turns < 2:
        return {}
    place, turns = region.strike.place, region.turns
    if region.pad.sound.round_robin == "by chance":
        low, high = place / turns, (place + 1) / turns
        return {"lorand": number(low), "hirand": number(high)}
    return {"seq_length": str(turns), "seq_position": str(place + 1)}


def _plain(text: str) -> str:
    """A text on one line, that begins no header."""
    return " ".join(text.split()).replace("<", "(").replace(">", ")").replace("=", ":")


def untold(making: Making) -> list[str]:
    """What the kit has and an SFZ instrument has not, in sentences."""
    found: list[str] = []

    def say(names: list[str], what: str) -> None:
        if names:
            several = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if names[4:] else "")
            found.append(f"{several}: {what}")

    pads = making.pads()
    options = making.options
    say([p.name for p in pads if not p.notes], "no key plays them, so they are left out.")
    say(
        [p.name for p in pads if len(alternates_of(p)) > 1],
        "only the alternate that plays now is in the instrument.",
    )
    if options.source == "dry":
        say([p.name for p in pads if p.stages or p.sends], "live stages and sends stay behind.")
    say([p.name for p in pads if p.glide != "off" and p.limit == 1], "does not glide.")
    say(
        [p.name for p in pads if p.sound.round_robin == "by chance"],
        "a turn may come twice in a row by chance.",
    )
    say([p.name for p in pads if p.pedal != "no"], "no pedal opens it.")
    if making.kit.gauges:
        found.append("Kit gauges stay where they are set.")
    return found
