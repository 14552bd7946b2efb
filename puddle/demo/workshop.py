"""Sounds of the demo that were built by hand in the window from nothing but voices.

A kick of three sources whose low ends were aligned, a snare tuned to G3 with a metal tail, and a
pair of hats that choke. `tests/test_from_nothing.py` builds them again and finds the same.
"""

from __future__ import annotations

from puddle.kit.model.document import Band, Layer, Sound
from puddle.kit.presets.stage_sets import row
from puddle.parameter import changed
from puddle.stages import Compressor, Gain, Limiter, Reverb, Transient
from puddle.voices import STARTING_POINTS, AnyVoice, Hat

_POINTS: dict[str, AnyVoice] = {
    name: voice for points in STARTING_POINTS.values() for name, voice in points.items()
}
CHOKE_GROUP = 3


def capstan() -> Sound:
    """A kick: a mallet, a soft bottom that came too early and upside down, and a block of oak."""
    mallet = _layer("layer1", "indigo", "Mallet on hull")
    tide = _layer("layer2", "madder", "Soft tide", offset_ms=2.3046, flip=True)
    block = _layer("layer3", "weld", "Oak block", level_db=-14.0)
    return Sound(layers=(mallet, tide, block), stages=row(Compressor(), Limiter()))


def _layer(key: str, dye: str, name: str, **values: object) -> Layer:
    """A starting point as a layer, a cent lower: the kick was tuned to G1."""
    made = Layer(id=key, name=name, dye=dye, source=_POINTS[name], tune_ct=-0.95)  # type: ignore[arg-type]
    return changed(made, **values)


def thwart() -> Sound:
    """A snare on G3 over an iron gate in a small metal room."""
    stave = Layer(
        id="layer1", name="Tuned stave", source=_POINTS["Tuned stave"], tune_st=-2.0, tune_ct=-0.01
    )
    gate = Layer(
        id="layer2",
        name="Iron gate",
        dye="madder",
        source=_POINTS["Iron gate"],
        level_db=-10.0,
        band=Band(low_on=True, low_hz=1500.0),
        stages=row((Reverb(kind="metal", low_cut_hz=600.0), 60.0)),
    )
    stages = row(Transient(attack_db=4.0), Gain(normalize="peak"))
    return Sound(layers=(stave, gate), stages=stages)


def sleet() -> Sound:
    """The closed one of the pair."""
    return _hat("Tin roof")


def hail() -> Sound:
    """The open one."""
    return _hat("Wide sheet", decay_ms=900.0)


def _hat(name: str, **values: float) -> Sound:
    voice = changed(_POINTS[name], **values)
    assert isinstance(voice, Hat)
    layer = Layer(id="layer1", name=name, source=voice)
    stages = row(Transient(attack_db=3.0), Gain(normalize="peak", target_db=-6.0))
    return Sound(layers=(layer,), stages=stages)
