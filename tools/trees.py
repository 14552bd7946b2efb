"""Writes forests of scikit-learn's as `puddle.measure.forest` reads them."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np


def write_trees(grown: Any, path: Path, columns: Mapping[Any, int]) -> None:
    """Writes the trees, one after the other; of each leaf the shares of some classes, by column."""
    given = [n for n, kind in enumerate(grown.classes_) if kind in columns]
    taken = [columns[grown.classes_[n]] for n in given]
    parts: dict[str, list[np.ndarray]] = {"trait": [], "threshold": [], "next": [], "shares": []}
    roots, count = [], 0
    for one in grown.estimators_:
        tree = one.tree_
        own, inner = np.arange(tree.node_count), tree.children_left >= 0
        to = np.stack([tree.children_right, tree.children_left], axis=1)
        shares = np.zeros((tree.node_count, max(columns.values()) + 1), np.float32)
        of_all = tree.value[:, 0, :] / tree.value[:, 0, :].sum(axis=1, keepdims=True)
        shares[:, taken] = of_all[:, given]
        roots.append(count)
        parts["trait"].append(np.where(inner, tree.feature, 0).astype(np.int16))
        parts["threshold"].append(np.where(inner, tree.threshold, 0.0).astype(np.float32))
        parts["next"].append((np.where(inner[:, None], to, own[:, None]) + count).astype(np.int32))
        parts["shares"].append(np.where(inner[:, None], 0.0, shares).round(3).astype(np.float32))
        count += tree.node_count
    np.savez_compressed(
        path,
        roots=np.array(roots, np.int32),
        **{name: np.concatenate(arrays) for name, arrays in parts.items()},
    )
    print(f"{path.name}: {len(roots)} trees, {count} nodes, {path.stat().st_size} bytes")
