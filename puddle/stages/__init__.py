"""Processing stages, one file each. A new process is a new file and its line in the union here."""

from __future__ import annotations

from puddle.stages.clipper import Clipper
from puddle.stages.compressor import Compressor
from puddle.stages.equalizer import Equalizer
from puddle.stages.insert import Insert
from puddle.stages.limiter import Limiter
from puddle.stages.process import Process
from puddle.stages.saturator import Saturator

AnyProcess = Equalizer | Compressor | Saturator | Clipper | Limiter

PROCESSES: tuple[type[AnyProcess], ...] = (Equalizer, Compressor, Saturator, Clipper, Limiter)

__all__ = [
    "PROCESSES",
    "AnyProcess",
    "Clipper",
    "Compressor",
    "Equalizer",
    "Insert",
    "Limiter",
    "Process",
    "Saturator",
]
