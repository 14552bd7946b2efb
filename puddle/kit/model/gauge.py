"""Kit gauges: one control that moves any number of others, over ranges and curves of its own.

A kit gauge that is moved writes what it moves: every pad, layer and stage holds the value that is
heard, and shows it. What a target names is found by `edits.address`.
"""

from typing import Annotated

import msgspec

from puddle.kit.model.address import Address
from puddle.parameter import Declared, number


class Target(Address, frozen=True, kw_only=True):
    """A control that a kit gauge moves, and how far."""

    low: float  # where the kit gauge stands at 0 %
    high: float  # and at 100 %; under `low` it moves the other way
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

    @property
    def address(self) -> Address:
        """The control alone."""
        return Address(**{name: getattr(self, name) for name in Address.__struct_fields__})


class KitGauge(Declared, frozen=True):
    """A macro control: moves its targets over ranges and curves of their own."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    value: Annotated[
        float, number("Kit gauge", 0, 100, "%", "Moves all that it reaches.", decimals=0)
    ] = 50.0
    targets: tuple[Target, ...] = ()
    on_shore: bool = False
