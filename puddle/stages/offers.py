"""The stages that can be added, by name; of those that come in kinds, each kind."""

import msgspec

from puddle.parameter import changed, parameters
from puddle.stages import PROCESSES, AnyProcess, Gain

_IN_KINDS = "kind"  # the field of a process that comes in several


class Offer(msgspec.Struct, frozen=True):
    """A stage as it is added: ``Reverb``, of kind ``metal``; no kind where there is one only."""

    name: str
    kind: str
    process: AnyProcess

    @property
    def words(self) -> str:
        """``Reverb, metal``."""
        return f"{self.name}, {self.kind}" if self.kind else self.name


def offered() -> list[Offer]:
    """Every stage in the order of the list of processes, and Gain as what normalizes."""
    found = []
    for kind in PROCESSES:
        name = kind.noun.capitalize()
        known = next((p for p in parameters(kind) if p.field == _IN_KINDS), None)
        if known is None:
            found.append(Offer(name, "", kind()))
        else:
            found += [
                Offer(name, one, changed(kind(), **{_IN_KINDS: one})) for one in known.choices
            ]
    found += [
        Offer("Normalize", "peak", Gain(normalize="peak")),
        Offer("Normalize", "loudness", Gain(normalize="loudness", target_db=-14.0)),
    ]
    return found
