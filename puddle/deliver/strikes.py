"""The strikes of a pad that differ, and what each sounds like on its way through the mix."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np

from puddle.deliver.options import Source
from puddle.engine.engine import Engine
from puddle.kit.edits.alternates import alternates_of
from puddle.kit.model.document import Kit, Master, Pad, Sound
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.key_tracking import pad_tune_st, shift_of, zone_at, zones_of
from puddle.kit.playing.levels import velocity_gain_db
from puddle.kit.playing.response import strength_of
from puddle.kit.playing.velocity import lows_of, step_of, struck, turns_by_place, turns_of
from puddle.render.take import Takes
from puddle.render.takeset import TakeSet, take_of
from puddle.tasks import check_cancelled
from puddle.units import gain_from_db

_CHUNK = 4800
_LONGEST_S = 30.0
_SILENT = 10.0 ** (-100.0 / 20.0)
_HARDEST = 127
replace = msgspec.structs.replace


class Strength(msgspec.Struct, frozen=True):
    """Velocities that play one take."""

    step: int
    low: int
    high: int


class Strike(msgspec.Struct, frozen=True):
    """A strike that differs from all others of its pad."""

    strength: Strength
    turn: int  # of the takes
    place: int  # among the turns that differ, from 0
    note: int = NO_NOTE


def strengths_of(pad: Pad) -> list[Strength]:
    """The velocities 1 to 127 in ranges, each of which plays one take in each turn."""
    sound = pad.sound
    lows, turns = lows_of(sound), turns_that_differ(sound)
    found: list[Strength] = []
    last: list[Sound] = []
    for velocity in range(1, _HARDEST + 1):
        step = step_of(strength_of(pad.response, float(velocity)), lows)
        if found and found[-1].step == step:
            found[-1] = Strength(step, found[-1].low, velocity)
            continue
        plays = [struck(sound, step, turn) for turn in turns]
        if found and plays == last:
            found[-1] = Strength(step, found[-1].low, velocity)
        else:
            found.append(Strength(step, velocity, velocity))
        last = plays
    return found


def turns_that_differ(sound: Sound) -> list[int]:
    """A turn for each that plays something else: all of them where chance varies a layer."""
    if any(layer.variation > 0.0 for layer in sound.layers):
        return list(range(turns_of(sound)))
    return turns_by_place(sound)


def strikes_of(pad: Pad, *, each: bool = True, turns: bool = True) -> Iterator[Strike]:
    """The strikes of a pad, soft to hard, turn by turn; or the hardest alone, or first turns."""
    strengths = strengths_of(pad)
    for strength in strengths if each else strengths[-1:]:
        for place, turn in enumerate(turns_at(pad, strength)):
            if place == 0 or turns:
                yield Strike(strength, turn, place)


def turns_at(pad: Pad, strength: Strength) -> list[int]:
    """The turns of a strength; the first alone where all are the same sound."""
    found = turns_that_differ(pad.sound)
    first = struck(pad.sound, strength.step, found[0])
    alike = all(struck(pad.sound, strength.step, turn) == first for turn in found[1:])
    return found[:1] if alike else found


def with_alternates(pad: Pad) -> Iterator[tuple[str, Pad]]:
    """A pad with each of its alternates, by name; itself, without a name, where it has none."""
    found = alternates_of(pad)
    if len(found) < 2:
        yield "", pad
        return
    for one in found:
        yield one.name, replace(pad, sound=one.sound)


def take_for(pad: Pad, takes: Takes, strike: Strike, zone: int = 0) -> np.ndarray:
    """The take alone, tuned as the pad is: float32 (frames, 2), before level and pan."""
    key = strike.strength.step, strike.turn, zone
    return take_of(takes, pad.sound, key, pad_tune_st(pad))


class Heard:
    """Strikes through a part of the mix, on one engine: for one thread."""

    def __init__(self, kit: Kit, takes: Takes, source: Source) -> None:
        """The kit is `paced`."""
        self._kit, self._takes, self._source = kit, takes, source

    def audio(self, pad: Pad, strike: Strike) -> np.ndarray:
        """A strike at the hardest velocity of its strength: float32 (frames, 2).

        With the pad's level and pan; until it has rung out, the stages' latency taken out. What
        listens to other pads hears silence.
        """
        take = take_for(pad, self._takes, strike)
        velocity = strike.strength.high
        if self._source == "dry":
            return _placed(take, pad, velocity)
        alone = replace(pad, mute=False, solo=False)
        if self._source == "live":
            alone = replace(alone, bus="", sends=())
            kit = Kit(name="", pads=(alone,), tempo_bpm=self._kit.tempo_bpm)
        else:
            master = self._kit.master if self._source == "master" else Master()
            kit = replace(self._kit, pads=(alone,), master=master)
        engine = Engine(self._takes.rate_hz)
        zones = zones_of(pad)
        zone = zones[zone_at(zones, shift_of(pad, strike.note))]
        engine.set_kit(
            kit,
            {pad.id: TakeSet(zones=(zone,), ready={(0, 0, zone): take}, tuned_st=pad_tune_st(pad))},
            None,
        )
        engine.strike(engine.slots.slot(pad.id), float(velocity))
        return _until_silent(engine, take.shape[0])


def _placed(take: np.ndarray, pad: Pad, velocity: int) -> np.ndarray:
    """A take at its level and place: the numbers that the engine multiplies by."""
    from puddle.units import pan_gains

    left, right = pan_gains(pad.pan)
    level = gain_from_db(pad.level_db) * gain_from_db(velocity_gain_db(pad, velocity))
    gains = np.array([level * left, level * right])
    made: np.ndarray = (take * gains).astype(np.float32)
    return made


def _until_silent(engine: Engine, frames: int) -> np.ndarray:
    latency = engine.latency_frames
    parts: list[np.ndarray] = []
    made, most = 0, latency + frames + round(_LONGEST_S * engine.rate_hz)
    while made < most:
        check_cancelled()
        master, _ = engine.advance_tapped(_CHUNK, [""])
        parts.append(master)
        made += _CHUNK
        over = made >= latency + frames and engine.sounding == 0
        if over and float(np.abs(master).max()) < _SILENT:
            break
    return np.concatenate(parts)[latency:]
