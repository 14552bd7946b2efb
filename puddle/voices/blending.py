"""New settings from old ones: scattered by chance, or between two of the same voice.

Both work along the gauges' own scales, so that a step is heard alike wherever it is made.
"""

from typing import Any

from puddle.parameter import Parameter, changed, parameters
from puddle.voices import AnyVoice

# The note a voice is tuned to is not a matter of chance.
_NOTES = ("pitch_hz", "end_hz", "low_hz", "tone_hz")
_LARGEST_LEVEL_STEP_DB = 6.0


def scattered(voice: AnyVoice, chance: list[float], share: float, part: str = "") -> AnyVoice:
    """The voice with every number moved along its gauge by up to a share of it.

    `chance` holds a number in ±1 for each parameter; notes, switches and choices stay, levels move
    by no more than 6 dB either way. With a part only its parameters move.
    """
    values: dict[str, Any] = {}
    for p, by in zip(parameters(type(voice)), chance, strict=False):
        if p.kind not in ("number", "whole") or p.field in _NOTES or part not in ("", p.part):
            continue
        now = float(getattr(voice, p.field))
        if p.field == "seed":
            values[p.field] = (now + round(5000.0 * (by + 1.0))) % (p.high + 1.0)
        elif p.unit == "dB":
            values[p.field] = p.clamped(now + by * _LARGEST_LEVEL_STEP_DB)
        else:
            values[p.field] = p.at(p.position(now) + by * share)
    return changed(voice, **values)


def between(first: AnyVoice, second: AnyVoice, share: float) -> AnyVoice:
    """The settings a share of the way from one to another of the same voice; 0 and 1 are the ends.

    Numbers go along their gauges; switches, choices and seeds change over in the middle.
    """
    if share <= 0.0 or share >= 1.0:
        return first if share <= 0.0 else second
    values = {
        p.field: _middle(p, getattr(first, p.field), getattr(second, p.field), share)
        for p in parameters(type(first))
    }
    return changed(first, **values)


def _middle(p: Parameter, a: Any, b: Any, share: float) -> Any:
    if p.kind not in ("number", "whole") or p.field == "seed":
        return a if share < 0.5 else b
    here, there = p.position(float(a)), p.position(float(b))
    return p.at(here + share * (there - here))
