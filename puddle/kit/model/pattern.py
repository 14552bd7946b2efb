"""Patterns: lanes of hits, on steps or at exact times. When they sound is in `playing.schedule`."""

import itertools
from typing import Annotated, Literal

import msgspec

from puddle.kit.model.address import Address
from puddle.kit.model.layer import Node
from puddle.kit.model.roles import Dye
from puddle.parameter import choice, number, switch

Grid = Literal[
    "1/4", "1/4 dotted", "1/4 triplet",
    "1/8", "1/8 dotted", "1/8 triplet",
    "1/16", "1/16 dotted", "1/16 triplet",
    "1/32", "1/32 triplet",
]  # fmt: skip
# How many quarter notes a step is, as a fraction: triplets stay exact over any number of steps.
GRIDS: dict[Grid, tuple[int, int]] = {
    "1/4": (1, 1),
    "1/4 dotted": (3, 2),
    "1/4 triplet": (2, 3),
    "1/8": (1, 2),
    "1/8 dotted": (3, 4),
    "1/8 triplet": (1, 3),
    "1/16": (1, 4),
    "1/16 dotted": (3, 8),
    "1/16 triplet": (1, 6),
    "1/32": (1, 8),
    "1/32 triplet": (1, 12),
}
Meter = Literal["2/4", "3/4", "4/4", "5/4", "5/8", "6/8", "7/8", "9/8", "12/8"]
METERS: tuple[Meter, ...] = ("2/4", "3/4", "4/4", "5/4", "5/8", "6/8", "7/8", "9/8", "12/8")
MOST_STEPS = 128
MOST_FLAMS = 3
MOST_CURVES, MOST_POINTS = 64, 2048
_GRID = choice("Step", "How long a step is, as a part of a whole note.")
_SWING = number(
    "Swing",
    50,
    75,
    "%",
    "Where every second step falls between its neighbors: 50 is even, 66 a triplet.",
    decimals=0,
)


class OwnValue(Node, frozen=True):
    """A gauge of the pad that stands elsewhere for one hit."""

    address: Address
    value: float


class Flam(Node, frozen=True):
    """A grace stroke before a hit."""

    before_ms: Annotated[
        float, number("Flam", 1, 150, "ms", "How long before the stroke its grace stroke falls.")
    ] = 25.0
    level: Annotated[
        float,
        number("Flam level", 1, 100, "%", "How hard the grace stroke is, as a share.", decimals=0),
    ] = 55.0


class Hit(Node, frozen=True):
    """A strike in a lane: on a step, or at a beat where the lane holds exact times."""

    at: Annotated[float, msgspec.Meta(ge=0, lt=4 * MOST_STEPS)]
    velocity: Annotated[
        int, number("Velocity", 1, 127, "", "How hard the pad is struck.", decimals=0)
    ] = 100
    chance: Annotated[
        float,
        number("Chance", 0, 100, "%", "How often it plays, over many passes.", decimals=0),
    ] = 100.0
    roll: Annotated[
        int,
        number(
            "Roll",
            1,
            16,
            "",
            "How many even strikes fill its length.",
            decimals=0,
            one="one stroke",
        ),
    ] = 1
    ramp: Annotated[
        float,
        number(
            "Roll ramp",
            -100,
            100,
            "%",
            "Over zero a roll begins softer and rises, under zero it falls.",
            decimals=0,
        ),
    ] = 0.0
    flams: Annotated[tuple[Flam, ...], msgspec.Meta(max_length=MOST_FLAMS)] = ()
    nudge_ms: Annotated[
        float, number("Nudge", -100, 100, "ms", "How much later it falls; under zero, earlier.")
    ] = 0.0
    length: Annotated[
        float,
        number(
            "Length",
            0.05,
            64,
            "steps",
            "How long a gated pad is held, and how long a roll lasts.",
            decimals=2,
            log=True,
        ),
    ] = 1.0
    every: Annotated[
        int,
        number(
            "Every",
            1,
            16,
            "",
            "It plays in one of so many passes.",
            decimals=0,
            one="every pass",
        ),
    ] = 1
    which: Annotated[
        int, number("In pass", 1, 16, "", "In which of those passes it plays.", decimals=0)
    ] = 1
    note: Annotated[int, msgspec.Meta(ge=0, le=127)] | None = None
    values: tuple[OwnValue, ...] = ()


Follow = Literal["off", "root", "third", "fifth", "seventh"]


class Lane(Node, frozen=True):
    """The hits of one pad."""

    pad: str
    hits: tuple[Hit, ...] = ()
    exact: bool = False  # hits are at beats, not on steps
    length: Annotated[
        int,
        number(
            "Lane length",
            0,
            MOST_STEPS,
            "",
            "How many of its own steps the lane has before it starts again, across the pattern.",
            decimals=0,
            zero="as pattern",
        ),
    ] = 0
    grid: Grid | None = None  # the pattern's where there is none
    swing: Annotated[float, msgspec.Meta(ge=50, le=75)] | None = None
    shift_ms: Annotated[
        float,
        number("Shift", -100, 100, "ms", "How much later the lane plays; under zero, earlier."),
    ] = 0.0
    scatter_velocity: Annotated[
        float,
        number(
            "Velocity ±",
            0,
            64,
            "",
            "How far velocities stray either way, the same in every render.",
            decimals=0,
        ),
    ] = 0.0
    scatter_ms: Annotated[
        float,
        number(
            "Time ±",
            0,
            50,
            "ms",
            "How far hits stray either way, the same in every render.",
        ),
    ] = 0.0
    mute: Annotated[bool, switch("Mute lane", "The pattern leaves the pad out.")] = False
    solo: Annotated[bool, switch("Solo lane", "The pattern plays only such lanes.")] = False
    follow: Annotated[
        Follow,
        choice("Follows chords", "Moves its notes to this tone of the chord that stands."),
    ] = "off"


class Chord(Node, frozen=True):
    """A chord that stands from a beat of the pattern on."""

    at: Annotated[float, msgspec.Meta(ge=0)]  # in beats
    root: Annotated[int, msgspec.Meta(ge=0, le=11)]  # semitones over C
    kind: Annotated[str, msgspec.Meta(max_length=12)] = ""  # as in `tonality.CHORDS`


class CurvePoint(Node, frozen=True):
    """Where a curve stands at a beat of the pattern."""

    at: Annotated[float, msgspec.Meta(ge=0, lt=4 * MOST_STEPS)]  # in beats
    value: float


class Curve(Node, frozen=True):
    """A gauge of what runs live, moved while the pattern plays: in straight lines on its scale."""

    address: Address
    points: Annotated[tuple[CurvePoint, ...], msgspec.Meta(min_length=1, max_length=MOST_POINTS)]

    def __post_init__(self) -> None:
        if any(later.at < point.at for point, later in itertools.pairwise(self.points)):
            raise ValueError("points of a curve rise in time")


class Pattern(Node, frozen=True):
    """Lanes that loop together."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    dye: Dye = "indigo"
    length: Annotated[
        int, number("Length", 1, MOST_STEPS, "steps", "How many steps it has.", decimals=0)
    ] = 16
    grid: Annotated[Grid, _GRID] = "1/16"
    meter: Annotated[Meter, choice("Meter", "How many beats a bar has, and of which note.")] = "4/4"
    swing: Annotated[float, _SWING] = 50.0
    lanes: tuple[Lane, ...] = ()
    chords: tuple[Chord, ...] = ()
    curves: Annotated[tuple[Curve, ...], msgspec.Meta(max_length=MOST_CURVES)] = ()

    def lane(self, pad_id: str) -> Lane | None:
        """The lane of a pad, if it has one."""
        return next((lane for lane in self.lanes if lane.pad == pad_id), None)


class FeelStep(Node, frozen=True):
    """A sixteenth of a feel."""

    late: Annotated[float, msgspec.Meta(ge=-1, le=1)] = 0.0  # beats
    strength: Annotated[float, msgspec.Meta(ge=0, le=8)] = 0.0  # beside the mean; 0 for no stroke


class Feel(Node, frozen=True):
    """Timing and strengths, to be laid over lanes."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    steps: Annotated[tuple[FeelStep, ...], msgspec.Meta(max_length=512)] = ()


class Play(Node, frozen=True):
    """A pattern in the play order, and how often it comes."""

    pattern: str
    times: Annotated[int, msgspec.Meta(ge=1, le=64)] = 1


def grid_beats(grid: Grid) -> float:
    """How many quarter notes a step of a grid lasts."""
    over, under = GRIDS[grid]
    return over / under


def bar_beats(meter: Meter) -> float:
    """How many quarter notes a bar lasts."""
    count, unit = meter.split("/")
    return int(count) * 4.0 / int(unit)
