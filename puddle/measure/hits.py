"""The hits of a long recording: where each begins and ends, how loud it is, and whether it can be
used. They are made from what was noted while the recording was read once, so that another
sensitivity needs no second look at the sound.
"""

from __future__ import annotations

from functools import cached_property
from typing import Literal

import msgspec
import numpy as np

from puddle.measure.onsets import Risen, apart
from puddle.units import gain_from_db

MS = 1000.0
# The chances of a hit that are asked for, by sensitivity; one that is missed costs a hand more than
# one too many, so that less is asked for than of files.
_CHANCES = (0.95, 0.25, 0.01)
_UNDER_DB = (14.0, 44.0, 72.0)  # of the loud hits, that a hit may lie, by sensitivity
_LOUD_SHARE = 0.9  # of all hits are softer than a loud one
_STILL_MS = 12  # half a wave of 40 Hz
_ROOM_MS = 60  # that are as loud as the room by itself
_AROUND_MS = 15_000  # in which the room's quietest moment is looked for
_ROOM_TIMES = 1.2
_COARSE = 10
_SILENT = 1e-4
_OVERLAPPED_DB = -24.0  # under its peak, where the next one begins
_FAINT_TIMES = 2.0  # over the room
_LATE_SHARE = 0.1  # of its peak, at the first frame of the recording

Doubt = Literal["", "overlapped by the next", "clipped", "starts too late", "mostly silence"]
_DOUBTS: tuple[Doubt, ...] = (
    "", "overlapped by the next", "clipped", "starts too late", "mostly silence",
)  # fmt: skip


class Noted(msgspec.Struct, eq=False, dict=True):
    """What is noted of a recording while it is read."""

    rate_hz: float
    frames: int
    hop: int  # frames of a "millisecond" below
    risen: Risen
    levels: np.ndarray  # float32 (ms,): the highest of each millisecond
    clipped: np.ndarray  # uint8 (ms,): how often it is clipped in it
    first_level: float = 0.0  # of the first frames of all

    @cached_property
    def clipped_before(self) -> np.ndarray:
        """How often it is clipped before each millisecond: int32 (ms + 1,)."""
        found = np.zeros(self.clipped.size + 1, np.int32)
        np.cumsum(self.clipped, out=found[1:])
        return found

    @cached_property
    def rooms(self) -> np.ndarray:
        """The level under which the room is by itself, by 10 ms: float32.

        The quietest 60 ms of the half minute around; nothing where a recording is shorter.
        """
        from scipy.ndimage import maximum_filter1d, minimum_filter1d

        count = self.levels.size // _COARSE * _COARSE
        if count < 2 * _ROOM_MS:
            return np.zeros(1, np.float32)
        coarse = self.levels[:count].reshape(-1, _COARSE).max(axis=1)
        loudest = maximum_filter1d(coarse, _ROOM_MS // _COARSE)
        quietest = minimum_filter1d(loudest, 2 * _AROUND_MS // _COARSE + 1)
        return np.asarray(_ROOM_TIMES * quietest, np.float32)

    def rooms_at(self, places: np.ndarray) -> np.ndarray:
        """The room's level around some milliseconds: float32."""
        return np.asarray(self.rooms[np.minimum(places // _COARSE, self.rooms.size - 1)])


class Hits(msgspec.Struct, frozen=True, eq=False):
    """Hits in their order; frames are of the recording."""

    starts: np.ndarray  # int64
    ends: np.ndarray  # int64: before which each has died away, or the next begins
    peaks: np.ndarray  # float32

    def __len__(self) -> int:
        return int(self.starts.size)


def starts_of(risen: Risen, rate_hz: float, sensitivity: float, gap_ms: float) -> np.ndarray:
    """Frames at which hits begin, rising: those that are sure enough, loud enough and lie apart.

    Of places closer than the gap the surest is kept. `sensitivity` is 0 to 1.
    """
    places = (0.0, 0.5, 1.0)
    clear = risen.chances >= np.interp(sensitivity, places, _CHANCES)
    if not clear.any():
        return np.zeros(0, np.int64)
    loud = float(np.quantile(risen.levels[clear], _LOUD_SHARE))
    under = float(np.interp(sensitivity, places, _UNDER_DB))
    kept = clear & (risen.levels >= loud * gain_from_db(-under))
    return apart(risen.frames[kept], risen.chances[kept], gap_ms * rate_hz / MS)


def hits_from(noted: Noted, starts: np.ndarray, ends_db: float) -> Hits:
    """Hits that begin at some frames: until each lies `ends_db` under its peak, or in the room.

    A hit ends at the latest where the next one begins.
    """
    from puddle.kernels.hit_ends import peaks_and_ends

    count = noted.levels.size
    begin = np.minimum(starts // noted.hop, max(0, count - 1))
    # The millisecond in which the next begins is its own.
    limits = np.maximum(np.append(begin[1:], count), begin + 1)
    peaks, ends = np.empty(starts.size, np.float32), np.empty(starts.size, np.int64)
    share = np.float32(gain_from_db(ends_db))
    rooms = noted.rooms_at(begin)
    peaks_and_ends(noted.levels, begin, limits, share, rooms, _STILL_MS, peaks, ends)
    last = np.append(starts[1:], noted.frames)
    frames = np.minimum(ends * noted.hop, last)
    # What lasts until the next one ends right there, not at its millisecond.
    frames = np.where(ends >= limits, last, frames)
    return Hits(starts, np.maximum(frames, starts + 1), peaks)


def doubts(noted: Noted, hits: Hits) -> list[Doubt]:
    """Why each hit cannot be used as it is; empty where it can."""
    last = max(0, noted.levels.size - 1)
    begin = np.minimum(hits.starts // noted.hop, last)
    end = np.minimum(np.maximum(hits.ends // noted.hop, begin + 1), last + 1)
    clipped = noted.clipped_before[end] > noted.clipped_before[begin]
    silent = hits.peaks <= np.maximum(_SILENT, _FAINT_TIMES * noted.rooms_at(begin))
    followed = hits.ends >= np.append(hits.starts[1:], noted.frames + 1)
    # How loud it still is right before the next one: in half a wave of a low tone at least.
    ringing = np.zeros(len(hits), np.float32)
    for back in range(1, _STILL_MS + 1):
        np.maximum(ringing, noted.levels[np.maximum(begin, end - back)], out=ringing)
    overlapped = followed & (ringing > hits.peaks * gain_from_db(_OVERLAPPED_DB))
    kinds = np.select([clipped, silent, overlapped], [2, 4, 1], 0)
    if len(hits) and begin[0] == 0 and _starts_inside(noted, float(hits.peaks[0])):
        kinds[0] = 3
    return [_DOUBTS[kind] for kind in kinds]


def _starts_inside(noted: Noted, peak: float) -> bool:
    """Whether the recording begins when its first hit is under way."""
    return noted.first_level > _LATE_SHARE * peak
