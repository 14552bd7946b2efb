"""Second-order filters: one section over a signal, and cascades over stereo blocks."""

import math

import numpy as np

from puddle.kernels.compiling import STAGE_SIGNATURE, carray, entry, kernel, pointer_to, types
from puddle.kernels.guard import sane
from puddle.kernels.oscillators import fall_constant, fall_left

LOW, BAND, HIGH = 0, 1, 2


@kernel
def state_variable(signal, rate_hz, cutoff_hz, q, kind):
    """A two-pole filter of a mono float64 signal, in place.

    The trapezoidal state-variable filter (A. Simper, 2013; after V. Zavalishin, *The Art of VA
    Filter Design*): kind LOW, BAND (0 dB at its center) or HIGH. The cutoff is held under 0.49 of
    the rate.
    """
    cutoff = min(cutoff_hz, 0.49 * rate_hz)
    g = math.tan(math.pi * cutoff / rate_hz)
    k = 1.0 / q
    a1 = 1.0 / (1.0 + g * (g + k))
    a2 = g * a1
    a3 = g * a2
    first = 0.0
    second = 0.0
    for n in range(signal.shape[0]):
        v3 = signal[n] - second
        v1 = a1 * first + a2 * v3
        v2 = second + a2 * first + a3 * v3
        first = 2.0 * v1 - first
        second = 2.0 * v2 - second
        if kind == LOW:
            signal[n] = v2
        elif kind == BAND:
            signal[n] = k * v1
        else:
            signal[n] = signal[n] - k * v1 - v2


@kernel
def swept_band(signal, rate_hz, start_hz, end_hz, sweep_s, bend, q):
    """A band-pass over a mono float64 signal, in place, whose middle goes from start to end.

    The way is that of `oscillators.falling_sine`: start + (end - start) (1 - s(t)).
    """
    tau = fall_constant(max(sweep_s, 1e-5), bend)
    lefts = fall_left(signal.shape[0], rate_hz, tau, bend)
    k = 1.0 / q
    first = 0.0
    second = 0.0
    for n in range(signal.shape[0]):
        hz = min(max(end_hz + (start_hz - end_hz) * lefts[n], 10.0), 0.45 * rate_hz)
        g = math.tan(math.pi * hz / rate_hz)
        a1 = 1.0 / (1.0 + g * (g + k))
        v3 = signal[n] - second
        v1 = a1 * first + g * a1 * v3
        v2 = second + g * a1 * first + g * g * a1 * v3
        first = 2.0 * v1 - first
        second = 2.0 * v2 - second
        signal[n] = k * v1


@kernel
def lowpass_taps(factor, taps_per_phase):
    """A Blackman-windowed sinc for decimation by `factor`, unity at DC."""
    length = 2 * factor * taps_per_phase + 1
    taps = np.empty(length)
    middle = length // 2
    total = 0.0
    for n in range(length):
        x = (n - middle) / factor
        ideal = 1.0 if n == middle else math.sin(math.pi * 0.9 * x) / (math.pi * 0.9 * x)
        phase = 2.0 * math.pi * (n + 1) / (length + 1)
        taps[n] = ideal * (0.42 - 0.5 * math.cos(phase) + 0.08 * math.cos(2.0 * phase))
        total += taps[n]
    return taps / total


@kernel
def decimated(signal, factor):
    """A mono signal at 1/`factor` of its rate, aliases under -74 dB, without delay."""
    taps = lowpass_taps(factor, 16)
    length = taps.shape[0]
    padded = np.zeros(signal.shape[0] + 2 * length)
    middle = length // 2
    padded[middle : middle + signal.shape[0]] = signal
    frames = signal.shape[0] // factor
    out = np.empty(frames)
    for n in range(frames):
        window = padded[n * factor : n * factor + length]  # a view: plain, contiguous indices
        total = 0.0
        for k in range(length):
            total += window[k] * taps[k]
        out[n] = total
    return out


@kernel
def cascade(state, sections, audio, frames):
    """Biquads in series on stereo float32 (frames, 2), in place; transposed direct form II.

    `sections` is (count, 5): b0, b1, b2, a1, a2 with a0 = 1; `state` is (count, 4): two cells for
    each channel. A section that lets everything pass and is at rest is passed over; the others run
    two by two, for one alone would leave the processor waiting for its own last output.
    """
    waiting = -1
    for s in range(sections.shape[0]):
        c = sections[s]
        if _passes(state[s], c):
            state[s, 0] = state[s, 1] = state[s, 2] = state[s, 3] = 0.0
        elif waiting < 0:
            waiting = s
        else:
            _two_sections(state[waiting], sections[waiting], state[s], c, audio, frames)
            waiting = -1
    if waiting >= 0:
        _one_section(state[waiting], sections[waiting], audio, frames)


_REST = 1e-9  # -180 dB: what a section that lets everything pass may still hold


@kernel
def _passes(state, c):
    """Whether a section's zeros take its poles away, and nothing rings in it any more."""
    flat = c[0] == 1.0 and c[1] == c[3] and c[2] == c[4]
    ringing = max(abs(state[0]), abs(state[1]), abs(state[2]), abs(state[3]))
    return flat and ringing < _REST


@kernel
def moving_cells(count):
    """Cells of state for `moving_cascade`: four a section, five for what it was, and a flag."""
    return 9 * count + 1


@kernel
def moving_cascade(cells, before, known, sections, audio, frames):
    """`cascade`, where sections that are others than a quantum ago go there frame by frame.

    `cells` (count, 4), `before` (count, 5) and `known` (1,) are its state. The way between two
    stable sections is stable: their a1 and a2 lie in a triangle.
    """
    if known[0] == 0.0:
        known[0] = 1.0
        before[:] = sections
    if not _any_moves(before, sections):
        cascade(cells, sections, audio, frames)
        return
    for s in range(sections.shape[0]):
        _moving_section(cells[s], before[s], sections[s], audio, frames)
        before[s] = sections[s]


@kernel
def _any_moves(before, sections):
    for s in range(sections.shape[0]):
        for k in range(5):
            if before[s, k] != sections[s, k]:
                return True
    return False


@kernel
def _moving_section(state, before, section, audio, frames):
    """One section on its way from what it was to what it is to be."""
    b0, b1, b2, a1, a2 = before[0], before[1], before[2], before[3], before[4]
    part = 1.0 / frames
    s0, s1, s2 = (section[0] - b0) * part, (section[1] - b1) * part, (section[2] - b2) * part
    t1, t2 = (section[3] - a1) * part, (section[4] - a2) * part
    l1, l2, r1, r2 = state[0], state[1], state[2], state[3]
    for n in range(frames):
        b0 += s0
        b1 += s1
        b2 += s2
        a1 += t1
        a2 += t2
        x, u = np.float64(audio[n, 0]), np.float64(audio[n, 1])
        y = b0 * x + l1
        v = b0 * u + r1
        l1 = b1 * x - a1 * y + l2
        r1 = b1 * u - a1 * v + r2
        l2 = b2 * x - a2 * y
        r2 = b2 * u - a2 * v
        audio[n, 0] = y
        audio[n, 1] = v
    _keep(state, l1, l2, r1, r2)


@kernel
def _one_section(state, section, audio, frames):
    b0, b1, b2, a1, a2 = section[0], section[1], section[2], section[3], section[4]
    l1, l2, r1, r2 = state[0], state[1], state[2], state[3]
    for n in range(frames):
        x, u = np.float64(audio[n, 0]), np.float64(audio[n, 1])
        y = b0 * x + l1
        v = b0 * u + r1
        l1 = b1 * x - a1 * y + l2
        r1 = b1 * u - a1 * v + r2
        l2 = b2 * x - a2 * y
        r2 = b2 * u - a2 * v
        audio[n, 0] = y
        audio[n, 1] = v
    _keep(state, l1, l2, r1, r2)


@kernel
def _two_sections(state, section, state_2, section_2, audio, frames):
    b0, b1, b2, a1, a2 = section[0], section[1], section[2], section[3], section[4]
    d0, d1, d2, c1, c2 = section_2[0], section_2[1], section_2[2], section_2[3], section_2[4]
    l1, l2, r1, r2 = state[0], state[1], state[2], state[3]
    m1, m2, s1, s2 = state_2[0], state_2[1], state_2[2], state_2[3]
    for n in range(frames):
        x, u = np.float64(audio[n, 0]), np.float64(audio[n, 1])
        y = b0 * x + l1
        v = b0 * u + r1
        l1 = b1 * x - a1 * y + l2
        r1 = b1 * u - a1 * v + r2
        l2 = b2 * x - a2 * y
        r2 = b2 * u - a2 * v
        z = d0 * y + m1
        w = d0 * v + s1
        m1 = d1 * y - c1 * z + m2
        s1 = d1 * v - c1 * w + s2
        m2 = d2 * y - c2 * z
        s2 = d2 * v - c2 * w
        audio[n, 0] = z
        audio[n, 1] = w
    _keep(state, l1, l2, r1, r2)
    _keep(state_2, m1, m2, s1, s2)


@kernel
def _keep(state, l1, l2, r1, r2):
    """A section's cells for the next block; at rest where one is not a number."""
    whole = sane(l1 + l2 + r1 + r2)
    state[0] = l1 if whole else 0.0
    state[1] = l2 if whole else 0.0
    state[2] = r1 if whole else 0.0
    state[3] = r2 if whole else 0.0


f64_at = pointer_to(types.float64)
EQUALIZER_SECTIONS = 14


@entry(STAGE_SIGNATURE)
def equalize_entry(state, coefficients, audio, frames):
    """Fourteen biquads in series."""
    cells = carray(state, (moving_cells(EQUALIZER_SECTIONS),)).ctypes.data
    before = cells + 8 * 4 * EQUALIZER_SECTIONS
    moving_cascade(
        carray(f64_at(cells), (EQUALIZER_SECTIONS, 4)),
        carray(f64_at(before), (EQUALIZER_SECTIONS, 5)),
        carray(f64_at(before + 8 * 5 * EQUALIZER_SECTIONS), (1,)),
        carray(coefficients, (EQUALIZER_SECTIONS, 5)),
        carray(audio, (frames, 2)),
        frames,
    )
