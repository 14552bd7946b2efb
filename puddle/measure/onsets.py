"""Where hits begin in a recording: one, several as in a flam, or a busy loop.

The level in fourteen bands from 70 Hz to 14 kHz is followed by the millisecond, of the wave's
second difference so that a low tone does not leak into bands far above it; what may be a hit is
where the mean rise of the bands peaks. Two milliseconds are compared with the highest of the 16
before, of the band and of its neighbors, so that what bends its pitch, or goes on ringing, is not
taken for a hit (after S. Böck and G. Widmer, *Maximum filter vibrato suppression for onset
detection*, DAFx-13). With less weight, eight are compared with the eight before; and twenty with
the twenty before, a band by how surely its level is known in that time: both hear a noise that is
struck again while it lasts. Around each peak the hit is looked for to the frame: where what sounded
before foretells the wave least (a change of the signal's model: J. P. Bello et al., *A tutorial on
onset detection in music signals*, IEEE Transactions on Speech and Audio Processing 13 (5), 2005).

Whether a place is a hit is told by a forest of decision trees over how it rises, in which bands,
how loud it is and what rises around it. `tools/onset_fit.py` grows it on made recordings: our
voices' starting points over each other, as loops and alone, in rooms and through masters.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import msgspec
import numpy as np

from puddle.measure.envelope import mono_of
from puddle.measure.forest import read_forest
from puddle.tasks import check_cancelled

_FAINT_DB = 0.3  # the mean rise under which nothing is noted
FOREST = Path(__file__).with_name("onset.npz")
TRAITS = (
    "rise", "slow", "steady",  # dB, the mean over the bands
    "level", "louder",  # dB of the peak that follows: of the loudest, and of the peak before
    "low", "mid", "high", "most",  # dB by which bands rise: means, and the highest
    "sounding",  # bands that stand over the room
    "since", "since_rise", "until", "until_rise",  # s to what rises as much, and its dB
)  # fmt: skip
_BANDS, _LOWEST_HZ, _HIGHEST_HZ = 14, 70.0, 14000.0
_LOW, _MID = 5, 9  # bands before which low and mid ones end: at 440 Hz and 2.2 kHz
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
_HIGHEST = 1e15  # whose energies float32 holds: nobody records louder
_SOUNDS_TIMES = 2.0  # over the room, in energy
_REACH_S, _SPAN_S, _LEARNED_S, _FOOT = (0.005, 0.008), 0.005, 0.02, 0.1
_HEARD_S = 0.02
_AROUND_S = 0.25  # in which what rises more is looked for
_SURE = 0.35  # the chance from which on a place is a hit
_QUIET = 0.01  # of the loudest: no hit of a file is softer
_APART_S = 0.025  # of files: where a grace stroke counts as one with its hit
OUTLINE_FRAMES = 256  # of one value of a long recording's outline
_PART_S, _MARGIN_S = 30.0, 0.25


class Risen(msgspec.Struct, frozen=True, eq=False):
    """Places at which a recording gets louder, rising: what may be hits."""

    frames: np.ndarray  # int64
    chances: np.ndarray  # float32: that it is a hit, 0 to 1
    levels: np.ndarray  # float32: the peak of the 20 ms that follow

    def __len__(self) -> int:
        return int(self.frames.size)


def no_places() -> Risen:
    """Of silence."""
    return Risen(np.zeros(0, np.int64), *np.zeros((2, 0), np.float32))


def all_of(parts: list[Risen]) -> Risen:
    """Those of several parts that follow one another."""
    if not parts:
        return no_places()
    return Risen(
        np.concatenate([p.frames for p in parts]),
        np.concatenate([p.chances for p in parts]),
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
    sure = (found.chances >= _SURE) & (found.levels > _QUIET * loudest)
    frames = apart(found.frames[sure], found.chances[sure], _APART_S * rate_hz)
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
        check_cancelled()
        first = max(0, start - around)
        found.append(risen_in(mono[first : end + around], rate_hz, first, (start, end)))
    return all_of(found)


def risen_in(mono: np.ndarray, rate_hz: float, first: int, inside: tuple[int, int]) -> Risen:
    """What rises in a part of a recording, float32 (frames,) that begin at its frame `first`.

    Only places `inside`, from a frame to before another, are given.
    """
    frames, levels, traits = places_in(mono, rate_hz, starts=first == 0)
    kept = (frames + first >= inside[0]) & (frames + first < inside[1])
    if not kept.any():
        return no_places()
    chances = read_forest(FOREST).shares_of(traits[kept])[:, 0].astype(np.float32)
    return Risen(frames[kept] + first, chances, levels[kept])


def places_in(
    mono: np.ndarray, rate_hz: float, *, starts: bool = True
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Where float32 (frames,) rises: int64 (places,), the peaks of the 20 ms that follow, and
    `TRAITS`, float32 (places, traits).

    Before what `starts` there is silence.
    """
    from puddle.kernels.compiling import denormals_flushed
    from puddle.kernels.onsets import band_energies, band_rises, begins_at, steady_rises

    hop = hop_of(rate_hz)
    loudest = float(np.abs(mono).max(initial=0.0))
    if mono.size < hop or not 0.0 < loudest < _HIGHEST:  # nor what is not a number
        none = np.zeros((0, len(TRAITS)), np.float32)
        return np.zeros(0, np.int64), np.zeros(0, np.float32), none
    lead = _LEAD * hop if starts else 0
    padded = np.concatenate([np.zeros(lead, np.float32), mono])
    energies = np.empty((padded.size // hop, _BANDS), np.float32)
    with denormals_flushed():  # filters that ring out in digital silence
        band_energies(padded, hop, *_poles(rate_hz), energies)
    floors = _floors(energies[lead // hop :], rate_hz)
    quick, slow = np.empty((2, *energies.shape), np.float32)
    band_rises(energies, floors, *_QUICK, quick)
    band_rises(energies, floors, *_SLOW, slow)
    sureness = np.sqrt(_widths(rate_hz))  # of a noise's level: the wider a band, the surer
    weights = sureness / sureness.sum()
    steady = np.empty(energies.shape[0], np.float32)
    steady_rises(energies, floors, *_STEADY, weights, _STEADY_MOST_DB, steady)
    if lead:
        steady[: lead // hop + _STEADY[0]] = 0.0  # a room does not begin where its recording does
    slow_db = slow.mean(axis=1)
    rises = quick.mean(axis=1) + np.float32(_SLOW_SHARE) * slow_db
    rises += np.float32(_STEADY_SHARE) * steady
    reach = np.round(np.array(_REACH_S) * rate_hz).astype(np.int64)
    span, learned = round(_SPAN_S * rate_hz), round(_LEARNED_S * rate_hz)
    hops = _peaks(rises)
    frames = np.array(
        [begins_at(padded, n * hop, reach, span, learned, _FOOT) for n in hops], np.int64
    )
    frames, most = _merged(frames - lead, rises[hops], _SAME_S * rate_hz)
    hops = hops[most]
    after, before = _levels(mono, frames, rate_hz)
    bands = quick[hops]
    traits = np.column_stack([
        rises[hops], slow_db[hops], steady[hops],
        _db(after / loudest), _db(after) - _db(before),
        bands[:, :_LOW].mean(axis=1), bands[:, _LOW:_MID].mean(axis=1),
        bands[:, _MID:].mean(axis=1), bands.max(axis=1, initial=0.0),
        _sounding(energies, floors, hops),
        *_around(frames, rises[hops], rate_hz),
    ])  # fmt: skip
    return frames, after, traits.astype(np.float32)


def _floors(energies: np.ndarray, rate_hz: float) -> np.ndarray:
    """What is the room in each band, float32 (bands,): it rises and falls by itself."""
    floors = _FLOOR_TIMES * np.quantile(energies, _FLOOR_SHARE, axis=0)
    steepness = _steepness(rate_hz)  # of a wave of one level by band
    loudest_band = float((energies / steepness).max())
    floors = np.maximum(floors, _LEAST_FLOOR * loudest_band * steepness)
    return np.asarray(floors, np.float32)


def _db(peaks: np.ndarray) -> np.ndarray:
    return np.asarray(20.0 * np.log10(peaks + 1e-7))


def _sounding(energies: np.ndarray, floors: np.ndarray, hops: np.ndarray) -> np.ndarray:
    """How many bands stand over the room in two milliseconds from some hops on: (hops,)."""
    following = np.minimum(hops + 1, energies.shape[0] - 1)
    means = 0.5 * (energies[hops] + energies[following])
    return np.asarray((means + floors > _SOUNDS_TIMES * floors).sum(axis=1))


def _around(frames: np.ndarray, rises: np.ndarray, rate_hz: float) -> np.ndarray:
    """Seconds since what rose as much as each place, its rise; until what will, and its rise."""
    from puddle.kernels.onsets import nearest_stronger

    found = np.empty((4, frames.size), np.float32)
    nearest_stronger(frames, rises, round(_AROUND_S * rate_hz), found)
    found[::2] /= np.float32(rate_hz)
    return found


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
    return np.flatnonzero((rises == highest) & (rises >= _FAINT_DB))


def _merged(frames: np.ndarray, rises: np.ndarray, same: float) -> tuple[np.ndarray, np.ndarray]:
    """Places in their order, those that fall together as one: its first frame, and which of them
    rises the most."""
    order = np.argsort(frames, kind="stable")
    frames, rises = frames[order], rises[order]
    if not frames.size:
        return frames, order
    begins = np.flatnonzero(np.diff(frames, prepend=frames[0] - 2 * same - 1) > same)
    ends = np.append(begins[1:], frames.size)
    most = [int(n + np.argmax(rises[n:end])) for n, end in zip(begins, ends, strict=True)]
    return frames[begins], order[most]


def _levels(mono: np.ndarray, frames: np.ndarray, rate_hz: float) -> np.ndarray:
    """The peaks of the 20 ms after and before some frames: float32 (2, frames)."""
    heard = max(1, round(_HEARD_S * rate_hz))
    found = np.zeros((2, frames.size), np.float32)
    for n, at in enumerate(np.maximum(frames, 0).tolist()):
        found[0, n] = np.abs(mono[at : at + heard]).max(initial=0.0)
        found[1, n] = np.abs(mono[max(0, at - heard) : at]).max(initial=0.0)
    return found
