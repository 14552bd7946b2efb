"""Spectra: of all of a sound, for the eye on a logarithmic axis, and as figures."""

from __future__ import annotations

from functools import lru_cache

import msgspec
import numpy as np

from puddle.measure.envelope import mono_of
from puddle.tasks import check_cancelled

LOW_HZ, MID_HZ = 150.0, 2000.0
_FLOOR = 1e-12
_LEAST_SIZE = 16384
_SIGMA = 0.25 / 2.3548  # in octaves: a quarter octave wide at half height
_REACH = 4.0  # sigmas: there a Gaussian is 70 dB down
_POINTS = 320
_WHOLE_LEAST = 32768  # so that a low pitch has bins enough beside it
_PADDING = 256  # silent frames behind the end, at least


class Balance(msgspec.Struct, frozen=True):
    """Energy by band against the whole in dB, center of gravity, and flatness 0 to 1."""

    centroid_hz: float
    flatness: float
    low_db: float
    mid_db: float
    high_db: float


class WholeSpectrum(msgspec.Struct, frozen=True):
    """The mean of a sound's channels, without DC, and its transform over `size` frames.

    No window: hits end at rest. What several measures need is computed once for all of them.
    """

    mono: np.ndarray  # float32 (frames,)
    rate_hz: float
    size: int
    spectrum: np.ndarray  # complex64 (size // 2 + 1,)
    power: np.ndarray  # float32 (size // 2 + 1,)

    def first_bins(self, hz: np.ndarray) -> np.ndarray:
        """The first bin at or over each frequency, none behind the last: int64."""
        bins = np.ceil(hz * (self.size / self.rate_hz)).astype(np.int64)
        return np.asarray(np.minimum(bins, self.power.size))


def whole_spectrum(audio: np.ndarray, rate_hz: float) -> WholeSpectrum:
    """Of float32 (frames, 1 or 2), padded with silence behind its end."""
    from scipy import fft

    from puddle.kernels.spectra import power_of

    mono = mono_of(audio)
    if mono.size:
        mono -= mono.mean()
    single = mono.astype(np.float32)
    check_cancelled()
    size = fast_size(max(_WHOLE_LEAST, single.size + _PADDING))
    spectrum = fft.rfft(single, size)
    check_cancelled()
    return WholeSpectrum(single, rate_hz, size, spectrum, power_of(spectrum))


def balance(audio: np.ndarray, rate_hz: float) -> Balance | None:
    """Spectral figures of float32 (frames, channels); None for silence."""
    return balance_of(whole_spectrum(audio, rate_hz))


def balance_of(whole: WholeSpectrum) -> Balance | None:
    """Spectral figures; None for silence.

    Flatness is the geometric over the arithmetic mean of the power spectrum from 20 Hz up, in
    bands of a twelfth octave, so that a tone among noise is a tone at any length.
    """
    from puddle.kernels.spectra import center_and_width, sums_between

    power, per_bin = whole.power, whole.rate_hz / whole.size
    total = float(power.sum(dtype=np.float64))
    if total <= _FLOOR:
        return None
    edges = 20.0 * 2.0 ** (np.arange(0, 121) / 12.0)
    places = whole.first_bins(edges[edges < whole.rate_hz / 2.0])
    counts = np.diff(places)
    bands = np.maximum(sums_between(power, places)[counts > 0] / counts[counts > 0], _FLOOR * total)
    parts = np.array([0, *whole.first_bins(np.array([LOW_HZ, MID_HZ])), power.size])
    low, mid, high = (
        float(10.0 * np.log10(max(share, _FLOOR))) for share in sums_between(power, parts) / total
    )
    return Balance(
        centroid_hz=per_bin * center_and_width(power)[0],
        flatness=float(np.exp(np.log(bands).mean()) / bands.mean()),
        low_db=low,
        mid_db=mid,
        high_db=high,
    )


def fast_size(least: int) -> int:
    """A length of at least so many frames whose transform is fast: 1, 3, 5 or 9 times a power of
    two."""
    whole = 1 << (least - 1).bit_length()
    return min(n for n in (whole * 9 // 16, whole * 5 // 8, whole * 3 // 4, whole) if n >= least)


def transform_size(frames: int) -> int:
    """A length of at least so many frames, and 16384, whose transform is fast."""
    return fast_size(max(frames, _LEAST_SIZE))


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
