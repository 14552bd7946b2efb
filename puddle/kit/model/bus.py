"""Where pads' sound flows: buses, sends, and the master."""

from typing import Annotated, Literal, get_args

import msgspec

from puddle.kit.model.layer import Node
from puddle.parameter import choice, number, switch
from puddle.stages import Stage


class SendTo(Node, frozen=True):
    """A share of a pad or bus that goes to another bus too: a room, a delay."""

    bus: Annotated[str, msgspec.Meta(min_length=1)]
    level_db: Annotated[
        float, number("Send", -60, 12, "dB", "How much of it goes there too.")
    ] = -12.0
    before: Annotated[
        bool, switch("Before level", "It is sent as loud whatever the level of its source is.")
    ] = False


Output = Literal[
    "flows on", "3 and 4", "5 and 6", "7 and 8", "9 and 10", "11 and 12", "13 and 14", "15 and 16"
]
OUTPUTS: tuple[Output, ...] = get_args(Output)


class Bus(Node, frozen=True):
    """A mix bus between pads and the master."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    level_db: Annotated[float, number("Level", -60, 12, "dB", "How loud the bus is.")] = 0.0
    pan: Annotated[
        float,
        number("Balance", -100, 100, "pan", "Turns the other side down.", decimals=0),
    ] = 0.0
    width: Annotated[
        float,
        number("Width", 0, 200, "%", "0 is mono, 100 as it came, more is wider.", decimals=0),
    ] = 100.0
    mono_hz: Annotated[
        float,
        number(
            "Mono below",
            0,
            1000,
            "Hz",
            "What lies under it is in the middle.",
            decimals=0,
            zero="off",
        ),
    ] = 0.0
    flip: Annotated[bool, switch("Polarity", "Turns it upside down.")] = False
    mute: Annotated[bool, switch("Mute", "Silences the bus, its sends too.")] = False
    solo: Annotated[
        bool, switch("Solo", "Only what flows into it is heard, through all that it flows into.")
    ] = False
    solo_safe: Annotated[
        bool, switch("Safe", "Stays heard while something else is solo: for rooms.")
    ] = False
    output: Annotated[
        Output,
        choice(
            "Output",
            "A pair of the card's outputs, or of JACK's ports, where it leaves instead of flowing "
            "on; what is exported flows on.",
        ),
    ] = "flows on"
    into: str = ""  # another bus, or the master
    sends: tuple[SendTo, ...] = ()
    stages: tuple[Stage, ...] = ()


class Master(Node, frozen=True):
    """The master bus."""

    level_db: Annotated[float, number("Level", -60, 12, "dB", "How loud the kit is.")] = 0.0
    stages: tuple[Stage, ...] = ()
