"""Grows the forest that `puddle.measure.role` tells roles by.

`python -m tools.role_fit` measures every starting point plain, twice with its gauges moved and
twice as it might have been recorded, adds the recordings of `tools/role_known.csv`, grows the trees
and writes them beside the module. With `--leave-out` it tells instead how many recordings of each
source are told by a forest that was grown without that source, and how many starting points by
forests grown without them. It needs scikit-learn: `pip install -c constraints.txt -e .[fit]`.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
from sklearn.ensemble import ExtraTreesClassifier

from puddle.measure.role import FOREST, ROLES
from puddle.voices import STARTING_POINTS
from tools.likeness_fit import RATE_HZ, moved
from tools.role_known import read_table, recorded_otherwise, traits_of
from tools.trees import write_trees

KNOWN = Path(__file__).with_name("role_known.csv")
_TREES, _LEAVES, _ASKED = 64, 200, 12
_SEED = 20261130
_FOLDS = 5


def own_rows() -> tuple[list[str], list[str], np.ndarray]:
    """Roles, names and traits of our voices' starting points, five takes of each."""
    rng = np.random.default_rng(_SEED)
    roles, names, rows = [], [], []
    for kind, points in STARTING_POINTS.items():
        for name, voice in points.items():
            plain = voice.render(RATE_HZ, 1.0)
            takes = [plain, *(moved(voice, rng).render(RATE_HZ, 1.0) for _ in range(2))]
            takes += [recorded_otherwise(plain, RATE_HZ, rng) for _ in range(2)]
            for take in takes:
                row = traits_of(take, RATE_HZ)
                if row is not None:
                    roles.append(kind.role)
                    names.append(f"{kind.__name__} {name}")
                    rows.append(row)
    return roles, names, np.array(rows)


def grown(rows: np.ndarray, roles: np.ndarray) -> ExtraTreesClassifier:
    """A forest; a sound counts less the more there are of its role, by the root of how many."""
    names, counts = np.unique(roles, return_counts=True)
    weights = (1.0 / np.sqrt(counts))[np.searchsorted(names, roles)]
    made = ExtraTreesClassifier(
        _TREES, max_leaf_nodes=_LEAVES, max_features=_ASKED, random_state=_SEED, n_jobs=-1
    )
    return made.fit(rows, roles, weights)


def leave_out(rows: np.ndarray, roles: np.ndarray, groups: np.ndarray) -> None:
    """Prints what forests tell of the groups that they were grown without."""
    for group in np.unique(groups):
        out = groups == group
        told = grown(rows[~out], roles[~out]).predict(rows[out])
        print(f"{group}: {np.mean(told == roles[out]):.3f} of {out.sum()}")
        for role in np.unique(roles[out]):
            of_role = roles[out] == role
            print(f"    {role}: {np.mean(told[of_role] == role):.2f} of {of_role.sum()}")


def main() -> None:
    """Writes the forest, or tells how well such forests do."""
    own_roles, own_names, own = own_rows()
    roles, sources, known = read_table(KNOWN)
    rows, every = np.concatenate([own, known]), np.array(own_roles + roles)
    if "--leave-out" in sys.argv:
        names = sorted(set(own_names))
        order = np.random.default_rng(_SEED).permutation(len(names))
        fold = {names[n]: f"ours, {place % _FOLDS}" for place, n in enumerate(order)}
        leave_out(rows, every, np.array([fold[name] for name in own_names] + sources))
    else:
        write_trees(grown(rows, every), FOREST, {role: n for n, role in enumerate(ROLES)})


if __name__ == "__main__":
    main()
