"""Kernels against SciPy and closed forms, and the cache that keeps them."""

import math
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
import scipy.ndimage
import scipy.signal
import scipy.special

from puddle.kernels.compiling import denormals_flushed, kernel
from puddle.kernels.envelopes import fade_edges, saturate_in_place, settle
from puddle.kernels.filters import BAND, HIGH, LOW, cascade, decimated, lowpass_taps, state_variable
from puddle.kernels.gliding import add_long, add_short
from puddle.kernels.guard import sane
from puddle.kernels.interpolation import _bessel0, last_loud, resampled
from puddle.kernels.lanes import gathered_at, spread_at
from puddle.kernels.oscillators import damped_sine, falling_sine
from puddle.kernels.polyphase import LONG, PHASES, SHORT, filter_rows
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.sines import sine_of
from puddle.kernels.spectra import hann, power_of
from tests.support.sounds import noise

RATE = 48000.0


@kernel
def _halved(x):  # type: ignore[no-untyped-def]
    return x * 0.5


@kernel
def _sines(x):  # type: ignore[no-untyped-def]
    out = np.empty(x.shape[0])
    for n in range(x.shape[0]):
        out[n] = sine_of(x[n])
    return out


@kernel
def _added_between(long, frames, rows, part, left, right, out):  # type: ignore[no-untyped-def]
    first, row, to = frames.ctypes.data, rows.ctypes.data, out.ctypes.data
    part, left, right = np.float32(part), np.float32(left), np.float32(right)
    if long:
        add_long(first, row, part, left, right, to)
    else:
        add_short(first, row, part, left, right, to)


_SPREAD, _GATHERED = spread_at(3), gathered_at(3)


@kernel
def _filtered(lines, taps, spread, gathered):  # type: ignore[no-untyped-def]
    line, count, long = lines.ctypes.data, taps.shape[0], lines.shape[1]
    _SPREAD(line, taps.ctypes.data, count, spread.ctypes.data, spread.shape[1])
    _GATHERED(line, taps.ctypes.data, count, gathered.ctypes.data, long)


class Vectors(unittest.TestCase):
    def test_the_sine(self) -> None:
        x = np.concatenate([np.linspace(-3.0, 3.0, 4001), np.array([0.25, 0.5, 0.75, 999.9])])
        wanted = np.sin(2.0 * np.pi * x)
        self.assertLess(float(np.abs(_sines(x) - wanted).max()), 2e-12)

    def test_a_frame_between_frames_is_what_the_rows_of_taps_make_of_its_neighbors(self) -> None:
        rng = np.random.default_rng(4)
        for taps in (SHORT, LONG):
            rows = filter_rows(taps, 0.4)
            table = rows.astype(np.float32)
            for _ in range(20):
                frames = rng.standard_normal((taps, 2)).astype(np.float32)
                row, (part, left, right) = int(rng.integers(PHASES)), rng.random(3)
                out = np.array([[0.5, -0.25]], np.float32)
                between = rows[row] + part * (rows[row + 1] - rows[row])
                wanted = out[0] + between @ frames * (left, right)
                _added_between(taps == LONG, frames, table[row:], part, left, right, out)
                self.assertLess(float(np.abs(out[0] - wanted).max()), 2e-6)

    def test_the_rows_are_a_sinc_under_a_kaiser_window(self) -> None:
        """By SciPy's own design: each row's taps are every 256th of one long filter."""
        long = scipy.signal.firwin(
            SHORT * PHASES + 1, 2 * 0.4 / PHASES, window=("kaiser", 8.5), scale=False
        ) * PHASES  # fmt: skip
        rows = filter_rows(SHORT, 0.4)
        for row in (0, 1, 128, 255):
            wanted = long[PHASES - row :: PHASES][:SHORT]
            self.assertLess(float(np.abs(rows[row] - wanted / wanted.sum()).max()), 1e-4)

    def test_sections_side_by_side_are_sections_in_series(self) -> None:
        """By SciPy; in blocks of any length, shorter than the way through all sections too."""
        rng = np.random.default_rng(2)
        x = noise(0.02)
        for count in (1, 2, 3, 4, 5, 6, 7, 8, 9, 14):
            b, a = zip(
                *(scipy.signal.butter(2, c) for c in rng.uniform(0.05, 0.6, count)), strict=True
            )
            sections = np.array([[*p, *q[1:]] for p, q in zip(b, a, strict=True)])
            sos = np.array([[*p, *q] for p, q in zip(b, a, strict=True)])
            wanted = scipy.signal.sosfilt(sos, x.astype(np.float64), axis=0)
            whole = x.copy()
            cascade(np.zeros((count, 4)), sections, whole, len(whole))
            self.assertLess(float(np.abs(whole - wanted).max()), 1e-6, count)
            for block in (1, 2, 3, 4, 7, 9, 32):
                out, state = x.copy(), np.zeros((count, 4))
                for start in range(0, len(out), block):
                    part = out[start : start + block]
                    cascade(state, sections, part, len(part))
                # Between groups of eight a block is rounded to float32: the same way every time.
                self.assertTrue(np.array_equal(out, whole), (count, block))

    def test_a_section_that_lets_everything_pass_is_left_out_until_it_is_at_rest(self) -> None:
        low, flat = scipy.signal.butter(2, 0.1), (1.0, -1.2, 0.5, -1.2, 0.5)
        sections = np.array([flat, [*low[0], *low[1][1:]], flat])
        state, out = np.zeros((3, 4)), noise(0.02)
        wanted = scipy.signal.lfilter(*low, out.astype(np.float64), axis=0)
        state[2] = 1e-3  # rings on: with its poles, on its own
        ring = scipy.signal.lfilter(flat[:3], (1.0, *flat[3:]), np.zeros(len(out)), zi=[1e-3] * 2)
        cascade(state, sections, out, len(out))
        self.assertLess(float(np.abs(out - wanted - ring[0][:, None]).max()), 1e-6)
        cascade(state, sections, np.zeros((64, 2), np.float32), 64)
        self.assertTrue((state[[0, 2]] == 0.0).all())

    def test_filters_side_by_side_are_convolutions(self) -> None:
        rng = np.random.default_rng(5)
        taps = rng.standard_normal((11, 3)).astype(np.float32)
        lines = rng.standard_normal((3, QUANTUM + 10)).astype(np.float32)
        spread, gathered = np.zeros((3, QUANTUM), np.float32), np.zeros(QUANTUM, np.float32)
        _filtered(lines, taps, spread, gathered)
        each = [np.correlate(lines[0], taps[:, row], "valid") for row in range(3)]
        self.assertLess(float(np.abs(spread - each).max()), 1e-5)
        total = sum(np.correlate(lines[row], taps[:, row], "valid") for row in range(3))
        self.assertLess(float(np.abs(gathered - total).max()), 1e-5)


class Spectra(unittest.TestCase):
    def test_windows_and_powers_are_numpys(self) -> None:
        for frames in (1, 2, 3, 64, 9600):
            self.assertLess(float(np.abs(hann(frames) - np.hanning(frames)).max()), 1e-11, frames)
        spectrum = np.fft.rfft(noise(0.02)[:, 0]).astype(np.complex64)
        # Two products and a sum in single precision.
        np.testing.assert_allclose(power_of(spectrum), np.abs(spectrum) ** 2, rtol=1e-6)


class Filters(unittest.TestCase):
    def test_the_state_variable_filter_is_the_bilinear_prototype(self) -> None:
        """H(s) = 1, s/Q or s² over s² + s/Q + 1, with tan-warped frequencies."""
        hz = np.geomspace(40, 20000, 80)
        for kind, top in ((LOW, 0), (BAND, 1), (HIGH, 2)):
            for cutoff, q in ((300.0, 0.7), (4000.0, 3.0)):
                x = np.zeros(1 << 16)
                x[0] = 1.0
                state_variable(x, RATE, cutoff, q, kind)
                found = np.interp(hz, np.fft.rfftfreq(len(x), 1 / RATE), np.abs(np.fft.rfft(x)))
                s = 1j * np.tan(np.pi * hz / RATE) / math.tan(math.pi * cutoff / RATE)
                numerator = (1.0, s / q, s * s)[top]
                wanted = np.abs(numerator / (s * s + s / q + 1.0))
                self.assertLess(float(np.abs(found - wanted).max()), 2e-3, (kind, cutoff))

    def test_decimation_keeps_what_is_low_and_drops_what_would_fold(self) -> None:
        t = np.arange(4 * 9600) / (4 * RATE)
        low = decimated(np.sin(2 * np.pi * 1000 * t), 4)[500:-500]
        wanted = np.sin(2 * np.pi * 1000 * np.arange(9600) / RATE)[500:-500]
        self.assertLess(float(np.abs(low - wanted).max()), 1e-3)
        for hz in (29000.0, 45000.0, 70000.0):
            folded = decimated(np.sin(2 * np.pi * hz * t), 4)[500:-500]
            self.assertLess(20 * math.log10(float(np.abs(folded).max()) + 1e-12), -70.0, hz)
        self.assertAlmostEqual(float(lowpass_taps(4, 16).sum()), 1.0, places=12)

    def test_a_cutoff_over_the_rate_is_held(self) -> None:
        x = noise(0.05)[:, 0].astype(np.float64)
        state_variable(x, RATE, 1e6, 0.7, LOW)
        self.assertTrue(np.isfinite(x).all())


class Shapes(unittest.TestCase):
    def test_saturation_is_tanh(self) -> None:
        x = np.linspace(-1.5, 1.5, 301)
        for gain in (1.0, 4.0, 16.0):
            y = x.copy()
            saturate_in_place(y, gain)
            self.assertLess(float(np.abs(y - np.tanh(gain * x) / math.tanh(gain)).max()), 1e-12)

    def test_settling_leaves_neither_dc_nor_an_edge(self) -> None:
        rng = np.random.default_rng(1)
        for frames in (1, 2, 50, 5000):
            x = rng.standard_normal(frames) + 0.3
            settle(x, 8, 400, 960.0)
            self.assertAlmostEqual(float(x.sum()), 0.0, places=6)
            self.assertAlmostEqual(float(x[-1]), 0.0, places=9)

    def test_fades_longer_than_the_sound(self) -> None:
        x = np.ones((10, 2), np.float32)
        fade_edges(x, 100, 100)
        self.assertTrue(np.isfinite(x).all())
        self.assertEqual(float(x[0, 0]), 0.0)

    def test_a_damped_sine_by_its_formula(self) -> None:
        n = np.arange(4800)
        wanted = np.sin(2 * np.pi * 777 * n / RATE) * 10.0 ** (-3.0 * n / RATE / 0.05)
        found = damped_sine(4800, RATE, 777.0, 0.05)
        self.assertLess(float(np.abs(found - wanted).max()), 1e-9)

    def test_a_settled_sine_goes_on_without_a_seam(self) -> None:
        """After the fall a rotation takes over: it must be the same sine for seconds."""
        out = falling_sine(96000, RATE, 200.0, 50.0, 0.02, 0.0, 1e9, 0.0)
        tau = 0.02 / math.log(10.0)
        t = np.arange(96000) / RATE
        wanted = np.sin(2 * np.pi * (50 * t + 150 * tau * (1 - np.exp(-t / tau))))
        self.assertLess(float(np.abs(out - wanted).max()), 1e-5)

    def test_a_pitch_over_the_rate_is_silent(self) -> None:
        out = falling_sine(480, RATE, 60000.0, 40000.0, 0.5, 0.0, 1.0, 0.0)
        self.assertFalse(out.any())


class Interpolation(unittest.TestCase):
    def test_bessel_by_scipy(self) -> None:
        for x in (0.0, 0.5, 3.0, 9.0):
            self.assertAlmostEqual(_bessel0(x) / scipy.special.i0(x), 1.0, places=12)

    def test_reading_slower_by_the_closed_form(self) -> None:
        n = np.arange(9600)
        x = np.sin(2 * np.pi * 3000 * n / RATE)
        y = resampled(np.stack([x, x], 1).astype(np.float32), 0.73, 100.0, 8000)[:, 0]
        wanted = np.sin(2 * np.pi * 3000 * (100 + 0.73 * np.arange(8000)) / RATE)
        self.assertLess(float(np.abs(y - wanted).max()), 1e-4)

    def test_outside_there_is_silence(self) -> None:
        x = np.ones((100, 2), np.float32)
        self.assertFalse(resampled(x, 1.0, -500.0, 300).any())
        self.assertFalse(resampled(x, 1.0, 200.0, 300).any())

    def test_the_last_loud_frame(self) -> None:
        x = np.zeros((100, 2), np.float32)
        self.assertEqual(last_loud(x, np.float32(0.1)), -1)
        x[40, 1] = -0.5
        self.assertEqual(last_loud(x, np.float32(0.1)), 40)
        x[3, 0] = np.nan
        self.assertEqual(last_loud(x, np.float32(0.1)), -2)


class Guards(unittest.TestCase):
    def test_what_can_be_trusted(self) -> None:
        for value, good in (
            (0.0, True),
            (-1e20, True),
            (np.nan, False),
            (np.inf, False),
            (-np.inf, False),
            (1e200, False),
        ):
            self.assertEqual(bool(sane(value)), good, value)

    def test_denormals_are_zero_inside_and_themselves_again_after(self) -> None:
        self.assertNotEqual(_halved(1e-309), 0.0)
        with denormals_flushed():
            self.assertEqual(_halved(1e-309), 0.0)
        self.assertNotEqual(_halved(1e-309), 0.0)


class Caching(unittest.TestCase):
    def ask(self, code: str, **environment: str) -> str:
        done = subprocess.run(
            [sys.executable, "-c", code],
            capture_output=True,
            text=True,
            env={**os.environ, **environment},
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        return done.stdout.strip()

    def test_it_is_private_and_named_by_the_sources(self) -> None:
        with tempfile.TemporaryDirectory() as home:
            folder = Path(
                self.ask(
                    "from puddle.kernels.cache import folder; print(folder())",
                    XDG_CACHE_HOME=home,
                )
            )
            from puddle.kernels.cache import fingerprint

            self.assertEqual(folder.name, fingerprint())
            self.assertEqual(folder.stat().st_mode & 0o077, 0)

    def test_without_a_writable_folder_kernels_still_run(self) -> None:
        code = (
            "import puddle.kernels.cache as cache\n"
            "cache._roots = lambda: []\n"
            "from puddle.kernels.noise import white\n"
            "print(cache.folder(), len(white(1, 8)))\n"
        )
        self.assertEqual(self.ask(code), "None 8")

    def test_a_folder_of_somebody_else_is_not_used(self) -> None:
        from puddle.kernels.cache import _usable

        with tempfile.TemporaryDirectory() as home:
            target = Path(home) / "target"
            target.mkdir()
            link = Path(home) / "link"
            link.symlink_to(target)
            self.assertFalse(_usable(link))
            self.assertTrue(_usable(target))


class Against(unittest.TestCase):
    def test_the_highest_hat_square_is_a_sine_by_itself(self) -> None:
        """One harmonic left: what remains is a sine of 4/π, whatever the phase."""
        from puddle.kernels.oscillators import add_square

        out = np.zeros(48000)
        add_square(out, RATE, 9000.0, 20000.0, 0.3, 1.0)
        peak = np.abs(scipy.signal.hilbert(out))[8000:40000]
        gain = (np.pi * 9000 / RATE) / math.sin(np.pi * 9000 / RATE)
        self.assertAlmostEqual(float(peak.mean()), 4 / math.pi * gain, delta=0.02)
