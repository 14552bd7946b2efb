"""A recording that hits are cut out of: where it lies, and what a hand has changed of what was
found. What is found itself is not kept: it is found again from the recording.
"""

from typing import Annotated

import msgspec

from puddle.kit.model.roles import Role
from puddle.parameter import Declared, number, switch

Frame = Annotated[int, msgspec.Meta(ge=0, le=1 << 40)]


class Mark(Declared, frozen=True):
    """A hit that a hand has touched: gauges never move it again."""

    at: Frame  # where it begins
    found: Frame | None = None  # where it was found; None where it was put there by hand
    end: Frame | None = None  # where it ends; None for where it has died away
    gone: bool = False  # it was taken away
    joined: bool = False  # it belongs to the hit before it, as a flam does
    lift: Annotated[
        float,
        number(
            "Lift",
            0,
            100,
            "%",
            "How much of what rings on from the hit before, or lies over it, is taken out of it.",
            decimals=0,
        ),
    ] = 0.0


class Likes(Declared, frozen=True):
    """Hits that sound alike, by the frames at which they begin."""

    name: Annotated[str, msgspec.Meta(max_length=120)]
    role: Role = "percussion"
    hits: tuple[Frame, ...] = ()
    pad: Annotated[str, msgspec.Meta(max_length=120)] = ""  # that they go to; a new one without
    sent: bool = True


class Recording(Declared, frozen=True):
    """A sound file that stays where it is, and how it is cut."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    path: Annotated[str, msgspec.Meta(min_length=1, max_length=4096)]
    sensitivity: Annotated[
        float,
        number(
            "Sensitivity",
            0,
            100,
            "%",
            "How unsure a hit may be: more finds ghost notes, less only what is clear.",
            decimals=0,
        ),
    ] = 50.0
    gap_ms: Annotated[
        float,
        number(
            "Least gap",
            3,
            500,
            "ms",
            "How close two hits may lie; under it they are one, as in a flam.",
            log=True,
        ),
    ] = 10.0
    ends_db: Annotated[
        float,
        number(
            "Ends at",
            -90,
            -12,
            "dB",
            "How far under its peak a hit has died away; in a loud room it ends sooner.",
            decimals=0,
        ),
    ] = -54.0
    marks: tuple[Mark, ...] = ()
    groups: tuple[Likes, ...] = ()  # none: as they are found
    left_out: tuple[Frame, ...] = ()
    bpm: Annotated[
        float,
        number(
            "Tempo",
            0,
            400,
            "bpm",
            "The tempo that was played; type it where what was found is wrong.",
            decimals=2,
            zero="as found",
        ),
    ] = 0.0
    cleans: Annotated[
        bool,
        switch(
            "Hum and rumble cut",
            "Takes DC, what lies under 30 Hz, and mains hum where there is one out of every hit: "
            "an equalizer, on the pads that hits are sent to.",
        ),
    ] = False
    keeps_whole: Annotated[
        bool,
        switch(
            "Keep the whole recording",
            "The kit keeps the whole recording, so that edges can be moved anywhere; off, it keeps "
            "only each hit's own part.",
        ),
    ] = True
    downbeat: Frame | None = None  # where the first bar begins; None for where it was found
