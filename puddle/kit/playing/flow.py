"""Where sound flows in a kit: from pads and buses into buses and the master, and along sends.

Used by edits, that refuse a way that leads back to where it came from, and by the engine, which
runs buses in an order in which each comes after all that flow into it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import msgspec

from puddle.kit.model.document import Bus, Kit
from puddle.stages import keys_of


def targets(bus: Bus) -> tuple[str, ...]:
    """The buses that a bus flows into: the one it goes to, then those it is sent to."""
    return (bus.into, *(send.bus for send in bus.sends))


def leads_to(kit: Kit, start: str, end: str) -> bool:
    """Whether what enters a bus comes to another one, or is there already."""
    return start == end or end in reached({start}, {bus.id: targets(bus) for bus in kit.buses})


def is_before(kit: Kit, start: str, end: str) -> bool:
    """Whether a bus has to be run before another: it leads there, or something there hears it."""
    ways = {bus.id: [*targets(bus)] for bus in kit.buses}
    for bus in kit.buses:
        for key in keys_of(bus.stages):
            if key in ways:
                ways[key].append(bus.id)
    return start == end or end in reached({start}, ways)


def has_loop(kit: Kit) -> bool:
    """Whether any bus comes back to itself."""
    return any(leads_to(kit, target, bus.id) for bus in kit.buses for target in targets(bus))


def in_order(names: Iterable[str], ways: Mapping[str, Iterable[str]]) -> list[str]:
    """Names such that each comes before all that it flows into; else as they came.

    A way that would lead back is passed over.
    """
    made: list[str] = []
    state: dict[str, int] = {}
    known = list(names)
    inside = set(known)

    def visit(name: str) -> None:
        state[name] = 1
        for target in ways.get(name, ()):
            if target in inside and target not in state:
                visit(target)
        state[name] = 2
        made.append(name)

    for name in reversed(known):
        if name not in state:
            visit(name)
    return made[::-1]


class Heard(msgspec.Struct, frozen=True):
    """What is heard while something is solo; without a solo everything is."""

    all: bool
    pads: frozenset[str] = frozenset()
    ways: frozenset[tuple[str, str]] = frozenset()  # from a bus, or `pad_way` of a pad, to a bus

    def share(self, name: str, target: str) -> float:
        """1 where a way is heard, else 0."""
        return 1.0 if self.all or (name, target) in self.ways else 0.0


def pad_way(pad_id: str) -> str:
    """What a pad is called among buses."""
    return f"\0{pad_id}"


def audible(kit: Kit) -> Heard:
    """What is heard: what is solo, what flows into it, and where all of it flows and is sent.

    Of what is only sent to something that is solo the other ways are cut. Safe buses stay.
    """
    solo = {bus.id for bus in kit.buses if bus.solo}
    solo |= {pad_way(pad.id) for pad in kit.pads if pad.solo}
    if not solo:
        return Heard(True)
    ways = {bus.id: targets(bus) for bus in kit.buses}
    ways |= {pad_way(p.id): (p.bus, *(send.bus for send in p.sends)) for p in kit.pads}
    every = {(name, target) for name, found in ways.items() for target in found}
    inside = reached(solo, _back((name, found[0]) for name, found in ways.items())) | solo
    up = reached(solo, _back(every))
    safe = {bus.id for bus in kit.buses if bus.solo_safe}
    through = inside | reached(inside, ways) | safe
    kept = {
        (name, target)
        for name, target in every
        if name in through or (name in up and target in solo | up)
    }
    pads = frozenset(p.id for p in kit.pads if pad_way(p.id) in solo | up)
    return Heard(False, pads, frozenset(kept))


def _back(ways: Iterable[tuple[str, str]]) -> dict[str, list[str]]:
    """What flows into each, by what it flows into."""
    found: dict[str, list[str]] = {}
    for name, target in ways:
        found.setdefault(target, []).append(name)
    return found


def reached(start: set[str], ways: Mapping[str, Iterable[str]]) -> set[str]:
    """All that is reached from some names, along ways."""
    seen: set[str] = set()
    rest = [target for name in start for target in ways.get(name, ())]
    while rest:
        here = rest.pop()
        if here not in seen:
            seen.add(here)
            rest += ways.get(here, ())
    return seen
