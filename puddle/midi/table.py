"""What the process that reads controllers is told of a map: numbers alone, with no kit to load."""

from __future__ import annotations

import msgspec
import numpy as np

CHANNELS, NOTES = 16, 128
NO_SLOT = -1  # as the engine has it (`engine.layout`)


class Table(msgspec.Struct, frozen=True, eq=False):
    """A map as one kit's pads answer to it."""

    slots: np.ndarray  # int64 (16, 128): the slot of the pad that a channel's note strikes, or -1
    as_key: np.ndarray  # bool (16, 128): whether the pad plays at the note's pitch
    velocities: np.ndarray  # float64 (128,): what each velocity plays as, 1 to 127
