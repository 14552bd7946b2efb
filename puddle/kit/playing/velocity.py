"""What a strike makes of a sound: how hard it is, and which turn of the round robin.

The sound as it is set is what full strength plays. A softer strike moves the parameters that
velocity reaches, and plays the layers in whose range of strengths it lies, at equal power where
they blend; another turn plays other layers, or departs a little by chance, the same on every run.
Strengths are told apart in steps, alike live and offline: each has a lowest velocity, a whole
number, and plays up to the next one's.
"""

from __future__ import annotations

import math
import random
from bisect import bisect_right
from functools import lru_cache

import msgspec

from puddle.kit.model.document import Layer, Sample, Sound, Source, Stage
from puddle.parameter import changed, parameters
from puddle.stages import Filter

_CENTS, _LEVEL_DB, _LATE_MS = 25.0, 1.5, 1.2
_HARDEST = 127
_BLEND_STEPS = 4  # of a blended edge, at most
_ROUNDS = 8  # of a round robin by chance, before it comes round again
_SILENT_DB = -60.0
_OPEN_HZ, _CLOSED_HZ = 20000.0, 300.0
_DARKER = "\0darker"  # a stage that no row shows
replace = msgspec.structs.replace


@lru_cache
def even_lows(steps: int) -> tuple[int, ...]:
    """The lowest velocities of so many steps of one size."""
    return tuple(math.ceil(k * _HARDEST / steps) + 1 for k in range(steps))


def lows_of(sound: Sound) -> tuple[int, ...]:
    """The lowest velocity of each step that a sound tells apart, rising from 1."""
    found = {1}
    if _softens(sound):
        found |= set(even_lows(sound.steps))
    for layer in sound.layers:
        if layer.softest > 1:
            found |= _edge(layer.softest, layer.blend_in)
        if layer.hardest < _HARDEST:
            found |= _edge(layer.hardest + 1, layer.blend_out)
    return tuple(sorted(v for v in found if 1 <= v <= _HARDEST))


def _softens(sound: Sound) -> bool:
    """Whether more than level and the choice of layers depends on strength."""
    reached = any(layer.reaches for layer in sound.layers)
    return reached or sound.darker > 0.0 or sound.later_ms > 0.0


def _edge(first: int, blend: int) -> set[int]:
    """Where steps begin around an edge: there, or through its blend."""
    if blend == 0:
        return {first}
    count = min(_BLEND_STEPS, blend)
    start = first - blend / 2.0
    return {round(start + blend * k / count) for k in range(count + 1)}


def step_of(velocity: float, lows: tuple[int, ...]) -> int:
    """The step of a velocity of 1 to 127."""
    return max(0, bisect_right(lows, int(velocity)) - 1)


def steps_of(sound: Sound) -> int:
    """How many steps a sound tells apart."""
    return len(lows_of(sound))


def turns_of(sound: Sound) -> int:
    """The length of the round robin."""
    robin = _robin_of(sound)
    varied = any(layer.variation > 0.0 for layer in sound.layers)
    if robin < 2:
        return sound.turns if varied else 1
    if sound.round_robin == "by chance":
        return robin * _ROUNDS
    return robin * max(1, sound.turns // robin) if varied else robin


def _robin_of(sound: Sound) -> int:
    """How many turns the layers speak of."""
    return max((layer.turn for layer in sound.layers), default=0)


def playing_turn(sound: Sound, turn: int) -> int:
    """Whose turn it is, from 1; 0 where the layers know none."""
    robin = _robin_of(sound)
    if robin < 2:
        return robin
    if sound.round_robin == "by chance":
        return _by_chance(robin)[turn % (robin * _ROUNDS)]
    return turn % robin + 1


def turns_by_place(sound: Sound) -> list[int]:
    """The turns of the round robin; of one by chance the first turn of each place, by place."""
    if sound.round_robin != "by chance":
        return list(range(turns_of(sound)))
    first: dict[int, int] = {}
    for turn in range(turns_of(sound)):
        first.setdefault(playing_turn(sound, turn), turn)
    return [first[place] for place in sorted(first)]


@lru_cache
def _by_chance(robin: int) -> tuple[int, ...]:
    """Rounds in which each has its turn, never one twice in a row, also where they begin anew."""
    chance = random.Random(robin)
    order: list[int] = []
    for n in range(_ROUNDS):
        while True:
            one = chance.sample(range(1, robin + 1), robin)
            closes = n == _ROUNDS - 1 and robin > 2 and one[-1] == order[0]
            if (not order or one[0] != order[-1]) and not closes:
                break
        order += one
    return tuple(order)


def struck(sound: Sound, step: int, turn: int) -> Sound:
    """The sound as a strike of a step and a turn plays it; itself at full strength, turn 0.

    Steps are those that it tells apart: the last is full strength, the softest lies as far below
    as the reaches say.
    """
    lows = lows_of(sound)
    step = min(step, len(lows) - 1)
    low = lows[step]
    high = lows[step + 1] - 1 if step + 1 < len(lows) else _HARDEST
    softness = _softness(sound, low)
    layers = tuple(_varied(_softened(layer, softness), turn) for layer in sound.layers)
    layers = _in_range(layers, (low + high) / 2.0, playing_turn(sound, turn))
    if any(a is not b for a, b in zip(layers, sound.layers, strict=True)):
        sound = changed(sound, layers=layers)
    return _dimmed(sound, softness) if softness > 0.0 and _softens(sound) else sound


def _dimmed(sound: Sound, softness: float) -> Sound:
    """The sum darker and later, as far as velocity says."""
    share = softness * sound.darker / 100.0
    if share > 0.0:
        closed = Filter(cutoff_hz=_OPEN_HZ * (_CLOSED_HZ / _OPEN_HZ) ** share)
        sound = replace(sound, stages=(Stage(id=_DARKER, process=closed), *sound.stages))
    if sound.later_ms > 0.0:
        sound = replace(sound, start_ms=sound.start_ms + softness * sound.later_ms)
    return sound


def hardest(sound: Sound) -> Sound:
    """The sound as full strength plays it, the first time: what is seen, measured and printed."""
    return struck(sound, steps_of(sound) - 1, 0)


def _softness(sound: Sound, velocity: int) -> float:
    """How far below full strength the gauges that velocity reaches are: 0 to 1."""
    even = even_lows(sound.steps)
    return 1.0 - step_of(velocity, even) / (len(even) - 1)


def _in_range(layers: tuple[Layer, ...], velocity: float, turn: int) -> tuple[Layer, ...]:
    """Layers that a strike does not play are off, and blended ones softer."""
    made = tuple(_at(layer, velocity, turn) for layer in layers)
    if any(k.solo and k.on for k in layers) and not any(k.solo and k.on for k in made):
        # A solo layer that is out leaves silence: nothing takes its place.
        return tuple(replace(k, on=False) if k.on else k for k in made)
    return made


def _at(layer: Layer, velocity: float, turn: int) -> Layer:
    gain = layer_gain(layer, velocity)
    if not layer.on or (gain >= 1.0 and layer.turn in (0, turn)):
        return layer
    if gain <= 0.0 or layer.turn not in (0, turn):
        return replace(layer, on=False)
    return replace(layer, level_db=max(_SILENT_DB, layer.level_db + 20.0 * math.log10(gain)))


def layer_gain(layer: Layer, velocity: float) -> float:
    """How much of a layer a strength plays, 0 to 1: equal power through its blended edges."""
    gain = 1.0
    if layer.softest > 1:
        gain *= _rise(velocity, layer.softest - 0.5, layer.blend_in)
    if layer.hardest < _HARDEST:
        gain *= _rise(-velocity, -(layer.hardest + 0.5), layer.blend_out)
    return gain


def _rise(velocity: float, edge: float, blend: int) -> float:
    if blend == 0:
        return 1.0 if velocity > edge else 0.0
    share = min(1.0, max(0.0, (velocity - edge) / blend + 0.5))
    return math.sin(0.5 * math.pi * share)


def softened(source: Source, field: str, amount: float, softness: float) -> float | None:
    """A parameter's value for a strike that is softer by a share; None where it has none."""
    known = next((p for p in parameters(type(source)) if p.field == field), None)
    if known is None or known.kind not in ("number", "whole"):
        return None
    place = known.position(float(getattr(source, field)))
    return known.at(place - amount / 100.0 * softness)


def _softened(layer: Layer, softness: float) -> Layer:
    if softness <= 0.0 or not layer.reaches:
        return layer
    values = {}
    for reach in layer.reaches:
        value = softened(layer.source, reach.field, reach.amount, softness)
        if value is not None:
            values[reach.field] = value
    return changed(layer, source=changed(layer.source, **values)) if values else layer


def _varied(layer: Layer, turn: int) -> Layer:
    share = layer.variation / 100.0
    if turn == 0 or share <= 0.0:
        return layer
    chance = random.Random(f"{layer.id} {turn}")
    cents = layer.tune_ct + share * _CENTS * chance.uniform(-1.0, 1.0)
    level = layer.level_db + share * _LEVEL_DB * chance.uniform(-1.0, 1.0)
    late = layer.offset_ms + share * _LATE_MS * chance.random()
    source = layer.source
    if not isinstance(source, Sample) and "seed" in source.__struct_fields__:
        seed: int = msgspec.structs.asdict(source)["seed"]
        source = changed(source, seed=(seed + 1009 * turn) % 10000)
    return changed(layer, tune_ct=cents, level_db=level, offset_ms=late, source=source)
