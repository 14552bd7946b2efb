"""What a kit lacks or has twice, each as a search that would mend it."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from puddle.kit.model.roles import Role
from puddle.library.search import Query

_TWINS = 28.0  # in units of likeness: two pads that are hardly told apart
_HIGH_HZ = 8000.0
_SAME_LENGTH = 1.25
_WANTED: tuple[Role, ...] = ("kick", "snare", "hat")


class Heard(msgspec.Struct, frozen=True, eq=False):
    """What a pad sounds like."""

    name: str
    role: Role
    length_ms: float
    brightness_hz: float
    row: np.ndarray


class Gap(msgspec.Struct, frozen=True):
    """A sentence, and the search that finds what would mend it."""

    said: str
    query: Query


def gaps(pads: Sequence[Heard]) -> list[Gap]:
    """What is missing or double among the pads of a kit."""
    found = []
    for role in _WANTED:
        if not any(pad.role == role for pad in pads):
            found.append(Gap(f"There is no {role}.", Query(roles=(role,))))
    if pads and all(pad.brightness_hz < _HIGH_HZ for pad in pads):
        found.append(
            Gap("No sound is bright: none has its center over 8 kHz.",
                Query(ranges={"brightness_hz": (_HIGH_HZ, float("inf"))}))
        )  # fmt: skip
    found += _of_one_length(pads)
    found += _twins(pads)
    return found


def _of_one_length(pads: Sequence[Heard]) -> list[Gap]:
    hats = [pad.length_ms for pad in pads if pad.role == "hat" and pad.length_ms > 0.0]
    if len(hats) < 2 or max(hats) > _SAME_LENGTH * min(hats):
        return []
    middle = float(np.median(hats))
    short = middle > 250.0
    ends = (0.0, 0.5 * middle) if short else (3.0 * middle, float("inf"))
    said = (
        "All hats are of one length: a shorter one" if short else "All hats are short: an open one"
    )
    return [Gap(f"{said} is missing.", Query(roles=("hat",), ranges={"length_ms": ends}))]


def _twins(pads: Sequence[Heard]) -> list[Gap]:
    found = []
    for n, pad in enumerate(pads):
        for other in pads[:n]:
            near = float(np.abs(pad.row - other.row).sum())
            if pad.role == other.role and near < _TWINS:
                said = f"{other.name} and {pad.name} sound nearly the same."
                found.append(Gap(said, Query(roles=(pad.role,))))
    return found
