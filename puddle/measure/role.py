"""The likely drum role of a sound: a forest of extremely randomized trees over its traits (P.
Geurts, D. Ernst and L. Wehenkel, *Extremely randomized trees*, 2006).

Each tree asks one trait after the other and ends at the shares that each role has there; the role
with the largest mean share is taken. `tools/role_fit.py` grows the trees on our voices' starting
points and on recordings that our code did not make, whose traits lie in `tools/role_known.csv`.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Literal, get_args

import msgspec
import numpy as np

Role = Literal["kick", "snare", "clap", "hat", "cymbal", "tom", "percussion", "bass", "effect"]

ROLES: tuple[Role, ...] = get_args(Role)
FOREST = Path(__file__).with_name("role.npz")


class Forest(msgspec.Struct, frozen=True):
    """Nodes of all trees, one after the other: each asks whether a trait is at most a threshold.

    A leaf leads to itself.
    """

    trait: np.ndarray  # int16 (nodes,)
    threshold: np.ndarray  # float32 (nodes,)
    next: np.ndarray  # int32 (nodes, 2): where it is more, where it is at most that
    shares: np.ndarray  # float32 (nodes, roles): of the sounds that end in a leaf
    roots: np.ndarray  # int32 (trees,)

    def shares_of(self, row: np.ndarray) -> np.ndarray:
        """The mean share of each role for a row of traits: float64 (roles,), adding up to 1."""
        from puddle.kernels.trees import mean_leaf

        found = mean_leaf(row, self.trait, self.threshold, self.next, self.shares, self.roots)
        return np.asarray(found)


@lru_cache(1)
def forest() -> Forest:
    """The forest that ships with Puddle."""
    with np.load(FOREST, allow_pickle=False) as kept:
        return Forest(**kept)


def likely_role(row: np.ndarray) -> tuple[Role, float]:
    """The role of a row of traits, and its share (0 to 1)."""
    shares = forest().shares_of(row)
    best = int(np.argmax(shares))
    return ROLES[best], float(shares[best])
