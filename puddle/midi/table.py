"""What the process that reads controllers is told of a map: numbers alone, with no kit to load."""

from __future__ import annotations

import msgspec
import numpy as np

CHANNELS, NOTES = 16, 128
NO_PAD = -1


class Table(msgspec.Struct, frozen=True, eq=False):
    """A map as one kit's pads answer to it."""

    pads: np.ndarray  # int16 (16, 128): which of the kit's pads a channel's note strikes, or -1
    as_key: np.ndarray  # bool (16, 128): whether the pad plays at the note's pitch
    velocities: np.ndarray  # float64 (128,): what each velocity plays as, 1 to 127
