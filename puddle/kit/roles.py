"""The drum roles: names, dyes, and notes in the general MIDI percussion map."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Role = Literal["kick", "snare", "clap", "hat", "cymbal", "tom", "percussion", "bass", "effect"]
Dye = Literal["indigo", "madder", "cochineal", "verdigris", "weld", "walnut", "logwood", "slate"]

DYES: tuple[Dye, ...] = (
    "indigo",
    "madder",
    "weld",
    "verdigris",
    "cochineal",
    "walnut",
    "logwood",
    "slate",
)


@dataclass(frozen=True, slots=True)
class RoleFacts:
    """What follows from a role."""

    dye: Dye
    notes: tuple[int, ...]
    loudness_lufs: float  # median of the starting points that ship, at full strength


ROLES: dict[Role, RoleFacts] = {
    "kick": RoleFacts("indigo", (36, 35), -15.9),
    "snare": RoleFacts("madder", (38, 40, 37), -19.1),
    "clap": RoleFacts("cochineal", (39,), -23.4),
    "hat": RoleFacts("verdigris", (42, 46, 44), -21.0),
    "cymbal": RoleFacts("weld", (49, 51, 57, 53, 55, 52), -18.5),
    "tom": RoleFacts("walnut", (45, 47, 50, 43, 48, 41), -21.3),
    "percussion": RoleFacts("logwood", (54, 56, 70, 75, 76, 77, 60, 61, 62, 63, 64, 65), -20.0),
    "bass": RoleFacts("slate", (24, 26, 28, 31), -16.5),
    "effect": RoleFacts("slate", (80, 81, 82), -22.3),
}


def free_note(role: Role, taken: frozenset[int]) -> int | None:
    """The role's first general MIDI note that is not taken, else the first free one from C1 up."""
    for note in (*ROLES[role].notes, *range(24, 128)):
        if note not in taken:
            return note
    return None
