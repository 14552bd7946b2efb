"""Small kits and takes for tests of the engine, and what it plays of them."""

from pathlib import Path

import numpy as np

from puddle.engine.engine import Engine
from puddle.engine.graph import address
from puddle.engine.mixer import advance
from puddle.engine.pointers import FRAME
from puddle.kit.model.document import Kit, Pad, Sound, Stage
from puddle.stages import Compressor, Equalizer

RATE = 48000.0
ALSA = Path("/usr/share/alsa/alsa.conf")
CHAIN = (
    Stage(id="e", process=Equalizer(bell1_db=6, low_cut_on=True)),
    Stage(id="c", process=Compressor(threshold_db=-20)),
)


def take_of(value: float, frames: int) -> np.ndarray:
    return np.full((frames, 2), value, np.float32)


def kit_of(*pads: dict[str, object], **values: object) -> Kit:
    made = tuple(
        Pad(id=f"p{n}", name=f"p{n}", place=n, sound=Sound(), **pad)  # type: ignore[arg-type]
        for n, pad in enumerate(pads)
    )
    return Kit(name="", pads=made, **values)  # type: ignore[arg-type]


def played(engine: Engine, frames: int, block: int = 64) -> np.ndarray:
    """What comes next, taken in blocks, as `Engine.advance` gives each."""
    out = np.zeros((frames, 2), np.float32)
    running, written = engine.address, address(out)  # each of which takes longer than a block
    for start in range(0, frames, block):
        advance(running, written + FRAME * start, min(block, frames - start))
    return out


def struck(engine: Engine, pad_id: str = "p0") -> int:
    """How often a pad was struck."""
    return engine.strikes().get(pad_id, (0, 0.0))[0]


def hardness(engine: Engine, pad_id: str = "p0") -> float:
    """How hard a pad was struck last."""
    return engine.strikes().get(pad_id, (0, 0.0))[1]


def all_struck(engine: Engine) -> int:
    """How often any pad was struck."""
    return sum(count for count, _ in engine.strikes().values())
