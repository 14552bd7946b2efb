"""Two sounds side by side: figures, their differences, matched loudness, spectra over each other.

A difference counts as large where it is at least twice what is just noticed in short sounds: about
1 dB of level, 10 cents of pitch, a quarter of a time (rounded from the literature: Zwicker and
Fastl, *Psychoacoustics*, chapters 7 and 12).
"""

from __future__ import annotations

import math

import msgspec
import numpy as np

from puddle.measure.levels import loudness_lufs, peak_dbfs, rms_dbfs, true_peak_dbtp
from puddle.measure.pitch import Pitch, fundamental_of
from puddle.measure.shape import HitShape, hit_shape
from puddle.measure.spectrum import balance_of, display_spectrum, whole_spectrum

_FULL_DBTP = 0.0
_HEARD_DB = 60.0  # under the highest point of a spectrum
_LEAST_MS = 0.2  # of a time: less is no one's concern


class Figures(msgspec.Struct, frozen=True):
    """Measures of one sound; None where there is nothing to measure."""

    length_ms: float
    onset_ms: float | None
    peak_dbfs: float
    true_peak_dbtp: float
    loudness_lufs: float | None
    crest_db: float | None
    attack_ms: float | None
    decay_60_ms: float | None
    fundamental_hz: float | None
    low_db: float | None
    mid_db: float | None
    high_db: float | None

    @property
    def headroom_db(self) -> float:
        """From the true peak to full scale; below zero it is over."""
        return _FULL_DBTP - self.true_peak_dbtp


class Figure(msgspec.Struct, frozen=True):
    """What is known of one of them: how it is written, and what difference is large."""

    field: str
    label: str
    unit: str
    decimals: int
    large: float  # in its unit; of times, a ratio; of a pitch, cents
    says: str


FIGURES = (
    Figure("peak_dbfs", "Peak", "dBFS", 1, 2.0, "The highest sample."),
    Figure(
        "true_peak_dbtp",
        "True peak",
        "dBTP",
        1,
        2.0,
        "The highest point between samples too: what a converter meets.",
    ),
    Figure("loudness_lufs", "Loudness", "LUFS", 1, 2.0, "As in BS.1770."),
    Figure(
        "crest_db",
        "Peak over body",
        "dB",
        1,
        2.0,
        "How far the peak stands over the level of the 50 ms that hold the most energy.",
    ),
    Figure("attack_ms", "Rise", "ms", 2, 1.5, "From 10 to 90 % of the peak."),
    Figure("decay_60_ms", "Decay", "ms", 0, 1.5, "From the peak to 60 dB under it."),
    Figure("fundamental_hz", "Pitch", "Hz", 1, 20.0, "The settled fundamental."),
    Figure("low_db", "Low, < 150 Hz", "dB", 1, 2.0, "Energy under 150 Hz against the whole."),
    Figure("mid_db", "Mid, < 2 kHz", "dB", 1, 2.0, "From 150 Hz to 2 kHz against the whole."),
    Figure("high_db", "High, > 2 kHz", "dB", 1, 2.0, "Over 2 kHz against the whole."),
)
_CREST_S = 0.05


def figures(audio: np.ndarray, rate_hz: float, pitch: Pitch | None = None) -> Figures:
    """Measures of float32 (frames, 2); `pitch` where it was measured before."""
    shape: HitShape | None = hit_shape(audio, rate_hz)
    whole = whole_spectrum(audio, rate_hz)
    bands = balance_of(whole)
    found = fundamental_of(whole) if pitch is None else pitch
    return Figures(
        length_ms=1000.0 * audio.shape[0] / rate_hz,
        onset_ms=shape.onset_ms if shape else None,
        peak_dbfs=peak_dbfs(audio),
        true_peak_dbtp=true_peak_dbtp(audio),
        loudness_lufs=loudness_lufs(audio, rate_hz),
        crest_db=crest_db(audio, rate_hz) if shape else None,
        attack_ms=shape.attack_ms if shape else None,
        decay_60_ms=shape.decay_60_ms if shape else None,
        fundamental_hz=found.hz,
        low_db=bands.low_db if bands else None,
        mid_db=bands.mid_db if bands else None,
        high_db=bands.high_db if bands else None,
    )


def crest_db(audio: np.ndarray, rate_hz: float) -> float:
    """The peak over the RMS of the 50 ms that hold the most energy; a square wave's is 0.

    Over the whole of a hit it would say how long the silence after it was recorded.
    """
    frames = max(1, min(audio.shape[0], round(_CREST_S * rate_hz)))
    power = np.square(audio, dtype=np.float64).mean(axis=1)
    running = np.concatenate([[0.0], np.cumsum(power)])
    at = int(np.argmax(running[frames:] - running[:-frames]))
    return peak_dbfs(audio) - rms_dbfs(audio[at : at + frames])


def difference(figure: Figure, own: Figures, other: Figures) -> float | None:
    """The reference's figure less one's own: in its unit, of a pitch in cents."""
    a, b = getattr(own, figure.field), getattr(other, figure.field)
    if a is None or b is None:
        return None
    if figure.unit == "Hz":
        return 1200.0 * math.log2(b / a)
    return float(b - a)


def is_large(figure: Figure, own: Figures, other: Figures) -> bool:
    """Whether a difference is worth a mark; always where only one has the figure."""
    a, b = getattr(own, figure.field), getattr(other, figure.field)
    if a is None or b is None:
        return (a is None) != (b is None)
    if figure.unit == "ms":
        shorter, longer = sorted((max(a, _LEAST_MS), max(b, _LEAST_MS)))
        return bool(longer / shorter >= figure.large)
    found = difference(figure, own, other)
    return found is not None and abs(found) >= figure.large


class Match(msgspec.Struct, frozen=True):
    """Gains in dB at which two sounds are equally loud and neither is over full scale."""

    own_db: float = 0.0
    other_db: float = 0.0


def match(own: Figures, other: Figures) -> Match:
    """The reference is brought to one's own loudness; both go down where it would be clipped."""
    if own.loudness_lufs is None or other.loudness_lufs is None:
        return Match()
    gain = own.loudness_lufs - other.loudness_lufs
    over = max(0.0, other.true_peak_dbtp + gain - max(_FULL_DBTP, own.true_peak_dbtp))
    return Match(-over, gain - over)


class Spectra(msgspec.Struct, frozen=True, eq=False):
    """Levels of two sounds on one axis, as for drawing, and where they differ."""

    hz: np.ndarray
    own_db: np.ndarray
    other_db: np.ndarray
    differs_db: np.ndarray  # the reference over one's own; 0 where neither is heard


def compared_spectra(own: np.ndarray, other: np.ndarray, rate_hz: float, found: Match) -> Spectra:
    """Of two sounds, float32 (frames, 2), at matched gains.

    The difference is taken no deeper than 60 dB under the highest point of both, so that what
    neither has is no difference.
    """
    hz, a = display_spectrum(own, rate_hz)
    b = display_spectrum(other, rate_hz)[1]
    a, b = a + found.own_db, b + found.other_db
    floor = max(float(a.max()), float(b.max())) - _HEARD_DB
    return Spectra(hz, a, b, np.maximum(b, floor) - np.maximum(a, floor))


def from_onset(audio: np.ndarray, rate_hz: float, onset_ms: float | None) -> np.ndarray:
    """The sound from its onset on."""
    first = round((onset_ms or 0.0) / 1000.0 * rate_hz)
    return audio[min(first, audio.shape[0] - 1) :]
