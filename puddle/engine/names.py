"""What the engine calls its buses and stages; nothing compiled is needed to know that."""

from __future__ import annotations

import itertools
from collections.abc import Hashable

DIRECT = ""  # the bus of pads that go to none
MASTER = "\0master"


_OUT = "\0out:"


def out_node(pair: int) -> str:
    """What leaves on a pair of outputs beside the first."""
    return f"{_OUT}{pair}"


def is_out(name: str) -> bool:
    """Whether it is one of these."""
    return name.startswith(_OUT)


def pad_node(pad_id: str) -> str:
    """The name of a pad's own bus."""
    return f"\0pad:{pad_id}"


def way_node(name: str, target: str) -> str:
    """The way of a bus to where it flows."""
    return f"\0way:{name}>{target}"


def send_node(name: str, target: str) -> str:
    """The way of a bus to where it is sent."""
    return f"\0send:{name}>{target}"


def plain_node(bus_id: str) -> str:
    """The name of the bus of pads without stages, beside pads' own buses."""
    return f"\0plain:{bus_id}"


_numbers: dict[Hashable, int] = {}
_next = itertools.count(1)


def number_of(name: Hashable) -> int:
    """A number, never 0, that stays a bus's or stage's as long as this process runs."""
    return _numbers.setdefault(name, next(_next))
