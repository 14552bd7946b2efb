"""Commands and tables on their way to the engine: through a ring, kept until the engine lets go."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec
import numpy as np

from puddle.engine import layout
from puddle.engine.graph import Graph, address
from puddle.engine.sequencer import push
from puddle.engine.shared import SharedRings

_RING = 0  # of the thread that owns the engine


class Table(msgspec.Struct, frozen=True, eq=False):
    """A table for the engine: where it lies, what is kept for it, its rows and value."""

    which: int
    address: int
    memory: Any
    count: int = 0
    value: float = 0.0


class _Kept(msgspec.Struct, frozen=True, eq=False):
    """Memory of a table that the engine reads, or will."""

    which: int
    generation: int
    memory: Any


class Sender:
    """The ring buffers, and the memory of every table and take that the engine may still read."""

    def __init__(self) -> None:
        self.rings = SharedRings()
        self.tables = np.zeros(layout.TABLES, layout.TABLE)  # as the engine reads them now
        self.kept: list[_Kept] = []
        self.retired_takes: list[tuple[int, np.ndarray]] = []
        self._generation = 0
        self._unsent: dict[int, tuple[int, Table]] = {}  # by table, with its generation
        self.graph: Graph | None = None  # that was sent last: the next one goes on from it

    @property
    def next_generation(self) -> int:
        """The generation that the next tables will have."""
        return self._generation + 1

    def publish(self, tables: Iterable[Table]) -> None:
        """Replaces tables: the engine goes over to all of them at once, between two quanta.

        A ring that nothing drains is full at last: the newest of each table then waits here.
        """
        self._generation += 1
        for table in tables:
            self._unsent.pop(table.which, None)
            self._unsent[table.which] = self._generation, table
        self._flush()

    def retire(self, takes: Iterable[np.ndarray], generation: int) -> None:
        """Keeps takes until the engine has a table of pads of a generation, which lacks them."""
        self.retired_takes += [(generation, take) for take in takes]

    def push(self, kind: int, a: int = 0, b: int = 0, x: float = 0.0, frame: int = 0) -> bool:
        """A command after the tables that wait; False where the ring is full."""
        self._flush()
        return self._push(kind, a, b, x, frame)

    def _push(
        self, kind: int, a: int = 0, b: int = 0, x: float = 0.0, frame: int = 0, count: int = 0
    ) -> bool:
        return bool(push(self.rings.address, _RING, kind, a, b, count, x, frame, 0.0))

    @property
    def written(self) -> int:
        """How many commands were sent so far."""
        return int(self.rings.headers[_RING]["written"])

    @property
    def read(self) -> int:
        """How many of them the engine has taken."""
        return int(self.rings.headers[_RING]["read"])

    def _flush(self) -> None:
        """Sends what waits as one command: a graph before the pads that speak of it."""
        if not self._unsent:
            return
        waiting = sorted(self._unsent.values(), key=lambda one: one[1].which)
        rows = np.zeros(len(waiting), layout.PUBLISHED_TABLE)
        for row, (generation, table) in zip(rows, waiting, strict=True):
            row["table"], row["address"] = table.which, table.address
            row["count"], row["generation"] = table.count, generation
            row["value"] = table.value
        # Kept before it is sent, for the engine may come for it at once; the list of the tables
        # itself is read with the first of them.
        before = self.kept
        sent = [_Kept(t.which, generation, (t.memory, rows)) for generation, t in waiting]
        self.kept = [*before, *sent]
        if not self._push(layout.PUBLISHED, address(rows), count=len(rows)):
            self.kept = before
            return
        self._unsent.clear()
        graph = next((t.memory for _, t in waiting if t.which == layout.GRAPH), None)
        if graph is not None:
            self.graph = graph

    def graph_in_force(self, generation: int) -> Graph | None:
        """The graph of a generation that the engine has taken."""
        graphs = (k for k in self.kept if k.which == layout.GRAPH and k.generation == generation)
        found = next(graphs, None)
        return found.memory[0] if found is not None else None

    def free(self, voices: np.ndarray) -> None:
        """Lets go of tables and takes that the engine, and what sounds, no longer read."""
        read = self.tables["generation"].tolist()
        self.kept = [kept for kept in self.kept if kept.generation >= read[kept.which]]
        sounding = set(voices["take"][voices["state"] != layout.FREE].tolist())
        self.retired_takes = [
            (generation, take)
            for generation, take in self.retired_takes
            if generation > read[layout.PADS] or address(take) in sounding
        ]
