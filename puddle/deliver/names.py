"""Names of files, made of a scheme: words in braces stand for what a sound is."""

from __future__ import annotations

import re
from collections.abc import Mapping

from puddle.files import writable

FIELDS: dict[str, str] = {
    "kit": "the kit's name",
    "pad": "the pad's name",
    "number": "the pad's number, two digits",
    "role": "its role",
    "note": "its measured pitch, as C2; nothing where it has none",
    "key": "the first key that plays it, as C2",
    "velocity": "the hardest velocity that plays it, three digits",
    "turn": "its turn in the round robin; nothing where it has one",
    "alternate": "the alternate's name; nothing for a pad without",
    "tempo": "the kit's tempo, whole bpm",
}
_FIELD = re.compile(r"\{([a-z]*)\}")
_LONGEST = 120


def named(scheme: str, values: Mapping[str, str]) -> str:
    """A file's name without its suffix, as any system writes it.

    A word whose field is empty is left out with the letters that stand beside it: "r{turn}" where
    there are no turns is nothing.
    """
    words = []
    for word in scheme.split():
        found = _FIELD.findall(word)
        if found and all(not values.get(field, "") for field in found):
            continue
        words.append(_FIELD.sub(lambda match: values.get(match.group(1), ""), word))
    return writable(" ".join(words))[:_LONGEST]


def unknown(scheme: str) -> list[str]:
    """The fields of a scheme that there are none of."""
    return [field for field in _FIELD.findall(scheme) if field not in FIELDS]


class Taken:
    """Names that are given out once: a second one of the same is numbered, whatever its case."""

    def __init__(self) -> None:
        self._taken: set[str] = set()

    def free(self, path: str) -> str:
        """The path, or the same with a number before its suffix."""
        stem, dot, suffix = path.rpartition(".")
        found, count = path, 1
        while found.casefold() in self._taken:
            count += 1
            found = f"{stem} {count}{dot}{suffix}"
        self._taken.add(found.casefold())
        return found
