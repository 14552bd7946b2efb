"""The engine without a device: a strike, or the groove through the whole mix.

Runs the very functions that play live, so that what is written is what is heard.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np

from puddle.engine.engine import Engine
from puddle.engine.names import way_node
from puddle.kernels.quantum import QUANTUM
from puddle.kit.edits.own_values import varied_id, varied_pads
from puddle.kit.model.document import Kit, Master, Pad, Pattern
from puddle.kit.model.pattern import bar_beats
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.groove import Groove, groove_of
from puddle.kit.playing.key_tracking import pad_tune_st, shift_of, zone_at, zones_of
from puddle.kit.playing.response import strength_of
from puddle.kit.playing.schedule import LATE_BEATS, ended, strokes_in
from puddle.kit.playing.tempo import paced
from puddle.kit.playing.velocity import lows_of, step_of, turns_of
from puddle.render.take import Takes
from puddle.render.takeset import TakeSet, take_of, take_set
from puddle.tasks import report, unshown
from puddle.units import ratio_from_semitones

_CHUNK = 4800
_LONGEST_TAIL_S = 12.0
_SILENT = 10.0 ** (-96.0 / 20.0)
Progress = Callable[[float], object]  # takes 0..1; may raise Cancelled


class Bounce(msgspec.Struct, frozen=True, eq=False):
    """Samples of the master and, by name, of what flows into it: float32 (frames, 2)."""

    master: np.ndarray
    stems: dict[str, np.ndarray]
    rate_hz: float


def strike(
    pad: Pad, takes: Takes, velocity: float, turn: int = 0, note: int = NO_NOTE
) -> np.ndarray:
    """One strike at the pad's tap: level, pan and tune, without what runs live.

    A note is the key that is struck. What counts in steps has to be `paced` before.
    """
    alone = msgspec.structs.replace(pad, bus="", mute=False, solo=False, stages=())
    kit = Kit(name="", pads=(alone,), master=Master())
    engine = Engine(takes.rate_hz)
    turn %= turns_of(pad.sound)
    step = step_of(strength_of(pad.response, velocity), lows_of(pad.sound))
    zones, shift = zones_of(pad), shift_of(pad, note)
    zone = zones[zone_at(zones, shift)]
    tuned_st = pad_tune_st(pad)
    take = take_of(takes, pad.sound, (step, turn, zone), tuned_st)
    ready = TakeSet(zones=zones, ready={(0, 0, zone): take}, tuned_st=tuned_st)
    engine.set_kit(kit, {pad.id: ready}, None)
    engine.strike(engine.slots.slot(pad.id), velocity, note=note)
    frames = int(np.ceil(take.shape[0] / ratio_from_semitones(shift - zone))) + 1
    master, _ = engine.advance_tapped(frames, [""])
    return master[: max(1, frames - 1)]


def bounce(
    kit: Kit,
    pattern: Pattern | Groove,
    bars: int,
    takes: Takes,
    progress: Progress = report,
) -> Bounce:
    """Some bars of a pattern's meter, and until it has rung out. Raises Cancelled."""
    groove = pattern if isinstance(pattern, Groove) else groove_of(pattern)
    bar = bar_beats(groove.parts[0].pattern.meter) if groove.parts else 4.0
    return bounce_beats(kit, groove, bar * bars, takes, progress)


def bounce_beats(
    kit: Kit,
    groove: Groove,
    beats: float,
    takes: Takes,
    progress: Progress = report,
    *,
    only: str = "",
) -> Bounce:
    """The groove for some beats, and until it has rung out; of one pad where `only` names it.

    The others are then struck without sound: what they choke is choked.

    The stages' latency is taken out: the first hit is where it was put. Raises Cancelled.
    """
    kit = paced(kit)
    engine = Engine(takes.rate_hz)
    patterns = {part.pattern.id: part.pattern for part in groove.parts if part.start < beats}
    varied = varied_pads(kit, tuple(patterns.values()))
    struck, last = _struck(groove, kit.tempo_bpm, beats)
    sounds = {
        pad.id: take_set(takes, pad, *struck.get(pad.id, (set(), set())))
        for pad in (*kit.pads, *(one.pad for one in varied))
        if pad.sound.layers
    }
    if only:
        own = {only, *(one.pad.id for one in varied if one.owner == only)}
        sounds = {k: found if k in own else _silent(found) for k, found in sounds.items()}
    engine.set_kit(kit, sounds, groove, beats=beats, varied=varied)
    engine.play()
    latency = engine.latency_frames
    lasts = max(beats, last)  # what falls late is struck after the end
    body = round(lasts * 60.0 / kit.tempo_bpm * takes.rate_hz) + latency
    # Those that flow into the master: they add up to what enters it.
    names = {"": "direct"}
    names |= {way_node(bus.id, ""): bus.name for bus in kit.buses if not bus.into}
    master, taps = _until_rung_out(engine, list(names), body, progress)
    stems = {name: tap[latency:] for name, tap in zip(names.values(), taps, strict=True)}
    heard = {name: audio for name, audio in stems.items() if audio.any()}
    return Bounce(master[latency:], heard, takes.rate_hz)


def _until_rung_out(
    engine: Engine, names: list[str], body: int, progress: Progress
) -> tuple[np.ndarray, np.ndarray]:
    """The master (frames, 2) and some buses (names, frames, 2) until all is silent after the body.

    They are written into arrays for the longest tail: memory is taken as it is written to.
    """
    until = body + round(_LONGEST_TAIL_S * engine.rate_hz)
    master = np.empty((until + _CHUNK, 2), np.float32)
    taps = np.empty((len(names), until + _CHUNK, 2), np.float32)
    made = 0
    stopped = False
    while made < until:
        if not stopped and made >= body:
            engine.stop()
            stopped = True
        count = min(_CHUNK, body - made) if made < body else _CHUNK
        count = -(-count // QUANTUM) * QUANTUM
        engine.advance_into(master, taps, names, made, count)
        latest = master[made : made + count]
        made += count
        progress(min(1.0, made / body))
        if made >= body and engine.sounding == 0 and float(np.abs(latest).max()) < _SILENT:
            break
    return master[:made], taps[:, :made]


def _silent(found: TakeSet) -> TakeSet:
    """The same takes without sound."""
    ready = {key: np.zeros_like(take) for key, take in found.ready.items()}
    return TakeSet(found.lows, found.turns, found.zones, ready, found.tuned_st)


def lane_stems(
    kit: Kit, pattern: Pattern, bars: int, takes: Takes, progress: Progress = report
) -> dict[str, np.ndarray]:
    """Each lane alone through its bus, without the master, by the pad's name: (frames, 2).

    All begin together and are as long as the longest. What chokes a pad chokes it; side-chains from
    other lanes are silent.
    """
    beats = bars * bar_beats(pattern.meter)
    heard = [lane for lane in pattern.lanes if lane.hits and not lane.mute]
    solo = [lane for lane in heard if lane.solo] or heard
    made: dict[str, np.ndarray] = {}
    for n, lane in enumerate(solo):
        pad = kit.pad(lane.pad)
        if pad is None:
            continue
        stems = bounce_beats(kit, groove_of(pattern), beats, takes, unshown, only=pad.id).stems
        progress((n + 1) / len(solo))
        if stems:
            name = pad.name if pad.name not in made else f"{pad.name} {n + 1}"
            made[name] = np.sum(list(stems.values()), axis=0)
    longest = max((len(audio) for audio in made.values()), default=0)
    return {
        name: np.pad(audio, ((0, longest - len(audio)), (0, 0))) for name, audio in made.items()
    }


def _struck(
    groove: Groove, bpm: float, beats: float
) -> tuple[dict[str, tuple[set[float], set[int]]], float]:
    """The velocities and notes with which a groove strikes each pad, own values apart.

    And the beat of its last stroke.
    """
    strokes = strokes_in(ended(groove.parts, beats), bpm, 0.0, beats + LATE_BEATS)
    found: dict[str, tuple[set[float], set[int]]] = {}
    for row in strokes:
        lane = groove.parts[row["part"]].pattern.lanes[row["lane"]]
        values = lane.hits[row["hit"]].values
        struck = varied_id(lane.pad, values) if values else lane.pad
        velocities, notes = found.setdefault(struck, (set(), set()))
        velocities.add(float(row["velocity"]))
        notes.add(int(row["note"]))
    return found, float(strokes["beat"][-1]) if len(strokes) else 0.0
