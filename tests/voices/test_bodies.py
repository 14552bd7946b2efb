"""What each voice computes, against the equations of its docstring: modes, pitches, decays."""

import math
import unittest

import numpy as np
import scipy.signal
import scipy.special

from puddle.kernels.grains import impulses, rung
from puddle.kernels.modes import add_modes
from puddle.measure.pitch import fundamental
from puddle.parameter import changed
from puddle.voices import (
    STARTING_POINTS,
    AnyVoice,
    Bar,
    Bass,
    Bell,
    Clap,
    Cymbal,
    Membrane,
    Noise,
    Shaker,
    Tom,
    Tone,
    Zap,
)
from puddle.voices.bar import RATIOS
from puddle.voices.membrane import ZEROS, bessel

RATE = 48000.0


def mono(voice: AnyVoice, ratio: float = 1.0) -> np.ndarray:
    return voice.render(RATE, ratio)[:, 0].astype(np.float64)


def spectrum(x: np.ndarray, size: int = 1 << 18) -> tuple[np.ndarray, np.ndarray]:
    return np.fft.rfftfreq(size, 1.0 / RATE), np.abs(np.fft.rfft(x, size))


def peak_near(x: np.ndarray, hz: float, reach: float = 0.02) -> float:
    """The frequency of the largest line within a share of a frequency."""
    at, level = spectrum(x)
    near = np.flatnonzero((at > hz * (1 - reach)) & (at < hz * (1 + reach)))
    return float(at[near[np.argmax(level[near])]])


def decay_60_ms(x: np.ndarray, first_ms: float, last_ms: float) -> float:
    """The decay that a line through the level of 10 ms frames tells."""
    size = 480
    frames = x[: len(x) // size * size].reshape(-1, size)
    t = (np.arange(len(frames)) + 0.5) * 10.0
    level = 10 * np.log10(np.mean(frames**2, axis=1) + 1e-30)
    inside = (t > first_ms) & (t < last_ms)
    return float(-60.0 / np.polyfit(t[inside], level[inside], 1)[0])


class Pitches(unittest.TestCase):
    def test_pitched_starting_points_sound_their_parameter(self) -> None:
        for kind in (Tom, Membrane, Bar, Bell, Bass, Tone):
            for name, voice in STARTING_POINTS[kind].items():
                with self.subTest(name):
                    wanted = voice.pitch_hz  # type: ignore[union-attr]
                    found = fundamental(voice.render(RATE, 1.0), RATE).hz or 1.0
                    self.assertLess(abs(1200 * math.log2(found / wanted)), 5.0)

    def test_a_ratio_moves_them(self) -> None:
        for voice in (Membrane(), Bar(), Bell(), Bass(), Tone()):
            low = fundamental(voice.render(RATE, 1.0), RATE).hz or 1.0
            high = fundamental(voice.render(RATE, 1.5), RATE).hz or 1.0
            self.assertAlmostEqual(1200 * math.log2(high / low), 701.955, delta=3.0)

    def test_a_bass_holds_its_note_within_two_cents(self) -> None:
        for name, voice in STARTING_POINTS[Bass].items():
            assert isinstance(voice, Bass)
            x = mono(changed(voice, harmonics_on=False, click_on=False))
            first = round((0.06 + 3.5 * voice.fall_ms / 1000) * RATE)
            part = x[first : first + round(0.4 * RATE)]
            turn = np.unwrap(np.angle(scipy.signal.hilbert(part)))[4800:-4800]
            hz = np.polyfit(np.arange(len(turn)) / RATE, turn, 1)[0] / (2 * np.pi)
            self.assertLess(abs(1200 * math.log2(hz / voice.pitch_hz)), 2.0, name)


class Modes(unittest.TestCase):
    def test_the_bank_is_the_sum_of_damped_sines(self) -> None:
        rng = np.random.default_rng(0)
        hz, seconds = rng.uniform(30, 20000, 40), rng.uniform(0.05, 1.5, 40)
        gain = rng.standard_normal(40) / 40
        out = np.zeros(24001)
        add_modes(out, RATE, hz, seconds, gain)
        t = np.arange(24000) / RATE
        wanted = sum(
            g * np.sin(2 * np.pi * f * t) * 10 ** (-3 * t / s)
            for f, s, g in zip(hz, seconds, gain, strict=True)
        )
        # What has fallen by 108 dB is dropped.
        self.assertLess(float(np.abs(out[:24000] - wanted).max()), 2e-6)

    def test_modes_over_the_band_are_left_out(self) -> None:
        out = np.zeros(4800)
        add_modes(out, RATE, np.array([23000.0]), np.array([1.0]), np.array([1.0]))
        self.assertEqual(float(np.abs(out).max()), 0.0)

    def test_the_membranes_zeros_are_bessels(self) -> None:
        for order in range(8):
            mine = [zero for m, zero in ZEROS if m == order]
            wanted = scipy.special.jn_zeros(order, max(1, len(mine)))[: len(mine)]
            np.testing.assert_allclose(mine, wanted, atol=2e-6)
        self.assertEqual([z for _, z in ZEROS], sorted(z for _, z in ZEROS))
        for order in range(9):
            for x in (0.0, 0.7, 2.4, 5.5, 11.6):
                self.assertAlmostEqual(
                    bessel(order, x), float(scipy.special.jv(order, x)), places=9
                )

    def test_a_membrane_rings_at_them_by_the_place_of_the_strike(self) -> None:
        skin = Membrane(
            pitch_hz=200, place=40, hardness=100, damping=0, decay_ms=3000, tension_st=0,
            shell_on=False, touch_on=False,
        )  # fmt: skip
        x = mono(skin)[2400:]
        for _, zero in ZEROS[:6]:
            hz = 200 * zero / ZEROS[0][1]
            self.assertAlmostEqual(peak_near(x, hz) / hz, 1.0, delta=2e-3)
        # Struck in the middle no mode with a line through it sounds.
        middle = [hz for hz, _, _ in changed(skin, place=0).modes()]
        round_ones = [200 * zero / ZEROS[0][1] for m, zero in ZEROS if m == 0]
        np.testing.assert_allclose(middle, round_ones, rtol=1e-9)

    def test_air_draws_the_kettles_modes_to_two_three_four_five(self) -> None:
        found = [hz for hz, _, _ in Membrane(pitch_hz=100, air=100, place=70).modes()]
        for times in (1.0, 1.5, 2.0, 2.5):
            nearest = min(found, key=lambda hz, t=times: abs(hz - 159.4 * t))  # type: ignore[misc]
            self.assertAlmostEqual(nearest, 159.4 * times, places=6)

    def test_higher_modes_die_as_the_damping_says(self) -> None:
        bar = Bar(pitch_hz=400, place=0, hardness=100, decay_ms=1500, damping=40, knock_on=False)
        hz, seconds, gains = bar.modes()
        x = mono(bar)
        for n in (0, 1):
            sos = scipy.signal.butter(4, [hz[n] * 0.9, hz[n] * 1.1], "band", fs=RATE, output="sos")
            ring = scipy.signal.sosfilt(sos, x)
            stop = 700.0 * seconds[n]
            self.assertAlmostEqual(
                decay_60_ms(ring, 60, stop), 1000 * seconds[n], delta=30 * seconds[n]
            )
        self.assertGreater(float(gains[0]), float(gains[3]))

    def test_a_free_bars_ratios_are_the_roots_of_its_equation(self) -> None:
        """cosh x cos x = 1; frequencies go by the squares of the roots."""
        roots = []
        for n in range(1, 9):
            x = (2 * n + 1) * math.pi / 2
            for _ in range(50):
                f = math.cos(x) - 1 / math.cosh(x)
                x -= f / (-math.sin(x) + math.tanh(x) / math.cosh(x))
            roots.append(x)
        wanted = [(x / roots[0]) ** 2 for x in roots]
        np.testing.assert_allclose(RATIOS["bar"], wanted, rtol=1e-3)

    def test_a_softer_mallet_is_darker(self) -> None:
        bright = []
        for hardness in (0, 50, 100):
            hz, level = spectrum(mono(Bar(hardness=hardness, knock_on=False)))
            bright.append(float(np.sum(hz * level**2) / np.sum(level**2)))
        self.assertEqual(bright, sorted(bright))
        self.assertGreater(bright[2], 1.3 * bright[0])

    def test_coupled_heads_are_the_eigenmodes_of_two_masses(self) -> None:
        for st, coupling in ((0.0, 20), (3.0, 18), (-5.0, 40), (7.0, 0)):
            tom = Tom(pitch_hz=100, resonant_st=st, coupling=coupling)
            b, r = tom.batter_hz**2, (tom.batter_hz * 2 ** (st / 12)) ** 2
            k = coupling / 100 * math.sqrt(b * r)
            values, vectors = np.linalg.eigh(np.array([[b, k], [k, r]]))
            for n, (hz, share) in enumerate(tom.coupled()):
                self.assertAlmostEqual(hz, math.sqrt(values[n]), places=6)
                self.assertAlmostEqual(share, float(vectors[0, n] ** 2), places=6)
            strongest = max(tom.coupled(), key=lambda mode: mode[1])
            self.assertAlmostEqual(strongest[0] if st else tom.coupled()[0][0], 100.0, places=6)

    def test_a_cymbals_bands_have_their_own_decays(self) -> None:
        plate = Cymbal(
            low_ms=3000, mid_ms=1200, high_ms=500, wash_on=False, bloom_ms=0, shimmer=0, density=120
        )
        hz, seconds, _ = plate.modes()
        self.assertEqual(len(hz), 240)
        self.assertTrue(np.all(np.diff(hz[:120]) > 0))
        x = mono(plate)
        for low, high in ((1500, 2200), (12000, 15000)):
            inside = (hz > low) & (hz < high)
            wanted = 1000 * float(np.median(seconds[inside]))
            sos = scipy.signal.butter(4, [low, high], "band", fs=RATE, output="sos")
            found = decay_60_ms(scipy.signal.sosfilt(sos, x), 30, 0.6 * wanted)
            self.assertAlmostEqual(found / wanted, 1.0, delta=0.2)

    def test_highs_bloom_and_splits_beat(self) -> None:
        def high_at(voice: Cymbal, ms: float) -> float:
            sos = scipy.signal.butter(4, 8000, "high", fs=RATE, output="sos")
            x = scipy.signal.sosfilt(sos, mono(voice))
            at = round(ms * 48)
            return float(np.sqrt(np.mean(x[at : at + 240] ** 2)))

        still = Cymbal(wash_on=False, bloom_ms=0)
        late = changed(still, bloom_ms=100)
        self.assertLess(high_at(late, 2), 0.2 * high_at(still, 2))
        self.assertGreater(high_at(late, 300), 0.8 * high_at(still, 300))
        hz, _, _ = changed(still, shimmer=100).modes()
        apart = hz[90:] / hz[:90] - 1.0
        self.assertTrue(np.all((apart >= 0) & (apart <= 0.02)))
        self.assertGreater(float(apart.max()), 0.015)


class Modulation(unittest.TestCase):
    def test_side_bands_are_bessel_functions_of_the_index(self) -> None:
        bell = Bell(
            pitch_hz=1000, ratio=2.0, index=1.5, index_ms=8000, decay_ms=8000,
            second_on=False, strike_on=False,
        )  # fmt: skip
        x = mono(bell)[4800 : 4800 + 9600]
        index = 1.5 * 10 ** (-3 * 0.2 / 8.0)  # in the middle of the part
        level = np.abs(np.fft.rfft(x * np.hanning(9600)))
        carrier = level[1000 // 5]
        wanted = scipy.special.jv(np.arange(4), index)
        # At 2 : 1 the lower side bands fold about zero onto the upper ones, every other inverted:
        # J_-n = (-1)^n J_n, and a sine of negative frequency is turned over.
        at_one, at_three = wanted[0] + wanted[1], wanted[1] - wanted[2]
        at_five = wanted[2] + wanted[3]
        self.assertAlmostEqual(float(level[3000 // 5] / carrier), at_three / at_one, delta=0.02)
        self.assertAlmostEqual(float(level[5000 // 5] / carrier), at_five / at_one, delta=0.02)

    def test_nothing_folds_back_at_the_ends_of_its_ranges(self) -> None:
        """Against the same bell at four times the rate, with the index that the low rate allows."""
        ends = ((6000.0, 9.0), (3000.0, 3.5), (1200.0, 7.3), (5000.0, 0.6), (2000.0, 1.41))
        for pitch, ratio in ends:
            bell = Bell(
                pitch_hz=pitch, ratio=ratio, index=12, index_ms=8000, decay_ms=400,
                second_on=False, strike_on=False,
            )  # fmt: skip
            index = bell._clear_index(pitch, RATE)
            fine = changed(bell, index=index).render(4 * RATE, 1.0)[:, 0].astype(np.float64)
            plain = mono(bell)
            size = 1 << 15
            a, b = np.abs(np.fft.rfft(plain, size)), np.abs(np.fft.rfft(fine, 4 * size))
            rest = np.abs(a[: size // 2] - b[: size // 2] / 4)[200:]
            self.assertLess(20 * math.log10(float(rest.max() / a.max())), -60.0, (pitch, ratio))

    def test_harmonics_of_a_bass_lie_on_their_slope(self) -> None:
        bass = Bass(
            pitch_hz=100, fall_st=0, decay_ms=12000, harmonics_ms=12000, harmonics_db=-10,
            slope_db=-12, odd=50, click_on=False,
        )  # fmt: skip
        x = mono(bass)[9600 : 9600 + 48000]
        level = np.abs(np.fft.rfft(x * np.hanning(48000)))
        for n in (2, 3, 4, 6, 8):
            wanted = -10 - 12 * math.log2(n / 2) + 20 * math.log10(math.cos(math.pi / 4) / 0.8)
            found = 20 * math.log10(level[100 * n] / level[100])
            self.assertAlmostEqual(found, wanted, delta=0.1)

    def test_a_zap_goes_along_its_curve(self) -> None:
        zap = Zap(start_hz=4000, end_hz=400, sweep_ms=200, decay_ms=6000)
        x = mono(zap)[: round(0.5 * RATE)]
        turn = np.unwrap(np.angle(scipy.signal.hilbert(x)))
        found = np.gradient(turn) * RATE / (2 * np.pi)
        tau = 0.2 / math.log(10)
        for ms in (50, 100, 200, 300):
            n = round(ms * 48)
            wanted = 400 + 3600 * math.exp(-ms / 1000 / tau)
            self.assertAlmostEqual(float(found[n - 40 : n + 40].mean()) / wanted, 1.0, delta=0.01)
        up = mono(Zap(start_hz=200, end_hz=5000, sweep_ms=100, bend=-100, decay_ms=4000))
        late = up[round(0.2 * RATE) : round(0.3 * RATE)]
        self.assertAlmostEqual(peak_near(late, 5000), 5000, delta=20)

    def test_its_resonance_goes_along(self) -> None:
        zap = Zap(
            start_hz=6000, end_hz=600, sweep_ms=300, tone_on=False, noise_on=True, noise_q=30,
            noise_ms=6000,
        )  # fmt: skip
        x = mono(zap)
        tau = 0.3 / math.log(10)
        for ms in (60, 150, 500):
            n = round(ms * 48)
            hz, level = spectrum(x[n - 480 : n + 480] * np.hanning(960), 1 << 14)
            wanted = 600 + 5400 * math.exp(-ms / 1000 / tau)
            center = float(np.sum(hz * level**2) / np.sum(level**2))
            self.assertAlmostEqual(center / wanted, 1.0, delta=0.2)


class Bursts(unittest.TestCase):
    def test_hands_meet_when_the_cluster_says(self) -> None:
        clap = Clap(count=5, loose_ms=30, spread=0, burst_ms=6, tail_on=False)
        starts, gains = clap.cluster()
        np.testing.assert_allclose(starts, np.arange(5) * 0.03, atol=1e-12)
        np.testing.assert_allclose(gains, 1.0)
        x = mono(clap)
        for start in starts:
            n = round(start * RATE)
            before = np.mean(x[max(0, n - 480) : n] ** 2) if n else 0.0
            self.assertGreater(float(np.mean(x[n : n + 240] ** 2)), 30.0 * float(before))

    def test_spread_loosens_gaps_and_levels(self) -> None:
        starts, gains = Clap(count=12, loose_ms=10, spread=100).cluster()
        gaps = np.diff(starts)
        self.assertTrue(np.all((gaps > 0.0009) & (gaps < 0.0191)))
        self.assertGreater(float(gaps.std()), 0.003)
        self.assertTrue(np.all((gains >= 0) & (gains <= 1)))

    def test_a_clap_lies_in_its_band(self) -> None:
        for band in (600.0, 1500.0, 4000.0):
            hz, level = spectrum(mono(Clap(band_hz=band, band_q=3, high_cut_hz=20000)))
            total = np.cumsum(level**2)
            median = hz[np.searchsorted(total, total[-1] / 2)]
            self.assertAlmostEqual(float(median) / band, 1.0, delta=0.25)

    def test_grains_fall_as_densely_as_they_should(self) -> None:
        strength = np.full(480000, 0.5)
        struck = impulses(3, strength, 2000 / RATE)
        count = np.count_nonzero(struck)
        self.assertAlmostEqual(count, 10000, delta=4 * math.sqrt(10000))  # Poisson: four sigmas
        self.assertAlmostEqual(float(struck.mean()), 0.0, delta=2.5e-4)
        self.assertLessEqual(float(np.abs(struck).max()), 0.5)

    def test_the_swing_is_strongest_where_it_leans(self) -> None:
        shaker = Shaker(swing_ms=200, lean=25, back_db=-6)
        swing = shaker.swing(48000, RATE)
        self.assertAlmostEqual(int(np.argmax(swing[:9600])) / 48, 50.0, delta=0.5)
        self.assertAlmostEqual(float(swing.max()), 1.0, places=4)
        back = swing[9600:19200]
        self.assertAlmostEqual(float(back.max()), 10 ** (-6 / 20), places=3)
        self.assertEqual(float(swing[19300:].max()), 0.0)

    def test_struck_resonances_ring_at_their_pitch(self) -> None:
        struck = np.zeros(48000)
        struck[0] = 1.0
        hz, seconds = np.array([3000.0]), np.array([0.4])
        out = rung(struck, RATE, hz, seconds, np.array([0.5]))
        t = (np.arange(48000) + 1) / RATE
        wanted = 0.5 * np.sin(2 * np.pi * 3000 * t) * 10 ** (-3 * (t - 1 / RATE) / 0.4)
        self.assertLess(float(np.abs(out - wanted).max()), 1e-6)

    def test_noise_has_its_color(self) -> None:
        for slope in (-6.0, -3.0, 0.0, 3.0):
            voice = Noise(
                color_db=slope, low_cut_hz=20, high_cut_hz=20000, fast_on=False, balance=100,
                slow_ms=8000,
            )  # fmt: skip
            hz, power = scipy.signal.welch(mono(voice)[: 2 * 48000], RATE, nperseg=4096)
            inside = (hz > 150) & (hz < 6000)
            octaves, level = np.log2(hz[inside]), 10 * np.log10(power[inside])
            self.assertAlmostEqual(float(np.polyfit(octaves, level, 1)[0]), slope, delta=0.4)

    def test_noise_has_a_fast_and_a_slow_part(self) -> None:
        voice = Noise(fast_ms=80, slow_ms=2000, balance=10)
        x = mono(voice)
        self.assertAlmostEqual(decay_60_ms(x, 200, 1500) / 2000, 1.0, delta=0.1)
        burst = mono(changed(voice, slow_on=False))
        self.assertAlmostEqual(decay_60_ms(burst, 5, 75) / 80, 1.0, delta=0.15)

    def test_a_tone_is_its_equation(self) -> None:
        voice = Tone(pitch_hz=100, phase=90, attack_ms=10, hold_ms=50, decay_ms=600)
        x = mono(voice)
        t = np.arange(len(x)) / RATE
        wanted = 0.8 * np.cos(2 * np.pi * 100 * t) * 10 ** (-3 * np.maximum(0, t - 0.06) / 0.6)
        inside = slice(round(0.011 * RATE), len(x) - 500)
        # `settle` takes a little DC away in the shape of the envelope.
        self.assertLess(float(np.abs(x - wanted)[inside].max()), 0.01)
