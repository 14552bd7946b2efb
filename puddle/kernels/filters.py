"""Second-order filters: one section over a signal, and cascades over stereo blocks."""

import math

import numpy as np

from puddle.kernels.compiling import (
    STAGE_SIGNATURE,
    carray,
    entry,
    inlined,
    kernel,
    pointer_to,
    types,
)
from puddle.kernels.guard import sane
from puddle.kernels.oscillators import fall_constant, fall_left
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.sections import SIDE_BY_SIDE, run_eight_at, run_four_at

LOW, BAND, HIGH = 0, 1, 2

f64_at = pointer_to(types.float64)


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
    up to eight at a time.
    """
    busy = _busy(state, sections)
    for start in range(0, frames, QUANTUM):
        _run_busy(state, sections, busy, audio[start:], min(QUANTUM, frames - start))


@kernel
def _busy(state, sections):
    """The sections that are to run, a bit each; those at rest are put to rest wholly."""
    busy = 0
    for s in range(sections.shape[0]):
        ringing = max(
            max(abs(state[s, 0]), abs(state[s, 1])), max(abs(state[s, 2]), abs(state[s, 3]))
        )
        if _flat(sections, s) and ringing < _REST:
            state[s, 0] = state[s, 1] = state[s, 2] = state[s, 3] = 0.0
        else:
            busy |= 1 << s
    return busy


@kernel
def _rings_on(sections, busy):
    """Whether one of the busy sections lets everything pass: it will be at rest some day."""
    found = False
    for s in range(sections.shape[0]):
        found = found or (busy >> s & 1 and _flat(sections, s))
    return found


@inlined
def _flat(sections, s):
    """Whether a section's zeros take its poles away."""
    return (
        sections[s, 0] == 1.0
        and sections[s, 1] == sections[s, 3]
        and sections[s, 2] == sections[s, 4]
    )


@inlined
def _run_busy(state, sections, busy, audio, frames):
    """Those sections whose bits are set, eight at a time, over at most a quantum.

    Cells that are no numbers any more are at rest again.
    """
    cells, rows, place = state.ctypes.data, sections.ctypes.data, audio.ctypes.data
    while busy != 0:
        after = _without_lowest(busy, SIDE_BY_SIDE)
        if after == 0:
            whole = run_four_at(cells, rows, busy, place, frames)
        else:
            after = _without_lowest(after, SIDE_BY_SIDE)
            whole = run_eight_at(cells, rows, busy, place, frames)
        if not whole:
            for s in range(sections.shape[0]):
                if not sane(state[s, 0] + state[s, 1] + state[s, 2] + state[s, 3]):
                    state[s, 0] = state[s, 1] = state[s, 2] = state[s, 3] = 0.0
        busy = after


@inlined
def _without_lowest(bits, count):
    """Without so many of the lowest bits that are set."""
    for _ in range(count):
        bits &= bits - 1
    return bits


_RUNNING, _RINGING = 0, 1  # cells: a bit for each section that runs, and one; a switch
_REST = 1e-9  # -180 dB: what a section that lets everything pass may still hold


@kernel
def moving_cells(count):
    """Cells of state for `moving_cascade`: four a section, five for what it was, and two."""
    return 9 * count + 2


@kernel
def moving_cascade(cells, before, known, sections, audio, frames):
    """`cascade`, where sections that are others than a quantum ago go there frame by frame.

    `cells` (count, 4), `before` (5 count,) and `known` (2,) are its state, `sections` (5 count,).
    Which sections run is known as long as none moves, and none that lets everything pass rings.
    The way between two stable sections is stable: their a1 and a2 lie in a triangle.
    """
    rows = carray(f64_at(sections.ctypes.data), (cells.shape[0], 5))
    ways = 0.0
    for k in range(sections.shape[0]):
        ways += abs(before[k] - sections[k])
    if known[_RUNNING] == 0.0:
        before[:] = sections
        _look(cells, rows, known)
    elif ways != 0.0:
        was = carray(f64_at(before.ctypes.data), (cells.shape[0], 5))
        for s in range(rows.shape[0]):
            _moving_section(cells[s], was[s], rows[s], audio, frames)
        before[:] = sections
        _look(cells, rows, known)
        return
    _run_busy(cells, rows, int(known[_RUNNING]) - 1, audio, frames)
    if known[_RINGING] != 0.0:
        _look(cells, rows, known)


@kernel
def _look(cells, sections, known):
    """Which sections run from now on, and whether one of them only rings out."""
    busy = _busy(cells, sections)
    known[_RUNNING] = 1.0 + busy
    known[_RINGING] = 1.0 if _rings_on(sections, busy) else 0.0


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
def _keep(state, l1, l2, r1, r2):
    """A section's cells for the next block; at rest where one is not a number."""
    whole = sane(l1 + l2 + r1 + r2)
    state[0] = l1 if whole else 0.0
    state[1] = l2 if whole else 0.0
    state[2] = r1 if whole else 0.0
    state[3] = r2 if whole else 0.0


EQUALIZER_SECTIONS = 14


@entry(STAGE_SIGNATURE)
def equalize_entry(state, coefficients, audio, frames):
    """Fourteen biquads in series."""
    cells = carray(state, (moving_cells(EQUALIZER_SECTIONS),))
    most, every = 4 * EQUALIZER_SECTIONS, 5 * EQUALIZER_SECTIONS
    moving_cascade(
        carray(state, (EQUALIZER_SECTIONS, 4)),
        cells[most : most + every],
        cells[most + every :],
        carray(coefficients, (every,)),
        carray(audio, (frames, 2)),
        frames,
    )
