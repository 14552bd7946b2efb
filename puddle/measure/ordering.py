"""Recordings of one drum, from soft to hard.

A harder strike is louder and brighter. Loudness is BS.1770's. Brightness has two halves: the mean
of third-octaves on a logarithmic axis, weighted by the amplitude in each, over the first 30 and
150 ms; and the root mean square frequency of the whole, by the energy of its first difference,
which hears a click or a wash where the mean is held by the body. Where levels have been evened
out, brightness alone tells.
"""

from __future__ import annotations

import msgspec
import numpy as np

from puddle.measure.bands import THIRDS_HZ, band_places
from puddle.measure.envelope import mono_of, outline
from puddle.measure.levels import loudness_lufs

_ONSET = 0.05  # of the peak
_WINDOWS_S = (0.03, 0.15)
_LEAST = 1e-5  # of the strongest third-octave's energy
_LEAST_SIZE = 4096
_EVENED_DB = 3.0  # recordings that lie closer have had their levels evened out
_DB_PER_OCTAVE = 12.0  # of brightness: what counts as much as a decibel
_SILENT_LUFS = -100.0
_SHARP = 0.55  # the second half's share of the brightness
_TURNS_APART = 1.5  # strengths lie so much farther apart than the turns of one
_STRENGTHS_DB, _STRENGTHS_OCTAVES = 4.0, 0.35  # apart: more is no round robin


class Strength(msgspec.Struct, frozen=True):
    """How hard a recording sounds."""

    loudness_lufs: float
    brightness: float  # in octaves over 1 Hz


def strength(audio: np.ndarray, rate_hz: float) -> Strength:
    """Of float32 (frames, 2)."""
    level = outline(audio)
    peak = float(level.max(initial=0.0))
    loud = loudness_lufs(audio, rate_hz)
    if peak <= 0.0 or loud is None:
        return Strength(_SILENT_LUFS, 0.0)
    onset = int(np.argmax(level > _ONSET * peak))
    mono = mono_of(audio[onset:])
    bright = [_brightness(mono, round(s * rate_hz), rate_hz) for s in _WINDOWS_S]
    middle = sum(bright) / len(bright)
    return Strength(loud, (1.0 - _SHARP) * middle + _SHARP * _sharpness(mono, rate_hz))


def _sharpness(mono: np.ndarray, rate_hz: float) -> float:
    """The root mean square frequency in octaves over 1 Hz (Parseval, of the first difference)."""
    energy = float(np.square(mono).sum())
    steps = float(np.square(np.diff(mono)).sum())
    if energy <= 0.0 or steps <= 0.0:
        return 0.0
    return float(np.log2(rate_hz / (2.0 * np.pi))) + 0.5 * float(np.log2(steps / energy))


def _brightness(mono: np.ndarray, length: int, rate_hz: float) -> float:
    from puddle.kernels.spectra import sums_between

    part = np.zeros(length)
    part[: min(length, mono.size)] = mono[:length]
    part[length // 2 :] *= np.hanning(length)[length // 2 :]
    size = max(_LEAST_SIZE, 1 << (length - 1).bit_length())
    edges = band_places(size, rate_hz)
    bands = sums_between(np.square(np.abs(np.fft.rfft(part, size))), edges)
    weights = np.sqrt(bands + _LEAST * bands.max(initial=0.0))
    total = float(weights.sum())
    return float((weights * np.log2(THIRDS_HZ)).sum() / total) if total > 0.0 else 0.0


def _scores(found: list[Strength]) -> list[float]:
    """How hard each is, in dB; where levels were evened out, by its brightness alone."""
    loud = [s.loudness_lufs for s in found]
    evened = max(loud, default=0.0) - min(loud, default=0.0) < _EVENED_DB
    level = 0.0 if evened else 1.0
    return [level * s.loudness_lufs + _DB_PER_OCTAVE * s.brightness for s in found]


def soft_to_hard(found: list[Strength]) -> list[int]:
    """The places of recordings, the softest first; of two that are alike, as they came."""
    scores = _scores(found)
    return sorted(range(len(found)), key=lambda n: scores[n])


def strengths_and_turns(found: list[Strength]) -> list[list[int]]:
    """Recordings by strength, soft to hard, those of one strength as its turns in the order given.

    As many turns for each, where strengths then lie clearly farther apart than turns; else each is
    a strength of its own, or, where they are too alike for that, all are turns of one.
    """
    if not are_strengths(found):
        return [list(range(len(found)))] if found else []
    order, scores = soft_to_hard(found), sorted(_scores(found))
    best, turns = _TURNS_APART, 1
    for count in range(2, len(found) // 2 + 1):
        if len(found) % count:
            continue
        steps = np.diff(scores)
        between = steps[count - 1 :: count]
        within = np.delete(steps, np.arange(count - 1, len(steps), count))
        apart = float(between.min() / max(1e-9, within.max()))
        if apart > best:
            best, turns = apart, count
    return [sorted(order[n : n + turns]) for n in range(0, len(order), turns)]


def are_strengths(found: list[Strength]) -> bool:
    """Whether recordings are likely strengths of a drum, and not turns of one strength."""
    loud, bright = [s.loudness_lufs for s in found], [s.brightness for s in found]
    if len(found) < 2:
        return False
    return max(loud) - min(loud) > _STRENGTHS_DB or max(bright) - min(bright) > _STRENGTHS_OCTAVES
