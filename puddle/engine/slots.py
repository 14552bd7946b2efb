"""Stable slots: the engine's names for pads, for pads with own values of hits, and the audition.

Rows of a table of pads come and go with every edit. A slot stays a pad's from when the pad appears
until the engine has let go of it, wherever the pad moves meanwhile; a pad that comes back by undo
gets it again. See `layout` for the numbers.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Mapping

import msgspec

from puddle.engine.layout import NO_SLOT, OWN_SLOTS, PAD_SLOTS, SLOTS


class _Range(msgspec.Struct):
    """Slot indices of one kind of pad, and how many tenants each has had."""

    free: deque[int]
    tenants: dict[int, int]


def _range(first: int, count: int) -> _Range:
    return _Range(deque(range(first, first + count)), {})


class Slots:
    """Gives slots to pads by their ids, and takes them back once nothing reads them any more."""

    def __init__(self) -> None:
        self._pads, self._own = _range(0, PAD_SLOTS), _range(PAD_SLOTS, OWN_SLOTS)
        self._live: dict[str, int] = {}
        self._names: dict[int, str] = {}  # of live and leaving slots
        self._leaving: dict[int, int] = {}  # by slot: the first generation of pads without it

    @property
    def live(self) -> Mapping[str, int]:
        """The slots of the pads that were assigned last, by id; another object after a change."""
        return self._live

    def slot(self, pad_id: str) -> int:
        """The slot of a pad; NO_SLOT where it has none."""
        return self._live.get(pad_id, NO_SLOT)

    def pad(self, slot: int) -> str:
        """The id of the pad that has a slot, or had it and rings on; empty for none."""
        return self._names.get(slot, "")

    def assign(self, pads: Iterable[str], own: Iterable[str], generation: int) -> dict[str, int]:
        """Slots for the ids of a table of pads, and of pads with own values, in their order.

        `generation` is that of the table. Ids that it lacks leave their slots.
        """
        ranges = [(name, self._pads) for name in pads] + [(name, self._own) for name in own]
        live = {name: self._live.get(name, NO_SLOT) for name, _ in ranges}
        if live.keys() == self._live.keys():
            return self._live
        for name, slot in self._live.items():
            if name not in live:
                self._leaving[slot] = generation
        back = {self._names[slot]: slot for slot in self._leaving}
        for name, range_ in ranges:
            if live[name] != NO_SLOT:
                continue
            comes_back = back.get(name, NO_SLOT) in self._leaving
            live[name] = back[name] if comes_back else self._new(name, range_)
            self._leaving.pop(live[name], None)
        self._live = live
        return live

    def _new(self, name: str, range_: _Range) -> int:
        if not range_.free:  # nothing runs the engine: no one reads what leaves
            self._free(next(slot for slot in self._leaving if slot % SLOTS in range_.tenants))
        index = range_.free.popleft()
        tenant = range_.tenants.get(index, -1) + 1
        range_.tenants[index] = tenant
        slot = tenant * SLOTS + index
        self._names[slot] = name
        return slot

    def _free(self, slot: int) -> None:
        del self._leaving[slot], self._names[slot]
        index = slot % SLOTS
        (self._pads if index < PAD_SLOTS else self._own).free.append(index)

    def let_go(self, generation: int, sounding: set[int]) -> None:
        """Frees slots that a table of pads in force, and what sounds, no longer name."""
        for slot, first in list(self._leaving.items()):
            if first <= generation and slot not in sounding:
                self._free(slot)
