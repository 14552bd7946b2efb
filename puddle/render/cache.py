"""What has been rendered, by recipe, within a memory cap; the least recently used goes first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

from puddle.tasks import check_cancelled

T = TypeVar("T")
_ASKED_S = 0.05  # between checks whether who waits for another is still wanted


class RenderCache(Generic[T]):
    """A thread-safe memory of renders. `size` tells how many bytes one takes."""

    def __init__(self, most_bytes: int, size: Callable[[T], int]) -> None:
        self._most = most_bytes
        self._size = size
        self._kept: OrderedDict[Hashable, T] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()
        self._being_made: set[Hashable] = set()
        self._made = threading.Condition(self._lock)

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """What is kept under a recipe, or what `make` makes of it: once, whoever else asks."""
        with self._lock:
            while key not in self._kept and key in self._being_made:
                self._made.wait(_ASKED_S)  # and make it all the same if the other could not
                check_cancelled()
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
            self._being_made.add(key)
        try:
            return self._keep(key, make())
        finally:
            with self._lock:
                self._being_made.discard(key)
                self._made.notify_all()

    def _keep(self, key: Hashable, made: T) -> T:
        with self._lock:
            if key not in self._kept:
                self._kept[key] = made
                self._bytes += self._size(made)
            while self._bytes > self._most and len(self._kept) > 1:
                _, gone = self._kept.popitem(last=False)
                self._bytes -= self._size(gone)
        return made

    @property
    def bytes(self) -> int:
        """The bytes that are kept."""
        return self._bytes
