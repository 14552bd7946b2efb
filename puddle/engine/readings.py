"""What an engine tells of itself: where it is, what sounds, meters."""

from __future__ import annotations

import msgspec
import numpy as np

from puddle.engine import layout
from puddle.engine.graph import Graph, SlotMemory
from puddle.engine.safety import latency_frames
from puddle.engine.sending import Sender
from puddle.kernels.limiting import LIMITER_DEEPEST
from puddle.units import db_from_gain


class Asked(msgspec.Struct, frozen=True):
    """What the engine was told of its groove: true from the next block on."""

    written: int  # commands sent when it was told: 0 before anything was
    playing: bool
    beat: float  # from which it starts


def _told(memory: SlotMemory, cell: int) -> float:
    """How far a stage turned down at most since it was last asked, in dB."""
    deepest = float(memory.state[cell])
    memory.state[cell] = 0.0
    return float(memory.insert.reduction_db(deepest)) if deepest else 0.0


class Readings:
    """Reads the tables that the callback writes."""

    rate_hz: float
    _record: np.ndarray
    _struck: np.ndarray
    _struck_velocity: np.ndarray
    _meters: np.ndarray
    _master_kept: tuple[float, float] = (0.0, 0.0)  # what the meter took since all were read
    _graph: Graph | None
    _safety: np.ndarray
    _scopes: np.ndarray
    _pad_meters: np.ndarray
    _rings: np.ndarray
    sender: Sender
    _asked: Asked

    @property
    def clock(self) -> int:
        """Frames made so far."""
        return int(self._record[0]["clock"])

    @property
    def playing(self) -> bool:
        """Whether the pattern runs, or will from the next block on."""
        if self._waits:
            return self._asked.playing
        return bool(self._record[0]["playing"])

    @property
    def _waits(self) -> bool:
        """Whether the card has not come for what was asked of the groove last."""
        return self.sender.read < self._asked.written

    @property
    def beat(self) -> float:
        """Where the groove is, in beats from its first step; under zero while it is counted in."""
        if self._waits and self._asked.playing:
            return self._asked.beat
        return float(self._record[0]["beat"])

    def heard_beat(self, frame: float) -> float:
        """The beat of the groove that is heard with a frame that was delivered."""
        if self._waits and self._asked.playing:
            return self._asked.beat
        record = self._record[0]
        since = frame - self.delay_frames - float(record["base_frame"])
        return float(record["base_beat"]) + since * float(record["bpm"]) / (60.0 * self.rate_hz)

    @property
    def delay_frames(self) -> int:
        """By how many frames stages and the safety limiter delay what is delivered."""
        return self.latency_frames + latency_frames(self.rate_hz)

    @property
    def sounding(self) -> int:
        """How many voices sound."""
        return int(self._record[0]["sounding"])

    @property
    def poisoned(self) -> int:
        """The count of quanta in which a NaN or infinity was muted."""
        return int(self._record[0]["poisoned"])

    @property
    def latency_frames(self) -> int:
        """By how many frames the stages of buses and master delay what is heard."""
        return self._graph.latency_frames if self._graph else 0

    def struck(self) -> bytes:
        """The pads' counts as they lie in memory: others with each strike."""
        return self._struck.tobytes()

    def strikes(self) -> tuple[np.ndarray, np.ndarray]:
        """How often each pad was struck so far, and how hard last: copies."""
        return self._struck.copy(), self._struck_velocity.copy()

    def master_peaks(self) -> tuple[float, float]:
        """The master's peaks since they were last read, linear."""
        last = int(self.sender.tables[layout.GRAPH]["count"]) - 1  # of what plays now
        left, right = self._meters[last].tolist()
        self._meters[last] = 0.0
        kept = self._master_kept  # for those who ask for all levels
        self._master_kept = max(kept[0], left), max(kept[1], right)
        return left, right

    def reduction_db(self, bus_id: str, stage_id: str) -> float:
        """The deepest reduction of a running stage since it was last asked."""
        for key, memory, cell in self._graph.reducing if self._graph else ():
            if key == (bus_id, stage_id):
                return _told(memory, cell)
        return 0.0

    def reductions_db(self) -> dict[tuple[str, str], float]:
        """The same of every running stage that has one: by bus, or pad, and stage."""
        reducing = self._graph.reducing if self._graph else ()
        return {key: _told(memory, cell) for key, memory, cell in reducing}

    def levels(self) -> dict[str, tuple[float, float]]:
        """The peaks of each bus since they were last read, linear, by name: left, right."""
        if self._graph is None:
            return {}
        count = len(self._graph.order)
        found = self._meters[:count].tolist()
        self._meters[: count - 1] = 0.0  # the master's are read by the meter on the shore
        kept, (left, right) = self._master_kept, found[-1]
        found[-1] = max(kept[0], left), max(kept[1], right)
        self._master_kept = (0.0, 0.0)
        return {
            name: (left, right)
            for name, (left, right) in zip(self._graph.order, found, strict=True)
        }

    def pad_levels(self) -> list[float]:
        """The peaks of the pads since they were last read, linear, in the kit's order."""
        found: list[float] = self._pad_meters.tolist()
        self._pad_meters[:] = 0.0
        return found

    def heard(self, which: int, frames: int) -> tuple[np.ndarray, int]:
        """The latest frames of a ring, float32 (up to `frames`, 2), and how many there were ever.

        Of the oldest quarter of a ring some may be overwritten meanwhile: it is not given.
        """
        written = int(self._scopes[which]["written"])
        count = min(frames, written, 3 * layout.SCOPE_FRAMES // 4)
        places = np.arange(written - count, written) % layout.SCOPE_FRAMES
        return self._rings[which][places], written

    def safety_reduction_db(self) -> float:
        """How far the limiter before the card turned down at most since it was last asked."""
        deepest = float(self._safety[LIMITER_DEEPEST])
        self._safety[LIMITER_DEEPEST] = 0.0
        return -db_from_gain(1.0 - deepest) if deepest > 0.0 else 0.0
