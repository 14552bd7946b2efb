"""The likely drum role of a sound: a forest of extremely randomized trees over its traits (P.
Geurts, D. Ernst and L. Wehenkel, *Extremely randomized trees*, 2006).

Each tree asks one trait after the other and ends at the shares that each role has there; the role
with the largest mean share is taken. `tools/role_fit.py` grows the trees on our voices' starting
points and on recordings that our code did not make, whose traits lie in `tools/role_known.csv`.
"""

from __future__ import annotations

from pathlib import Path
from typing import Literal, get_args

import numpy as np

from puddle.measure.forest import read_forest

Role = Literal["kick", "snare", "clap", "hat", "cymbal", "tom", "percussion", "bass", "effect"]

ROLES: tuple[Role, ...] = get_args(Role)
FOREST = Path(__file__).with_name("role.npz")


def likely_role(row: np.ndarray) -> tuple[Role, float]:
    """The role of a row of traits, and its share (0 to 1)."""
    shares = read_forest(FOREST).shares_of(row[None])[0]
    best = int(np.argmax(shares))
    return ROLES[best], float(shares[best])
