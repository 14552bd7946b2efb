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
from itertools import groupby

import msgspec
import numpy as np

from puddle.measure.spectrum import WholeSpectrum, fast_size, whole_spectrum
from puddle.tasks import check_cancelled

LOWEST_HZ, HIGHEST_HZ = 25.0, 2500.0
_WINDOWS = 14
_FIRST_DECAY = 6.0  # 1/s, where the fit begins
_LONGEST_S = 0.4
_AGREE_CENTS = 20.0
_CONFIDENT = 0.4
_HARMONICS = 5
_MOST_DECIMATED = 16
_HEARD_DB, _UNHEARD_DB = -18.0, -30.0  # of the whole energy
_LEAST_LOW_SHARE = 10.0 ** (-22.0 / 10.0)
_FALLS_S = np.geomspace(0.008, 0.12, 24)  # time constants that a pitch may fall with


class Pitch(msgspec.Struct, frozen=True):
    """Frequency in Hz, None where there is no pitch, and how sure that is (0 to 1)."""

    hz: float | None
    confidence: float


class _Partial(msgspec.Struct, frozen=True):
    hz: float
    clarity: float  # share of the band's energy that the fit explains
    level: float
    start_s: float
    cycles: float


def fundamental(audio: np.ndarray, rate_hz: float) -> Pitch:
    """The settled pitch of float32 (frames, channels)."""
    return fundamental_of(whole_spectrum(audio, rate_hz))


def fundamental_of(whole: WholeSpectrum) -> Pitch:
    """The settled pitch of a sound."""
    peak = float(np.abs(whole.mono).max(initial=0.0))
    if peak <= 1e-6 or whole.mono.size < 0.012 * whole.rate_hz:
        return Pitch(None, 0.0)
    power, per_bin = whole.power, whole.rate_hz / whole.size
    if _low_share(power, per_bin) < _LEAST_LOW_SHARE:
        return Pitch(None, 0.0)
    signal, rate = _slower(whole)
    signal /= peak
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
    total, carried = float(power.sum(dtype=np.float64)), 0.0
    for harmonic in range(1, _HARMONICS + 1):
        near = 1.0 if harmonic == 1 else 0.5  # semitones
        low, high = (hz * harmonic * 2.0 ** (by / 12.0) for by in (-near, near))
        first, last = math.floor(low / per_bin), math.ceil(high / per_bin) + 1
        carried += float(power[first:last].sum(dtype=np.float64))
    share_db = 10.0 * math.log10(max(carried / max(total, 1e-30), 1e-12))
    return min(1.0, max(0.0, (share_db - _UNHEARD_DB) / (_HEARD_DB - _UNHEARD_DB)))


def _low_share(power: np.ndarray, per_bin: float) -> float:
    """Share of the energy that lies where a pitch is sought: hats have next to none there."""
    low = power[: math.ceil(1.2 * HIGHEST_HZ / per_bin)]
    every = float(power.sum(dtype=np.float64))
    return float(low.sum(dtype=np.float64)) / max(every, 1e-30)


def _slower(whole: WholeSpectrum) -> tuple[np.ndarray, float]:
    """The signal at some 8 kHz, float64, by cutting its spectrum: only low partials matter."""
    if whole.rate_hz <= 12000.0:
        return whole.mono.astype(np.float64), whole.rate_hz
    factor = 1 << round(math.log2(whole.rate_hz / 8000.0))
    keep = whole.size // factor // 2 + 1
    kept = whole.spectrum[:keep].astype(np.complex128)
    edge = keep // 8
    kept[-edge:] *= np.cos(np.linspace(0.0, np.pi / 2.0, edge)) ** 2
    slow = np.fft.irfft(kept, whole.size // factor) / factor
    return slow[: max(16, whole.mono.size // factor)], whole.rate_hz / factor


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
    ends = [min(end, start + round(_LONGEST_S * rate)) for start in starts]
    long_enough = [(a, b) for a, b in zip(starts, ends, strict=True) if b - a >= 0.012 * rate]
    found = []
    for spans, windows, spectra, size in _transformed(signal, long_enough):
        for (start, end), window, spectrum in zip(spans, windows, spectra, strict=True):
            partial = _partial(window, spectrum, size, rate)
            if partial is not None:
                hz, clarity, level = partial
                cycles = hz * (end - start) / rate
                found.append(_Partial(hz, clarity, level, start / rate, cycles))
    return found


def _transformed(
    signal: np.ndarray, spans: list[tuple[int, int]]
) -> Iterator[tuple[list[tuple[int, int]], list[np.ndarray], np.ndarray, int]]:
    """Spans of a signal with their Hann windows and transforms, complex64 (spans, size // 2 + 1).

    Neighbors whose transforms have one size go side by side, in half the time; in single
    precision, in half of that: its noise lies 130 dB under the span.
    """
    from scipy import fft

    from puddle.kernels.spectra import hann

    for size, group in groupby(spans, key=lambda s: fast_size(max(4096, 4 * (s[1] - s[0])))):
        check_cancelled()
        members = list(group)
        windows = [hann(b - a + 2)[1:-1] for a, b in members]
        rows = np.zeros((len(members), size), np.float32)
        for row, (a, b), window in zip(rows, members, windows, strict=True):
            np.multiply(signal[a:b], window, out=row[: b - a])
        yield members, windows, fft.rfft(rows, overwrite_x=True), size


def _partial(
    window: np.ndarray, spectrum: np.ndarray, size: int, rate: float
) -> tuple[float, float, float] | None:
    """Hz, clarity and level of the lowest peak that stands clear of its surroundings and is not
    too weak: a decaying sine is fitted to the band around it."""
    from puddle.kernels.fitting import fit_decaying_sine
    from puddle.kernels.peaks import lowest_clear_peak
    from puddle.kernels.spectra import power_of

    frames, per_bin = window.size, rate / size
    last = min(math.floor(HIGHEST_HZ / per_bin), size // 2 - 1)
    first = math.ceil(max(LOWEST_HZ * 0.8, 1.6 * rate / frames) / per_bin)
    lobe = 4.0 * size / frames  # a Hann window's main lobe, in bins
    near = per_bin * lowest_clear_peak(power_of(spectrum), max(first, 1), last, lobe)
    if near <= 0.0:
        return None
    band, every = _band(spectrum, size, near, max(3.0 * rate / frames, 0.12 * near), rate)
    band = band[: (frames + every - 1) // every]
    energy = float(band @ band)
    if energy <= 0.0:
        return None
    # Signal and model have the window: what lies elsewhere in the spectrum weighs little.
    hz, _, clarity = fit_decaying_sine(
        band, window[::every], rate / every, near, _FIRST_DECAY, LOWEST_HZ, HIGHEST_HZ
    )
    return (hz, clarity, math.sqrt(energy / band.size)) if clarity >= 0.0 else None


def _band(
    spectrum: np.ndarray, size: int, hz: float, reach: float, rate: float
) -> tuple[np.ndarray, int]:
    """The signal in a band around a frequency, decimated: float64, and the decimation factor.

    `reach` is how far the band goes to either side, in Hz; its edges fall off behind that. Twice
    its highest frequency stays under half the rate, for the fit sums products of two such signals.
    """
    from scipy import fft

    first = max(0, math.floor((hz - 1.4 * reach) * size / rate))
    last = min(spectrum.shape[0], math.ceil((hz + 1.4 * reach) * size / rate) + 1)
    distance = np.abs(np.arange(first, last) * (rate / size) - hz)
    mask = np.clip((1.4 * reach - distance) / (0.4 * reach), 0.0, 1.0)
    every = 1
    while every < _MOST_DECIMATED and 8 * every * last <= size:
        every *= 2
    kept = np.zeros(size // every // 2 + 1, np.complex128)
    kept[first:last] = spectrum[first:last] * mask
    return fft.irfft(kept, size // every, overwrite_x=True) / every, every


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
