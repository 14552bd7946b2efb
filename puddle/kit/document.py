"""The document: a kit as an immutable tree of plain data.

An edit makes a new tree that shares all that did not change; see `edits`. Samples are not in the
tree: a layer names the hash of a sample's decoded content, and the store holds the file as it came.
"""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from puddle.kit.key import Key
from puddle.kit.reference import Reference
from puddle.kit.roles import Dye, Role
from puddle.kit.sample import Sample as Sample  # a source of the document
from puddle.parameter import Declared, choice, number, switch
from puddle.stages import Equalizer
from puddle.stages import Stage as Stage  # a row of the document holds them
from puddle.stages.equalizer import Slope
from puddle.voices import AnyVoice

KIT_VERSION = 4
PADS_PER_BANK = 16
MOST_PADS = 16 * 26
Trigger = Literal["one-shot", "gate"]


class Node(Declared, frozen=True):
    """The root of the document's structs."""


class Content(Node, frozen=True):
    """What is known of a sample's file, which lies in the store under `hash`."""

    hash: Annotated[str, msgspec.Meta(pattern="^[0-9a-f]{64}$")]
    name: Annotated[str, msgspec.Meta(max_length=255)]
    suffix: Annotated[str, msgspec.Meta(pattern=r"^\.[a-z0-9]{1,5}$")]
    rate_hz: Annotated[float, msgspec.Meta(gt=0)]
    channels: Annotated[int, msgspec.Meta(ge=1)]
    frames: Annotated[int, msgspec.Meta(ge=1)]
    printed: Print | None = None  # the recipe that it was rendered from, if it was

    @property
    def length_ms(self) -> float:
        """Length of the whole file."""
        return 1000.0 * self.frames / self.rate_hz


Source = AnyVoice | Sample


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
        """What is run for it; None where nothing is cut."""
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
            part="Strength",
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
            part="Strength",
        ),
    ] = 127
    blend_in: Annotated[
        int,
        number(
            "Blend in",
            0,
            63,
            "",
            "Over how many strengths around its softest the layer comes in, at equal power; none "
            "is a hard edge.",
            decimals=0,
            part="Strength",
        ),
    ] = 0
    blend_out: Annotated[
        int,
        number(
            "Blend out",
            0,
            63,
            "",
            "Over how many strengths around its hardest the layer goes out, at equal power.",
            decimals=0,
            part="Strength",
        ),
    ] = 0
    turn: Annotated[
        int,
        number(
            "Turn",
            0,
            16,
            "",
            "Layers with turns are played one after another, strike by strike; without one a "
            "layer is in every strike.",
            decimals=0,
            zero="every",
            part="Strength",
        ),
    ] = 0
    envelope: Envelope = Envelope()
    band: Band = Band()
    stages: tuple[Stage, ...] = ()
    reaches: tuple[Reach, ...] = ()


class Sound(Node, frozen=True):
    """Layers, and the stages that their sum goes through."""

    layers: tuple[Layer, ...] = ()
    stages: tuple[Stage, ...] = ()
    steps: Annotated[
        int,
        number(
            "Strengths",
            2,
            16,
            "",
            "How many strengths are told apart where velocity reaches a gauge: more are smoother, "
            "fewer are ready sooner and take less memory.",
            decimals=0,
        ),
    ] = 16
    turns: Annotated[
        int,
        number(
            "Turns",
            2,
            8,
            "",
            "How many strikes differ before they come round again, where a layer has variation.",
            decimals=0,
        ),
    ] = 4
    round_robin: Annotated[
        Literal["in order", "by chance"],
        choice(
            "Round robin",
            "Layers with turns come in order, or by chance and never twice in a row.",
        ),
    ] = "in order"


class Print(Node, frozen=True):
    """The recipe of a printed sample: a whole sound, or one of its layers by itself."""

    sound: Sound
    layer: str = ""  # its id; empty for the whole sound


class Snapshot(Node, frozen=True):
    """A pad's sound as it was, to compare with and to go back to."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    sound: Sound
    by_itself: bool = False  # taken before a large step, not by hand


class Pad(Node, frozen=True):
    """A place to strike."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    place: Annotated[int, msgspec.Meta(ge=0, lt=MOST_PADS)]
    role: Role = "percussion"
    dye: Dye = "logwood"
    sound: Sound = Sound()
    notes: tuple[Annotated[int, msgspec.Meta(ge=0, le=127)], ...] = ()
    trigger: Annotated[
        Trigger, choice("Trigger", "One-shot plays whole; gate plays while it is held.")
    ] = "one-shot"
    release_ms: Annotated[
        float,
        number(
            "Release",
            1,
            5000,
            "ms",
            "How long a gated pad takes to be gone when let go.",
            log=True,
            decimals=0,
        ),
    ] = 60.0
    choke_group: Annotated[
        int,
        number(
            "Choke group",
            0,
            32,
            "",
            "Pads of one group cut each other off, as a closed hat does an open one.",
            decimals=0,
            zero="none",
        ),
    ] = 0
    chokes: Annotated[
        int,
        number(
            "Chokes",
            0,
            32,
            "",
            "The group that a strike of this pad cuts off. Another than its own goes one way only: "
            "it is not cut off in return.",
            decimals=0,
            zero="its group",
        ),
    ] = 0
    level_db: Annotated[
        float, number("Level", -60, 12, "dB", "How loud the pad is in the kit.")
    ] = 0.0
    pan: Annotated[
        float,
        number("Pan", -100, 100, "pan", "Where it stands between left and right.", decimals=0),
    ] = 0.0
    tune_st: Annotated[
        float,
        number("Tune", -24, 24, "st", "Plays the finished sound faster or slower.", decimals=2),
    ] = 0.0
    velocity_amount: Annotated[
        float,
        number(
            "Velocity",
            0,
            100,
            "%",
            "How much softer a soft strike is: 100 follows the "
            "square of the strength, 0 is always full.",
            decimals=0,
        ),
    ] = 100.0
    mute: Annotated[bool, switch("Mute", "Silences the pad.")] = False
    solo: Annotated[bool, switch("Solo", "Only the pads that are solo are heard.")] = False
    bus: str = ""
    stages: tuple[Stage, ...] = ()  # run live, after the sound's own are in its takes
    snapshots: tuple[Snapshot, ...] = ()


class Bus(Node, frozen=True):
    """Where pads' sound flows on its way to the master."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    level_db: Annotated[float, number("Level", -60, 12, "dB", "How loud the bus is.")] = 0.0
    stages: tuple[Stage, ...] = ()


class Master(Node, frozen=True):
    """The last thing before the sound card."""

    level_db: Annotated[float, number("Level", -60, 12, "dB", "How loud the kit is.")] = 0.0
    stages: tuple[Stage, ...] = ()


class Hit(Node, frozen=True):
    """A strike in a lane, at a step of the pattern."""

    step: Annotated[int, msgspec.Meta(ge=0)]
    velocity: Annotated[int, msgspec.Meta(ge=1, le=127)] = 100
    steps: Annotated[float, msgspec.Meta(gt=0)] = 1.0


class Lane(Node, frozen=True):
    """The hits of one pad."""

    pad: str
    hits: tuple[Hit, ...] = ()


class Pattern(Node, frozen=True):
    """Lanes of steps that loop together."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    length: Annotated[int, msgspec.Meta(ge=1, le=64)] = 16
    steps_per_beat: Annotated[int, msgspec.Meta(ge=1, le=12)] = 4
    swing: Annotated[
        float,
        number(
            "Swing",
            50,
            75,
            "%",
            "Where every second step falls between its neighbors: 50 is even, 66 a triplet.",
            decimals=0,
        ),
    ] = 50.0
    lanes: tuple[Lane, ...] = ()


class Kit(Node, frozen=True):
    """Everything that one file holds."""

    name: Annotated[str, msgspec.Meta(max_length=120)]
    version: int = KIT_VERSION
    tempo_bpm: Annotated[float, number("Tempo", 20, 300, "bpm", "How fast the groove plays.")] = (
        120.0
    )
    pads: tuple[Pad, ...] = ()
    buses: tuple[Bus, ...] = ()
    master: Master = Master()
    patterns: tuple[Pattern, ...] = ()
    contents: tuple[Content, ...] = ()
    references: tuple[Reference, ...] = ()
    key: Key = Key()
    notes: Annotated[str, msgspec.Meta(max_length=20000)] = ""

    def pad(self, pad_id: str) -> Pad | None:
        """The pad of that id, if there is one."""
        return next((p for p in self.pads if p.id == pad_id), None)

    def pad_at(self, place: int) -> Pad | None:
        """The pad at a place, counted through all banks."""
        return next((p for p in self.pads if p.place == place), None)

    def content(self, hash_: str) -> Content | None:
        """What is known of a sample, if the kit names it."""
        return next((c for c in self.contents if c.hash == hash_), None)

    @property
    def banks(self) -> int:
        """How many banks of sixteen the pads reach into; at least one."""
        return 1 + max((p.place for p in self.pads), default=0) // PADS_PER_BANK
