"""Processing stages, one file each. A new process is a new file, its line in
the union of `stage`, and its line here."""

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
from puddle.stages.process import Process
from puddle.stages.reverb import Reverb
from puddle.stages.saturator import Saturator
from puddle.stages.stage import AnyProcess, Branch, Stage, keys_of
from puddle.stages.stereo import Stereo
from puddle.stages.sub import Sub
from puddle.stages.transient import Transient

PROCESSES: tuple[type[AnyProcess], ...] = (
    Equalizer,
    Compressor,
    BandCompressor,
    Transient,
    Gate,
    Filter,
    Saturator,
    Clipper,
    Crusher,
    Branch,
    Reverb,
    Delay,
    Chorus,
    Sub,
    NoiseFollower,
    Stereo,
    Fade,
    Gain,
    Limiter,
)

__all__ = [
    "PROCESSES",
    "AnyProcess",
    "BandCompressor",
    "Branch",
    "Chorus",
    "Clipper",
    "Compressor",
    "Crusher",
    "Delay",
    "Equalizer",
    "Fade",
    "Filter",
    "Gain",
    "Gate",
    "Insert",
    "Limiter",
    "NoiseFollower",
    "Process",
    "Reverb",
    "Saturator",
    "Stage",
    "Stereo",
    "Sub",
    "Transient",
    "keys_of",
]
