"""Fits what `puddle.measure.likeness` decorrelates its figures by.

`python -m tools.likeness_fit` renders every starting point several times with its gauges moved by
up to 8 % of their ranges, takes the covariance of the figures within one starting point, shrinks it
towards its diagonal and writes the inverse of its root beside the module.
"""

from __future__ import annotations

import numpy as np

from puddle.measure.likeness import WHITENING, WIDTH, raw_figures
from puddle.measure.pitch import fundamental
from puddle.parameter import changed, parameters
from puddle.voices import STARTING_POINTS, AnyVoice

RATE_HZ = 48000.0
_MOVED = 0.08
_SHRUNK = 0.05
_TIMES = 20
_SEED = 20261128


def moved(voice: AnyVoice, rng: np.random.Generator) -> AnyVoice:
    """A voice with every gauge moved a little."""
    values = {}
    for p in parameters(type(voice)):
        if p.kind == "number":
            place = p.position(getattr(voice, p.field)) + rng.uniform(-_MOVED, _MOVED)
            values[p.field] = p.at(place)
    return changed(voice, **values)


def fitted() -> np.ndarray:
    """The matrix, float32 (WIDTH, WIDTH)."""
    rng = np.random.default_rng(_SEED)
    within = np.zeros((WIDTH, WIDTH))
    count = 0
    for points in STARTING_POINTS.values():
        for voice in points.values():
            rows = []
            for _ in range(_TIMES):
                audio = moved(voice, rng).render(RATE_HZ, 1.0)
                rows.append(raw_figures(audio, RATE_HZ, fundamental(audio, RATE_HZ).hz))
            found = np.array(rows, np.float64)
            found -= found.mean(axis=0)
            within += found.T @ found
            count += _TIMES - 1
    within /= count
    within = (1.0 - _SHRUNK) * within + _SHRUNK * np.diag(np.diag(within)) + 1e-4 * np.eye(WIDTH)
    powers, axes = np.linalg.eigh(within)
    return np.asarray((axes / np.sqrt(powers)) @ axes.T, np.float32)


def main() -> None:
    """Writes the matrix."""
    np.save(WHITENING, fitted())
    print(f"{WHITENING.name}: {WIDTH} figures")


if __name__ == "__main__":
    main()
