"""Grows the forest that `puddle.measure.onsets` tells hits by.

`python -m tools.onset_fit` looks at the recordings of `tools/made_loops.py`, notes of each place
that rises whether a hit begins there, grows the trees and writes them beside the module. With
`--told` it tells instead how well the forest that ships does on recordings that it was not grown
on. To grow needs scikit-learn: `pip install -c constraints.txt -e .[fit]`.
"""

from __future__ import annotations

import sys
from collections import Counter

import numpy as np

from puddle.measure.onsets import FOREST, TRAITS, onsets, places_in
from tests.support.made_recordings import matched
from tools.likeness_fit import RATE_HZ
from tools.made_loops import Made, made
from tools.trees import write_trees

_COUNT, _SEED, _OTHER_SEED = 600, 20261201, 7
_TREES, _LEAVES, _ASKED = 48, 160, 5
_NEAR_S, _FAR_S = 0.01, 0.025  # from a hit, that a place may lie
_ASKED_TO_TELL = 60


def labels(frames: np.ndarray, rises: np.ndarray, begins: np.ndarray) -> np.ndarray:
    """Which places are hits, bool (places,): the one that rises most near each, or a little off."""
    found = np.zeros(frames.size, np.bool_)
    for begin in begins:
        for far in (_NEAR_S, _FAR_S):
            near = np.flatnonzero((np.abs(frames - begin) <= far * RATE_HZ) & ~found)
            if near.size:
                found[near[np.argmax(rises[near])]] = True
                break
    return found


def rows() -> tuple[np.ndarray, np.ndarray]:
    """Traits of all places, float32 (places, traits), and which of them are hits."""
    traits, hits = [], []
    for one in made(_SEED, _COUNT):
        frames, _, found = places_in(one.audio, RATE_HZ)
        traits.append(found)
        hits.append(labels(frames, found[:, 0], one.begins))
    return np.concatenate(traits), np.concatenate(hits)


def told(one: Made, within_s: float = 0.025) -> Counter[str]:
    """Hits, how many of them are found and to the millisecond, and how many places are told."""
    found = np.array(onsets(one.audio[:, None], RATE_HZ))
    away = np.array(matched(found, one.begins, within_s * RATE_HZ))
    close = int((away <= 0.001 * RATE_HZ).sum())
    return Counter(hits=one.begins.size, told=found.size, found=away.size, close=close)


def main() -> None:
    """Writes the forest, or tells how well it does."""
    if "--told" in sys.argv:
        by_kind: dict[str, Counter[str]] = {}
        for one in made(_OTHER_SEED, _ASKED_TO_TELL):
            by_kind.setdefault(one.kind, Counter()).update(told(one))
        for kind, counts in by_kind.items():
            print(kind, dict(counts))
        return
    from sklearn.ensemble import RandomForestClassifier

    traits, hits = rows()
    grown = RandomForestClassifier(
        _TREES, max_leaf_nodes=_LEAVES, max_features=_ASKED, random_state=_SEED, n_jobs=-1
    ).fit(traits, hits)
    print(f"{len(traits)} places, {hits.sum()} hits; {', '.join(TRAITS)}")
    write_trees(grown, FOREST, {True: 0})


if __name__ == "__main__":
    main()
