"""What rings on from the hit before, taken out of a hit as far as it can be told apart.

First what rings in pitches: the last moments before the hit are taken for a sum of damped sines
(HSVD: R. Kumaresan and D. W. Tufts, *Estimating the parameters of exponentially damped sinusoids*,
IEEE Trans. ASSP 30, 1982; by the total least squares of S. Van Huffel et al., 1994), which go on
under the hit and are subtracted. It is only done where a fit to an earlier part foretells the rest,
and where they are found in the hit: among the places of its spectrogram where they would be heard,
their phase is the hit's. Then what is noise: the power of each band before the hit, falling as it
fell, is taken off the power under the hit (power subtraction: M. Berouti et al., *Enhancement of
speech corrupted by acoustic noise*, ICASSP 1979), as far as a trial on the last moments before it
foretells them. What another drum plays over it later is told apart by other
hits of the same group, where there are some: no band may lie more than 3 dB over what they have
there.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

BEFORE_S = 0.25  # that is listened to before a hit
_RATE_HZ = 12000.0  # about, of the part in which pitches are looked for
_FITTED_S, _HELD_S = 0.075, 0.012  # and of its end, that a trial must foretell
_MOST_SINES = 24
_LEAST_SHARE = 1e-2  # of the strongest singular value
_FORETOLD = 0.5  # of the energy that is held out: what is left of it at most
_FOUND_SHARE = 0.5  # of what is foretold, that must be found in the hit
_FOUND_PLACES = 80.0  # of the spectrogram, a fourth of them apart from each other: fewer are chance
_FALLS = (0.0, *np.geomspace(0.5, 64.0, 15))  # nepers a second, over what was foretold
_AGAINST = -0.2  # phases that are against each other: two strokes of one drum, which is no noise
_TRIAL_BANDS = 16  # in which noise is foretold on trial
_AFTER = 2  # windows from the loudest one before the hit to what rings on
_LEAST_WINDOWS = 12  # from which a fall can be told
_FLOOR = 0.4  # of what is in a place: less would be heard as holes
_POOLED = (3, 5)  # windows and bins over which power is averaged, since noise varies between them
_SILENT = 1e-10
_WINDOW_S = 0.0213
_OVERLAP = 4
_LEAST_FALL = -_WINDOW_S / _OVERLAP / 1.5  # from window to window: nothing rings on for long
_EDGE_S = 0.001
_SLACK = 2.0  # 3 dB: as much as hits of one drum differ


def lifted(before: np.ndarray, hit: np.ndarray, rate_hz: float, amount: float) -> np.ndarray:
    """A hit without what rings on: float32 (frames, channels), by an amount of 0 to 1.

    `before` is the recording right before it, `hit` the hit itself; both (frames, channels).
    """
    if amount <= 0.0 or before.shape[0] < round(0.02 * rate_hz) or not hit.shape[0]:
        return hit
    made = np.empty(hit.shape, np.float32)
    for channel in range(hit.shape[1]):
        was, own = before[:, channel].astype(np.float64), hit[:, channel].astype(np.float64)
        sines_before, foretold = _ringing(was, own.size, rate_hz)
        found, phases = _found(own, foretold, rate_hz)
        if phases < _AGAINST:
            left = own
        else:
            rest = was - sines_before
            left = _without_noise(rest, own - found, rate_hz)
        made[:, channel] = own + amount * (left - own)
    return made


def taken_db(hit: np.ndarray, lifted_hit: np.ndarray) -> float:
    """How much was taken out, in dB of the hit's own energy; -120 for nothing."""
    energy = float(np.square(hit, dtype=np.float64).sum())
    gone = float(np.square(hit.astype(np.float64) - lifted_hit).sum())
    return 10.0 * math.log10(max(1e-12, gone / max(energy, 1e-30)))


def _found(hit: np.ndarray, sines: np.ndarray, rate_hz: float) -> tuple[np.ndarray, float]:
    """What is foretold as far as it is found in the hit, and how alike their phases are, -1 to 1.

    Where it is there, the hit's spectrum has its phase wherever the hit itself is not far louder.
    Each place counts by how little louder the hit is: what is masked says nothing either way. Most
    things fall faster than they did; of some falls the one is taken that takes out the most. What
    is masked nearly everywhere, or not found, is left in.
    """
    if not sines.any():
        return sines, 0.0
    size = 1 << round(math.log2(_WINDOW_S * rate_hz))
    own, foretold = _spectra(hit, size, hit.size), _spectra(sines, size, hit.size)
    loud, power = np.square(np.abs(own)), np.square(np.abs(foretold))
    heard = power > 1e-6 * power.max()
    along = (own * foretold.conj()).real
    since = np.maximum(0.0, np.arange(own.shape[0]) * (size // _OVERLAP) - size / 2) / rate_hz
    best, most, phases = np.zeros(sines.size), 0.0, 0.0
    for fall in _FALLS:
        level = np.exp(-fall * since)[:, None]
        with_fall = np.square(level) * power
        weights = np.where(heard, 1.0 / np.maximum(np.maximum(loud, with_fall), _SILENT), 0.0)
        share = weights * with_fall
        places, alike = float(share.sum()), float((weights * level * along).sum())
        if fall == 0.0:
            phases = alike / max(places, _SILENT)
        by_power = float((share * level * along).sum()) / max(
            float((share * with_fall).sum()), _SILENT
        )
        taken = 2.0 * alike - places
        if taken > most:
            most = taken
            enough = places > _FOUND_PLACES and min(alike / places, by_power) > _FOUND_SHARE
            best = sines * np.exp(-fall * np.arange(sines.size) / rate_hz) * enough
    return best, phases


# What another drum plays over it.


def without_others(
    hit: np.ndarray, alike: Sequence[np.ndarray], rate_hz: float, after: int, amount: float
) -> np.ndarray:
    """A hit without what is played over it from a frame on: float32 (frames, channels).

    `alike` are other hits of its drum, each (frames, channels) from its beginning on; they are
    brought to its level by what comes before `after`. Without any the hit stays as it is.
    """
    frames = hit.shape[0]
    usable = [other for other in alike if other.shape[0] > after > 0]
    if amount <= 0.0 or after >= frames or not usable:
        return hit
    size = 1 << round(math.log2(_WINDOW_S * rate_hz))
    own = _spectra(hit.mean(axis=1), size, frames)
    expected = np.zeros(own.shape)
    for other in usable:
        level = _rms(hit[:after]) / max(_rms(other[:after]), 1e-9)
        power = np.square(np.abs(_spectra(level * other[:frames].mean(axis=1), size, frames)))
        expected += power / len(usable)
    spread = np.apply_along_axis(_smooth, 1, expected)  # a partial may lie a bin off
    found = np.square(np.abs(own))
    gain = np.sqrt(np.minimum(1.0, _SLACK * spread / np.maximum(found, 1e-30)))
    centers = np.arange(own.shape[0]) * (size // _OVERLAP) - size + size // 2
    gain[centers + size // 2 <= after] = 1.0
    made = np.empty(hit.shape, np.float32)
    for channel in range(hit.shape[1]):
        wave = hit[:, channel].astype(np.float64)
        left = _waved(_spectra(wave, size, frames) * gain, size, frames)
        left[:after] = wave[:after]
        made[:, channel] = wave + amount * (left - wave)
    return made


def _rms(audio: np.ndarray) -> float:
    return float(np.sqrt(np.square(audio, dtype=np.float64).mean()))


def _spectra(wave: np.ndarray, size: int, frames: int) -> np.ndarray:
    """Of float64 (frames,), silent behind its end: complex (windows, bins)."""
    padded = np.zeros(frames + 3 * size)
    count = min(frames, wave.size)
    padded[size : size + count] = wave[:count]
    parts = np.lib.stride_tricks.sliding_window_view(padded, size)[:: size // _OVERLAP]
    return np.asarray(np.fft.rfft(parts * np.sqrt(np.hanning(size + 1)[:-1]), axis=1))


def _waved(spectra: np.ndarray, size: int, frames: int) -> np.ndarray:
    """The wave again, by overlap and add: float64 (frames,)."""
    window, hop = np.sqrt(np.hanning(size + 1)[:-1]), size // _OVERLAP
    out = np.zeros(frames + 3 * size)
    for n, part in enumerate(np.fft.irfft(spectra, size, axis=1) * window):
        out[n * hop : n * hop + size] += part
    return np.asarray(out[size : size + frames] / (_OVERLAP / 2.0))


# What rings in pitches.


def _ringing(before: np.ndarray, frames: int, rate_hz: float) -> tuple[np.ndarray, np.ndarray]:
    """The damped sines before a hit, over their last part, and as they go on: float64."""
    from scipy.signal import resample_poly

    nothing = np.zeros(before.size), np.zeros(frames)
    down = max(1, round(rate_hz / _RATE_HZ))
    slow = rate_hz / down
    fitted, held = round(_FITTED_S * slow), round(_HELD_S * slow)
    low = resample_poly(before, 1, down)[-fitted:]
    # The filter sees nothing behind its end: those frames say nothing.
    edge = min(8, low.size // 8)
    low = low[: low.size - edge]
    if low.size < 4 * held or float(np.square(low).sum()) < _SILENT:
        return nothing
    trial = _damped(low[:-held])
    if trial is None:
        return nothing
    foretold = _sum_of(trial, np.arange(low.size - held, low.size))
    missed = float(np.square(low[-held:] - foretold).sum())
    if missed > _FORETOLD * float(np.square(low[-held:]).sum()):
        return nothing
    sines = _damped(low)
    if sines is None:
        return nothing
    first = before.size - (low.size + edge) * down  # the frame at which the fit begins
    at = (np.arange(max(0, first), before.size + frames) - first) / down
    whole = _sum_of(sines, at)
    out = np.zeros(before.size + frames)
    out[max(0, first) :] = whole
    return out[: before.size], out[before.size :]


def _damped(wave: np.ndarray) -> tuple[np.ndarray, np.ndarray] | None:
    """Poles and complex amplitudes of a real wave; None where there are none.

    Of the left singular vectors of its Hankel matrix, those without their first row are those
    without their last one times a matrix whose eigenvalues are the poles (shift invariance). They
    are eigenvectors of the matrix times its transpose, of which the strongest alone take half the
    time; squared, singular values are exact to 1e-8 of the strongest one.
    """
    from scipy.linalg import eigh

    rows = wave.size // 2
    hankel = np.lib.stride_tricks.sliding_window_view(wave, wave.size - rows + 1)
    try:
        size = hankel.shape[0]
        strongest = (max(0, size - 2 * _MOST_SINES), size - 1)
        power, left = eigh(hankel @ hankel.T, subset_by_index=strongest)
        power, left = power[::-1], left[:, ::-1]
        count = int(np.count_nonzero(power > _LEAST_SHARE**2 * power[0]))
        if count == 0:
            return None
        without_first, without_last = left[1:, :count], left[:-1, :count]
        shift = np.linalg.lstsq(without_last, without_first, rcond=None)[0]
        poles = np.linalg.eigvals(shift)
        # What grows is noise; it is let fall instead.
        radii = np.abs(poles)
        poles = np.where(radii > 0.9999, poles / radii * 0.9999, poles)
        powers = poles[None, :] ** np.arange(wave.size)[:, None]
        amplitudes = np.linalg.lstsq(powers, wave.astype(complex), rcond=None)[0]
    except np.linalg.LinAlgError:
        return None
    return poles, amplitudes


def _sum_of(sines: tuple[np.ndarray, np.ndarray], at: np.ndarray) -> np.ndarray:
    """Damped sines at some places, float64."""
    poles, amplitudes = sines
    out = np.zeros(at.size)
    for log, amplitude in zip(np.log(poles), amplitudes, strict=True):
        out += (amplitude * np.exp(log * at)).real
    return out


# What is noise.


def _without_noise(before: np.ndarray, hit: np.ndarray, rate_hz: float) -> np.ndarray:
    """The hit with the power taken off that each band had before it, falling as it fell."""
    from scipy.ndimage import uniform_filter

    size = 1 << round(math.log2(_WINDOW_S * rate_hz))
    hop = size // _OVERLAP
    whole = np.concatenate([before, hit])
    spectra = _spectra(whole, size, whole.size)
    centers = np.arange(spectra.shape[0]) * hop - size + size // 2  # in frames of `whole`
    start = before.size
    power = np.square(np.abs(spectra))
    earlier = np.flatnonzero((centers >= size // 2) & (centers + size // 2 <= start))
    # What rings on is what comes after the loudest moment.
    earlier = earlier[int(power[earlier].sum(axis=1).argmax()) + _AFTER :]
    if earlier.size < _LEAST_WINDOWS:
        return hit
    later = np.flatnonzero(centers + size // 2 > start)
    foretold = _foretold(power, earlier, later) * _held(power, earlier)
    pooled = np.maximum(uniform_filter(power[later], _POOLED, mode="nearest"), power[later])
    left = np.sqrt(np.maximum(0.0, 1.0 - foretold / np.maximum(pooled, 1e-30)))
    spectra[later] *= np.maximum(_FLOOR, left)
    made = _waved(spectra, size, whole.size)[start:]
    # The frames before the hit are heard too in the first window: the hit's own edge stays.
    fade = min(round(_EDGE_S * rate_hz), made.size)
    made[:fade] = hit[:fade] + (made[:fade] - hit[:fade]) * np.linspace(0.0, 1.0, fade)
    return np.asarray(made)


def _foretold(power: np.ndarray, earlier: np.ndarray, later: np.ndarray) -> np.ndarray:
    """The power of some windows, by how it fell over others: (windows, bins)."""
    half = earlier.size // 2
    first, last = power[earlier[:half]].mean(axis=0), power[earlier[half:]].mean(axis=0)
    first, last = _smooth(first), _smooth(last)
    apart = earlier[half:].mean() - earlier[:half].mean()
    fall = np.log(np.maximum(last, 1e-30) / np.maximum(first, 1e-30)) / apart
    fall = np.minimum(fall, _LEAST_FALL)  # nothing rises by itself
    since = later - earlier[half:].mean()
    return np.asarray(last[None, :] * np.exp(fall[None, :] * since[:, None]))


def _held(power: np.ndarray, earlier: np.ndarray) -> np.ndarray:
    """What share of the power that is foretold on trial came true, at most 1: (bins,)."""
    last = max(2, earlier.size // 4)
    if earlier.size - last < 4:
        return np.ones(power.shape[1])
    trial, found = _foretold(power, earlier[:-last], earlier[-last:]), power[earlier[-last:]]
    held = np.empty(power.shape[1])
    for bins in np.array_split(np.arange(held.size), _TRIAL_BANDS):
        held[bins] = min(1.0, found[:, bins].sum() / max(trial[:, bins].sum(), 1e-30))
    return held


def _smooth(power: np.ndarray) -> np.ndarray:
    """Over three bins, so that one bin of noise says little."""
    return np.convolve(power, [0.25, 0.5, 0.25], "same")
