"""Tuples edited: an id that is free, an item replaced or moved."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

T = TypeVar("T")


def fresh_id(prefix: str, taken: Sequence[str]) -> str:
    """An id that is not taken."""
    number = 1
    known = set(taken)
    while f"{prefix}{number}" in known:
        number += 1
    return f"{prefix}{number}"


def replaced(items: tuple[T, ...], old: T, new: T) -> tuple[T, ...]:
    """The items with one of them replaced."""
    return tuple(new if item is old else item for item in items)


def moved(items: tuple[T, ...], start: int, to: int) -> tuple[T, ...]:
    """The items with one of them at another place."""
    rest = list(items)
    item = rest.pop(start)
    rest.insert(max(0, min(to, len(rest))), item)
    return tuple(rest)
