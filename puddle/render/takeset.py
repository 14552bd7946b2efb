"""The takes that a pad can yield: by velocity step, turn of the round robin, and key zone."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import msgspec
import numpy as np

from puddle.kit.model.document import Pad, Sound
from puddle.kit.playing.key_tracking import keyed, pad_tune_st, shift_of, zone_at, zones_of
from puddle.kit.playing.response import strength_of
from puddle.kit.playing.velocity import lows_of, step_of, steps_of, struck, turns_of
from puddle.render.take import Takes

Key = tuple[int, int, int]  # step, turn, zone in semitones
HOME: Key = (0, 0, 0)


class TakeSet(msgspec.Struct, frozen=True, eq=False):
    """Takes as float32 (frames, 2), by step, turn and zone; those not ready yet have a neighbor.

    All are resampled by as many semitones as `tuned_st` says, which the engine then need not do.
    Threads share it: it never changes.
    """

    lows: tuple[int, ...] = (1,)  # the lowest velocity of each step
    turns: int = 1
    zones: tuple[int, ...] = (0,)  # semitones, rising
    ready: Mapping[Key, np.ndarray] = msgspec.field(default_factory=dict)
    tuned_st: float = 0.0

    def with_take(self, key: Key, take: np.ndarray) -> TakeSet:
        """A set that has one take more; the same set where it has that one already."""
        if key in self.ready:
            return self
        return msgspec.structs.replace(self, ready={**self.ready, key: take})

    def places(self) -> np.ndarray:
        """Which of those ready stands for each: int64 (zones, steps, turns).

        The take itself, else that of the nearest zone and step that is ready, of its turn if there
        is one.
        """
        keys = np.array(list(self.ready), np.int64).reshape(1, -1, 3)
        steps, turns = np.divmod(np.arange(len(self.lows) * self.turns), self.turns)
        far = np.abs(keys[:, :, 0] - steps[:, None])
        later = (keys[:, :, 1] - turns[:, None]) % self.turns
        near = far * self.turns + later
        most = len(self.lows) * self.turns
        found = [
            np.argmin(np.abs(keys[:, :, 2] - zone) * most + near, axis=1) for zone in self.zones
        ]
        return np.array(found).reshape(len(self.zones), len(self.lows), self.turns)


def first_wanted(sound: Sound) -> Key:
    """The take that a sound needs first: full strength, the first turn, at the root."""
    return steps_of(sound) - 1, 0, 0


def single(take: np.ndarray) -> TakeSet:
    """A set of one take, for every strike."""
    return TakeSet(ready={HOME: take})


def wanted(sound: Sound, zones: tuple[int, ...] = (0,)) -> list[Key]:
    """Every take that may sound different: at the root first, there the hardest first.

    The first of them is `first_wanted`.
    """
    steps, turns = steps_of(sound), turns_of(sound)
    return [
        (step, turn, zone)
        for zone in sorted(zones, key=lambda z: (abs(z), z))
        for step in reversed(range(steps))
        for turn in range(turns)
    ]


def take_of(takes: Takes, sound: Sound, key: Key, tuned_st: float = 0.0) -> np.ndarray:
    """The take for a velocity step, a round-robin turn and a key zone."""
    step, turn, zone = key
    return takes.tuned(keyed(struck(sound, step, turn), zone), tuned_st)


def take_set(
    takes: Takes, pad: Pad, velocities: Iterable[float], notes: Iterable[int] = ()
) -> TakeSet:
    """The takes of a pad for strikes of some velocities by some keys, in all turns, tuned."""
    sound, tuned_st = pad.sound, pad_tune_st(pad)
    lows, turns = lows_of(sound), turns_of(sound)
    strengths = [strength_of(pad.response, velocity) for velocity in velocities]
    needed = sorted({step_of(strength, lows) for strength in strengths}) or [len(lows) - 1]
    zones = zones_of(pad)
    at = sorted({zones[zone_at(zones, shift_of(pad, note))] for note in notes}) or [0]
    keys = [(step, turn, zone) for zone in at for step in needed for turn in range(turns)]
    ready = {key: take_of(takes, sound, key, tuned_st) for key in keys}
    return TakeSet(lows, turns, zones, ready, tuned_st)
