"""Kit gauges: one control that moves any number of others, over ranges and curves of its own.

A kit gauge that is moved writes what it moves: every pad, layer and stage holds the value that is
heard, and shows it. What a target names is found by `targets`.
"""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from puddle.parameter import Declared, number

Of = Literal[
    "kit", "pad", "sound", "layer", "source", "envelope", "band", "stage", "process", "bus",
    "master",
]  # fmt: skip


class Target(Declared, frozen=True):
    """A parameter that a kit gauge moves, and how far."""

    of: Of
    field: str
    low: float  # where the kit gauge stands at 0 %
    high: float  # and at 100 %; under `low` it moves the other way
    pad: str = ""
    layer: str = ""
    bus: str = ""
    live: bool = False  # of a pad's own stages, not its sound's
    branches: tuple[str, ...] = ()
    stage: str = ""
    curve: Annotated[
        float,
        number(
            "Curve",
            -100,
            100,
            "%",
            "Over zero it moves early on the kit gauge's way, under zero late.",
            decimals=0,
        ),
    ] = 0.0


class KitGauge(Declared, frozen=True):
    """One control over several."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    value: Annotated[
        float, number("Kit gauge", 0, 100, "%", "Moves all that it reaches.", decimals=0)
    ] = 50.0
    targets: tuple[Target, ...] = ()
    on_shore: bool = False
