"""Recordings of several drums sorted into drums: by likeness, and by name where names help.

Likeness is the distance between levelled third-octave spectra of the first 150 ms and of the rest,
and between lengths. Recordings are joined by average linkage (Sokal and Michener 1958) until what
is left lies too far apart. Names that agree but for numbers, and words for strength or take, bring
recordings together; names that differ hold them apart.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

import msgspec
import numpy as np

from puddle.measure.bands import THIRDS_HZ, band_places
from puddle.measure.envelope import mono_of, outline

_ONSET = 0.05
_EARLY_S = 0.15
_FLOOR = 1e-3  # of the strongest band, in amplitude: what lies under it tells nothing
_SPAN_DB = 60.0
_LENGTH_DB = 6.0  # what a recording twice as long counts
_DECAY_DB = 20.0
_APART_DB = 7.2
_SAME_NAME, _OTHER_NAME = 0.5, 2.0
_WORDS = re.compile(r"[a-z]+")
_PARTS = re.compile(r"[^\W_]+")
_NO_NAMES = {
    "soft", "softer", "medium", "mid", "med", "firm", "hard", "harder", "loud", "quiet", "low",
    "high", "p", "pp", "ppp", "mp", "mf", "f", "ff", "fff", "v", "vel", "velocity", "layer", "rr",
    "r", "take", "takes", "rec", "alt", "turn", "hit", "l", "m", "h", "copy", "mono",
    "stereo", "wav", "st",
}  # fmt: skip


class Likeness(msgspec.Struct, frozen=True, eq=False):
    """What is compared of a recording: levels in dB by band, early and late, and its length."""

    early_db: np.ndarray
    late_db: np.ndarray
    decay_octaves: float


def likeness(audio: np.ndarray, rate_hz: float) -> Likeness:
    """Of float32 (frames, 2)."""
    level = outline(audio)
    peak = float(level.max(initial=0.0))
    onset = int(np.argmax(level > _ONSET * peak)) if peak > 0.0 else 0
    mono = mono_of(audio[onset:])
    edge = round(_EARLY_S * rate_hz)
    energy = np.cumsum(np.square(mono))
    total = float(energy[-1]) if energy.size else 0.0
    # Nine tenths of the energy: how long it rings, whatever its level and its silence after.
    decay = float(np.searchsorted(energy, 0.9 * total)) / rate_hz if total > 0.0 else 0.0
    return Likeness(
        _levels(mono[:edge], rate_hz), _levels(mono[edge:], rate_hz), float(np.log2(decay + 0.005))
    )


def _levels(mono: np.ndarray, rate_hz: float) -> np.ndarray:
    """By third-octave in dB under the strongest, smoothed over three."""
    from puddle.kernels.spectra import sums_between

    if mono.size < 64:
        return np.full(THIRDS_HZ.size, -_SPAN_DB)
    size = 1 << max(12, (mono.size - 1).bit_length())
    power = np.square(np.abs(np.fft.rfft(mono, size)))
    bands = sums_between(power, band_places(size, rate_hz))
    most = float(bands.max(initial=0.0))
    if most <= 0.0:
        return np.full(bands.size, -_SPAN_DB)
    smooth = np.convolve(np.sqrt(bands / most), [0.25, 0.5, 0.25], "same")
    levels: np.ndarray = 20.0 * np.log10(smooth + _FLOOR)
    return levels


def apart_db(one: Likeness, other: Likeness) -> float:
    """How unlike two recordings are, in dB: the mean difference by band, and in length."""
    early = float(np.sqrt(np.mean(np.square(one.early_db - other.early_db))))
    late = float(np.sqrt(np.mean(np.square(one.late_db - other.late_db))))
    length = _LENGTH_DB * abs(one.decay_octaves - other.decay_octaves)
    return 0.65 * early + 0.2 * late + 0.5 * length


def drum_name(file_name: str) -> str:
    """What a file's name says of its drum: without numbers, and words for strength or take."""
    words = _WORDS.findall(file_name.rsplit(".", 1)[0].lower())
    return " ".join(w for w in words if w not in _NO_NAMES)


def stem(file_name: str) -> str:
    """A file's name before the number, or the words for strength or take, that it ends with.

    "g01 soft 2" is "g01"; digits that close the last word go too: "kick07" is "kick".
    """
    words = _PARTS.findall(file_name.rsplit(".", 1)[0])
    ended = False
    while words and (words[-1].isdecimal() or _bare(words[-1]) in _NO_NAMES):
        words.pop()
        ended = True
    if words and not ended:
        words[-1] = words[-1].rstrip("0123456789")
    return " ".join(word for word in words if word)


def _bare(word: str) -> str:
    return word.lower().rstrip("0123456789")


def grouped(names: Sequence[str], found: Sequence[Likeness]) -> list[list[int]]:
    """The places of recordings by drum, drums and recordings in the order given."""
    if len(found) < 2:
        return [[n] for n in range(len(found))]
    from scipy.cluster.hierarchy import fcluster, linkage

    drums = told_drums(names)
    distances = []
    for a in range(len(found)):
        for b in range(a + 1, len(found)):
            apart = apart_db(found[a], found[b])
            if drums[a] and drums[b]:
                apart *= _SAME_NAME if drums[a] == drums[b] else _OTHER_NAME
            distances.append(apart)
    labels = fcluster(linkage(np.array(distances), "average"), _APART_DB, "distance")
    groups: dict[int, list[int]] = {}
    for n, label in enumerate(labels.tolist()):
        groups.setdefault(label, []).append(n)
    return sorted(groups.values())


def told_drums(names: Sequence[str]) -> list[str]:
    """What each name says of its drum; empty strings where the names tell none apart.

    By their stems; where those tell nothing, by their words without any number.
    """
    for read in (lambda name: stem(name).lower(), drum_name):
        drums = [read(name) for name in names]
        if _names_help(drums):
            return drums
    return [""] * len(names)


def _names_help(drums: Sequence[str]) -> bool:
    """Whether names tell several drums apart, most of them with several recordings."""
    counts = Counter(name for name in drums if name)
    shared = sum(count for count in counts.values() if count > 1)
    return len(counts) > 1 and shared > len(drums) / 2
