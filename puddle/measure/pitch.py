"""The settled fundamental of a hit.

A drum's pitch is that of its lowest partial that rings on, once the fall after the hit is over.
The search runs over windows that begin later and later: in each, the lowest spectral peak that
stands clear of what surrounds it is taken, and a decaying sine is fitted to the band around it by
least squares (variable projection: Golub and Pereyra 1973). Where successive windows agree, the
pitch has settled; how long and how cleanly they do, and how much of the sound's energy the pitch
carries, is the confidence.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import groupby
from operator import itemgetter
from typing import Any

import numpy as np

from puddle.measure.envelope import mono_of
from puddle.wanted import checkpoint

LOWEST_HZ, HIGHEST_HZ = 25.0, 2500.0
_WINDOWS = 14
_FIRST_DECAY = 6.0  # 1/s, where the fit begins
_LONGEST_S = 0.4
_AGREE_CENTS = 20.0
_CONFIDENT = 0.4
_HARMONICS = 5
_HEARD_DB, _UNHEARD_DB = -18.0, -30.0  # of the whole energy
_LEAST_LOW_SHARE = 10.0 ** (-22.0 / 10.0)
_FALLS_S = np.geomspace(0.008, 0.12, 24)  # time constants that a pitch may fall with


@dataclass(frozen=True, slots=True)
class Pitch:
    """Frequency in Hz, None where there is no pitch, and how sure that is (0 to 1)."""

    hz: float | None
    confidence: float


@dataclass(frozen=True, slots=True)
class _Partial:
    hz: float
    clarity: float  # share of the band's energy that the fit explains
    level: float
    start_s: float
    cycles: float


def fundamental(audio: np.ndarray, rate_hz: float) -> Pitch:
    """The settled pitch of float32 (frames, channels)."""
    from scipy import fft

    mono = mono_of(audio)
    mono = mono - mono.mean() if mono.size else mono
    peak = float(np.abs(mono).max(initial=0.0))
    if peak <= 1e-6 or mono.shape[0] < 0.012 * rate_hz:
        return Pitch(None, 0.0)
    checkpoint()
    mono /= peak
    size = 1 << max(15, (mono.shape[0] + 256 - 1).bit_length())
    spectrum = fft.rfft(mono, size)
    checkpoint()
    signal, rate = _slower(mono, spectrum, size, rate_hz)
    power = np.square(spectrum.real) + np.square(spectrum.imag)
    per_bin = rate_hz / size
    if _low_share(power, per_bin) < _LEAST_LOW_SHARE:
        return Pitch(None, 0.0)
    onset = int(np.argmax(np.abs(signal) > 0.05))
    end = _end(signal, rate)
    pitch = _settled(_partials(signal, rate, _starts(onset, end, rate), end))
    if pitch.hz is None:
        return pitch
    confidence = round(pitch.confidence * _heeded(power, per_bin, pitch.hz), 3)
    return Pitch(pitch.hz if confidence >= _CONFIDENT else None, confidence)


def _heeded(power: np.ndarray, per_bin: float, hz: float) -> float:
    """How far a pitch counts by the energy it carries: 0 to 1.

    The pitch within a semitone, and its next four harmonics within half of one: all of it
    down to -18 dB, nothing under -30 dB. A rumble under a cymbal is none that the ear would name.
    """
    total, carried = float(power.sum()), 0.0
    for harmonic in range(1, _HARMONICS + 1):
        near = 1.0 if harmonic == 1 else 0.5  # semitones
        low, high = (hz * harmonic * 2.0 ** (by / 12.0) for by in (-near, near))
        first, last = math.floor(low / per_bin), math.ceil(high / per_bin) + 1
        carried += float(power[first:last].sum())
    share_db = 10.0 * math.log10(max(carried / max(total, 1e-30), 1e-12))
    return min(1.0, max(0.0, (share_db - _UNHEARD_DB) / (_HEARD_DB - _UNHEARD_DB)))


def _low_share(power: np.ndarray, per_bin: float) -> float:
    """Share of the energy that lies where a pitch is sought: hats have next to none there."""
    low = power[: math.ceil(1.2 * HIGHEST_HZ / per_bin)]
    return float(low.sum() / max(float(power.sum()), 1e-30))


def _slower(
    mono: np.ndarray, spectrum: np.ndarray, size: int, rate_hz: float
) -> tuple[np.ndarray, float]:
    """The signal at some 8 kHz, by cutting its spectrum: only low partials matter."""
    if rate_hz <= 12000.0:
        return mono, rate_hz
    factor = 1 << round(math.log2(rate_hz / 8000.0))
    keep = size // factor // 2 + 1
    kept = spectrum[:keep].copy()
    edge = keep // 8
    kept[-edge:] *= np.cos(np.linspace(0.0, np.pi / 2.0, edge)) ** 2
    slow = np.fft.irfft(kept, size // factor) / factor
    return slow[: max(16, mono.shape[0] // factor)], rate_hz / factor


def _end(signal: np.ndarray, rate: float) -> int:
    """Where the hit has fallen by 50 dB, or into its own floor."""
    hop = max(1, round(0.01 * rate))
    count = signal.shape[0] // hop
    if count < 3:
        found: int = signal.shape[0]
        return found
    power = (signal[: count * hop].reshape(count, hop) ** 2).mean(axis=1)
    # A floor is only believed where it is low: a file may end while the hit still rings.
    quiet = 4.0 * float(np.median(np.sort(power)[: count // 8 + 1]))
    floor = float(power.max()) * 1e-5
    if quiet < 1e-3 * power.max():
        floor = max(floor, quiet)
    loud = np.flatnonzero(power > floor)
    return int((loud[-1] + 1) * hop) if loud.size else signal.shape[0]


def _starts(onset: int, end: int, rate: float) -> list[int]:
    """Window starts: soon after the hit, then later and later."""
    span = max(0, end - onset)
    first = onset + round(min(0.008 * rate, 0.1 * span))
    last = onset + round(0.72 * span)
    shares = np.linspace(0.0, 1.0, _WINDOWS) ** 1.4
    return sorted({round(first + s * max(0, last - first)) for s in shares})


def _partials(signal: np.ndarray, rate: float, starts: list[int], end: int) -> list[_Partial]:
    """The lowest clear partial of each window that has one."""
    from puddle.kernels.spectra import hann

    ends = [min(end, start + round(_LONGEST_S * rate)) for start in starts]
    long_enough = [(a, b) for a, b in zip(starts, ends, strict=True) if b - a >= 0.012 * rate]
    coarse = _lowest_peaks([signal[a:b] for a, b in long_enough], rate)
    clear = [(*span, hz) for span, hz in zip(long_enough, coarse, strict=True) if hz > 0.0]
    shapes = [hann(b - a + 2)[1:-1] for a, b, _ in clear]
    parts = [signal[a:b] * shape for (a, b, _), shape in zip(clear, shapes, strict=True)]
    bands = _bands(parts, rate, [hz for _, _, hz in clear])
    found = []
    for (start, _, near), shape, band in zip(clear, shapes, bands, strict=True):
        checkpoint()
        fit = _fitted(band, shape, rate, near)
        if fit is not None:
            hz, clarity, level = fit
            found.append(_Partial(hz, clarity, level, start / rate, hz * band.shape[0] / rate))
    return found


def _by_size(parts: list[np.ndarray], sizes: list[int]) -> Iterator[tuple[int, list[np.ndarray]]]:
    """Neighbors whose transforms have one size: those go side by side, in half the time."""
    for size, members in groupby(zip(sizes, parts, strict=True), key=itemgetter(0)):
        checkpoint()
        yield size, [part for _, part in members]


def _padded(parts: list[np.ndarray], size: int, kind: type[np.floating[Any]]) -> np.ndarray:
    """Rows that begin with the parts and go on with zeros."""
    rows: np.ndarray = np.zeros((len(parts), size), kind)
    for row, part in zip(rows, parts, strict=True):
        row[: part.shape[0]] = part
    return rows


def _lowest_peaks(parts: list[np.ndarray], rate: float) -> list[float]:
    """Frequencies of the lowest peak of each that stands clear of its surroundings and is not too
    weak; below zero where there is none."""
    from scipy import fft

    from puddle.kernels.peaks import lowest_clear_peak
    from puddle.kernels.spectra import hann, power_of

    found = []
    sizes = [max(4096, 1 << (4 * part.shape[0] - 1).bit_length()) for part in parts]
    for size, members in _by_size(parts, sizes):
        # In single precision, which is twice as fast: the fit that follows begins here, no more.
        shaped = [part * hann(part.shape[0]) for part in members]
        spectra = fft.rfft(_padded(shaped, size, np.float32))
        per_bin = rate / size
        last = min(math.floor(HIGHEST_HZ / per_bin), size // 2 - 1)
        for part, spectrum in zip(members, spectra, strict=True):
            frames = part.shape[0]
            first = math.ceil(max(LOWEST_HZ * 0.8, 1.6 * rate / frames) / per_bin)
            lobe = 4.0 * size / frames  # a Hann window's main lobe, in bins
            peak = lowest_clear_peak(power_of(spectrum), max(first, 1), last, lobe)
            found.append(per_bin * peak)
    return found


def _bands(parts: list[np.ndarray], rate: float, pitches: list[float]) -> list[np.ndarray]:
    """Each part without what lies some lobes from its frequency, float64."""
    from scipy import fft

    found = []
    sizes = [1 << (2 * part.shape[0] - 1).bit_length() for part in parts]
    wanted = iter(pitches)
    for size, members in _by_size(parts, sizes):
        spectra = fft.rfft(_padded(members, size, np.float64))
        kept = np.zeros_like(spectra)
        for part, whole, near in zip(members, spectra, kept, strict=True):
            hz = next(wanted)
            reach = max(3.0 * rate / part.shape[0], 0.12 * hz)
            first = max(0, math.floor((hz - 1.4 * reach) * size / rate))
            last = min(whole.shape[0], math.ceil((hz + 1.4 * reach) * size / rate) + 1)
            distance = np.abs(np.arange(first, last) * (rate / size) - hz)
            mask = np.clip((1.4 * reach - distance) / (0.4 * reach), 0.0, 1.0)
            near[first:last] = whole[first:last] * mask
        back = fft.irfft(kept, size, overwrite_x=True)
        found += [row[: part.shape[0]] for row, part in zip(back, members, strict=True)]
    return found


def _fitted(
    band: np.ndarray, window: np.ndarray, rate: float, hz: float
) -> tuple[float, float, float] | None:
    """A decaying sine fitted to the band around a frequency: Hz, clarity, level.

    Both signal and model are multiplied by the window, so that what lies elsewhere in the spectrum
    weighs little.
    """
    from puddle.kernels.fitting import fit_decaying_sine

    frames = band.shape[0]
    energy = float(band @ band)
    if energy <= 0.0:
        return None
    found, _, clarity = fit_decaying_sine(
        band, window, rate, hz, _FIRST_DECAY, LOWEST_HZ, HIGHEST_HZ
    )
    return (found, clarity, math.sqrt(energy / frames)) if clarity >= 0.0 else None


def _settled(found: list[_Partial]) -> Pitch:
    """The pitch on which the longest and clearest run of windows agrees, at its end."""
    runs = [run for run in _runs(found) if len(run) >= 3]
    if not runs:
        return Pitch(None, 0.0)
    run = max(runs, key=lambda r: sum(p.clarity**2 for p in r))
    clear = sum(p.clarity for p in run) / len(run)
    confidence = min(1.0, len(run) / 7.0) * max(0.0, clear - 0.3) / 0.7
    if confidence < _CONFIDENT:
        return Pitch(None, round(confidence, 3))
    hz = _limit(run)
    return Pitch(hz / _harmonic(hz, runs), round(confidence, 3))


def _runs(found: list[_Partial]) -> list[list[_Partial]]:
    """Successive windows that agree, drifting at most `_AGREE_CENTS` from one to the next."""
    runs: list[list[_Partial]] = []
    for partial in found:
        if runs and abs(1200.0 * math.log2(partial.hz / runs[-1][-1].hz)) <= _AGREE_CENTS:
            runs[-1].append(partial)
        else:
            runs.append([partial])
    return runs


def _limit(run: list[_Partial]) -> float:
    """Where a run that still falls is going: f(t) = f + b e^(-t/τ) over its last windows."""
    last = run[-7:]
    hz = np.array([p.hz for p in last])
    weights = np.array([p.clarity**2 for p in last])
    drift = abs(1200.0 * math.log2(hz[-1] / hz[-2]))
    if len(last) < 3 or drift < 0.3:
        end = run[-max(2, len(run) // 3) :]
        share = np.array([p.clarity**4 * p.cycles for p in end])
        return float(np.exp((np.log([p.hz for p in end]) * share).sum() / share.sum()))
    t = np.array([p.start_s - last[-1].start_s for p in last])
    share = np.square(weights) / np.square(weights).sum()
    curves = np.exp(-t / _FALLS_S[:, None])
    # Weighted least squares of hz = end + bend * curve, for all falls at once.
    middles, middle = curves @ share, float(hz @ share)
    bent, fallen = curves - middles[:, None], hz - middle
    bends = (bent @ (share * fallen)) / np.maximum(np.square(bent) @ share, 1e-300)
    ends = middle - bends * middles
    rests = np.square(bends[:, None] * bent - fallen) @ share
    rests[~(np.abs(ends / hz[-1] - 1.0) < 0.04)] = math.inf
    best = int(np.argmin(rests))
    return float(ends[best]) if math.isfinite(rests[best]) else float(hz[-1])


def _harmonic(hz: float, runs: list[list[_Partial]]) -> int:
    """Which harmonic a settled pitch is of a lower one that rang clearly before; 1 is itself."""
    for run in runs:
        clear = sum(p.clarity for p in run) / len(run)
        low = _limit(run)
        if clear < 0.8 or low > 0.7 * hz:
            continue
        nearest = round(hz / low)
        if 2 <= nearest <= 4 and abs(1200.0 * math.log2(hz / low / nearest)) < 60.0:
            return nearest
    return 1
