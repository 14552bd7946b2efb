"""A pad: a place to strike, the sound that is there, and what a strike makes of it."""

from typing import Annotated, Literal

import msgspec

from puddle.kit.model.bus import SendTo
from puddle.kit.model.layer import Layer, Node
from puddle.kit.model.roles import Dye, Role
from puddle.parameter import choice, number, switch
from puddle.stages import Stage

PADS_PER_BANK = 16
MOST_PADS = 16 * 26
Trigger = Literal["one-shot", "gate"]


class Sound(Node, frozen=True):
    """Layers, and the stages that their sum goes through."""

    layers: tuple[Layer, ...] = ()
    stages: tuple[Stage, ...] = ()
    steps: Annotated[
        int,
        number(
            "Velocity steps",
            2,
            16,
            "",
            "How many velocities are told apart where velocity reaches a gauge: more are smoother, "
            "fewer are ready sooner and take less memory.",
            decimals=0,
        ),
    ] = 16
    turns: Annotated[
        int,
        number(
            "Repeats",
            2,
            8,
            "",
            "How many strikes differ before they come round again, where a layer has variation.",
            decimals=0,
        ),
    ] = 4
    darker: Annotated[
        float,
        number(
            "Darker",
            0,
            100,
            "%",
            "How far a low-pass filter closes for softer strikes: at 100 the softest has nothing "
            "over 300 Hz; full velocity is never filtered.",
            decimals=0,
            part="Velocity",
        ),
    ] = 0.0
    later_ms: Annotated[
        float,
        number(
            "Later start",
            0,
            100,
            "ms",
            "How far into the sound the softest strike starts: it leaves out the attack.",
            part="Velocity",
        ),
    ] = 0.0
    start_ms: Annotated[
        float,
        number(
            "Start",
            0,
            500,
            "ms",
            "How far into the sum of the layers every strike starts.",
        ),
    ] = 0.0
    round_robin: Annotated[
        Literal["in order", "by chance"],
        choice(
            "Round robin",
            "Its layers come in order, or by chance and never twice in a row.",
        ),
    ] = "in order"


class Snapshot(Node, frozen=True):
    """A pad's sound as it was, to compare with and to go back to."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    sound: Sound
    by_itself: bool = False  # taken before a large step, not by hand


class Alternate(Node, frozen=True):
    """Another whole sound that a pad can play in the place of the one it has."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    sound: Sound


class Point(Node, frozen=True):
    """A bend of a response curve: what a strike of some velocity plays as."""

    struck: Annotated[float, msgspec.Meta(ge=1, le=127)]
    plays: Annotated[float, msgspec.Meta(ge=1, le=127)]


class Link(Node, frozen=True):
    """What a linked copy follows: another pad's sound, so many semitones away."""

    pad: str
    semitones: float = 0.0


class Pad(Node, frozen=True):
    """A pad: its sound, its notes, and how it answers to strikes."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    place: Annotated[int, msgspec.Meta(ge=0, lt=MOST_PADS)]
    role: Role = "percussion"
    dye: Dye = "logwood"
    sound: Sound = Sound()
    notes: tuple[Annotated[int, msgspec.Meta(ge=0, le=127)], ...] = ()
    trigger: Annotated[
        Trigger,
        choice("Plays", "One-shot plays whole; gate plays while it is held.", part="Trigger"),
    ] = "one-shot"
    attack_ms: Annotated[
        float,
        number("Attack", 0, 2000, "ms", "How long a gated pad takes to come in.", part="Gate"),
    ] = 0.0
    decay_ms: Annotated[
        float,
        number(
            "Decay",
            1,
            10000,
            "ms",
            "How long it then takes to fall to its sustain.",
            log=True,
            decimals=0,
            part="Gate",
        ),
    ] = 400.0
    sustain: Annotated[
        float,
        number(
            "Sustain",
            0,
            100,
            "%",
            "What is left of a gated pad while it is held, as a share of its level.",
            decimals=0,
            part="Gate",
        ),
    ] = 100.0
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
            part="Gate",
        ),
    ] = 60.0
    pedal: Annotated[
        Literal["no", "by alternates", "by layers"],
        choice(
            "Hat pedal",
            "A pedal that is pressed down plays the first of its alternates, or of its layers, one "
            "that is up the last; pressed together, what rings is choked.",
            part="Trigger",
        ),
    ] = "no"
    limit: Annotated[
        int,
        number(
            "Voices",
            0,
            32,
            "",
            "How many strikes of the pad may ring at once; one is mono. A further one lets another "
            "go within 3 ms.",
            decimals=0,
            zero="no limit",
            one="1, mono",
            part="Voices",
        ),
    ] = 0
    steals: Annotated[
        Literal["the oldest", "the softest"],
        choice("Steals", "Which strike makes room where too many would ring.", part="Voices"),
    ] = "the oldest"
    glide: Annotated[
        Literal["off", "always", "when overlapping"],
        choice(
            "Glide",
            "A mono pad slides from the pitch before to the new one: at every strike, or only "
            "while the one before still sounds.",
            part="Voices",
        ),
    ] = "off"
    glide_ms: Annotated[
        float,
        number(
            "Glide time",
            1,
            2000,
            "ms",
            "How long the slide takes, whatever the interval.",
            log=True,
            decimals=0,
            part="Voices",
        ),
    ] = 80.0
    tracking: Annotated[
        float,
        number(
            "Follows keys",
            0,
            200,
            "%",
            "How far the pitch follows the key that is struck: at 100 a semitone each, at 0 it is "
            "the same on every key.",
            decimals=0,
            zero="fixed pitch",
            part="Pitch",
        ),
    ] = 0.0
    root: Annotated[
        int,
        number(
            "Root key",
            0,
            127,
            "note",
            "The key that plays the sound as it is.",
            decimals=0,
            part="Pitch",
        ),
    ] = 60
    choke_group: Annotated[
        int,
        number(
            "Group",
            0,
            32,
            "",
            "Pads of one choke group silence each other, as a closed hat does an open one.",
            decimals=0,
            zero="none",
            part="Choke",
        ),
    ] = 0
    chokes: Annotated[
        int,
        number(
            "Chokes",
            0,
            32,
            "",
            "The group that a strike of this pad chokes. Another than its own goes one way only: "
            "it is not choked in return.",
            decimals=0,
            zero="its group",
            part="Choke",
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
    tune_ct: Annotated[
        float, number("Fine tune", -100, 100, "ct", "The same in cents.", decimals=1)
    ] = 0.0
    velocity_amount: Annotated[
        float,
        number(
            "Level",
            0,
            100,
            "%",
            "How much softer a soft strike is: 100 follows the "
            "square of the velocity, 0 is always full.",
            decimals=0,
            part="Velocity",
        ),
    ] = 100.0
    mute: Annotated[bool, switch("Mute", "Silences the pad.")] = False
    solo: Annotated[bool, switch("Solo", "Only the pads that are solo are heard.")] = False
    bus: str = ""
    sends: tuple[SendTo, ...] = ()
    stages: tuple[Stage, ...] = ()  # run live, after the sound's own are in its takes
    snapshots: tuple[Snapshot, ...] = ()
    response: tuple[Point, ...] = ()  # bends between (1, 1) and (127, 127), rising; none is even
    alternates: tuple[Alternate, ...] = ()  # with the sound that is played among them
    alternate: Annotated[int, msgspec.Meta(ge=0)] = 0  # which of them that is
    link: Link | None = None


def kept_sounds(pad: Pad) -> list[tuple[str, Sound]]:
    """The sounds that a pad keeps beside the one that plays, with their names."""
    snapshots = [(one.name, one.sound) for one in pad.snapshots]
    return snapshots + [(one.name, one.sound) for one in pad.alternates]
