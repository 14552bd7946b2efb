"""Spectra: for the eye on a logarithmic axis, and as figures."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from puddle.measure.envelope import mono_of

LOW_HZ, MID_HZ = 150.0, 2000.0
_FLOOR = 1e-12
_LEAST_SIZE = 16384
_SIGMA = 0.25 / 2.3548  # in octaves: a quarter octave wide at half height
_REACH = 4.0  # sigmas: there a Gaussian is 70 dB down
_POINTS = 320


@dataclass(frozen=True, slots=True)
class Balance:
    """Energy by band against the whole in dB, center of gravity, and flatness 0 to 1."""

    centroid_hz: float
    flatness: float
    low_db: float
    mid_db: float
    high_db: float


def power_spectrum(mono: np.ndarray, rate_hz: float) -> tuple[np.ndarray, np.ndarray]:
    """Frequencies and the energy at each, over the whole signal (no window: hits end at rest)."""
    from scipy import fft

    from puddle.kernels.spectra import power_of

    frames = max(256, mono.shape[0])
    size = 1 << (frames - 1).bit_length()
    power = power_of(fft.rfft(mono.astype(np.float32), size)).astype(np.float64)
    return np.fft.rfftfreq(size, 1.0 / rate_hz), power


def balance(audio: np.ndarray, rate_hz: float) -> Balance | None:
    """Spectral figures of float32 (frames, channels); None for silence.

    Flatness is the geometric over the arithmetic mean of the power spectrum from 20 Hz up, in
    bands of a twelfth octave, so that a tone among noise is a tone at any length.
    """
    from puddle.kernels.spectra import sums_between

    mono = mono_of(audio)
    hz, power = power_spectrum(mono, rate_hz)
    total = float(power[1:].sum())
    if total <= _FLOOR:
        return None
    edges = 20.0 * 2.0 ** (np.arange(0, 121) / 12.0)
    edges = edges[edges < rate_hz / 2.0]
    places = np.searchsorted(hz, edges)
    counts = np.maximum(1, np.diff(places))
    bands = np.maximum(sums_between(power, places) / counts, _FLOOR * total)
    bands = bands[np.diff(places) > 0]
    low, high = np.searchsorted(hz, (LOW_HZ, MID_HZ))
    return Balance(
        centroid_hz=float(hz @ power / power.sum()),
        flatness=float(np.exp(np.log(bands).mean()) / bands.mean()),
        low_db=_share(power[1:low], total),
        mid_db=_share(power[low:high], total),
        high_db=_share(power[high:], total),
    )


def _share(power: np.ndarray, total: float) -> float:
    return float(10.0 * np.log10(max(float(power.sum()) / total, _FLOOR)))


def transform_size(frames: int) -> int:
    """A length of at least so many frames, and 16384, whose transform is fast."""
    wanted = max(frames, _LEAST_SIZE)
    whole = 1 << (wanted - 1).bit_length()
    return min(n for n in (whole * 9 // 16, whole * 5 // 8, whole * 3 // 4, whole) if n >= wanted)


def spectra_of(audio: np.ndarray, size: int) -> np.ndarray:
    """Spectra of float32 (frames, 2) over a size: complex64 (rows, size // 2 + 1).

    A row for each channel, or one where both are the same. Frames behind the size are left out.
    """
    part = audio[:size]
    left, right = part[:, 0], part[:, 1]
    if np.array_equal(left, right):
        return np.fft.rfft(left, size)[None]
    return np.fft.rfft(np.stack([left, right]), size)


def display_spectrum(audio: np.ndarray, rate_hz: float) -> tuple[np.ndarray, np.ndarray]:
    """`display_levels` of float32 (frames, 2)."""
    size = transform_size(audio.shape[0])
    return display_levels(spectra_of(audio, size), size, rate_hz)


def display_levels(spectra: np.ndarray, size: int, rate_hz: float) -> tuple[np.ndarray, np.ndarray]:
    """Frequencies, evenly spaced in octaves from 20 Hz to 20 kHz, and levels in dB for drawing.

    Each level is the energy under a Gaussian of a quarter octave (its width at half height), so
    that neighbors never stand apart like steps. A sine at full scale for one second reads 0 dB.
    """
    from puddle.kernels.spectra import mean_energy, weighted_sums

    energy = np.empty(spectra.shape[1])
    mean_energy(spectra, energy)
    group = _grouped(size)
    if group > 1:
        energy = energy[: energy.size // group * group].reshape(-1, group).sum(axis=1)
    centers, firsts, offsets, weights = _smoothing(size, rate_hz)
    under = np.empty(centers.size)
    weighted_sums(energy, firsts, offsets, weights, under)
    reference = rate_hz / 2.0 * size / 2.0  # one second of a sine at full scale
    return centers, 10.0 * np.log10(np.maximum(under / reference, _FLOOR))


def _grouped(size: int) -> int:
    """How many bins of a long transform are taken together: a Gaussian needs no finer ones."""
    return max(1, size // (2 * _LEAST_SIZE))


@lru_cache(8)
def _smoothing(size: int, rate_hz: float) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Centers in Hz, and for each the first bin under its Gaussian; where its weights lie, and
    the weights of all."""
    group = _grouped(size)
    step = group * rate_hz / size
    middle = 0.5 * (group - 1) / group  # of a group, in groups from its first bin
    centers = np.geomspace(20.0, min(20000.0, 0.49 * rate_hz), _POINTS)
    reach = 2.0 ** (_REACH * _SIGMA)
    firsts = np.maximum(1, np.floor(centers / reach / step).astype(np.int64))
    last = (size // 2 + 1) // group - 1
    lasts = np.minimum(last, np.ceil(centers * reach / step).astype(np.int64))
    counts = lasts - firsts + 1
    offsets = np.concatenate([[0], np.cumsum(counts)])
    bins = np.arange(offsets[-1]) - np.repeat(offsets[:-1] - firsts, counts)
    octaves = np.log2((bins + middle) * step / np.repeat(centers, counts))
    return centers, firsts, offsets, np.exp(-0.5 * np.square(octaves / _SIGMA))
