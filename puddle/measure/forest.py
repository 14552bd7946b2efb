"""Forests of decision trees (L. Breiman, *Random Forests*, 2001), grown by scripts in `tools`."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import msgspec
import numpy as np


class Forest(msgspec.Struct, frozen=True):
    """Nodes of all trees, one after the other: each asks whether a trait is at most a threshold.

    A leaf leads to itself.
    """

    trait: np.ndarray  # int16 (nodes,)
    threshold: np.ndarray  # float32 (nodes,)
    next: np.ndarray  # int32 (nodes, 2): where it is more, where it is at most that
    shares: np.ndarray  # float32 (nodes, kinds): of what ended in a leaf as the forest was grown
    roots: np.ndarray  # int32 (trees,)

    def shares_of(self, rows: np.ndarray) -> np.ndarray:
        """The mean share of each kind for float32 (rows, traits): float64 (rows, kinds)."""
        from puddle.kernels.trees import mean_leaves

        found = mean_leaves(rows, self.trait, self.threshold, self.next, self.shares, self.roots)
        return np.asarray(found)


@lru_cache(4)
def read_forest(path: Path) -> Forest:
    """One of the forests that ship with Puddle."""
    with np.load(path, allow_pickle=False) as kept:
        return Forest(**kept)
