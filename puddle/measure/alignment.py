"""What shift and what polarity let one sound add best to another.

The energy of a sum is that of its parts and twice their correlation, so the best shift is where
the correlation is largest, and the best polarity is its sign: maximum likelihood for equal spectra
(Knapp and Carter, *The generalized correlation method for estimation of time delay*, IEEE Trans.
ASSP 24, 1976). It is taken over the third-octaves in which both have energy. Between frames the
shift is found by weighted least squares, window by window.
"""

from __future__ import annotations

import msgspec
import numpy as np

from puddle.measure.bands import band_places

MOST_MS = 8.0
_LONGEST_S = 2.0
_SHARED_DB = 30.0  # under the strongest band of each
_SILENT_DB = -90.0
_LEAST_ALIKE = 0.2  # of two sounds that are the same; noises reach 0.18 by chance
_LEAST_HZ = 20.0
_LEAST_SHARE = 0.03  # the edges of a second of DC hold a hundredth of it
_SAME = 0.9  # the correlation of bands that both share
_ROUNDS = 10
_WINDOW_S = 0.04
_FLOOR = 1e-6  # of the loudest window's energy: no two sounds are surer to be the same
_FLAT_OCTAVES = 0.6  # a tone that dies away by another rate is shifted by a slope under it
_EDGE_OCTAVES = 1.0
_LONGEST_STEP = 4.0  # frames
_REWEIGHTED = 12
_CAUCHY = 9.0  # in squared deviations, beyond which a window counts for little


class Alignment(msgspec.Struct, frozen=True):
    """B moved later by so many frames (below zero: earlier), turned over if so, adds best to A."""

    shift_frames: float
    invert: bool
    gain_db: float  # what the sum wins over the one as it is, in the bands that both have
    alike: float  # the correlation in these bands, 0 to 1


class NoAlignment(msgspec.Struct, frozen=True):
    """Why no shift is proposed."""

    reason: str


def alignment(
    first: np.ndarray, second: np.ndarray, rate_hz: float, most_ms: float = MOST_MS
) -> Alignment | NoAlignment:
    """How the second of two sounds is moved to add best to the first: float32 (frames, 2) each.

    Both begin at the same time. Shifts of up to `most_ms` to either side are looked at.
    """
    most = max(1, round(most_ms / 1000.0 * rate_hz))
    shorter = min(first.shape[0], second.shape[0])
    frames = max(1, min(shorter + most, round(_LONGEST_S * rate_hz)))
    size = 1 << (frames + most).bit_length()
    spectra = [np.fft.rfft(audio[:frames].T, size) for audio in (first, second)]
    edges = band_places(size, rate_hz)
    powers = [np.square(np.abs(s)).sum(axis=0) for s in spectra]
    reason = _nothing_to_hear(first, second, powers, edges[0], frames)
    if reason:
        return NoAlignment(reason)
    shared = _shared(powers, edges)
    if not shared.any():
        return NoAlignment("they have no band in common")
    bins = np.repeat(shared, np.diff(edges))
    inside = slice(int(edges[0]), int(edges[-1]))
    masks = np.zeros(size // 2 + 1)
    masks[inside] = bins
    heard = [np.fft.irfft(s * masks, size) for s in spectra]
    cross = (spectra[0] * spectra[1].conj()).sum(axis=0) * masks
    by_lag = np.fft.irfft(cross, size)
    lags = np.arange(-most, most + 1)
    start = float(lags[int(np.argmax(np.abs(by_lag[lags])))])
    turn = 2.0 * np.pi * np.arange(size // 2 + 1) / size
    same = _same(cross * np.exp(1j * turn * start), powers, edges, shared)
    shift = _refined([s * same for s in spectra], start, frames, rate_hz)
    shift = float(np.clip(shift, -most, most))
    best = 2.0 * float((cross * np.exp(1j * turn * shift)).real.sum()) / size
    now = float(by_lag[0])
    own = [float(np.square(h).sum()) for h in heard]
    alike = abs(best) / np.sqrt(own[0] * own[1])
    if alike < _LEAST_ALIKE:
        return NoAlignment("they have nothing in common that could add up")
    before, after = sum(own) + 2.0 * now, sum(own) + 2.0 * abs(best)
    gain_db = 10.0 * np.log10(after / max(before, 1e-9 * after))
    return Alignment(shift, best < 0.0, max(0.0, float(gain_db)), float(min(1.0, alike)))


def _same(
    cross: np.ndarray, powers: list[np.ndarray], edges: np.ndarray, shared: np.ndarray
) -> np.ndarray:
    """1 in the bins of bands in which both sounds are nearly the same, else 0; soft at its edges.

    The edges are half a cosine over an octave: hard ones would ring, and smear what is struck over
    the tail that it is to be told from.
    """
    both = np.sqrt(np.add.reduceat(powers[0], edges[:-1]) * np.add.reduceat(powers[1], edges[:-1]))
    alike = np.abs(np.add.reduceat(cross, edges[:-1])) / np.maximum(both, 1e-300)
    alike[~shared | (np.diff(edges) == 0)] = 0.0
    bands = np.flatnonzero(alike >= min(_SAME, float(alike.max())))
    octaves = np.log2(np.maximum(np.arange(cross.size), 0.5))
    mask = np.zeros(cross.size)
    for band in bands:
        low, high = np.log2(max(0.5, edges[band])), np.log2(max(0.5, edges[band + 1]))
        away = np.maximum(low - octaves, octaves - high) - _FLAT_OCTAVES
        away = np.clip(away / _EDGE_OCTAVES, 0.0, 1.0)
        mask = np.maximum(mask, 0.5 + 0.5 * np.cos(np.pi * away))
    return mask


def _refined(spectra: list[np.ndarray], shift: float, frames: int, rate_hz: float) -> float:
    """A shift between frames, from where the sounds are the same but for it and a gain.

    In windows, a = (g + h t) b + m b' is solved for a gain that may change evenly and for what is
    missing of the shift, m / g. The windows' shifts are averaged as a median by their certainty:
    one that holds two different transients says little, the tail that both share says all, and a
    few that are wrong do not pull at the others.
    """
    size = 2 * (spectra[0].shape[1] - 1)
    turn = 2.0 * np.pi * np.arange(size // 2 + 1) / size
    length = max(16, round(_WINDOW_S * rate_hz))
    starts = np.arange(-length // 2, frames, length // 2)
    places = (starts[:, None] + np.arange(length)) % size
    window = np.hanning(length)
    ramp = np.tile(np.linspace(-1.0, 1.0, length), spectra[0].shape[0])
    a = _windowed(np.fft.irfft(spectra[0], size), places, window)
    for _ in range(_ROUNDS):
        moved = spectra[1] * np.exp(-1j * turn * shift)
        b = _windowed(np.fft.irfft(moved, size), places, window)
        slope = _windowed(np.fft.irfft(-1j * turn * moved, size), places, window)
        step = _missing(a, np.stack([b, ramp * b, slope], axis=1))
        shift += float(np.clip(step, -_LONGEST_STEP, _LONGEST_STEP))
        if abs(step) < 1e-3:
            break
    return shift


def _windowed(audio: np.ndarray, places: np.ndarray, window: np.ndarray) -> np.ndarray:
    """(windows, samples of both channels)."""
    cut = audio[:, places] * window
    found: np.ndarray = np.moveaxis(cut, 0, 1).reshape(places.shape[0], -1)
    return found


def _missing(a: np.ndarray, parts: np.ndarray) -> float:
    """The shift that is missing: least squares in each window, then their median by certainty.

    `parts` (windows, 3, samples) are b, b over a ramp, and b's slope.
    """
    energy = np.einsum("wn,wn->w", a, a)
    own = np.einsum("wkn,wkn->wk", parts, parts)
    good = (own > 1e-9 * np.maximum(own.max(axis=0), 1e-300)).all(axis=1)
    if not good.any():
        return 0.0
    a, parts, energy = a[good], parts[good], energy[good]
    sizes = np.sqrt(own[good])
    unit = parts / sizes[:, :, None]
    gram = np.einsum("wkn,wln->wkl", unit, unit) + 1e-9 * np.eye(3)
    sums = np.einsum("wkn,wn->wk", unit, a)
    inverse = np.linalg.inv(gram)
    found = np.einsum("wkl,wl->wk", inverse, sums)
    rest = np.maximum(energy - np.einsum("wk,wk->w", found, sums), 0.0)
    noise = np.maximum(rest, _FLOOR * float(energy.max())) / a.shape[1]
    gain, moved = found[:, 0] / sizes[:, 0], found[:, 2] / sizes[:, 2]
    # One over the variance of what is missing, m / g, for this noise.
    certain = gain**2 * sizes[:, 2] ** 2 / np.maximum(inverse[:, 2, 2] * noise, 1e-300)
    steps = np.clip(moved / np.where(gain == 0.0, 1.0, gain), -8.0, 8.0)
    return _reweighted(steps, certain)


def _reweighted(steps: np.ndarray, certain: np.ndarray) -> float:
    """A mean of steps by their certainty, in which those far from the median count less and less.

    Iteratively reweighted least squares with Cauchy weights, from the weighted median.
    """
    if not certain.sum() > 0.0:
        return 0.0
    order = np.argsort(steps)
    reached = np.cumsum(np.sqrt(certain)[order])
    middle = float(steps[order][np.searchsorted(reached, 0.5 * reached[-1])])
    for _ in range(_REWEIGHTED):
        spread = np.square(steps - middle) * certain / _CAUCHY
        weights = certain / (1.0 + spread)
        middle = float((weights * steps).sum() / weights.sum())
    return middle


def _nothing_to_hear(
    first: np.ndarray, second: np.ndarray, powers: list[np.ndarray], low: int, frames: int
) -> str:
    for name, audio, power in zip(("first", "second"), (first, second), powers, strict=True):
        whole = float(np.square(audio, dtype=np.float64).sum())
        if not np.isfinite(whole):
            return f"the {name} has values that are not numbers"
        if 10.0 * np.log10(whole / max(1, frames) + 1e-30) < _SILENT_DB:
            return f"the {name} is silent"
        if power[low:].sum() < _LEAST_SHARE * power.sum():
            return f"the {name} has hardly anything over {_LEAST_HZ:.0f} Hz"
    sides = [np.abs(audio).max(axis=0, initial=0.0) > 1e-6 for audio in (first, second)]
    if not (sides[0] & sides[1]).any():
        return "each is on a side of its own"
    return ""


def _shared(powers: list[np.ndarray], edges: np.ndarray) -> np.ndarray:
    """The third-octaves in which both have energy."""
    least = 10.0 ** (-_SHARED_DB / 10.0)
    found = np.ones(edges.size - 1, bool)
    for power in powers:
        bands = np.add.reduceat(power, edges[:-1])
        bands[np.diff(edges) == 0] = 0.0
        found &= bands >= least * bands.max()
    return found
