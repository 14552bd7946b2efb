"""Branch: stages of its own, added to what went in.

What goes in is heard at one level, and goes through the branch's stages to be heard at another, so
that a crushed, clipped copy lies under the dry hit. What went in waits for as long as the stages
are late: both meet in time. Branches may hold branches, up to eight deep.

A stage is a process in its place in a row: on or off, between two levels, beside a dry blend.
"""

from collections.abc import Iterable
from typing import Annotated, Any, ClassVar

import msgspec
import numpy as np

from puddle.parameter import Declared, number, switch
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.bands import BandCompressor
from puddle.stages.chorus import Chorus
from puddle.stages.clipper import Clipper
from puddle.stages.compressor import Compressor
from puddle.stages.crusher import Crusher
from puddle.stages.delay import Delay
from puddle.stages.equalizer import Equalizer
from puddle.stages.fade import Fade
from puddle.stages.filter import Filter
from puddle.stages.gain import Gain
from puddle.stages.gate import Gate
from puddle.stages.insert import Insert
from puddle.stages.limiter import Limiter
from puddle.stages.noise import NoiseFollower
from puddle.stages.process import Ear, Measures, Process
from puddle.stages.reverb import Reverb
from puddle.stages.saturator import Saturator
from puddle.stages.stereo import Stereo
from puddle.stages.sub import Sub
from puddle.stages.transient import Transient
from puddle.units import gain_from_db

MOST_DEPTH = 8
_SILENT_DB = -60.0


class Branch(Process, frozen=True, tag="branch", kw_only=True):
    """Parallel processing path with stages of its own."""

    noun: ClassVar[str] = "branch"
    compiled: ClassVar[str] = "branching.branch_entry"

    level_db: Annotated[
        float,
        number("Branch", _SILENT_DB, 12, "dB", "How loud what its stages made lies under the hit."),
    ] = -9.0
    through_db: Annotated[
        float, number("Dry level", _SILENT_DB, 12, "dB", "How loud what went in passes beside it.")
    ] = 0.0
    stages: "tuple[Stage, ...]" = ()

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.depth() > MOST_DEPTH:
            raise ValueError(f"branches go up to {MOST_DEPTH} deep")

    def depth(self) -> int:
        """How deep branches are nested inside it."""
        inner = (s.process.depth() for s in self.stages if isinstance(s.process, Branch))
        return 1 + max(inner, default=0)

    def inserts(self) -> list[Insert]:
        """The inserts of the stages that are on."""
        return [stage.insert for stage in self.stages if stage.on]

    def fitted(self, audio: np.ndarray, rate_hz: float, measures: Measures) -> "Branch":
        """Its stages fitted one after another, each to what the one before it made."""
        from puddle.stages.chain import fitted

        known, heard, late = [], audio, 0
        for stage in self.stages:
            if stage.on:
                insert, heard = fitted(stage.insert, heard, rate_hz, measures.later(late))
                late += insert.latency_frames(rate_hz)
                stage = msgspec.structs.replace(
                    stage, process=insert.process, output_db=insert.output_db, matched=False
                )
            known.append(stage)
        return msgspec.structs.replace(self, stages=tuple(known))

    def at_tempo(self, bpm: float) -> "Branch":
        """The branch with its stages' times at a tempo."""
        paced = [stage.process.at_tempo(bpm) for stage in self.stages]
        if all(now is stage.process for now, stage in zip(paced, self.stages, strict=True)):
            return self
        stages = tuple(
            msgspec.structs.replace(stage, process=now)
            for now, stage in zip(paced, self.stages, strict=True)
        )
        return msgspec.structs.replace(self, stages=stages)

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.branching`."""
        inserts = self.inserts()
        levels = [
            gain_from_db(db) if db > _SILENT_DB else 0.0 for db in (self.level_db, self.through_db)
        ]
        parts = [np.array([len(inserts), *levels, self.latency_frames(rate_hz)], np.float64)]
        for insert in inserts:
            values = insert.coefficients(rate_hz)
            head = [float(insert.entry()), float(insert.cells(rate_hz)), float(values.shape[0])]
            parts += [np.array(head), values]
        return np.concatenate(parts)

    def cells(self, rate_hz: float) -> int:
        """A delay line for the dry path, and its stages' cells."""
        from puddle.kernels.branching import BRANCH_FIXED

        inner = sum(insert.cells(rate_hz) for insert in self.inserts())
        return BRANCH_FIXED + 2 * self.latency_frames(rate_hz) + inner

    def latency_frames(self, rate_hz: float) -> int:
        """The sum of its stages'."""
        return sum(insert.latency_frames(rate_hz) for insert in self.inserts())

    def tail_ms(self) -> float:
        """The sum of its stages'."""
        return sum(insert.tail_ms() for insert in self.inserts())

    def ears(self, rate_hz: float) -> list[Ear]:
        """The sum of its stages'."""
        from puddle.kernels.branching import BRANCH_FIXED

        found, late = [], 0
        cell = BRANCH_FIXED + 2 * self.latency_frames(rate_hz)
        for insert in self.inserts():
            inner = insert.ears(rate_hz)
            found += [Ear(cell + ear.cell, late + ear.late, ear.key) for ear in inner]
            cell += insert.cells(rate_hz)
            late += insert.latency_frames(rate_hz)
        return found

    def way(self) -> tuple[Any, ...]:
        """It and its stages: another one of them is another way."""
        return (Branch, *((s.id, s.insert.way()) for s in self.stages if s.on))

    def picture(self, rate_hz: float) -> Picture:
        """What passes beside it, and the fork of what goes through its stages."""
        axes = Axis(0.0, 1.0, ""), Axis(_SILENT_DB, 15.0, "dB")
        beside = ((0.0, self.through_db), (1.0, self.through_db))
        way = ((0.0, self.through_db), (0.2, self.level_db))
        fork = (*way, (0.8, self.level_db), (1.0, self.through_db))
        handles = (
            Handle("through", 0.5, self.through_db, upwards=Pull("through_db")),
            Handle("branch", 0.4, self.level_db, upwards=Pull("level_db")),
        )
        return Picture("curve", "level", fork, *axes, (beside,), handles)


def keys_of(stages: "Iterable[Stage]") -> set[str]:
    """The ids of what stages, and those in their branches, listen to."""
    found: set[str] = set()
    for stage in stages:
        if stage.process.keyable and stage.key:
            found.add(stage.key)
        if isinstance(stage.process, Branch):
            found |= keys_of(stage.process.stages)
    return found


AnyProcess = (
    Equalizer
    | Compressor
    | BandCompressor
    | Transient
    | Gate
    | Filter
    | Saturator
    | Clipper
    | Crusher
    | Branch
    | Reverb
    | Delay
    | Chorus
    | Sub
    | NoiseFollower
    | Stereo
    | Fade
    | Gain
    | Limiter
)


class Stage(Declared, frozen=True):
    """A process in its place in a row."""

    id: str
    process: AnyProcess
    on: Annotated[bool, switch("On", "Off lets the sound pass as it is.")] = True
    input_db: Annotated[
        float, number("Input", -24, 24, "dB", "How hard the stage is driven; the dry hit is not.")
    ] = 0.0
    output_db: Annotated[
        float, number("Output", -24, 24, "dB", "How loud what leaves the stage is.")
    ] = 0.0
    dry: Annotated[
        float,
        number(
            "Dry blend",
            0,
            100,
            "%",
            "How much of the untouched hit is blended back in.",
            decimals=0,
        ),
    ] = 0.0
    matched: Annotated[
        bool,
        switch(
            "As loud as before",
            "Keeps what leaves the stage as loud as what came in, so that louder is not taken for "
            "better.",
        ),
    ] = False
    key: Annotated[str, msgspec.Meta(max_length=64)] = ""  # the id of what it listens to

    @property
    def insert(self) -> Insert:
        """The process with levels and dry blend around it."""
        return Insert(self.process, self.input_db, self.output_db, self.dry, self.matched, self.key)
