"""Decision trees."""

import numpy as np

from puddle.kernels.compiling import kernel


@kernel
def mean_leaf(row, trait, threshold, following, shares, roots):
    """The mean of the rows of `shares` at the leaves that float32 (traits,) comes to in each tree:
    float64 (roles,).

    Nodes as in `measure.role.Forest`; a leaf is followed by itself."""
    mean = np.zeros(shares.shape[1])
    for tree in range(roots.shape[0]):
        node = roots[tree]
        while following[node, 0] != node:
            node = following[node, 1 if row[trait[node]] <= threshold[node] else 0]
        for role in range(mean.shape[0]):
            mean[role] += shares[node, role]
    return mean / roots.shape[0]
