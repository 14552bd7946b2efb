"""Measures against independent truth: closed forms, pyloudnorm, made sounds of known pitch."""

import math
import unittest
import warnings

import numpy as np
import scipy.signal

from puddle.measure.envelope import min_max
from puddle.measure.levels import (
    dc_offset,
    k_weighting,
    loudness_lufs,
    peak_dbfs,
    rms_dbfs,
    true_peak_dbtp,
)
from puddle.measure.pitch import fundamental
from puddle.measure.report import measured
from puddle.measure.shape import hit_shape
from puddle.measure.spectrum import balance, display_spectrum, fast_size, whole_spectrum
from puddle.voices import STARTING_POINTS, Hat
from tests.support.sounds import noise, sine

RATE = 48000.0


def decay(frames: int, t60: float) -> np.ndarray:
    return 10.0 ** (-3.0 * np.arange(frames) / RATE / t60)


class WholeSpectrum(unittest.TestCase):
    """The transform that several measures share."""

    def test_it_is_the_transform_of_what_is_left_without_dc(self) -> None:
        x = noise(0.3) + np.float32(0.2)
        whole = whole_spectrum(x, RATE)
        mono = x.mean(axis=1, dtype=np.float64)
        wanted = np.fft.rfft(mono - mono.mean(), whole.size)
        error = np.abs(whole.spectrum - wanted).max() / np.abs(wanted).max()
        self.assertLess(error, 1e-6)  # single precision
        np.testing.assert_allclose(whole.power, np.abs(whole.spectrum) ** 2, rtol=1e-5)
        self.assertGreater(whole.size, mono.size)  # what ends does not meet its beginning

    def test_first_bins_are_those_of_a_search_among_all(self) -> None:
        whole = whole_spectrum(noise(1.1), 44100.0)
        at = np.fft.rfftfreq(whole.size, 1.0 / 44100.0)
        hz = np.array([0.0, 19.7, 150.0, at[1000], 2000.0, 22050.0, 24000.0])
        np.testing.assert_array_equal(whole.first_bins(hz), np.searchsorted(at, hz))

    def test_fast_sizes_have_room_and_few_factors(self) -> None:
        for least in (16, 1000, 4097, 33000, 48000, 65537):
            size = fast_size(least)
            self.assertTrue(least <= size < 1.34 * least, (least, size))
            self.assertEqual(size % 2, 0)
            for factor in (2, 3, 5):
                while size % factor == 0:
                    size //= factor
            self.assertEqual(size, 1)

    def test_dc_moves_no_figure(self) -> None:
        x = 0.4 * sine(220.0, 0.5) + 0.1 * noise(0.5)
        own, shifted = balance(x, RATE), balance(x + np.float32(0.3), RATE)
        assert own is not None and shifted is not None
        self.assertAlmostEqual(own.low_db, shifted.low_db, delta=0.01)
        self.assertAlmostEqual(own.centroid_hz, shifted.centroid_hz, delta=0.1)
        self.assertAlmostEqual(
            fundamental(x, RATE).hz, fundamental(x + np.float32(0.3), RATE).hz, delta=0.001
        )


class Levels(unittest.TestCase):
    def test_sines_by_closed_form(self) -> None:
        x = sine(1000, 1.0, 0.5)
        self.assertAlmostEqual(peak_dbfs(x), 20 * math.log10(0.5), places=3)
        self.assertAlmostEqual(rms_dbfs(x), 20 * math.log10(0.5 / math.sqrt(2)), places=3)
        self.assertAlmostEqual(dc_offset(x + np.float32(0.01)), 0.01, places=4)

    def test_true_peak_of_the_worst_sine(self) -> None:
        """At a quarter of the rate and 45 degrees the samples lie 3 dB under the peak."""
        n = np.arange(48000)
        # Faded: where a sine is cut off, the wave between its samples overshoots in truth.
        fade = np.hanning(len(n)) ** 0.1
        x = np.sin(2 * np.pi * n / 4 + np.pi / 4) * fade
        for at in np.linspace(0.02, 0.40, 14):
            for phase in (0.0, 0.7, 1.9):
                y = 0.5 * np.sin(2 * np.pi * at * n + phase) * fade
                found = true_peak_dbtp(np.stack([y, y], 1).astype(np.float32))
                self.assertAlmostEqual(found, 20 * math.log10(0.5), delta=0.2)
        self.assertAlmostEqual(peak_dbfs(x[:, None]), -3.0103, places=2)
        self.assertAlmostEqual(true_peak_dbtp(x[:, None].astype(np.float32)), 0.0, delta=0.1)

    def test_k_weighting_by_the_standards_table(self) -> None:
        """BS.1770-4, tables 1 and 2, at 48 kHz."""
        wanted = [
            [
                1.53512485958697,
                -2.69169618940638,
                1.19839281085285,
                -1.69065929318241,
                0.73248077421585,
            ],
            [1.0, -2.0, 1.0, -1.99004745483398, 0.99007225036621],
        ]
        self.assertLess(float(np.abs(k_weighting(48000.0) - wanted).max()), 1e-6)

    def test_loudness_of_the_reference_tone(self) -> None:
        """A 0 dBFS sine of 997 Hz on one channel reads -3.01 LUFS; on both, 0 (the standard)."""
        x = sine(997, 5.0)
        self.assertAlmostEqual(loudness_lufs(x, RATE) or 0.0, 0.0, delta=0.02)
        self.assertAlmostEqual(loudness_lufs(x, RATE, 1) or 0.0, -3.01, delta=0.02)

    def test_loudness_agrees_with_another_meter(self) -> None:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            import pyloudnorm

        rng = np.random.default_rng(3)
        for rate in (44100, 48000, 96000):
            meter = pyloudnorm.Meter(rate, filter_class="DeMan")
            for seconds in (0.4, 0.7, 1.0, 3.0):
                frames = round(seconds * rate)
                x = rng.standard_normal((frames, 2)) * np.exp(-np.arange(frames) / rate)[:, None]
                x = (0.2 * x).astype(np.float32)
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    wanted = meter.integrated_loudness(x.astype(np.float64))
                self.assertAlmostEqual(loudness_lufs(x, float(rate)) or 0.0, wanted, delta=0.3)

    def test_short_sounds_by_the_stated_formula(self) -> None:
        from scipy.signal import lfilter

        x = noise(0.15)
        padded = np.zeros((19200, 2))
        padded[: len(x)] = x
        for b0, b1, b2, a1, a2 in k_weighting(RATE):
            padded = lfilter([b0, b1, b2], [1, a1, a2], padded, axis=0)
        wanted = -0.691 + 10 * math.log10(float(np.sum(padded**2) / 19200))
        self.assertAlmostEqual(loudness_lufs(x, RATE) or 0.0, wanted, delta=0.001)

    def test_silence(self) -> None:
        self.assertIsNone(loudness_lufs(np.zeros((48000, 2), np.float32), RATE))
        self.assertIsNone(loudness_lufs(np.zeros((100, 2), np.float32), RATE))


class Shapes(unittest.TestCase):
    def test_onset_attack_and_decay_by_formula(self) -> None:
        x = np.zeros(48000)
        n = np.arange(480)
        x[4800:5280] = n / 480  # a straight rise of 10 ms
        x[5280:] = decay(48000 - 5280, 0.4)
        found = hit_shape(x[:, None].astype(np.float32), RATE)
        assert found is not None
        self.assertAlmostEqual(found.onset_ms, 100.0, delta=0.2)
        self.assertAlmostEqual(found.attack_ms, 8.0, delta=0.1)
        self.assertAlmostEqual(found.decay_60_ms or 0.0, 400.0, delta=0.2)
        self.assertAlmostEqual(found.body_end_ms, 110.0 + 400.0 * 12 / 60, delta=0.2)

    def test_a_file_that_ends_first_has_no_decay(self) -> None:
        x = decay(9600, 0.4)[:, None].astype(np.float32)
        found = hit_shape(x, RATE)
        assert found is not None
        self.assertIsNone(found.decay_60_ms)

    def test_silence_has_no_shape(self) -> None:
        self.assertIsNone(hit_shape(np.zeros((10, 2), np.float32), RATE))


class Spectra(unittest.TestCase):
    def test_bands_hold_what_lies_in_them(self) -> None:
        x = sine(100, 1.0, 0.5) + sine(1000, 1.0, 0.25) + sine(8000, 1.0, 0.125)
        found = balance(x, RATE)
        assert found is not None
        total = 0.5**2 + 0.25**2 + 0.125**2
        for value, level in ((found.low_db, 0.5), (found.mid_db, 0.25), (found.high_db, 0.125)):
            self.assertAlmostEqual(value, 10 * math.log10(level**2 / total), delta=0.05)
        center = (100 * 0.25 + 1000 * 0.0625 + 8000 * 0.015625) / total
        self.assertAlmostEqual(found.centroid_hz, center, delta=0.02 * center)

    def test_noise_is_flat_and_a_tone_is_not(self) -> None:
        flat, tone = balance(noise(1.0), RATE), balance(sine(440, 1.0), RATE)
        assert flat is not None and tone is not None
        self.assertGreater(flat.flatness, 0.6)
        self.assertLess(tone.flatness, 0.01)

    def test_the_display_shows_a_full_scale_sine_at_zero(self) -> None:
        hz, db = display_spectrum(sine(1000, 1.0), RATE)
        place = int(np.argmax(db))
        self.assertAlmostEqual(float(hz[place]), 1000, delta=60)
        self.assertAlmostEqual(float(db[place]), 0.0, delta=0.3)

    def test_waveforms_hold_every_extreme(self) -> None:
        x = noise(0.5)[:, 0]
        for columns in (7, 100, 640):
            pairs = min_max(x, 0, len(x), columns)
            edges = np.linspace(0, len(x), columns + 1)
            for n in range(columns):
                part = x[int(edges[n]) : math.ceil(edges[n + 1])]
                self.assertLessEqual(pairs[n, 0], part.min())
                self.assertGreaterEqual(pairs[n, 1], part.max())
        self.assertFalse(min_max(x, -500, -100, 10).any())
        self.assertTrue(np.isfinite(min_max(x, len(x) - 2, len(x) + 50, 10)).all())
        self.assertEqual(min_max(x[:0], 0, 10, 5).shape, (5, 2))


def low_hit(rng: np.random.Generator) -> tuple[float, np.ndarray]:
    """A kick, weak fundamental, wired snare or driven kick with a settled pitch, 30 to 400 Hz."""
    hz = math.exp(rng.uniform(math.log(30), math.log(400)))
    frames = round(rng.uniform(0.35, 1.2) * RATE)
    t = np.arange(frames) / RATE
    tau = rng.uniform(0.004, 0.04)
    t60 = max(rng.uniform(0.3, 1.4), 8 * tau)
    cycles = hz * t + hz * rng.uniform(0, 5) * tau * (1 - np.exp(-t / tau))
    phase = 2 * np.pi * cycles
    kind = rng.integers(4)
    if kind == 1:
        weak = 10 ** (-rng.uniform(6, 18) / 20)
        x = weak * np.sin(phase) * decay(frames, t60)
        x += np.sin(2 * phase) * decay(frames, 0.8 * t60)
        x += 0.6 * np.sin(3 * phase + 1) * decay(frames, 0.6 * t60)
    elif kind == 2:
        ratio = rng.uniform(1.4, 2.3)
        x = np.sin(phase) * decay(frames, t60)
        x += rng.uniform(0.3, 1) * np.sin(ratio * phase) * decay(frames, 0.7 * t60)
        spectrum = np.fft.rfft(rng.standard_normal(frames))
        bins = np.maximum(np.fft.rfftfreq(frames, 1 / RATE), 1)
        spectrum /= np.sqrt(1 + (rng.uniform(500, 1500) / bins) ** 4)
        wires = np.fft.irfft(spectrum, frames) * decay(frames, rng.uniform(0.1, 0.4))
        x += wires * 2 * math.sqrt(float((x**2).sum() / (wires**2).sum()))  # 6 dB louder
    else:
        x = np.sin(phase) * decay(frames, t60)
        if kind == 3:
            x = np.tanh(rng.uniform(1, 5) * x)
    if rng.random() < 0.6:
        click = rng.standard_normal(192) * np.linspace(1, 0, 192)
        x[:192] += click * rng.uniform(0.2, 1.5)
    return hz, x + rng.standard_normal(frames) * 10 ** (-rng.uniform(60, 90) / 20)


def high_hit(rng: np.random.Generator) -> tuple[float, np.ndarray]:
    """A bar, bell or tuned bar, 400 to 2,000 Hz."""
    hz = math.exp(rng.uniform(math.log(400), math.log(2000)))
    frames = round(rng.uniform(0.2, 1.0) * RATE)
    t = np.arange(frames) / RATE
    t60 = rng.uniform(0.15, 1.2)
    kind = rng.integers(3)
    ratios = ((1, 2.756, 5.404, 8.933), (1, 2, 3, 4), (1, 4, 9.2))[kind]
    x = np.zeros(frames)
    for ratio in ratios:
        if hz * ratio < 22000:
            gain = 1.0 if ratio == 1 else rng.uniform(0.2, 1.2)
            x += gain * np.sin(2 * np.pi * hz * ratio * t) * decay(frames, t60 / ratio**0.7)
    x[:144] += rng.standard_normal(144) * np.linspace(0.5, 0, 144)
    return hz, x


def unpitched(rng: np.random.Generator) -> np.ndarray:
    """White noise, hiss, claps and synthesized hats."""
    kind = rng.integers(4)
    if kind == 3:
        hat = Hat(
            tone_hz=rng.uniform(250, 900),
            decay_ms=rng.uniform(40, 900),
            ring_db=-24.0,
            ring_ms=rng.uniform(50, 900),
            noise_db=rng.uniform(-20, 0),
        )
        return hat.render(RATE, 1.0)[:, 0].astype(np.float64)
    frames = round(rng.uniform(0.1, 0.8) * RATE)
    spectrum = np.fft.rfft(rng.standard_normal(frames))
    bins = np.maximum(np.fft.rfftfreq(frames, 1 / RATE), 1)
    if kind == 1:
        spectrum /= np.sqrt(1 + (rng.uniform(3000, 9000) / bins) ** 4)
    shape = decay(frames, rng.uniform(0.05, 0.8))
    if kind == 2:
        center, q = rng.uniform(800, 1600), rng.uniform(0.7, 2.0)
        spectrum = spectrum / (1 + 1j * q * (bins / center - center / bins))
        for late in (0.011, 0.023, 0.031):
            n = round(late * RATE)
            shape[n:] = np.maximum(shape[n:], decay(frames - n, 0.03))
    return np.fft.irfft(spectrum, frames) * shape


class Pitches(unittest.TestCase):
    def heard(self, x: np.ndarray) -> float | None:
        return fundamental((0.9 * x / np.abs(x).max())[:, None].astype(np.float32), RATE).hz

    def test_low_hits(self) -> None:
        """97 % within 10 cents, no more than 1 in 50 an octave off."""
        rng = np.random.default_rng(11)
        good = octaves = 0
        errors = []
        for _ in range(150):
            hz, x = low_hit(rng)
            found = self.heard(x)
            cents = 1200 * math.log2(found / hz) if found else math.inf
            good += abs(cents) <= 10
            octaves += any(abs(abs(cents) - k) < 60 for k in (1200, 2400))
            errors.append(abs(cents))
        self.assertGreaterEqual(good / 150, 0.97)
        self.assertLessEqual(octaves / 150, 1 / 50)
        self.assertLess(float(np.median(errors)), 0.5)

    def test_bars_and_bells(self) -> None:
        """90 % within 15 cents."""
        rng = np.random.default_rng(12)
        good = 0
        for _ in range(100):
            hz, x = high_hit(rng)
            found = self.heard(x)
            good += found is not None and abs(1200 * math.log2(found / hz)) <= 15
        self.assertGreaterEqual(good, 90)

    def test_noise_has_no_pitch(self) -> None:
        rng = np.random.default_rng(13)
        wrong = sum(self.heard(unpitched(rng)) is not None for _ in range(80))
        self.assertLessEqual(wrong, 4)

    def test_a_rumble_under_a_cymbal_is_no_pitch(self) -> None:
        """A sine of 82.4 Hz under noise of 1.5 to 5 kHz: sure at -12 dB of it, none at -36 dB."""
        rng, t = np.random.default_rng(4), np.arange(48000) / 48000.0
        sos = scipy.signal.butter(4, [1500.0, 5000.0], "bandpass", fs=48000.0, output="sos")
        wash = scipy.signal.sosfilt(sos, rng.standard_normal(48000)) * np.exp(-4.0 * t)
        tone = np.sin(2.0 * np.pi * 82.4 * t) * np.exp(-3.0 * t)
        tone *= math.sqrt(float(np.mean(wash**2) / np.mean(tone**2)))
        found = []
        for level_db in (-12.0, -24.0, -36.0):
            mono = 0.2 * (wash + 10.0 ** (level_db / 20.0) * tone)
            found.append(fundamental(np.stack([mono, mono], axis=1).astype(np.float32), 48000.0))
        self.assertAlmostEqual(found[0].hz or 0.0, 82.4, delta=0.1)
        self.assertGreater(found[0].confidence, found[1].confidence + 0.2)
        self.assertIsNone(found[2].hz)
        self.assertLess(found[2].confidence, 0.1)

    def test_nothing_has_no_pitch(self) -> None:
        for x in (np.zeros((48000, 2)), np.zeros((1, 1)), np.full((4800, 2), 0.5)):
            self.assertIsNone(fundamental(x.astype(np.float32), RATE).hz)


class Reports(unittest.TestCase):
    KEYS = (
        "sample_rate_hz",
        "channels",
        "length_ms",
        "fundamental_hz",
        "note",
        "cents",
        "pitch_confidence",
        "peak_dbfs",
        "true_peak_dbtp",
        "rms_dbfs",
        "loudness_lufs",
        "crest_db",
        "dc_offset",
        "onset_ms",
        "attack_ms",
        "decay_60_ms",
        "centroid_hz",
        "flatness",
        "low_db",
        "mid_db",
        "high_db",
        "role",
        "role_confidence",
    )

    def test_every_key_is_there_for_any_sound(self) -> None:
        for x in (sine(44, 0.5), noise(0.2), np.zeros((10, 1), np.float32), sine(44, 0.5)[:1]):
            found = measured(x, RATE)
            self.assertEqual(tuple(found), self.KEYS)

    def test_roles_of_our_own_voices(self) -> None:
        right = total = 0
        near = {"hat": {"hat", "cymbal"}, "kick": {"kick", "bass"}, "bass": {"kick", "bass"}}
        for kind, points in STARTING_POINTS.items():
            if kind.noun in ("membrane", "shaker", "zap", "noise", "tone"):
                continue  # what they are depends on how they are set
            for name, voice in points.items():
                found = measured(voice.render(RATE, 1.0), RATE)["role"]
                wanted = near.get(voice.role, {voice.role})
                right += found in wanted
                total += 1
                if name in ("Deep keel", "Fresh plank", "Drizzle"):
                    self.assertEqual(found, voice.noun)
        self.assertGreaterEqual(right / total, 0.75)
