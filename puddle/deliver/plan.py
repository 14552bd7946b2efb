"""What is to be written: a list that can be looked at before anything is made."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from puddle.deliver.options import What

LATER = 1 << 20


def turn_of(place: int) -> int:
    """Of a pad's files: those of one pad are made together, from takes that are still kept."""
    return LATER + place


class Planned(msgspec.Struct, frozen=True, eq=False):
    """A file: its place below the folder, how large it will be about, and how it is made.

    `make` is called on any thread, after those that do not come `last`.
    """

    path: str
    what: What | str
    size: int  # bytes
    make: Callable[[], bytes]
    dye: str = "slate"
    last: bool = False
    turn: int = LATER  # those with a lower one are begun first: what takes longest


class Plan(msgspec.Struct, eq=False):
    """Files in the order in which they are told, and what will not be as it is in the kit."""

    name: str
    files: list[Planned] = msgspec.field(default_factory=list)
    told: list[str] = msgspec.field(default_factory=list)  # sentences

    @property
    def size(self) -> int:
        """About how many bytes all is."""
        return sum(one.size for one in self.files)

    def of(self, what: str) -> list[Planned]:
        """The files of one kind."""
        return [one for one in self.files if one.what == what]
