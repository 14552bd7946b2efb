"""The drum roles: names, dyes, and notes in the general MIDI percussion map."""

import re
from typing import Literal

import msgspec

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


class RoleFacts(msgspec.Struct, frozen=True):
    """A role's color, notes and level."""

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


_NAMED: dict[Role, frozenset[str]] = {
    "kick": frozenset({"kick", "kicks", "kik", "kck", "bd", "bassdrum"}),
    "snare": frozenset({"snare", "snares", "snr", "sd", "rim", "rims", "rimshot", "rimshots",
                        "sidestick"}),
    "clap": frozenset({"clap", "claps", "handclap", "clp"}),
    "hat": frozenset({"hat", "hats", "hihat", "hihats", "hh", "chh", "ohh", "phh", "openhat",
                      "closedhat"}),
    "cymbal": frozenset({"cymbal", "cymbals", "cym", "crash", "crashes", "ride", "rides", "splash",
                         "china"}),
    "tom": frozenset({"tom", "toms"}),
    "percussion": frozenset(
        {"perc", "percs", "percussion", "conga", "congas", "bongo", "bongos", "shaker", "shakers",
         "tambourine", "tamb", "cowbell", "triangle",
         "woodblock", "clave", "claves", "cabasa", "maracas", "timbale", "agogo", "guiro"}
    ),
    "bass": frozenset({"bass", "basses"}),
    "effect": frozenset({"fx", "sfx", "effect", "effects", "riser", "risers"}),
}  # fmt: skip
_WORDS = re.compile(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])")


def named_role(file_name: str) -> Role | None:
    """The role that a file's name tells by the trade's words; None where it tells none or several.

    "HiHat_closed-03.wav" is a hat, "bass drum 2.wav" a kick; "kick and snare.wav" is neither.
    """
    words = [word.lower() for word in _WORDS.findall(file_name.rsplit(".", 1)[0])]
    told = " ".join(words).replace("bass drum", "bassdrum").split()
    found = {role for role, names in _NAMED.items() if names & set(told)}
    return found.pop() if len(found) == 1 else None


def with_article(role: Role) -> str:
    """As a sentence has it: "a kick", "an effect"."""
    return f"{'an' if role[0] in 'aeiou' else 'a'} {role}"


def free_note(role: Role, taken: frozenset[int]) -> int | None:
    """The role's first general MIDI note that is not taken, else the first free one from C1 up."""
    for note in (*ROLES[role].notes, *range(24, 128)):
        if note not in taken:
            found: int | None = note
            return found
    return None
