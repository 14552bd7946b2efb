"""Where hits begin in a recording: one, several as in a flam, or a busy loop.

The level in fourteen bands from 70 Hz to 14 kHz is followed by the millisecond, of the wave's
second difference so that a low tone does not leak into bands far above it; a hit is where the mean
rise of the bands peaks. Two milliseconds are compared with the highest of the 16 before, of the
band and of its neighbors, so that what bends its pitch, or goes on ringing, is not taken for a hit
(after S. Böck and G. Widmer, *Maximum filter vibrato suppression for onset detection*, DAFx-13);
and, with less weight, eight with the eight before, which hears a noise that is struck again while
it lasts. Around each peak the hit is looked for to the frame: where the power of the next
milliseconds stands highest over that of those before.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from puddle.measure.envelope import mono_of
from puddle.wanted import checkpoint

CLEAR_DB = 1.15  # the mean rise from which on a hit is sure
FAINT_DB = 0.3  # under it nothing is noted
_BANDS, _LOWEST_HZ, _HIGHEST_HZ = 14, 70.0, 14000.0
_QUALITY, _NARROWEST_HZ = 2.0, 100.0
_HOP_S = 0.001
_QUICK = (2, 16, 6.0)  # hops after, hops before, dB less that a neighbor counts
_SLOW, _SLOW_SHARE = (8, 8, 20.0), 0.15
_LEAD = 32  # hops of silence around a recording
_NEAR = 5  # hops between peaks
_SAME_S = 0.003  # two that begin so close are one
_FLOOR_SHARE, _FLOOR_TIMES = 0.1, 3.0  # of the quiet tenth of the time: the room
_LEAST_FLOOR = 1e-7  # of the strongest energy
_REACH_S, _RISING_S, _RESTING_S, _FOOT = (0.005, 0.008), 0.0015, 0.005, 0.05
_HEARD_S = 0.02
_QUIET = 0.01  # of the loudest
_LOOP_DB, _APART_S = 0.4, 0.025  # of files: where a grace stroke counts as one with its hit
OUTLINE_FRAMES = 256  # of one value of a long recording's outline
_PART_S, _MARGIN_S = 30.0, 0.25


@dataclass(frozen=True, eq=False)
class Risen:
    """Places at which a recording gets louder, rising: what may be hits."""

    frames: np.ndarray  # int64
    rises_db: np.ndarray  # float32: mean over the bands
    levels: np.ndarray  # float32: the peak of the 20 ms that follow

    def __len__(self) -> int:
        return int(self.frames.size)


def no_places() -> Risen:
    """Of silence."""
    return Risen(np.zeros(0, np.int64), np.zeros(0, np.float32), np.zeros(0, np.float32))


def all_of(parts: list[Risen]) -> Risen:
    """Those of several parts that follow one another."""
    if not parts:
        return no_places()
    return Risen(
        np.concatenate([p.frames for p in parts]),
        np.concatenate([p.rises_db for p in parts]),
        np.concatenate([p.levels for p in parts]),
    )


def onsets(audio: np.ndarray, rate_hz: float) -> list[int]:
    """Frames at which hits begin in float32 (frames, channels), rising; none in silence.

    What sounds has one at least: where it begins, however slowly.
    """
    mono = mono_of(audio).astype(np.float32)
    loudest = float(np.abs(mono).max(initial=0.0))
    if loudest <= 0.0 or not np.isfinite(loudest):
        return []
    found = risen(mono, rate_hz)
    sure = (found.rises_db >= _LOOP_DB) & (found.levels > _QUIET * loudest)
    frames = apart(found.frames[sure], found.rises_db[sure], _APART_S * rate_hz)
    return [int(n) for n in frames] or [int(np.argmax(np.abs(mono) > 0.1 * loudest))]


def apart(frames: np.ndarray, weights: np.ndarray, least: float) -> np.ndarray:
    """Rising frames without those that lie closer than so many to one of more weight."""
    from puddle.kernels.onsets import keep_apart

    kept = np.ones(frames.size, np.bool_)
    keep_apart(frames, np.argsort(-weights, kind="stable"), least, kept)
    return np.asarray(frames[kept])


def part_edges(frames: int, rate_hz: float) -> list[tuple[int, int]]:
    """The parts in which a long recording is looked at, each on its own: the same on every run."""
    whole = OUTLINE_FRAMES * hop_of(rate_hz)
    size = max(1, round(_PART_S * rate_hz / whole)) * whole
    return [(n, min(frames, n + size)) for n in range(0, frames, size)]


def hop_of(rate_hz: float) -> int:
    """How many frames a millisecond is, at least one: whole frames, whatever the rate."""
    return max(1, round(_HOP_S * rate_hz))


def margin(rate_hz: float) -> int:
    """How many frames around a part are looked at with it."""
    return round(_MARGIN_S * rate_hz)


def risen(mono: np.ndarray, rate_hz: float) -> Risen:
    """What rises in float32 (frames,), part by part."""
    around, found = margin(rate_hz), []
    for start, end in part_edges(mono.size, rate_hz):
        checkpoint()
        first = max(0, start - around)
        found.append(risen_in(mono[first : end + around], rate_hz, first, (start, end)))
    return all_of(found)


def risen_in(mono: np.ndarray, rate_hz: float, first: int, inside: tuple[int, int]) -> Risen:
    """What rises in a part of a recording, float32 (frames,) that begin at its frame `first`.

    Only places `inside`, from a frame to before another, are given.
    """
    from puddle.kernels.compiling import denormals_flushed
    from puddle.kernels.onsets import band_energies, begins_at, mean_rises

    hop = hop_of(rate_hz)
    if mono.size < hop or not mono.any():
        return no_places()
    lead = _LEAD * hop if first == 0 else 0  # before a recording there is silence
    # What ends in the middle of a wave is not struck there: it goes on, turned around.
    tail = np.pad(mono, (0, _LEAD * hop), "reflect", reflect_type="odd")[mono.size :]
    padded = np.concatenate([np.zeros(lead, np.float32), mono, tail.astype(np.float32)])
    energies = np.empty((padded.size // hop, _BANDS), np.float32)
    with denormals_flushed():  # filters that ring out in digital silence
        band_energies(padded, hop, *_poles(rate_hz), energies)
    sounding = energies[lead // hop : -_LEAD]
    floors = _FLOOR_TIMES * np.quantile(sounding, _FLOOR_SHARE, axis=0)
    steepness = _steepness(rate_hz)  # of a wave of one level by band
    loudest_band = float((sounding / steepness).max())
    floors = np.maximum(floors, _LEAST_FLOOR * loudest_band * steepness).astype(np.float32)
    rises, slow = np.empty((2, energies.shape[0]), np.float32)
    mean_rises(energies, floors, *_QUICK, rises)
    mean_rises(energies, floors, *_SLOW, slow)
    rises += np.float32(_SLOW_SHARE) * slow
    reach = np.round(np.array(_REACH_S) * rate_hz).astype(np.int64)
    rising, resting = round(_RISING_S * rate_hz), round(_RESTING_S * rate_hz)
    hops = _peaks(rises)
    frames = np.array(
        [begins_at(padded, n * hop, reach, rising, resting, _FOOT) for n in hops], np.int64
    )
    frames, weights = _merged(frames - lead, rises[hops], _SAME_S * rate_hz)
    kept = (frames + first >= inside[0]) & (frames + first < inside[1])
    frames, weights = frames[kept], weights[kept]
    return Risen(frames + first, weights, _levels(mono, frames, rate_hz))


def _centers(rate_hz: float) -> np.ndarray:
    return np.geomspace(_LOWEST_HZ, min(_HIGHEST_HZ, 0.4 * rate_hz), _BANDS)


def _steepness(rate_hz: float) -> np.ndarray:
    """What the second difference makes of the energy in each band's middle."""
    return np.asarray((2.0 * np.sin(np.pi * _centers(rate_hz) / rate_hz)) ** 4)


@lru_cache(16)
def _poles(rate_hz: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Cosines, sines and gains of the bands' filters: float32 (bands,) each."""
    centers = _centers(rate_hz)
    widths = np.maximum(centers / _QUALITY, _NARROWEST_HZ)
    radii = np.exp(-np.pi * widths / rate_hz)
    angles = 2.0 * np.pi * centers / rate_hz
    found = radii * np.cos(angles), radii * np.sin(angles), 1.0 - radii
    return tuple(np.asarray(part, np.float32) for part in found)  # type: ignore[return-value]


def _peaks(rises: np.ndarray) -> np.ndarray:
    """Hops at which the rise is the highest around."""
    from scipy.ndimage import maximum_filter1d

    highest = maximum_filter1d(rises, 2 * _NEAR + 1)
    return np.flatnonzero((rises == highest) & (rises >= FAINT_DB))


def _merged(frames: np.ndarray, rises: np.ndarray, same: float) -> tuple[np.ndarray, np.ndarray]:
    """Places in their order, those that fall together as one with the highest rise of them."""
    order = np.argsort(frames, kind="stable")
    frames, rises = frames[order], rises[order]
    if not frames.size:
        return frames, rises
    begins = np.flatnonzero(np.diff(frames, prepend=frames[0] - 2 * same - 1) > same)
    return frames[begins], np.maximum.reduceat(rises, begins)


def _levels(mono: np.ndarray, frames: np.ndarray, rate_hz: float) -> np.ndarray:
    heard = max(1, round(_HEARD_S * rate_hz))
    found = [np.abs(mono[n : n + heard]).max(initial=0.0) for n in np.maximum(frames, 0)]
    return np.array(found, np.float32)
