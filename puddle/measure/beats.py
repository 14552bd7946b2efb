"""The tempo that hits were played at, and where the first bar begins.

Every tempo from 55 to 200 bpm is tried, in steps of 0.1 %: how well the hits lie on its beats,
eighths and sixteenths, wherever the first of them falls, by the length of the mean of their phases
(circular statistics; K. V. Mardia and P. E. Jupp, *Directional Statistics*, 2000), loud hits
counting more. Of half, as it is, and double the one is taken whose beats are struck the loudest and
that lies nearer to 115; both are always worth a look. The tempo that fits best is then drawn
through its hits by least squares.
"""

from __future__ import annotations

import math

import msgspec
import numpy as np

LEAST_HITS = 4
LEAST_SURE = 0.25  # under it hardly any tempo fits
_SLOWEST, _FASTEST, _STEP = 55.0, 200.0, 0.001
_USUAL_BPM, _USUAL_SHARE = 115.0, 1.2
_STRUCK_SHARE = 0.5  # of how loud the beats are, beside a squared octave from the usual tempo
_ON_BEAT = 0.14  # of a beat around it
_MOST_HITS = 400
_PER_BEAT = (4, 2, 1)  # sixteenths, eighths, beats
_APART = 0.04  # of a tempo: what lies closer is the same one
_STRONG = 0.5  # of the loudest: the first such hit is on the first downbeat


class Beats(msgspec.Struct, frozen=True):
    """What was found: beats a minute, where a bar begins, and how much better than any other."""

    bpm: float
    downbeat_s: float
    sure: float  # 0 to 1


def beats_of(times_s: np.ndarray, levels: np.ndarray) -> Beats | None:
    """The tempo of hits at rising times in seconds, of some levels; None of too few."""
    times, weights = times_s[:_MOST_HITS], np.sqrt(np.maximum(levels[:_MOST_HITS], 1e-6))
    if times.size < LEAST_HITS or times[-1] - times[0] < 0.5:
        return None
    weights = weights / weights.sum()
    tempos = np.exp(np.arange(math.log(_SLOWEST), math.log(_FASTEST), _STEP))
    turns = np.exp(2j * np.pi * np.outer(tempos / 60.0, times - times[0]))
    fits = sum(np.abs((turns**n) @ weights) for n in _PER_BEAT)
    scores = fits - _USUAL_SHARE * np.square(np.log2(tempos / _USUAL_BPM))
    best = int(np.argmax(scores))
    bpm = _counted(times, levels[:_MOST_HITS], float(tempos[best]))
    bpm = _drawn_through(times, weights, bpm)
    return Beats(bpm, _downbeat(times, levels[:_MOST_HITS], bpm), _sureness(tempos, fits, best))


def _counted(times: np.ndarray, levels: np.ndarray, bpm: float) -> float:
    """A tempo, its half or its double: as most would count it."""

    def score(tempo: float) -> float:
        far = math.log2(tempo / _USUAL_BPM)
        return _STRUCK_SHARE * _struck(times, levels, tempo) - far * far

    return max((t for t in (bpm, bpm / 2.0, 2.0 * bpm) if _SLOWEST <= t <= _FASTEST), key=score)


def _struck(times: np.ndarray, levels: np.ndarray, bpm: float) -> float:
    """How loud the hits on the beats are, on the mean of all beats from first to last, 0 to 1."""
    since = (times - times[0]) * bpm / 60.0
    phase = float(np.angle(np.exp(2j * np.pi * since) @ levels)) / (2.0 * np.pi)
    beats = np.round(since - phase)
    near = np.abs(since - phase - beats) < _ON_BEAT
    if not near.any():
        return 0.0
    first = int(beats[near].min())
    loudest = np.zeros(int(beats[near].max()) - first + 1)
    gains = np.sqrt(np.maximum(levels, 0.0) / max(float(np.quantile(levels, 0.9)), 1e-9))
    np.maximum.at(loudest, beats[near].astype(int) - first, np.minimum(1.0, gains[near]))
    return float(loudest.mean())


def _drawn_through(times: np.ndarray, weights: np.ndarray, bpm: float) -> float:
    """The tempo by a line through the hits and the sixteenths that they are nearest to."""
    since = (times - times[0]) * bpm / 15.0
    phase = np.angle(np.exp(2j * np.pi * since) @ weights) / (2.0 * np.pi)
    steps = np.round(since - phase)
    near = np.abs(since - phase - steps) < 0.3
    if near.sum() < LEAST_HITS or np.ptp(steps[near]) < 4:
        return bpm
    slope = float(np.polyfit(steps[near], times[near], 1, w=np.sqrt(weights[near]))[0])
    found = 15.0 / slope if slope > 0.0 else bpm
    return found if abs(found / bpm - 1.0) < 0.01 else bpm


def _sureness(tempos: np.ndarray, fits: np.ndarray, best: int) -> float:
    """How much better a tempo fits than the next that is neither it, its half nor its double."""
    octaves = np.abs(np.log2(tempos / tempos[best]))
    others = np.abs(octaves - np.round(octaves)) > _APART
    highest = float(fits[others].max(initial=0.0))
    return max(0.0, min(1.0, 4.0 * (float(fits[best]) - highest) / max(float(fits[best]), 1e-9)))


def _downbeat(times: np.ndarray, levels: np.ndarray, bpm: float) -> float:
    """The beat next to the first strong hit: it is taken for a first one."""
    beat = 60.0 / bpm
    turns = np.exp(2j * np.pi * times / beat)
    phase = float(np.angle(turns @ levels)) / (2.0 * np.pi) * beat
    first = float(times[int(np.argmax(levels >= _STRONG * levels.max()))])
    return max(0.0, phase + round((first - phase) / beat) * beat)
