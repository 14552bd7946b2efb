"""A mix: where everything flows and how loud, kept beside others."""

from typing import Annotated

import msgspec

from puddle.kit.model.bus import Bus, Master, SendTo
from puddle.kit.model.layer import Node
from puddle.stages import Stage

MOST_MIXES = 8


class PadMix(Node, frozen=True):
    """What of a pad belongs to a mix."""

    pad: str
    level_db: Annotated[float, msgspec.Meta(ge=-60, le=12)] = 0.0
    pan: Annotated[float, msgspec.Meta(ge=-100, le=100)] = 0.0
    mute: bool = False
    bus: str = ""
    sends: tuple[SendTo, ...] = ()
    stages: tuple[Stage, ...] = ()


class Mix(Node, frozen=True):
    """Levels, places, ways and live stages of pads, buses and master."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    pads: tuple[PadMix, ...] = ()
    buses: tuple[Bus, ...] = ()
    master: Master = Master()
