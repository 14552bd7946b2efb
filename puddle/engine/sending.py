"""Commands and tables on their way to the engine: through a ring, kept until the engine lets go."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from puddle.engine import layout
from puddle.engine.graph import address
from puddle.engine.sequencer import push
from puddle.engine.shared import SharedRings

_RING = 0  # of the thread that owns the engine


class Sender:
    """The ring buffers, and the memory of every table and take that the engine may still read."""

    def __init__(self) -> None:
        self.rings = SharedRings()
        self.tables = np.zeros(layout.TABLES, layout.TABLE)  # as the engine reads them now
        self.kept: list[tuple[int, int, Any]] = []  # (which table, its generation, its memory)
        self.retired_takes: list[tuple[int, np.ndarray]] = []
        self._generation = 0
        self._unsent: dict[int, tuple[int, int, int, float]] = {}
        self.graph: Any = None  # the memory of the bus graph that was sent last

    def send(self, table: int, place: int, memory: Any, count: int = 0, value: float = 0.0) -> None:
        """Replaces a table: its address, what is kept for it, its rows and value.

        A ring that nothing drains is full at last: the newest of each table then waits here.
        """
        self._generation += 1
        if memory is not None:
            self.kept.append((table, self._generation, memory))
        self._unsent.pop(table, None)
        self._unsent[table] = (place, self._generation, count, value)
        self._flush()

    def retire(self, takes: Iterable[np.ndarray]) -> None:
        """Takes that the table sent last no longer names."""
        self.retired_takes += [(self._generation, take) for take in takes]

    def push(self, kind: int, a: int = 0, b: int = 0, x: float = 0.0, frame: int = 0) -> bool:
        """A command after the tables that wait; False where the ring is full."""
        self._flush()
        return bool(push(self.rings.address, _RING, kind, a, b, 0, 0, x, frame))

    @property
    def written(self) -> int:
        """How many commands were sent so far."""
        return int(self.rings.headers[_RING]["written"])

    @property
    def read(self) -> int:
        """How many of them the engine has taken."""
        return int(self.rings.headers[_RING]["read"])

    def _flush(self) -> None:
        """Sends tables that wait, oldest first: a graph before the pads that speak of it."""
        sent = layout.TABLE_SENT
        for table, (place, generation, count, value) in list(self._unsent.items()):
            rings = self.rings.address
            if not push(rings, _RING, sent, place, generation, count, table, value, 0):
                return
            del self._unsent[table]
            if table == layout.GRAPH:
                self.graph = next(memory for t, g, memory in self.kept if g == generation)

    def free(self, voices: np.ndarray) -> None:
        """Lets go of tables and takes that the engine, and what sounds, no longer read."""
        read = self.tables["generation"].tolist()
        self.kept = [kept for kept in self.kept if kept[1] >= read[kept[0]]]
        sounding = set(voices["take"][voices["state"] != layout.FREE].tolist())
        self.retired_takes = [
            (generation, take)
            for generation, take in self.retired_takes
            if generation > read[layout.PADS] or address(take) in sounding
        ]
