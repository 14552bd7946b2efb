"""Roles learned from what file names, folders and corrections tell.

A sound whose name tells nothing takes the role that most of its nearest neighbors have among those
whose role is told, weighted by how near they are: where enough of them agree, and are nearer than
the role by `measure.role` is sure. (Nearest neighbors: T. Cover and P. Hart, 1967.)
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from puddle.library.columns import ROLE_NAMES, SYNTHESIZED, THERE, Columns
from puddle.tasks import check_cancelled

if TYPE_CHECKING:
    from puddle.library.index import Index

_NEIGHBORS, _NEAREST = 7, 3
_NEAR = 75.0  # beyond, a neighbor tells nothing
_AGREE = 0.6  # of the votes
_MOST_TAUGHT = 20_000


def learned_roles(index: Index) -> dict[int, tuple[str, float]]:
    """The role, and how sure it is, of entries that it is another one for than before."""
    columns = index.columns
    heard = {n: told for n, told in index.heard_roles().items() if n < columns.count}
    there = (columns.flags & (THERE | SYNTHESIZED)) == THERE
    told = np.flatnonzero(there & (columns.sure >= 1000))
    if told.size > _MOST_TAUGHT:
        told = np.random.default_rng(0).choice(told, _MOST_TAUGHT, replace=False)
    found = {}
    for entry, (role, sure) in heard.items():
        check_cancelled()
        by_sound = role, round(sure, 3)
        vote = _vote(columns.likeness[entry], columns.likeness, told, columns.roles)
        best = vote if vote is not None and vote[1] > sure else by_sound
        if best != _now(columns, entry):
            found[entry] = best
    return found


def _now(columns: Columns, entry: int) -> tuple[str, float]:
    return ROLE_NAMES[columns.roles[entry]], float(columns.sure[entry]) / 1000.0


def _vote(
    row: np.ndarray, rows: np.ndarray, told: np.ndarray, roles: np.ndarray
) -> tuple[str, float] | None:
    """The role of the neighbors, and their share times how near the nearest of it are, under 1."""
    from puddle.kernels.nearness import city_block_among

    if told.size < _NEIGHBORS:
        return None
    apart = city_block_among(rows, told, row)
    near = np.argpartition(apart, _NEIGHBORS - 1)[:_NEIGHBORS]
    theirs = roles[told[near]]
    weights = np.maximum(0.0, 1.0 - apart[near] / _NEAR)
    votes = np.bincount(theirs, weights, len(ROLE_NAMES))
    best = int(np.argmax(votes))
    share = float(votes[best]) / max(1e-9, float(votes.sum()))
    nearest = np.sort(weights[theirs == best])[-_NEAREST:]
    sure = round(share * float(nearest.sum()) / _NEAREST, 3)
    return (ROLE_NAMES[best], min(0.99, sure)) if share >= _AGREE and sure > 0.0 else None
