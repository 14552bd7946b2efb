"""What the ladder draws of a sound: rungs with their waves and loudness, made on a worker."""

from __future__ import annotations

from itertools import takewhile

import msgspec
import numpy as np

from puddle.kit.edits.velocities import rungs
from puddle.kit.model.document import Layer, Pad, Sound
from puddle.kit.playing.levels import strike_gain_db
from puddle.kit.playing.velocity import lows_of, step_of, struck
from puddle.measure.levels import loudness_lufs
from puddle.measure.ordering import Strength, strength
from puddle.render.cache import RenderCache
from puddle.render.take import Takes, recipe_of


class Rung(msgspec.Struct, frozen=True, eq=False):
    """A range of strengths, and the layers that it plays, as they are drawn."""

    low: int
    high: int
    layer_ids: tuple[str, ...]
    name: str
    about: str
    waves: tuple[np.ndarray, ...]  # mono, of each turn
    loudness_lufs: float | None
    turns: int
    blend_in: int
    blend_out: int


class Measured(msgspec.Struct, frozen=True, eq=False):
    """A sound's rungs, and how hard each of its layers sounds by itself."""

    sound: Sound
    rungs: tuple[Rung, ...]
    strengths: dict[str, Strength]  # by layer
    velocity_amount: float  # of the pad, by which soft rungs are softer


def measured_rungs(takes: Takes, pad: Pad, known: RenderCache[Strength | float | None]) -> Measured:
    """Renders and measures what is not known yet.

    A rung's loudness is that of what its hardest strike plays the first time, as loud as it plays
    it: before the pad's own level, as Shape tells the whole sound's.
    """
    sound = pad.sound
    strengths: dict[str, Strength] = {}
    for layer in sound.layers:
        audio = takes.placed(sound, layer)
        found = known.get(
            (recipe_of(sound, layer), layer.level_db, layer.pan, takes.rate_hz),
            lambda audio=audio: strength(audio, takes.rate_hz),  # type: ignore[misc]
        )
        assert isinstance(found, Strength)
        strengths[layer.id] = found
    lows = lows_of(sound)
    made = []
    for group in rungs(sound):
        high = max(group[0].softest, group[0].hardest)
        heard = struck(sound, step_of(high, lows), 0)
        loud = known.get(
            ("heard", heard, takes.rate_hz),
            lambda heard=heard: loudness_lufs(takes.sound(heard).audio, takes.rate_hz),  # type: ignore[misc]
        )
        if isinstance(loud, float):
            loud += strike_gain_db(pad, high)
        made.append(_rung(takes, sound, group, loud if isinstance(loud, float) else None))
    return Measured(sound, tuple(made), strengths, pad.velocity_amount)


def _rung(takes: Takes, sound: Sound, group: list[Layer], loud: float | None) -> Rung:
    turns = {k.turn for k in group if k.turn > 0}
    together = len(group) - sum(k.turn > 0 for k in group)
    names = [k.name for k in group]
    about = []
    if turns:
        about.append(f"round robin of {len(turns)}")
    if together > 1 or (together and turns):
        about.append(f"{together} in every strike")
    first = group[0]
    return Rung(
        low=first.softest,
        high=max(first.softest, first.hardest),
        layer_ids=tuple(k.id for k in group),
        name=_shared(names),
        about=", ".join(about),
        waves=tuple(takes.placed(sound, k).mean(axis=1) for k in group[:1]),
        loudness_lufs=loud,
        turns=len(turns),
        blend_in=first.blend_in,
        blend_out=first.blend_out,
    )


def _shared(names: list[str]) -> str:
    """What several layers are called together: the words that their names begin with."""
    if len(names) == 1:
        return names[0]
    columns = zip(*(name.split() for name in names), strict=False)
    shared = " ".join(words[0] for words in takewhile(lambda words: len(set(words)) == 1, columns))
    return shared or f"{names[0]} and {len(names) - 1} more"
