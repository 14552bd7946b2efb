"""A stage in its place: a process with levels before and after it, and a dry blend.

out = output · ((1 − dry) · process(input · x) + dry · x), where the untouched x is delayed by the
process's latency, so that a blend never combs. A process that turns phases blends by itself, in
phase. On a bus the output can be kept as loud as the
input by running powers; for one-shots the render does that exactly (`chain.processed`).
"""

import math
from typing import Any

import msgspec
import numpy as np

from puddle.kernels.quantum import QUANTUM
from puddle.stages.process import Ear, Process, entry_address
from puddle.units import gain_from_db

_MATCHED_S = 0.4


class Insert(msgspec.Struct, frozen=True):
    """What the engine runs for a stage; it answers as a process does."""

    process: Process
    input_db: float = 0.0
    output_db: float = 0.0
    dry: float = 0.0  # in %
    matched: bool = False
    key: str = ""  # what it listens to: a layer, a pad or a bus; empty for what comes in

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """Those of the insert, then those of the process."""
        dry, entered = self.dry / 100.0, gain_from_db(self.input_db)
        if self.process.blends:
            own, dry = self.process.blended_coefficients(rate_hz, dry, entered), 0.0
        else:
            own = self.process.coefficients(rate_hz)
        head = [
            float(self.process.entry()),  # an address: under 2^53, so a double holds it
            entered,
            gain_from_db(self.output_db),
            dry,
            float(self.latency_frames(rate_hz)),
            float(self.matched),
            math.exp(-QUANTUM / (_MATCHED_S * rate_hz)),
        ]
        return np.concatenate([head, own])

    def _own_cells(self, rate_hz: float) -> int:
        from puddle.kernels.inserting import INSERT_FIXED

        return INSERT_FIXED + 2 * self.latency_frames(rate_hz)

    def cells(self, rate_hz: float) -> int:
        """A quantum and a ring of dry frames, then the process's own."""
        return self._own_cells(rate_hz) + self.process.cells(rate_hz)

    def latency_frames(self, rate_hz: float) -> int:
        """That of the process."""
        return self.process.latency_frames(rate_hz)

    def tail_ms(self) -> float:
        """That of the process."""
        return self.process.tail_ms()

    def way(self) -> tuple[Any, ...]:
        """The process's; to begin or end a match would be a leap of the level."""
        return (*self.process.way(), self.matched)

    def ears(self, rate_hz: float) -> list[Ear]:
        """The side-chain inputs of the process and of stages inside it."""
        own = self._own_cells(rate_hz)
        if self.process.keyable:
            return [Ear(own, 0, self.key)]
        return [ear._replace(cell=own + ear.cell) for ear in self.process.ears(rate_hz)]

    def reduction_cell(self, rate_hz: float) -> int | None:
        """Where the process keeps its deepest reduction."""
        cell = self.process.reduction_cell()
        return None if cell is None else self._own_cells(rate_hz) + cell

    def reduction_db(self, cell: float) -> float:
        """What that means in dB."""
        return self.process.reduction_db(cell)

    def entry(self) -> int:
        """Levels and dry blend around the process."""
        return entry_address("inserting.insert_entry")
