"""Where pads' sound flows: buses, and the master."""

from __future__ import annotations

from typing import Annotated

import msgspec

from puddle.kit.model.layer import Node
from puddle.parameter import number
from puddle.stages import Stage


class Bus(Node, frozen=True):
    """A mix bus between pads and the master."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    level_db: Annotated[float, number("Level", -60, 12, "dB", "How loud the bus is.")] = 0.0
    stages: tuple[Stage, ...] = ()


class Master(Node, frozen=True):
    """The master bus."""

    level_db: Annotated[float, number("Level", -60, 12, "dB", "How loud the kit is.")] = 0.0
    stages: tuple[Stage, ...] = ()
