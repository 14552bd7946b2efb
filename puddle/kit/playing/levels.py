"""How loud a strike of a velocity is: by the pad's curve, or filling in between recordings.

A recording of one of several strengths carries its own level. Within its range the level falls,
in dB straight along velocity, to where the next softer one begins, so that the whole rises evenly.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

from puddle.kit.model.document import Layer, Pad, Sound
from puddle.kit.playing.response import strength_of

HARDEST = 127
SPAN_DB = 6.0  # recordings that lie nearer together than this were made equally loud


def strike_gain_db(pad: Pad, velocity: int) -> float:
    """The level of a strike against full strength, or within a recording's range against its top.

    Where no recording carries its level: 40 log10(velocity / 127), times the pad's amount.
    """
    share = pad.velocity_amount / 100.0
    if velocity <= 0:
        return -200.0 if share > 0.0 else 0.0
    rung = own_rung(pad.sound, velocity)
    if rung is None:
        return 40.0 * share * math.log10(velocity / HARDEST)
    return -share * rung.fall_db * (rung.hardest - velocity) / (rung.hardest - rung.softest + 1)


def velocity_gain_db(pad: Pad, velocity: int) -> float:
    """The level of a velocity (1 to 127) through the pad's response, beside its take, in dB.

    As the engine plays it: without the pad's own level.
    """
    strength = strength_of(pad.response, float(velocity))
    if has_own_levels(pad.sound):
        return strike_gain_db(pad, int(strength))
    return 40.0 * pad.velocity_amount / 100.0 * math.log10(strength / HARDEST)


def own_rung(sound: Sound, velocity: int) -> Layer | None:
    """The layer by whose range the level goes; None where a layer that plays carries none."""
    playing = [k for k in sound.layers if k.on and k.softest <= velocity <= k.hardest]
    if not playing or not all(k.own_level for k in playing):
        return None
    return playing[0]


def has_own_levels(sound: Sound) -> bool:
    """Whether any strike of a sound goes by its recordings' levels."""
    return any(layer.own_level for layer in sound.layers)


def falls(levels_db: Sequence[float]) -> list[float] | None:
    """By how much each of several strengths falls through its range, from soft to hard.

    `levels_db` rise. Each falls to the level of the one below; the softest as far as they do on
    average. None where they lie so near together that they carry no levels.
    """
    if len(levels_db) < 2 or levels_db[-1] - levels_db[0] < SPAN_DB:
        return None
    steps = [max(0.0, b - a) for a, b in itertools.pairwise(levels_db)]
    return [sum(steps) / len(steps), *steps]
