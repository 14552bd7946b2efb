"""A layer of a sound: a source with its place in the stack, its strengths and its turn."""

from typing import Annotated

import msgspec

from puddle.kit.model.roles import Dye
from puddle.kit.model.sample import Sample
from puddle.parameter import Declared, choice, number, switch
from puddle.stages import Equalizer, Stage
from puddle.stages.equalizer import Slope
from puddle.voices import AnyVoice

Source = AnyVoice | Sample


class Node(Declared, frozen=True):
    """The root of the document's structs."""


class Envelope(Node, frozen=True):
    """Attack, hold and decay over a layer."""

    on: Annotated[bool, switch("Envelope", "Shapes the layer in time; off leaves it whole.")] = (
        False
    )
    attack_ms: Annotated[
        float, number("Attack", 0, 1000, "ms", "How long the layer takes to come in.")
    ] = 0.0
    hold_ms: Annotated[
        float, number("Hold", 0, 5000, "ms", "How long it stays whole before it decays.")
    ] = 20.0
    decay_ms: Annotated[
        float,
        number("Decay", 1, 10000, "ms", "How long it then takes to be gone.", log=True, decimals=0),
    ] = 300.0
    curve: Annotated[
        float,
        number(
            "Curve", -100, 100, "%", "Over zero it falls fast first, under zero late.", decimals=0
        ),
    ] = 50.0


class Band(Node, frozen=True):
    """The part of the spectrum that a layer may have, so that the others have theirs."""

    low_on: Annotated[bool, switch("Low cut", "Cuts off the bottom.", part="Low cut")] = False
    low_hz: Annotated[
        float,
        number(
            "Frequency",
            10,
            2000,
            "Hz",
            "What lies under it is left to other layers.",
            log=True,
            decimals=0,
            part="Low cut",
        ),
    ] = 90.0
    low_slope: Annotated[Slope, choice("Slope", "How steeply it falls away.", part="Low cut")] = (
        "24 dB/oct"
    )
    high_on: Annotated[bool, switch("High cut", "Cuts off the top.", part="High cut")] = False
    high_hz: Annotated[
        float,
        number(
            "Frequency",
            200,
            20000,
            "Hz",
            "What lies over it is left to other layers.",
            log=True,
            decimals=0,
            part="High cut",
        ),
    ] = 6000.0
    high_slope: Annotated[Slope, choice("Slope", "How steeply it falls away.", part="High cut")] = (
        "24 dB/oct"
    )

    @property
    def cuts(self) -> Equalizer | None:
        """The equalizer for these cuts, or None."""
        if not (self.low_on or self.high_on):
            return None
        return Equalizer(
            low_cut_on=self.low_on,
            low_cut_hz=self.low_hz,
            low_cut_slope=self.low_slope,
            high_cut_on=self.high_on,
            high_cut_hz=self.high_hz,
            high_cut_slope=self.high_slope,
        )


class Reach(Node, frozen=True):
    """How far velocity moves a parameter of a layer's voice."""

    field: str
    amount: Annotated[
        float,
        number(
            "Velocity",
            -100,
            100,
            "%",
            "How far of its gauge the softest strike lies below what is set; below zero, above.",
            decimals=0,
        ),
    ] = 0.0


class Layer(Node, frozen=True):
    """A source with its place in the stack."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    source: Source
    dye: Dye = "indigo"
    on: Annotated[bool, switch("On", "Off mutes the layer in the sound.")] = True
    solo: Annotated[bool, switch("Solo", "Only the layers that are solo are heard.")] = False
    flip: Annotated[
        bool, switch("Flip", "Turns the wave upside down: two layers that cancel may add up.")
    ] = False
    level_db: Annotated[
        float, number("Level", -60, 12, "dB", "How loud the layer is in the stack.")
    ] = 0.0
    pan: Annotated[
        float,
        number("Pan", -100, 100, "pan", "Where it stands between left and right.", decimals=0),
    ] = 0.0
    offset_ms: Annotated[
        float,
        number(
            "Offset",
            -200,
            500,
            "ms",
            "Moves the layer in time, finer than a sample; to move "
            "it earlier makes the others wait.",
            decimals=2,
        ),
    ] = 0.0
    tune_st: Annotated[
        float, number("Tune", -48, 48, "st", "Moves the pitch in semitones.", decimals=0)
    ] = 0.0
    tune_ct: Annotated[float, number("Fine tune", -100, 100, "ct", "Moves the pitch in cents.")] = (
        0.0
    )
    variation: Annotated[
        float,
        number(
            "Variation",
            0,
            100,
            "%",
            "How much repeats differ in pitch, level, start and noise, so that they do not sound "
            "like a machine.",
            decimals=0,
        ),
    ] = 0.0
    softest: Annotated[
        int,
        number(
            "Softest",
            1,
            127,
            "",
            "The softest strike that plays the layer.",
            decimals=0,
            part="Velocity",
        ),
    ] = 1
    hardest: Annotated[
        int,
        number(
            "Hardest",
            1,
            127,
            "",
            "The hardest strike that plays the layer.",
            decimals=0,
            part="Velocity",
        ),
    ] = 127
    blend_in: Annotated[
        int,
        number(
            "Blend in",
            0,
            63,
            "",
            "Over how many velocities around its softest the layer comes in, at equal power; none "
            "is a hard edge.",
            decimals=0,
            part="Velocity",
        ),
    ] = 0
    blend_out: Annotated[
        int,
        number(
            "Blend out",
            0,
            63,
            "",
            "Over how many velocities around its hardest the layer goes out, at equal power.",
            decimals=0,
            part="Velocity",
        ),
    ] = 0
    turn: Annotated[
        int,
        number(
            "Round robin",
            0,
            16,
            "",
            "Its place in the round robin: such layers are played one after another, strike by "
            "strike; without a place a layer is in every strike.",
            decimals=0,
            zero="every",
            part="Velocity",
        ),
    ] = 0
    own_level: Annotated[
        bool,
        switch(
            "Own level",
            "Recorded as soft as it is to sound: velocity only fills in between it and the next "
            "softer one.",
            part="Velocity",
        ),
    ] = False
    fall_db: Annotated[
        float,
        number(
            "Falls by",
            0,
            40,
            "dB",
            "How much softer the softest strike of its range is than the hardest, where the layer "
            "has its own level.",
            part="Velocity",
        ),
    ] = 0.0
    envelope: Envelope = Envelope()
    band: Band = Band()
    stages: tuple[Stage, ...] = ()
    reaches: tuple[Reach, ...] = ()
