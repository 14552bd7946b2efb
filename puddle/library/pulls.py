"""*More like this, but*: nearest sounds pulled longer, brighter, higher or noisier."""

from __future__ import annotations

from typing import Annotated

import numpy as np

from puddle.library.columns import FIGURES
from puddle.parameter import Declared, number

_OCTAVES = 1.5  # at the end of a gauge
_APART = 22.0  # that an octave off the wanted figure counts, in units of likeness
_FIELDS = {
    "length": "length_ms",
    "brightness": "brightness_hz",
    "pitch": "pitch_hz",
    "noise": "noisiness",
}


class Pulls(Declared, frozen=True):
    """How far what is found may differ from the sound that is asked with, and which way."""

    length: Annotated[
        float, number("Length", -100, 100, "%", "Under zero shorter, over zero longer.", decimals=0)
    ] = 0.0
    brightness: Annotated[
        float,
        number("Brightness", -100, 100, "%", "Under zero darker, over zero brighter.", decimals=0),
    ] = 0.0
    pitch: Annotated[
        float, number("Pitch", -100, 100, "%", "Under zero lower, over zero higher.", decimals=0)
    ] = 0.0
    noise: Annotated[
        float, number("Noise", -100, 100, "%", "Under zero cleaner, over zero noisier.", decimals=0)
    ] = 0.0


def pulled(pulls: Pulls, own: np.ndarray, figures: np.ndarray) -> np.ndarray:
    """What is added to distances: float (count,), from float32 (FIGURES,) and (FIGURES, count).

    For each gauge that is moved, how many octaves a figure lies off the one that is wanted. What
    has no such figure counts as two octaves off.
    """
    added = np.zeros(figures.shape[1])
    for field, figure in _FIELDS.items():
        share = getattr(pulls, field) / 100.0
        if share == 0.0:
            continue
        n = FIGURES.index(figure)
        with np.errstate(invalid="ignore", divide="ignore"):
            octaves = np.log2(figures[n].astype(np.float64) / float(own[n]))
        off = np.abs(octaves - share * _OCTAVES)
        added += _APART * np.where(np.isfinite(off), np.minimum(off, 4.0), 2.0)
    return added
