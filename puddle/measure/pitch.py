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
from dataclasses import dataclass
from functools import lru_cache

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
    mono = mono_of(audio)
    mono = mono - mono.mean() if mono.size else mono
    peak = float(np.abs(mono).max(initial=0.0))
    if peak <= 1e-6 or mono.shape[0] < 0.012 * rate_hz:
        return Pitch(None, 0.0)
    checkpoint()
    mono /= peak
    size = 1 << max(15, (mono.shape[0] + 256 - 1).bit_length())
    spectrum = np.fft.rfft(mono, size)
    checkpoint()
    signal, rate = _slower(mono, spectrum, size, rate_hz)
    power = np.square(spectrum.real) + np.square(spectrum.imag)
    per_bin = rate_hz / size
    if _low_share(power, per_bin) < _LEAST_LOW_SHARE:
        return Pitch(None, 0.0)
    onset = int(np.argmax(np.abs(signal) > 0.05))
    end = _end(signal, rate)
    found = []
    for start in _starts(onset, end, rate):
        checkpoint()
        partial = _partial(signal, rate, start, end)
        if partial is not None:
            found.append(partial)
    pitch = _settled(found)
    if pitch.hz is None:
        return pitch
    confidence = round(pitch.confidence * _heeded(power, per_bin, pitch.hz), 3)
    return Pitch(pitch.hz if confidence >= _CONFIDENT else None, confidence)


@lru_cache(64)
def _hann(frames: int) -> np.ndarray:
    return np.hanning(frames)


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


def _partial(signal: np.ndarray, rate: float, start: int, end: int) -> _Partial | None:
    """The lowest clear partial in a window."""
    part = signal[start : min(end, start + round(_LONGEST_S * rate))]
    if part.shape[0] < 0.012 * rate:
        return None
    coarse = _lowest_peak(part, rate)
    if coarse is None:
        return None
    fit = _fitted(part, rate, coarse)
    if fit is None:
        return None
    hz, clarity, level = fit
    return _Partial(hz, clarity, level, start / rate, hz * part.shape[0] / rate)


def _lowest_peak(part: np.ndarray, rate: float) -> float | None:
    """Frequency of the lowest peak that stands clear of its surroundings and is not too weak."""
    from puddle.kernels.peaks import lowest_clear_peak

    frames = part.shape[0]
    size = max(4096, 1 << (4 * frames - 1).bit_length())
    # In single precision, which is twice as fast: the fit that follows begins here, no more.
    spectrum = np.fft.rfft((part * _hann(frames)).astype(np.float32), size)
    per_bin = rate / size
    first = math.ceil(max(LOWEST_HZ * 0.8, 1.6 * rate / frames) / per_bin)
    last = min(math.floor(HIGHEST_HZ / per_bin), size // 2 - 1)
    lobe = 4.0 * size / frames  # a Hann window's main lobe, in bins
    power = np.square(spectrum.real) + np.square(spectrum.imag)
    peak = lowest_clear_peak(power, max(first, 1), last, lobe)
    return peak * per_bin if peak > 0.0 else None


def _fitted(part: np.ndarray, rate: float, hz: float) -> tuple[float, float, float] | None:
    """A decaying sine fitted to the band around a frequency: Hz, clarity, level.

    Both signal and model are multiplied by a Hann window, so that what lies elsewhere in the
    spectrum weighs little.
    """
    from puddle.kernels.fitting import fit_decaying_sine

    frames = part.shape[0]
    window = _hann(frames + 2)[1:-1]
    target = _band(part * window, rate, hz, frames)
    energy = float(target @ target)
    if energy <= 0.0:
        return None
    found, _, clarity = fit_decaying_sine(
        target, window, rate, hz, _FIRST_DECAY, LOWEST_HZ, HIGHEST_HZ
    )
    return (found, clarity, math.sqrt(energy / frames)) if clarity >= 0.0 else None


def _band(signal: np.ndarray, rate: float, hz: float, frames: int) -> np.ndarray:
    """The signal's spectrum within some lobes of a frequency, back in time."""
    size = 1 << (2 * frames - 1).bit_length()
    spectrum = np.fft.rfft(signal, size)
    distance = np.abs(np.fft.rfftfreq(size, 1.0 / rate) - hz)
    reach = max(3.0 * rate / frames, 0.12 * hz)
    mask = np.clip((1.4 * reach - distance) / (0.4 * reach), 0.0, 1.0)
    return np.fft.irfft(spectrum * mask, size)[:frames]


def _solved(columns: np.ndarray, target: np.ndarray) -> np.ndarray | None:
    """Least squares by the normal equations: few columns, scaled to one length."""
    with np.errstate(over="ignore", invalid="ignore"):
        lengths = np.sqrt(np.sum(columns * columns, axis=0))
    if not np.isfinite(lengths).all() or lengths.min() <= 0.0:
        return None
    scaled = columns / lengths
    square = scaled.T @ scaled + 1e-12 * np.eye(columns.shape[1])
    try:
        found = np.linalg.solve(square, scaled.T @ target)
    except np.linalg.LinAlgError:
        return None
    return np.asarray(found / lengths)


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
    best = (math.inf, float(hz[-1]))
    for tau in np.geomspace(0.008, 0.12, 24):
        columns = np.stack([np.ones_like(t), np.exp(-t / tau)], axis=1) * weights[:, None]
        gains = _solved(columns, hz * weights)
        if gains is None:
            continue
        rest = float(np.sum((columns @ gains - hz * weights) ** 2))
        if rest < best[0] and abs(gains[0] / hz[-1] - 1.0) < 0.04:
            best = (rest, float(gains[0]))
    return best[1]


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
