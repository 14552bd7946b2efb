"""What a strike makes of a sound: how hard it is, and which turn of the round robin.

The sound as it is set is what full strength plays. A softer strike moves the parameters that
velocity reaches, in the sound's own number of steps, alike live and offline; another turn departs
a little by chance, the same on every run.
"""

from __future__ import annotations

import random

import msgspec

from puddle.kit.document import Layer, Sample, Sound, Source
from puddle.parameter import changed, parameters

_CENTS, _LEVEL_DB, _LATE_MS = 25.0, 1.5, 1.2


def step_of(velocity: float, steps: int) -> int:
    """The step, of so many from 0, of a velocity of 1 to 127."""
    return min(steps - 1, max(0, int((velocity - 1.0) * steps / 127.0)))


def steps_of(sound: Sound) -> int:
    """How many steps a sound tells apart: all, or one where velocity reaches nothing."""
    return sound.steps if any(layer.reaches for layer in sound.layers) else 1


def turns_of(sound: Sound) -> int:
    """How many turns differ."""
    return sound.turns if any(layer.variation > 0.0 for layer in sound.layers) else 1


def struck(sound: Sound, step: int, turn: int) -> Sound:
    """The sound as a strike of a step and a turn plays it; itself at full strength, turn 0.

    Steps are those that it tells apart: the last is full strength, step 0 lies as far below as
    the reaches say.
    """
    steps = steps_of(sound)
    softness = 1.0 - step / (steps - 1) if steps > 1 else 0.0
    layers = tuple(_varied(_softened(layer, softness), turn) for layer in sound.layers)
    if all(a is b for a, b in zip(layers, sound.layers, strict=True)):
        return sound
    return changed(sound, layers=layers)


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
