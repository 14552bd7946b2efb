"""Four sounds made of nothing but the boathouse session: a kick, a shaker, a cymbal and a tom.

Each is what a hand makes of one recording in the window: a test makes them there, and compares.
"""

from __future__ import annotations

from puddle.kit.model.document import Band, Envelope, Layer, Sample, Sound
from puddle.kit.presets.stage_sets import row
from puddle.parameter import changed
from puddle.stages import (
    BandCompressor,
    Compressor,
    Equalizer,
    Gain,
    Limiter,
    NoiseFollower,
    Reverb,
    Saturator,
    Sub,
    Transient,
)


def rib(knock: Sample) -> Sound:
    """A kick from a knock on oak: tuned down, a sine locked to it, the knock kept in front."""
    layer = Layer(id="layer1", name="boathouse 07 oak knock", source=knock, tune_st=-19.0)
    return Sound(
        layers=(layer,),
        stages=row(
            Equalizer(bell2_db=-5.0, high_shelf_db=4.0),
            Sub(tuned="to the hit", level_db=-4.0, decay_ms=420.0),
            Transient(attack_db=6.0),
            Saturator(),
            Gain(normalize="peak"),
        ),
    )


def slipway(gravel: Sample) -> Sound:
    """A shaker from gravel: one swing of it, without what is under the stones."""
    layer = Layer(
        id="layer1",
        name="boathouse 34 gravel",
        source=gravel,
        envelope=Envelope(on=True, attack_ms=45.0, hold_ms=10.0, decay_ms=130.0),
        band=Band(low_on=True, low_hz=2000.0),
    )
    return Sound(layers=(layer,), stages=row(BandCompressor(), Gain(normalize="peak")))


def mooring(chain: Sample) -> Sound:
    """A cymbal from a chain: stretched over two seconds, hissing, in a metal room."""
    drawn_out = changed(chain, stretch=300.0, pitch_st=5.0, fade_out_ms=800.0)
    layer = Layer(id="layer1", name="boathouse 23 chain", source=drawn_out)
    return Sound(
        layers=(layer,),
        stages=row(
            NoiseFollower(),
            (Reverb(kind="metal", decay_ms=2600.0), 55.0),
            Gain(normalize="peak"),
        ),
    )


def deckboard(plank: Sample) -> Sound:
    """A tom from a dropped plank: tuned down, its rebound faded away, a sine under it."""
    layer = Layer(
        id="layer1",
        name="boathouse 12 plank drop",
        source=plank,
        tune_st=-11.0,
        envelope=Envelope(on=True, hold_ms=60.0, decay_ms=420.0),
    )
    return Sound(
        layers=(layer,),
        stages=row(
            Sub(tuned="to the hit", level_db=-6.0, decay_ms=380.0),
            Compressor(),
            Limiter(),
        ),
    )
