"""Controls of a controller and the gauges that they move: by position, or by steps.

A control that sends positions takes a gauge over where it passes the gauge's value: until then the
gauge stays, so that nothing jumps. One that turns without an end sends steps, in one of three ways
that are in use: around 64, as two's complement of seven bits, or with the sign in bit 6.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal, get_args

import msgspec

from puddle.kit.model.address import Address
from puddle.midi.messages import HAT_PEDAL, SUSTAIN, Turned

Sends = Literal["positions", "steps around 64", "steps, two's complement", "steps, sign and size"]
SENDS: tuple[Sends, ...] = get_args(Sends)
STEP = 1.0 / 127.0  # of a gauge's way
_TOUCHES = 1.5 * STEP  # so near is as good as there
_SAME = 1e-6
_ALIKE = 3  # values of one size, one after the other: no control that sends positions repeats one
_FEW = 12  # steps at once, of a hand that turns fast
# Bank and data entry, and what a receiver does with them, are no gauges: MIDI 1.0, table 3.
_RESERVED = frozenset({0, 32, 6, 38, 96, 97, 98, 99, 100, 101, *range(120, 128)})


class Gauged(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A control, and the gauge that it moves: a kit gauge by its place, or any by its address."""

    kind: Literal["control", "wheel", "pressure"]
    number: Annotated[int, msgspec.Meta(ge=0, le=127)] = 0
    channel: Annotated[int, msgspec.Meta(ge=-1, le=15)] = -1  # from 0; -1 for any
    sends: Sends = "positions"
    gauge: Annotated[int, msgspec.Meta(ge=-1)] = -1  # a kit gauge, from 0
    address: Address | None = None

    def is_of(self, one: Turned) -> bool:
        """Whether a message is this control's."""
        same = (self.kind, self.number) == (one.kind, one.number)
        return same and self.channel in (-1, one.channel)


def is_gauge(one: Turned) -> bool:
    """Whether a message can move a gauge that nobody taught."""
    return one.kind == "control" and one.number not in (*_RESERVED, HAT_PEDAL, SUSTAIN)


def can_be_taught(one: Turned) -> bool:
    """Whether a message can move a gauge at all."""
    return one.kind in ("wheel", "pressure") or (
        one.kind == "control" and one.number not in _RESERVED
    )


def gauged_by(gauges: Sequence[Gauged], one: Turned) -> Gauged | None:
    """What a message moves; a control of one channel goes before one of any."""
    found = [gauged for gauged in gauges if gauged.is_of(one)]
    return max(found, key=lambda gauged: gauged.channel, default=None)


def steps_of(sends: Sends, raw: int) -> int:
    """How many steps up or down a control that turns without an end has sent."""
    if sends == "steps around 64":
        return raw - 64
    if sends == "steps, two's complement":
        return raw if raw < 64 else raw - 128
    return raw if raw < 64 else 64 - raw


def guessed(values: Sequence[int]) -> Sends | None:
    """How a control sends, from its first values; None while they do not tell.

    One that sends positions never repeats a value between its ends, and its values lie on a way;
    one that sends steps repeats small ones.
    """
    if len(values) < _ALIKE:
        return None
    kinds = {_kind_of(value) for value in values}
    if None in kinds:
        return "positions"
    repeats = any(len({*values[n : n + _ALIKE]}) == 1 for n in range(len(values) - _ALIKE + 1))
    if not repeats:
        return None
    if "below 64" in kinds:
        return "steps around 64"
    if "near 127" in kinds:
        return "steps, two's complement" if kinds <= {"near 127", "near 0"} else None
    if kinds == {"above 64"}:
        return "steps around 64"
    return "steps, sign and size" if kinds == {"above 64", "near 0"} else "steps, two's complement"


def _kind_of(value: int) -> str | None:
    if 0 < value <= _FEW:
        return "near 0"
    if 64 - _FEW <= value < 64:
        return "below 64"
    if 64 < value <= 64 + _FEW:
        return "above 64"
    return "near 127" if value > 127 - _FEW else None


class TakeOver:
    """Lets a control that sends positions move a gauge from where it has passed its value."""

    def __init__(self) -> None:
        self.hand: float | None = None  # where the control stands
        self._left_at: float | None = None  # where it left the gauge

    def moved(self, hand: float, stands: float) -> bool:
        """Whether a control at a place moves a gauge that stands at another; both 0 to 1."""
        before, self.hand = self.hand, hand
        if self._left_at is not None and abs(stands - self._left_at) < _SAME:
            return True
        self._left_at = None
        passed = before is not None and (before - stands) * (hand - stands) <= 0.0
        return passed or abs(hand - stands) <= _TOUCHES

    def left(self, stands: float) -> None:
        """Where the gauge stands after it was moved: further moves go on from there."""
        self._left_at = stands
