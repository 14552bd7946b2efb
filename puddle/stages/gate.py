"""Gate: lets through what is loud enough.

It opens where a sample of either side of what it listens to reaches the threshold and shuts once
all have stayed under threshold − hysteresis for the hold. The gain moves by one-poles of the
attack's and the release's time constants between 1 and the floor.
"""

from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import Process, smoothing
from puddle.units import SILENCE_DB, db_from_gain, gain_from_db


class Gate(Process, frozen=True, tag="gate", kw_only=True):
    """Noise gate with hysteresis and hold."""

    noun: ClassVar[str] = "gate"
    compiled: ClassVar[str] = "gating.gate_entry"
    keyable: ClassVar[bool] = True

    threshold_db: Annotated[
        float, number("Threshold", -72, 0, "dB", "What is louder opens the gate.")
    ] = -66.0
    hysteresis_db: Annotated[
        float,
        number("Hysteresis", 0, 24, "dB", "How far under that it must fall before it shuts."),
    ] = 6.0
    attack_ms: Annotated[
        float,
        number("Attack", 0.02, 50, "ms", "How fast it opens.", log=True, decimals=2),
    ] = 0.2
    hold_ms: Annotated[
        float, number("Hold", 0, 1000, "ms", "How long it stays open at least.", decimals=0)
    ] = 20.0
    release_ms: Annotated[
        float,
        number("Release", 1, 2000, "ms", "How fast it shuts: short pulls long tails in.", log=True),
    ] = 40.0
    floor_db: Annotated[
        float, number("Floor", -90, 0, "dB", "How much still passes while it is shut.")
    ] = -90.0

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.gating`."""
        floor = gain_from_db(self.floor_db) if self.floor_db > -90.0 else 0.0
        return np.array(
            [
                gain_from_db(self.threshold_db),
                gain_from_db(self.threshold_db - self.hysteresis_db),
                1.0 + self.hold_ms / 1000.0 * rate_hz,
                smoothing(self.attack_ms, rate_hz),
                smoothing(self.release_ms, rate_hz),
                floor,
            ]
        )

    def cells(self, rate_hz: float) -> int:
        """The key; gain, hold, deepest, and whether it has begun."""
        from puddle.kernels.gating import GATE_CELLS
        from puddle.kernels.keys import KEY_CELLS

        return KEY_CELLS + GATE_CELLS

    def picture(self, rate_hz: float) -> Picture:
        """What leaves for what comes in, growing louder, and behind it growing softer."""
        opens, closes = self.threshold_db, self.threshold_db - self.hysteresis_db
        axis = Axis(-90.0, 0.0, "dB")

        def way(turn: float) -> tuple[tuple[float, float], ...]:
            shut = max(-90.0, turn + self.floor_db)
            return ((-90.0, -90.0), (turn, shut), (turn, turn), (0.0, 0.0))

        handles = (
            Handle("opens", opens, opens, Pull("threshold_db")),
            Handle("shuts", closes, closes, Pull("hysteresis_db", offset=opens, factor=-1.0)),
        )
        return Picture("curve", "out", way(opens), axis, axis, (way(closes),), handles)

    def reduction_cell(self) -> int | None:
        """The deepest 1 - gain."""
        from puddle.kernels.gating import GATE_DEEPEST
        from puddle.kernels.keys import KEY_CELLS

        return KEY_CELLS + GATE_DEEPEST

    def reduction_db(self, cell: float) -> float:
        """From 1 - gain to dB."""
        return min(-SILENCE_DB, -db_from_gain(max(0.0, 1.0 - cell)))
