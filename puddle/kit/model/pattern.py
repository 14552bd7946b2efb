"""Patterns: lanes of hits on steps. When they sound is in `playing.schedule`."""

from __future__ import annotations

from typing import Annotated

import msgspec

from puddle.kit.model.layer import Node
from puddle.parameter import number


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
