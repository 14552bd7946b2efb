"""Where hits begin in a recording: one, several as in a flam, or a busy loop.

The level in fourteen bands from 70 Hz to 14 kHz is followed by the millisecond, of the wave's
second difference so that a low tone does not leak into bands far above it; a hit is where the mean
rise of the bands peaks. Two milliseconds are compared with the highest of the 16 before, of the
band and of its neighbors, so that what bends its pitch, or goes on ringing, is not taken for a hit
(after S. Böck and G. Widmer, *Maximum filter vibrato suppression for onset detection*, DAFx-13).
With less weight, eight are compared with the eight before; and twenty with the twenty before, a
band by how surely its level is known in that time: both hear a noise that is struck again while it
lasts. Around each peak the hit is looked for to the frame: where what sounded before foretells the
wave least (a change of the signal's model: J. P. Bello et al., *A tutorial on onset detection in
music signals*, IEEE Transactions on Speech and Audio Processing 13 (5), 2005).
"""

from __future__ import annotations

from functools import lru_cache

import msgspec
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from puddle.measure.envelope import mono_of
from puddle.wanted import checkpoint

CLEAR_DB = 1.2  # the mean rise from which on a hit is sure
FAINT_DB = 0.3  # under it nothing is noted
_BANDS, _LOWEST_HZ, _HIGHEST_HZ = 14, 70.0, 14000.0
_QUALITY, _NARROWEST_HZ = 2.0, 100.0
_HOP_S = 0.001
_QUICK = (2, 16, 6.0)  # hops after, hops before, dB less that a neighbor counts
_SLOW, _SLOW_SHARE = (8, 8, 20.0), 0.15
_STEADY = (20, 5, 1.0)  # hops, the first of them, dB less that what was earlier counts
_STEADY_MOST_DB, _STEADY_SHARE = 6.0, 0.5
_LEAD = 32  # hops of silence around a recording
_NEAR = 5  # hops between peaks
_SAME_S = 0.003  # two that begin so close are one
_FLOOR_SHARE, _FLOOR_TIMES = 0.1, 3.0  # of the quiet tenth of the time: the room
_LEAST_FLOOR = 1e-7  # of the strongest energy
_REACH_S, _SPAN_S, _LEARNED_S, _FOOT = (0.005, 0.008), 0.005, 0.02, 0.1
_HEARD_S = 0.02
_QUIET = 0.01  # of the loudest
_ECHOES, _ECHO_SHARE, _ECHO_S = 16, 0.25, 0.03
_RESTLESS_HOPS, _RESTLESS_STEP, _RESTLESS_SHARE, _RESTLESS_TIMES = 300, 30, 0.8, 4.5
_LOUD_DB, _SOFT_SHARE = 18.0, 0.1
_LOOP_DB, _APART_S = 0.3, 0.025  # of files: where a grace stroke counts as one with its hit
OUTLINE_FRAMES = 256  # of one value of a long recording's outline
_PART_S, _MARGIN_S = 30.0, 0.25


class Risen(msgspec.Struct, frozen=True, eq=False):
    """Places at which a recording gets louder, rising: what may be hits."""

    frames: np.ndarray  # int64
    rises_db: np.ndarray  # float32: mean over the bands
    levels: np.ndarray  # float32: the peak of the 20 ms that follow
    before: np.ndarray  # float32: the peak of the 20 ms before
    restless_db: np.ndarray  # float32: a fifth of the 0.3 s around rises by more

    def __len__(self) -> int:
        return int(self.frames.size)


def no_places() -> Risen:
    """Of silence."""
    return Risen(np.zeros(0, np.int64), *np.zeros((4, 0), np.float32))


def all_of(parts: list[Risen]) -> Risen:
    """Those of several parts that follow one another."""
    if not parts:
        return no_places()
    return Risen(
        np.concatenate([p.frames for p in parts]),
        np.concatenate([p.rises_db for p in parts]),
        np.concatenate([p.levels for p in parts]),
        np.concatenate([p.before for p in parts]),
        np.concatenate([p.restless_db for p in parts]),
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
    least = np.maximum(_LOOP_DB, _RESTLESS_TIMES * found.restless_db)
    sure = found.rises_db >= np.maximum(least, _echoes(found, rate_hz))
    sure &= found.rises_db >= _least_of_soft(found.levels, loudest)
    # What only wavers, as drums' partials beat, gets no louder as a whole.
    sure &= (found.levels > found.before) | (found.rises_db >= CLEAR_DB)
    sure &= found.levels > _QUIET * loudest
    frames = apart(found.frames[sure], found.rises_db[sure], _APART_S * rate_hz)
    return [int(n) for n in frames] or [int(np.argmax(np.abs(mono) > 0.1 * loudest))]


def _least_of_soft(levels: np.ndarray, loudest: float) -> np.ndarray:
    """What places have to rise by, in dB, the more the softer they are: a tail's ripples."""
    under_db = -20.0 * np.log10(np.maximum(levels, 1e-9) / loudest) - _LOUD_DB
    return np.asarray(_SOFT_SHARE * under_db)


def _echoes(found: Risen, rate_hz: float) -> np.ndarray:
    """What rises by less than this, in dB, belongs to a hit just before it: float (places,).

    Bounces, rattles, second partials: a share of that hit's own rise, dying away.
    """
    least = np.zeros(len(found))
    for back in range(1, _ECHOES + 1):
        since = (found.frames[back:] - found.frames[:-back]) / (_ECHO_S * rate_hz)
        echo = _ECHO_SHARE * found.rises_db[:-back] * np.exp(-since)
        least[back:] = np.maximum(least[back:], echo)
    return least


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
    from puddle.kernels.onsets import band_energies, begins_at, mean_rises, steady_rises

    hop = hop_of(rate_hz)
    if mono.size < hop or not mono.any():
        return no_places()
    lead = _LEAD * hop if first == 0 else 0  # before a recording there is silence
    padded = np.concatenate([np.zeros(lead, np.float32), mono])
    energies = np.empty((padded.size // hop, _BANDS), np.float32)
    with denormals_flushed():  # filters that ring out in digital silence
        band_energies(padded, hop, *_poles(rate_hz), energies)
    sounding = energies[lead // hop :]
    floors = _FLOOR_TIMES * np.quantile(sounding, _FLOOR_SHARE, axis=0)
    steepness = _steepness(rate_hz)  # of a wave of one level by band
    loudest_band = float((sounding / steepness).max())
    floors = np.maximum(floors, _LEAST_FLOOR * loudest_band * steepness).astype(np.float32)
    rises, slow, steady = np.empty((3, energies.shape[0]), np.float32)
    mean_rises(energies, floors, *_QUICK, rises)
    mean_rises(energies, floors, *_SLOW, slow)
    sureness = np.sqrt(_widths(rate_hz))  # of a noise's level: the wider a band, the surer
    weights = sureness / sureness.sum()
    steady_rises(energies, floors, *_STEADY, weights, _STEADY_MOST_DB, steady)
    if lead:
        steady[: lead // hop + _STEADY[0]] = 0.0  # a room does not begin where its recording does
    rises += np.float32(_SLOW_SHARE) * slow + np.float32(_STEADY_SHARE) * steady
    reach = np.round(np.array(_REACH_S) * rate_hz).astype(np.int64)
    span, learned = round(_SPAN_S * rate_hz), round(_LEARNED_S * rate_hz)
    hops = _peaks(rises)
    frames = np.array(
        [begins_at(padded, n * hop, reach, span, learned, _FOOT) for n in hops], np.int64
    )
    frames, weights = _merged(frames - lead, rises[hops], _SAME_S * rate_hz)
    kept = (frames + first >= inside[0]) & (frames + first < inside[1])
    frames, weights = frames[kept], weights[kept]
    restless = _restless(rises)[np.clip((frames + lead) // hop, 0, rises.size - 1)]
    after, before = _levels(mono, frames, rate_hz)
    return Risen(frames + first, weights, after, before, restless)


def _centers(rate_hz: float) -> np.ndarray:
    return np.geomspace(_LOWEST_HZ, min(_HIGHEST_HZ, 0.4 * rate_hz), _BANDS)


def _widths(rate_hz: float) -> np.ndarray:
    return np.maximum(_centers(rate_hz) / _QUALITY, _NARROWEST_HZ)


def _steepness(rate_hz: float) -> np.ndarray:
    """What the second difference makes of the energy in each band's middle."""
    return np.asarray((2.0 * np.sin(np.pi * _centers(rate_hz) / rate_hz)) ** 4)


@lru_cache(16)
def _poles(rate_hz: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Cosines, sines and gains of the bands' filters: float32 (bands,) each."""
    centers = _centers(rate_hz)
    radii = np.exp(-np.pi * _widths(rate_hz) / rate_hz)
    angles = 2.0 * np.pi * centers / rate_hz
    found = radii * np.cos(angles), radii * np.sin(angles), 1.0 - radii
    return tuple(np.asarray(part, np.float32) for part in found)  # type: ignore[return-value]


def _peaks(rises: np.ndarray) -> np.ndarray:
    """Hops at which the rise is the highest around."""
    from scipy.ndimage import maximum_filter1d

    highest = maximum_filter1d(rises, 2 * _NEAR + 1)
    return np.flatnonzero((rises == highest) & (rises >= FAINT_DB))


def _restless(rises: np.ndarray) -> np.ndarray:
    """What a fifth of the hops around each exceeds, float32 (hops,): a noise rises all the time."""
    step = _RESTLESS_STEP
    padded = np.pad(rises, (_RESTLESS_HOPS // 2, _RESTLESS_HOPS // 2 + step), "edge")
    around = sliding_window_view(padded, _RESTLESS_HOPS + step)[::step]
    at = round(_RESTLESS_SHARE * around.shape[1])
    exceeded = np.partition(around, at, axis=1)[:, at]
    return np.repeat(exceeded, step)[: rises.size]


def _merged(frames: np.ndarray, rises: np.ndarray, same: float) -> tuple[np.ndarray, np.ndarray]:
    """Places in their order, those that fall together as one with the highest rise of them."""
    order = np.argsort(frames, kind="stable")
    frames, rises = frames[order], rises[order]
    if not frames.size:
        return frames, rises
    begins = np.flatnonzero(np.diff(frames, prepend=frames[0] - 2 * same - 1) > same)
    return frames[begins], np.maximum.reduceat(rises, begins)


def _levels(mono: np.ndarray, frames: np.ndarray, rate_hz: float) -> np.ndarray:
    """The peaks of the 20 ms after and before some frames: float32 (2, frames)."""
    heard = max(1, round(_HEARD_S * rate_hz))
    found = np.zeros((2, frames.size), np.float32)
    for n, at in enumerate(np.maximum(frames, 0).tolist()):
        found[0, n] = np.abs(mono[at : at + heard]).max(initial=0.0)
        found[1, n] = np.abs(mono[max(0, at - heard) : at]).max(initial=0.0)
    return found
