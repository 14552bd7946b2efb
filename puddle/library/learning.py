"""Roles learned from what file names, folders and corrections tell.

A sound whose name tells nothing takes the role that most of its nearest neighbors have among those
whose role is told, weighted by how near they are, where enough of them are near and agree. Else the
role by the rules of `measure.role` stays. (Nearest neighbors: T. Cover and P. Hart, 1967.)
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from puddle.library.columns import ROLE_NAMES, SYNTHESIZED, THERE, Columns
from puddle.wanted import checkpoint

if TYPE_CHECKING:
    from puddle.library.index import Index

_NEIGHBORS = 7
_NEAR = 75.0  # beyond, a neighbor tells nothing
_AGREE = 0.6  # of the votes
_MOST_TAUGHT = 20_000


def learned_roles(index: Index) -> dict[int, tuple[str, float]]:
    """The role, and how sure it is, of entries that are near to told ones."""
    columns = index.columns
    untold = np.array([n for n in index.untold() if n < columns.count], np.int64)
    there = (columns.flags & (THERE | SYNTHESIZED)) == THERE
    told = np.flatnonzero(there & (columns.sure >= 1000))
    if not untold.size or told.size < _NEIGHBORS:
        return {}
    if told.size > _MOST_TAUGHT:
        told = np.random.default_rng(0).choice(told, _MOST_TAUGHT, replace=False)
    found = {}
    for entry in untold.tolist():
        checkpoint()
        vote = _vote(columns.likeness[entry], columns.likeness, told, columns.roles)
        if vote is not None and vote != _now(columns, entry):
            found[entry] = vote
    return found


def _now(columns: Columns, entry: int) -> tuple[str, float]:
    return ROLE_NAMES[columns.roles[entry]], float(columns.sure[entry]) / 1000.0


def _vote(
    row: np.ndarray, rows: np.ndarray, told: np.ndarray, roles: np.ndarray
) -> tuple[str, float] | None:
    """The role of the neighbors and their share, under 1."""
    from puddle.kernels.nearness import city_block_among

    apart = city_block_among(rows, told, row)
    near = np.argpartition(apart, _NEIGHBORS - 1)[:_NEIGHBORS]
    weights = np.maximum(0.0, 1.0 - apart[near] / _NEAR)
    votes = np.bincount(roles[told[near]], weights, len(ROLE_NAMES))
    total = float(votes.sum())
    if total <= 0.5:
        return None
    best = int(np.argmax(votes))
    share = float(votes[best]) / total
    return (ROLE_NAMES[best], min(0.99, round(share, 3))) if share >= _AGREE else None
