"""What an engine tells of itself: where it is, what sounds, meters."""

from __future__ import annotations

import msgspec
import numpy as np

from puddle.engine import layout
from puddle.engine.graph import Graph, SlotMemory
from puddle.engine.peaks import take_peaks
from puddle.engine.safety import latency_frames
from puddle.engine.sending import Sender
from puddle.engine.slots import Slots
from puddle.kernels.limiting import LIMITER_DEEPEST
from puddle.units import db_from_gain


class Asked(msgspec.Struct, frozen=True):
    """What the engine was told of its groove: true from the next block on."""

    written: int  # commands sent when it was told: 0 before anything was
    playing: bool
    beat: float  # from which it starts


class Repeat(msgspec.Struct, frozen=True):
    """A stroke of note repeat: the pad, 1 to 127, the engine's frame, the groove's beat if any."""

    pad: str
    velocity: float
    frame: int
    beat: float | None


def _reduction_db(memory: SlotMemory, cell: int) -> float:
    """How far a stage turned down at most since it was last asked, in dB."""
    (deepest,) = take_peaks(memory.state[cell : cell + 1])
    return float(memory.insert.reduction_db(deepest)) if deepest else 0.0


class Readings:
    """Reads the tables that the callback writes."""

    rate_hz: float
    _record: np.ndarray
    _struck: np.ndarray
    _struck_velocity: np.ndarray
    _tenants: np.ndarray
    _strokes: np.ndarray
    _strokes_count: np.ndarray
    slots: Slots
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
        shown = self.sender.rings.shown()  # all of one block
        since = frame - shown.late - latency_frames(self.rate_hz) - shown.base_frame
        return shown.base_beat + since * (shown.bpm or 120.0) / (60.0 * self.rate_hz)

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
        return self._struck[: layout.PAD_SLOTS].tobytes()

    def strikes(self) -> dict[str, tuple[int, float]]:
        """By pad id: how often each pad was struck since it has its slot, and how hard last."""
        counts = self._struck[: layout.PAD_SLOTS].tolist()
        velocities = self._struck_velocity[: layout.PAD_SLOTS].tolist()
        tenants = self._tenants[: layout.PAD_SLOTS].tolist()
        return {
            name: (counts[slot % layout.SLOTS], velocities[slot % layout.SLOTS])
            for name, slot in self.slots.live.items()
            if slot % layout.SLOTS < layout.PAD_SLOTS and tenants[slot % layout.SLOTS] == slot
        }

    def repeated(self, seen: int) -> tuple[list[Repeat], int]:
        """What note repeat has struck since so many strokes, and how many there are now.

        Of more than layout.STROKES the oldest are lost.
        """
        count = int(self._strokes_count[0])
        first = max(seen, count - layout.STROKES // 2)
        rows = self._strokes[np.arange(first, count) % layout.STROKES]
        found = []
        for row in rows.tolist():
            slot, velocity, frame, playing, beat = row
            beat = beat if playing else None
            found.append(Repeat(self.slots.pad(slot), velocity, frame, beat))
        return found, count

    def master_peaks(self) -> tuple[float, float]:
        """The master's peaks since they were last read, linear."""
        graph = self._graph_in_force
        if graph is None:
            return 0.0, 0.0
        (left,) = take_peaks(graph.buses["peak_left"][-1:])
        (right,) = take_peaks(graph.buses["peak_right"][-1:])
        kept = self._master_kept  # for those who ask for all levels
        self._master_kept = max(kept[0], left), max(kept[1], right)
        return left, right

    def reduction_db(self, bus_id: str, stage_id: str) -> float:
        """The deepest reduction of a running stage since it was last asked."""
        for key, memory, cell in self._graph.reducing if self._graph else ():
            if key == (bus_id, stage_id):
                return _reduction_db(memory, cell)
        return 0.0

    def reductions_db(self) -> dict[tuple[str, str], float]:
        """The same of every running stage that has one: by bus, or pad, and stage."""
        reducing = self._graph.reducing if self._graph else ()
        return {key: _reduction_db(memory, cell) for key, memory, cell in reducing}

    def levels(self) -> dict[str, tuple[float, float]]:
        """The peaks of each bus since they were last read, linear, by name: left, right."""
        graph = self._graph_in_force
        if graph is None:
            return {}
        # The master's are taken by the meter on the shore.
        lefts = take_peaks(graph.buses["peak_left"][:-1])
        rights = take_peaks(graph.buses["peak_right"][:-1])
        master = graph.buses[-1]
        kept, self._master_kept = self._master_kept, (0.0, 0.0)
        found = dict(zip(graph.order, zip(lefts, rights, strict=True), strict=False))
        left, right = float(master["peak_left"]), float(master["peak_right"])
        return {**found, graph.order[-1]: (max(kept[0], left), max(kept[1], right))}

    @property
    def _graph_in_force(self) -> Graph | None:
        """The buses that the engine runs: those that were sent last, once it has taken them."""
        return self.sender.graph_in_force(int(self._record[0]["graph_newest"]))

    def pad_levels(self) -> dict[str, float]:
        """The peaks of the pads since they were last read, linear, by the pad's id."""
        levels = take_peaks(self._pad_meters[: layout.PAD_SLOTS])
        return {
            name: levels[slot % layout.SLOTS]
            for name, slot in self.slots.live.items()
            if slot % layout.SLOTS < layout.PAD_SLOTS
        }

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
        (deepest,) = take_peaks(self._safety[LIMITER_DEEPEST : LIMITER_DEEPEST + 1])
        return -db_from_gain(1.0 - deepest) if deepest > 0.0 else 0.0
