"""What the finder offers, and which of it fits what was typed: no widgets here."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from functools import lru_cache

import msgspec

_WORD = re.compile(r"[^\s,:·/…]+")


class Entry(msgspec.Struct, frozen=True):
    """Something that can be reached by its name."""

    title: str
    where: str  # what it is, or where it lies; searched too
    go: Callable[[], object]
    rank: int = 0  # among entries that fit equally well, the lower comes first
    keys: str = ""
    value: Callable[[], str] | None = None  # told beside it: asked for only where it is shown


def fitting(entries: Iterable[Entry], typed: str, most: int = 40) -> list[Entry]:
    """Entries in which every typed word begins a word, or stands in the title; the best first."""
    words = _words(typed)
    if not words:
        return []
    scored = []
    for n, entry in enumerate(entries):
        score = _score(_words(entry.title), _words(entry.where), words)
        if score is not None:
            scored.append((score, entry.rank, len(entry.title), n, entry))
    scored.sort(key=lambda s: s[:4])
    return [entry for *_, entry in scored[:most]]


@lru_cache(maxsize=8192)
def _words(text: str) -> tuple[str, ...]:
    return tuple(_WORD.findall(text.casefold()))


def _score(title: tuple[str, ...], where: tuple[str, ...], typed: tuple[str, ...]) -> int | None:
    """How badly it fits; None where it does not."""
    total = 0 if title and title[0].startswith(typed[0]) else 1
    for word in typed:
        if _begins(title, word):
            continue
        if _begins(where, word):
            total += 2
        elif any(word in part for part in title):
            total += 4
        else:
            return None
    return total


def _begins(parts: tuple[str, ...], word: str) -> bool:
    return any(part.startswith(word) for part in parts)
