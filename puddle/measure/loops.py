"""Loops: whether a recording is one, how many beats it holds, and its tempo.

A loop's length is a whole number of beats. Of the numbers of beats that give a tempo between 60 and
190 bpm, the one is taken on whose sixteenth notes, straight or swung, the hits lie best, and whose
tempo and count are usual: tempos gather around 118 bpm (D. Moelants, *Preferred tempo
reconsidered*, ICMPC 2002), counts are even.
"""

from __future__ import annotations

import math
import re

import msgspec
import numpy as np

from puddle.measure.envelope import mono_of
from puddle.measure.onsets import onsets

_SHORTEST_S, _LONGEST_S = 0.7, 60.0
_LEAST_HITS = 3
_SLOWEST, _FASTEST = 60.0, 190.0
_USUAL_BPM, _FAST_BPM = 118.0, 160.0
_MOST_SWUNG = 0.67  # of half a beat, where a swung sixteenth may lie
_LEAST_FIT = 0.55
_MOST_BEATS = 128
_PIECE_S = 0.02
_HEARD_S = 0.08  # after an onset: how loud its hit is
_TOLD = re.compile(r"(?<![0-9.])(\d{2,3}(?:\.\d+)?)[ _-]*bpm|bpm[ _-]*(\d{2,3}(?:\.\d+)?)", re.I)


class Loop(msgspec.Struct, frozen=True):
    """Whole beats and beats a minute."""

    beats: int
    bpm: float


def told_bpm(name: str) -> float | None:
    """The tempo that a name tells: "shackle 104 bpm.wav" tells 104."""
    found = _TOLD.search(name)
    return float(found[1] or found[2]) if found else None


def loop(audio: np.ndarray, rate_hz: float, name: str = "") -> Loop | None:
    """Beats and tempo of float32 (frames, channels); None for what is no loop."""
    seconds = audio.shape[0] / rate_hz
    if not _SHORTEST_S <= seconds <= _LONGEST_S or not _goes_on(audio, rate_hz):
        return None
    told = told_bpm(name)
    if told:
        beats = round(seconds * told / 60.0)
        if beats and abs(60.0 * beats / seconds / told - 1.0) < 0.02:
            return Loop(beats, 60.0 * beats / seconds)
    places = np.array(onsets(audio, rate_hz))
    if places.size < _LEAST_HITS or places[-1] < 0.4 * audio.shape[0]:
        return None
    return _best(places / rate_hz, _levels(audio, places, rate_hz), seconds)


def _goes_on(audio: np.ndarray, rate_hz: float) -> bool:
    """Whether it holds several hits: its last third is as loud, within 20 dB, as its first, and in
    between its level varies by more than that of noise."""
    piece = max(1, round(_PIECE_S * rate_hz))
    count = audio.shape[0] // piece
    powers = np.square(audio[: count * piece]).reshape(count, -1).mean(axis=1, dtype=np.float64)
    first, last = float(powers[: count // 3].max()), float(powers[-count // 3 :].max())
    soft, loud = (float(q) for q in np.quantile(powers, (0.1, 0.95)))
    return last > 0.01 * first > 0.0 and soft < 0.55 * loud


def _levels(audio: np.ndarray, places: np.ndarray, rate_hz: float) -> np.ndarray:
    """The root mean square of each hit's beginning, as a share of the loudest."""
    power = mono_of(np.square(audio))
    running = np.concatenate([[0.0], np.cumsum(power)])
    ends = np.minimum(places + round(_HEARD_S * rate_hz), audio.shape[0])
    found = np.sqrt((running[ends] - running[places]) / np.maximum(ends - places, 1))
    return np.asarray(found / max(float(found.max()), 1e-12))


def _best(times_s: np.ndarray, levels: np.ndarray, seconds: float) -> Loop | None:
    """The number of beats with the highest score; None where no grid fits."""
    first = max(1, math.ceil(seconds * _SLOWEST / 60.0))
    last = min(_MOST_BEATS, math.floor(seconds * _FASTEST / 60.0))
    best, most = 0, -math.inf
    for beats in range(first, last + 1):
        at = times_s * beats / seconds
        grid = _on_grid(at)
        score = _score(at, levels, grid) + _usual(beats, 60.0 * beats / seconds)
        if grid > _LEAST_FIT and score > most:
            best, most = beats, score
    return Loop(best, 60.0 * best / seconds) if best else None


def _on_grid(at: np.ndarray) -> float:
    """How well places in beats lie on sixteenths, straight or swung: 1 for on, -1 for between.

    Of each half beat its start is on the grid, and from its middle to two thirds of it.
    """
    half = (2.0 * at) % 1.0
    swung = np.maximum(0.0, np.maximum(0.5 - half, half - _MOST_SWUNG))
    off = np.minimum(np.minimum(half, 1.0 - half), swung)
    return float(np.cos(4.0 * np.pi * np.minimum(off, 0.25)).mean())


def _score(at: np.ndarray, levels: np.ndarray, grid: float) -> float:
    """How well hits lie: on the grid above all, loud ones on eighths, on beats."""
    eighths = float(np.average(np.cos(4.0 * np.pi * at), weights=levels))
    beats = float(np.cos(2.0 * np.pi * at).mean())
    return 5.0 * grid + 0.4 * eighths + 0.3 * beats


def _usual(beats: int, bpm: float) -> float:
    """How usual a count of beats and a tempo are; weights by trials on made loops."""
    octaves = math.log2(bpm / _USUAL_BPM)
    fast = max(0.0, math.log2(bpm / _FAST_BPM))
    counted = 3.4 * (beats % 2 == 0) + 0.5 * (beats & (beats - 1) == 0)
    return counted - 0.5 * octaves**2 - 6.0 * fast
