"""Processing stages, one file each. A new process is a new file and its line in the union here."""

from __future__ import annotations

from puddle.stages.compressor import Compressor
from puddle.stages.equalizer import Equalizer
from puddle.stages.insert import Insert
from puddle.stages.limiter import Limiter
from puddle.stages.process import Process

AnyProcess = Equalizer | Compressor | Limiter

PROCESSES: tuple[type[AnyProcess], ...] = (Equalizer, Compressor, Limiter)

__all__ = ["PROCESSES", "AnyProcess", "Compressor", "Equalizer", "Insert", "Limiter", "Process"]
