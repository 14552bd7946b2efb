"""Decision trees."""

import numpy as np

from puddle.kernels.compiling import kernel


@kernel
def mean_leaves(rows, trait, threshold, following, shares, roots):
    """The mean of the rows of `shares` at the leaves that each row of float32 (rows, traits) comes
    to in the trees: float64 (rows, shares).

    Nodes as in `measure.forest.Forest`; a leaf is followed by itself."""
    means = np.zeros((rows.shape[0], shares.shape[1]))
    for n in range(rows.shape[0]):
        for tree in range(roots.shape[0]):
            node = roots[tree]
            while following[node, 0] != node:
                node = following[node, 1 if rows[n, trait[node]] <= threshold[node] else 0]
            for share in range(shares.shape[1]):
                means[n, share] += shares[node, share]
        for share in range(shares.shape[1]):
            means[n, share] /= roots.shape[0]
    return means
