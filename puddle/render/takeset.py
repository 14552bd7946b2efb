"""The takes that a pad can yield: by velocity step and turn of the round robin."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np

from puddle.kit.document import Sound
from puddle.kit.struck import lows_of, step_of, steps_of, struck, turns_of
from puddle.render.take import Takes


@dataclass(eq=False)
class TakeSet:
    """Takes as float32 (frames, 2), by (step, turn); those not ready yet have a neighbor."""

    lows: tuple[int, ...] = (1,)  # the lowest velocity of each step
    turns: int = 1
    ready: dict[tuple[int, int], np.ndarray] = field(default_factory=dict)

    def places(self) -> np.ndarray:
        """Which of those ready stands for each step and turn: int64 (steps, turns).

        The take itself, else that of the nearest step that is ready, of its turn if there is one.
        """
        keys = np.array(list(self.ready), np.int64).reshape(1, -1, 2)
        steps, turns = np.divmod(np.arange(len(self.lows) * self.turns), self.turns)
        far = np.abs(keys[:, :, 0] - steps[:, None])
        later = (keys[:, :, 1] - turns[:, None]) % self.turns
        found = np.argmin(far * self.turns + later, axis=1)
        return found.reshape(len(self.lows), self.turns)


def single(take: np.ndarray) -> TakeSet:
    """A set of one take, for every strike."""
    return TakeSet(ready={(0, 0): take})


def wanted(sound: Sound) -> list[tuple[int, int]]:
    """Every (step, turn) that may sound different, the hardest first."""
    steps, turns = steps_of(sound), turns_of(sound)
    return [(step, turn) for step in reversed(range(steps)) for turn in range(turns)]


def take_of(takes: Takes, sound: Sound, step: int, turn: int) -> np.ndarray:
    """One of them."""
    return takes.sound(struck(sound, step, turn)).audio


def take_set(takes: Takes, sound: Sound, velocities: Iterable[float]) -> TakeSet:
    """The takes of some velocities, in all turns."""
    lows, turns = lows_of(sound), turns_of(sound)
    needed = sorted({step_of(velocity, lows) for velocity in velocities}) or [len(lows) - 1]
    ready = {(s, t): take_of(takes, sound, s, t) for s in needed for t in range(turns)}
    return TakeSet(lows, turns, ready)
