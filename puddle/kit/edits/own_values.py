"""Pads as single hits of a pattern have them: with gauges of their own sound set elsewhere.

Each such pad is rendered and played like one more pad, which shares voices, choke group, bus and
round robin with the pad that it is of.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Sequence

import msgspec

from puddle.errors import EditError, ParameterError
from puddle.kit.edits.address import parameter_at, with_value
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, Layer, OwnValue, Pad, Pattern
from puddle.parameter import parameter

MOST_VARIED = 3600
replace = msgspec.structs.replace
Values = tuple[OwnValue, ...]


class Varied(msgspec.Struct, frozen=True, eq=False):
    """A pad with own values; its id is not that of a pad of the kit."""

    owner: str
    values: Values
    pad: Pad


def may_have(address: Address, pad_id: str) -> bool:
    """Whether a hit of a pad can have a value of its own there: not of what runs live."""
    return bool(address.pad) and address.pad == pad_id and not address.runs_live


def varied_pad(pad: Pad, values: Values) -> Pad:
    """The pad with the values set that are there and in range; what is gone is passed over."""
    kit = Kit(name="", pads=(replace(pad, link=None),))
    for own in values:
        if not may_have(own.address, pad.id):
            continue
        try:
            known = parameter_at(kit, own.address)
            kit = with_value(kit, own.address, known.clamped(own.value))
        except (EditError, ParameterError):
            continue
    return replace(kit.pads[0], id=varied_id(pad.id, values), notes=pad.notes)


def varied_id(pad_id: str, values: Values) -> str:
    """The id of a pad with own values; equal values have equal ids."""
    told = hashlib.blake2b(msgspec.json.encode(values), digest_size=9).hexdigest()
    return f"{pad_id}\0{told}"


class VariedPads:
    """Remembers the pads with own values, so that what did not change stays the same object."""

    def __init__(self) -> None:
        self._known: dict[tuple[str, Values], tuple[Pad, Varied]] = {}
        self._named: dict[int, tuple[Pattern, tuple[tuple[str, Values], ...]]] = {}

    def of(
        self, kit: Kit, patterns: Iterable[Pattern], *, pedal: bool = False
    ) -> tuple[Varied, ...]:
        """One for each pad and set of own values in some patterns, in their order.

        With `pedal` those come first that a hat pedal plays, whatever the patterns hold.
        """
        made: dict[tuple[str, Values], tuple[Pad, Varied]] = {}
        pads = {pad.id: pad for pad in kit.pads}
        named: dict[int, tuple[Pattern, tuple[tuple[str, Values], ...]]] = {}
        if pedal:
            for one in kit.pads:
                for values in opened_values(one):
                    made[one.id, values] = self._pad_of(one, values)
        for pattern in patterns:
            found = self._named.get(id(pattern))
            if found is None or found[0] is not pattern:
                found = (pattern, _named_in(pattern))
            named[id(pattern)] = found
            for key in found[1]:
                pad = pads.get(key[0])
                if pad is None or key in made or len(made) >= MOST_VARIED:
                    continue
                made[key] = self._pad_of(pad, key[1])
        self._known, self._named = made, named
        return tuple(varied for _, varied in made.values())

    def _pad_of(self, pad: Pad, values: Values) -> tuple[Pad, Varied]:
        known = self._known.get((pad.id, values))
        if known is None or known[0] is not pad:
            known = (pad, Varied(pad.id, values, varied_pad(pad, values)))
        return known


def opened_values(pad: Pad) -> tuple[Values, ...]:
    """The own values of a pad at each opening of a hat pedal, from closed to open; or none.

    By alternates each is heard alone, by layers all others are at their softest.
    """
    if pad.pedal == "by alternates":
        address = Address(of="pad", pad=pad.id, field="alternate")
        return tuple(
            (OwnValue(address=address, value=n + 1.0),) for n in range(len(pad.alternates))
        )
    layers = pad.sound.layers
    if pad.pedal == "no" or len(layers) < 2:
        return ()
    known = parameter(Layer, "level_db")
    silent = {
        layer.id: OwnValue(
            address=Address(of="layer", pad=pad.id, layer=layer.id, field="level_db"),
            value=known.low,
        )
        for layer in layers
    }
    return tuple(
        tuple(own for layer_id, own in silent.items() if layer_id != layer.id) for layer in layers
    )


def _named_in(pattern: Pattern) -> tuple[tuple[str, Values], ...]:
    """The pads and own values that a pattern's hits have."""
    return tuple(
        dict.fromkeys(
            (lane.pad, hit.values) for lane in pattern.lanes for hit in lane.hits if hit.values
        )
    )


def varied_velocities(patterns: Iterable[Pattern]) -> dict[str, frozenset[float]]:
    """The velocities at which pads with own values are struck, by their ids; but for scatter."""
    found: dict[str, set[float]] = {}
    for pattern in patterns:
        for lane in pattern.lanes:
            for hit in lane.hits:
                if hit.values:
                    struck = found.setdefault(varied_id(lane.pad, hit.values), set())
                    struck.add(float(hit.velocity))
    return {pad: frozenset(struck) for pad, struck in found.items()}


def varied_pads(kit: Kit, patterns: Sequence[Pattern]) -> tuple[Varied, ...]:
    """The same, once."""
    return VariedPads().of(kit, patterns)
