"""Energies of spectra and waves: by bins, by bands, and what two have in common.

Spectra are complex64 (rows, bins): two rows for left and right, or one where both are the same.
"""

import math

import numpy as np

from puddle.kernels.compiling import kernel


@kernel
def hann(frames):
    """A symmetric Hann window: float64 (frames,), by turning a vector, five times as fast."""
    window = np.ones(frames)
    step = 2.0 * math.pi / max(1, frames - 1)
    turn_x, turn_y = math.cos(step), math.sin(step)
    x, y = 1.0, 0.0
    for n in range(frames if frames > 1 else 0):
        window[n] = 0.5 - 0.5 * x
        x, y = x * turn_x - y * turn_y, x * turn_y + y * turn_x
    return window


@kernel
def power_of(spectrum):
    """The energy in each bin of complex64 (bins,): float32 (bins,)."""
    power = np.empty(spectrum.shape[0], np.float32)
    for n in range(spectrum.shape[0]):
        real, imag = spectrum[n].real, spectrum[n].imag
        power[n] = real * real + imag * imag
    return power


@kernel
def shared_energy(a, b, edges, out):
    """The sum of Re(a b*) over both channels in each band: float64 (bands,) of `edges` less one."""
    for band in range(out.shape[0]):
        out[band] = 0.0
    for channel in range(2):
        one = a[min(channel, a.shape[0] - 1)]
        other = b[min(channel, b.shape[0] - 1)]
        for band in range(out.shape[0]):
            first, last = edges[band], edges[band + 1]
            left, right = one[first:last], other[first:last]
            total = 0.0
            for n in range(left.shape[0]):
                total += left[n].real * right[n].real + left[n].imag * right[n].imag
            out[band] += total


@kernel
def mean_energy(spectra, out):
    """The energy of the channels' mean in each bin: float64 (bins,)."""
    one, other = spectra[0], spectra[spectra.shape[0] - 1]
    for n in range(one.shape[0]):
        real = 0.5 * (one[n].real + other[n].real)
        imag = 0.5 * (one[n].imag + other[n].imag)
        out[n] = real * real + imag * imag


@kernel
def sums_between(values, edges):
    """The sum of values between each of some edges and the next: float64 (edges - 1,)."""
    found = np.zeros(max(0, edges.shape[0] - 1))
    for band in range(found.shape[0]):
        part = values[edges[band] : edges[band + 1]]
        total = 0.0
        for n in range(part.shape[0]):
            total += float(part[n])
        found[band] = total
    return found


@kernel
def band_energies_of(spectra, firsts, lasts):
    """The energy of each of some bands, from a bin to before another, in complex64 (rows, bins):
    float64 (rows, bands)."""
    found = np.empty((spectra.shape[0], firsts.shape[0]))
    for row in range(spectra.shape[0]):
        for band in range(firsts.shape[0]):
            part = spectra[row, firsts[band] : lasts[band]]
            total = np.float32(0.0)
            for n in range(part.shape[0]):
                total += part[n].real * part[n].real + part[n].imag * part[n].imag
            found[row, band] = total
    return found


@kernel
def center_and_width(power):
    """The center of gravity of a spectrum and the standard deviation around it, in bins."""
    total = moment = second = 0.0
    for n in range(power.shape[0]):
        energy = float(power[n])
        total += energy
        moment += n * energy
        second += float(n) * n * energy
    total = max(total, 1e-30)
    center = moment / total
    return center, math.sqrt(max(0.0, second / total - center * center))


@kernel
def energy_reached(wave, shares):
    """How many samples come before a wave's energy has reached each rising share of it: int64."""
    found = np.full(shares.shape[0], wave.shape[0])
    total = 0.0
    for n in range(wave.shape[0]):
        total += float(wave[n]) * float(wave[n])
    come, k = 0.0, 0
    for n in range(wave.shape[0]):
        come += float(wave[n]) * float(wave[n])
        while k < shares.shape[0] and come >= shares[k] * total:
            found[k] = n
            k += 1
        if k == shares.shape[0]:
            break
    return found


@kernel
def energies_between(audio, edges):
    """The energy of all channels of (frames, channels) between each of some frames and the next:
    float64 (edges - 1,)."""
    found = np.zeros(max(0, edges.shape[0] - 1))
    for channel in range(audio.shape[1]):
        wave = audio[:, channel]
        for piece in range(found.shape[0]):
            part = wave[edges[piece] : edges[piece + 1]]
            total = 0.0
            for n in range(part.shape[0]):
                total += float(part[n]) * float(part[n])
            found[piece] += total
    return found


@kernel
def weighted_sums(values, firsts, offsets, weights, out):
    """For each point the sum of values from `firsts` on, by its part of `weights`.

    A product with a sparse matrix whose rows are runs: `offsets` (points + 1) parts the weights.
    """
    for point in range(out.shape[0]):
        part = weights[offsets[point] : offsets[point + 1]]
        run = values[firsts[point] : firsts[point] + part.shape[0]]
        total = 0.0
        for n in range(part.shape[0]):
            total += part[n] * run[n]
        out[point] = total
