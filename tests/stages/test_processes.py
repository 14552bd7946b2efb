"""The other stages against independent calculation: closed forms, SciPy, a second method."""

import math
import unittest

import numpy as np
import scipy.signal
import scipy.special

from puddle.kernels.oversampling import (
    FACTOR,
    OVER_CELLS,
    OVER_LATENCY,
    lower_rate,
    raise_rate,
)
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.shaping import CUBIC, FOLD, HARD, KNEE, ROUND, UNEVEN, curve, integral
from puddle.measure.levels import loudness_lufs
from puddle.parameter import changed
from puddle.render.steps import MEASURED
from puddle.stages import (
    BandCompressor,
    Clipper,
    Crusher,
    Fade,
    Filter,
    Gain,
    Gate,
    Process,
    Saturator,
    Stereo,
    Transient,
)
from puddle.stages.chain import processed
from tests.support.hits import RATE, click, db, hit, rms, through
from tests.support.sounds import noise, sine

SHAPES = ("round", "cubic", "hard", "uneven", "fold")


class Oversampling(unittest.TestCase):
    def there_and_back(self, x: np.ndarray) -> np.ndarray:
        state = np.zeros(OVER_CELLS).view(np.float32)
        out = np.zeros_like(x)
        for start in range(0, len(x), QUANTUM):
            room = np.zeros(QUANTUM, np.float32)
            count = min(QUANTUM, len(x) - start)
            room[:count] = x[start : start + count]
            raise_rate(state, room, count)
            lower_rate(state, room, count)
            out[start : start + count] = room[:count]
        return out

    def test_it_is_flat_and_late_by_what_it_says(self) -> None:
        """By half a sample of the higher rate less, which the bend makes up for."""
        x = np.zeros(4096)
        x[0] = 1.0
        spectrum = np.fft.rfft(self.there_and_back(x))
        f = np.arange(len(spectrum)) / 4096
        level = 20 * np.log10(np.abs(spectrum))
        self.assertLess(float(np.abs(level[f < 0.38]).max()), 0.01)
        self.assertGreater(float(level[f < 0.4167].min()), -0.5)  # 20 kHz at 48 kHz
        late = -np.gradient(np.unwrap(np.angle(spectrum)), 2 * np.pi * f)[10:1500]
        np.testing.assert_allclose(late, OVER_LATENCY - 0.5 / FACTOR, atol=1e-6)

    def test_aliases_of_a_driven_sine_are_60_db_down(self) -> None:
        """A 5 kHz sine at 24 dB of drive: everything that is not a harmonic under half the rate."""
        x = sine(5000, 1.0, 0.9)
        window = scipy.signal.windows.kaiser(32000, 20)
        f = np.fft.rfftfreq(32000, 1 / RATE)
        alien = np.min(np.abs(f[:, None] - 5000 * np.arange(5)), axis=1) > 60
        made: list[Process] = [Saturator(shape=s, drive_db=24) for s in SHAPES]
        made += [Clipper(ceiling_db=-24, soft=soft) for soft in (0, 50, 100)]
        for process in made:
            y = through(x, process)[8000:40000, 0].astype(np.float64)
            level = 20 * np.log10(np.abs(np.fft.rfft(y * window)) + 1e-12)
            tone = level[np.abs(f - 5000) < 50].max()
            self.assertLess(float(level[alien].max() - tone), -60.0, process)

    def test_however_often_it_is_folded_nothing_folds_back(self) -> None:
        """Sines of full scale, whole periods: all that is no harmonic, under 20 kHz."""
        count = round(RATE)
        for drive in (18.0, 30.0, 36.0):
            for hz in (997, 3001, 5003, 7001, 9001, 11003, 14009, 17011):
                x = sine(hz, 2.0, 1.0)
                y = through(x, Saturator(shape="fold", drive_db=drive))[count : 2 * count, 0]
                level = 20 * np.log10(np.abs(np.fft.rfft(y.astype(np.float64))) + 1e-9)
                harmonic = np.zeros(len(level), np.bool_)
                harmonic[::hz] = True
                alien = level[:20000][~harmonic[:20000]].max()
                self.assertLess(float(alien - level[harmonic].max()), -60.0, (drive, hz))

    def test_a_folded_sine_has_the_harmonics_of_bessel(self) -> None:
        """sin(z sin t) = 2 (J1(z) sin t + J3(z) sin 3t + ...), z = pi / 4 times the drive."""
        hz, count = 250, round(RATE)
        process = Saturator(shape="fold", drive_db=24.0)
        y = (
            through(sine(hz, 2.0, 1.0), process)[count : 2 * count, 0].astype(np.float64)
            / process.match()
        )
        found = np.abs(np.fft.rfft(y))[hz::hz][:40:2] * 2.0 / count
        z = 0.25 * np.pi * 10 ** (24.0 / 20.0)
        wanted = np.abs(2.0 * scipy.special.jv(np.arange(1, 41, 2), z))
        np.testing.assert_allclose(found, wanted, atol=0.003)


class Saturating(unittest.TestCase):
    def test_the_integrals_are_those_of_the_curves(self) -> None:
        x = np.linspace(-4, 4, 4001)
        for kind in (ROUND, CUBIC, HARD, UNEVEN, FOLD, KNEE):
            whole = np.array([integral(kind, v, 0.3) for v in x])
            plain = np.array([curve(kind, v, 0.3) for v in x])
            slope = np.gradient(whole, x)
            np.testing.assert_allclose(slope[2:-2], plain[2:-2], atol=2e-3)

    def test_a_slow_wave_follows_the_curve(self) -> None:
        x = sine(400, 0.4, 0.7)
        for shape in SHAPES:
            s = Saturator(shape=shape, drive_db=12)
            y = through(x, s)
            late = slice(9600, 18000, 11)  # eleven frames and a wave have nothing in common
            wanted = np.array([s.curve(float(v)) for v in x[late, 0]])
            error = y[late, 0] - wanted
            if shape == "uneven":
                error -= error.mean()  # its DC is taken out
            self.assertLess(float(np.abs(error).max()), 0.03, shape)

    def test_a_sine_keeps_its_level(self) -> None:
        x = sine(200, 0.5, 0.25)
        for shape in SHAPES:
            for drive in (0.0, 9.0, 24.0, 36.0):
                y = through(x, Saturator(shape=shape, drive_db=drive))
                self.assertAlmostEqual(db(rms(y[9600:19200])), db(0.25 / math.sqrt(2)), delta=0.4)

    def test_clean_below_and_above(self) -> None:
        """With both ends clean and next to no drive the parts add up to the input."""
        x = noise(0.2, level=0.01)
        for below, above in ((True, False), (False, True), (True, True)):
            s = Saturator(drive_db=0, below_on=below, above_on=above)
            spectrum = np.abs(np.fft.rfft(through(x, s)[: len(x), 0]))
            wanted = np.abs(np.fft.rfft(x[:, 0]))
            f = np.fft.rfftfreq(len(x), 1 / RATE)
            inside = (f > 50) & (f < 17000)
            change = db(rms(spectrum[inside])) - db(rms(wanted[inside]))
            self.assertAlmostEqual(change, db(s.match()), delta=0.15)
        low = through(sine(40, 0.4, 0.5), Saturator(drive_db=30, below_on=True, below_hz=800))
        spectrum = np.abs(np.fft.rfft(low[4800:14400, 0] * np.hanning(9600)))
        self.assertLess(db(float(spectrum[24] / spectrum[8])), -40.0)  # its third harmonic

    def test_tone_tilts(self) -> None:
        quiet = noise(0.5, level=0.01)
        flat, dark = (
            np.abs(np.fft.rfft(through(quiet, Saturator(drive_db=0, tone_db=t))[:24000, 0]))
            for t in (0.0, -12.0)
        )
        f = np.fft.rfftfreq(24000, 1 / RATE)
        for hz, change, bound in ((60, 6.0, 0.3), (15000, -6.0, 1.8)):  # a one-pole never ends
            near = (f > hz / 1.2) & (f < hz * 1.2)
            self.assertAlmostEqual(db(rms(dark[near]) / rms(flat[near])), change, delta=bound)


class Clipping(unittest.TestCase):
    def test_what_is_under_the_knee_passes(self) -> None:
        x = sine(300, 0.2, 0.2)
        y = through(x, Clipper(ceiling_db=-6, soft=20))
        self.assertLess(float(np.abs(y[1000:9000] - x[1000:9000]).max()), 1e-3)

    def test_slow_waves_stop_at_the_ceiling(self) -> None:
        for soft in (0.0, 50.0, 100.0):
            c = Clipper(ceiling_db=-12, soft=soft)
            y = through(sine(30, 0.4, 1.0), c)[4800:14400, 0]
            self.assertAlmostEqual(
                db(float(np.median(np.sort(np.abs(y))[-600:]))), -12.0, delta=0.15
            )
            self.assertLess(db(float(np.abs(y).max())), -11.0)
            wanted = np.array([c.curve(float(v)) for v in sine(30, 0.4, 1.0)[4800:14400, 0]])
            self.assertLess(float(np.abs(y - wanted).max()), 0.02)


class Gating(unittest.TestCase):
    def test_it_opens_holds_and_shuts(self) -> None:
        x = np.concatenate(
            [noise(0.2, level=0.002), noise(0.1, level=0.5), noise(0.4, level=0.002)]
        )
        g = Gate(threshold_db=-20, hold_ms=50, release_ms=20, attack_ms=0.05)
        y = through(x, g)
        self.assertLess(db(rms(y[:9000]) / rms(x[:9000])), -80.0)
        inside = slice(9700, 14300)
        self.assertAlmostEqual(db(rms(y[inside]) / rms(x[inside])), 0.0, delta=0.1)
        held = slice(14500, 16500)  # within the hold
        self.assertAlmostEqual(db(rms(y[held]) / rms(x[held])), 0.0, delta=0.1)
        # After hold and one time constant 37 % of the gain is left.
        at = slice(14400 + 2400 + 960 - 200, 14400 + 2400 + 960 + 200)
        self.assertAlmostEqual(rms(y[at]) / rms(x[at]), math.exp(-1), delta=0.06)

    def test_hysteresis_keeps_it_open(self) -> None:
        x = np.concatenate([sine(200, 0.05, 0.3), sine(200, 0.4, 0.13)])
        for hysteresis, change in ((12.0, 0.0), (0.0, -80.0)):
            g = Gate(threshold_db=-14, hysteresis_db=hysteresis, hold_ms=10, release_ms=10)
            y = through(x, g)
            late = slice(12000, 20000)
            found = db(rms(y[late]) / rms(x[late]))
            self.assertTrue(abs(found - change) < 0.2 or (change < -70 and found < -70), found)

    def test_the_floor_and_what_is_told(self) -> None:
        x = noise(0.5, level=0.002)
        y, reductions = processed(x, [Gate(threshold_db=-10, floor_db=-18)], RATE)
        self.assertAlmostEqual(db(rms(y) / rms(x)), -18.0, delta=0.1)
        self.assertAlmostEqual(reductions[0].deepest_db, 18.0, delta=0.1)


class Transients(unittest.TestCase):
    def test_attack_and_sustain_where_they_are(self) -> None:
        x = hit(decay_s=0.5)
        start, tail = slice(480, 720), slice(5000, 12000)
        for attack, sustain in ((12.0, 0.0), (-12.0, 0.0), (0.0, 12.0), (0.0, -12.0)):
            y = through(x, Transient(attack_db=attack, sustain_db=sustain))
            first = db(rms(y[start]) / rms(x[start]))
            last = db(rms(y[tail]) / rms(x[tail]))
            if attack:
                self.assertGreater(first * np.sign(attack), 6.0)
                self.assertLess(abs(last), 1.0)
            else:
                self.assertGreater(last * np.sign(sustain), 4.0)
                self.assertLess(abs(first), 2.0)

    def test_how_loud_it_is_does_not_matter(self) -> None:
        t = Transient(attack_db=9, sustain_db=-9)
        loud, soft = through(hit(level=0.8), t), through(hit(level=0.05), t)
        np.testing.assert_allclose(soft * 16, loud, atol=0.02)

    def test_nothing_asked_nothing_done(self) -> None:
        x = noise(0.1)
        t = Transient(attack_db=0, sustain_db=0, above_on=True, below_on=True)
        self.assertLess(float(np.abs(through(x, t) - x).max()), 1e-6)

    def test_the_range(self) -> None:
        x = hit(hz=60)
        y = through(x, Transient(attack_db=18, above_on=True, above_hz=2000))
        self.assertLess(abs(db(rms(y[480:960]) / rms(x[480:960]))), 1.0)


class Filtering(unittest.TestCase):
    def test_the_response_is_the_curve(self) -> None:
        hz = np.geomspace(40, 18000, 120)
        for kind in ("low-pass", "band-pass", "high-pass", "notch"):
            for q in (0.5, 0.707, 8.0):
                f = Filter(kind=kind, cutoff_hz=900, resonance=q)
                y = through(click(), f)[: 1 << 15, 0].astype(np.float64)
                found = np.abs(np.fft.rfft(y))
                at = np.interp(hz, np.fft.rfftfreq(1 << 15, 1 / RATE), found)
                wanted = f.response_db(hz, RATE)
                loud = wanted > -30
                error = 20 * np.log10(at[loud]) - wanted[loud]
                self.assertLess(float(np.abs(error).max()), 0.15, (kind, q))

    def test_butterworth_by_scipy(self) -> None:
        hz = np.geomspace(40, 18000, 60)
        b, a = scipy.signal.butter(2, 1500, fs=RATE)
        _, h = scipy.signal.freqz(b, a, hz, fs=RATE)
        found = Filter(cutoff_hz=1500, resonance=math.sqrt(0.5)).response_db(hz, RATE)
        np.testing.assert_allclose(found, 20 * np.log10(np.abs(h)), atol=1e-6)

    def test_a_hard_hit_opens_it(self) -> None:
        x = noise(0.5, level=0.5) * np.exp(-np.arange(24000) / 3000)[:, None].astype(np.float32)
        still, moving = (
            through(x, Filter(cutoff_hz=300, octaves=o, decay_ms=40)) for o in (0.0, 5.0)
        )
        top = scipy.signal.butter(4, 2000, "high", fs=RATE, output="sos")
        early = [rms(scipy.signal.sosfilt(top, y[:2400, 0])) for y in (still, moving)]
        late = [rms(y[18000:24000]) for y in (still, moving)]
        self.assertGreater(db(early[1] / early[0]), 12.0)
        self.assertAlmostEqual(db(late[1] / late[0]), 0.0, delta=1.5)


class Crushing(unittest.TestCase):
    def test_steps_and_held_samples(self) -> None:
        x = sine(100, 0.1, 0.9)
        y = through(x, Crusher(bits=4, crushed_hz=48000))
        np.testing.assert_allclose(y, np.floor(x.astype(np.float64) * 8 + 0.5) / 8)
        held = through(x, Crusher(bits=16, crushed_hz=6000))
        self.assertTrue(np.array_equal(held[0::8], held[7::8]))
        np.testing.assert_allclose(held[0::8], x[0::8], atol=2.0**-15)


class Bands(unittest.TestCase):
    def test_three_bands_sum_flat(self) -> None:
        b = BandCompressor(depth=0, low_hz=200, high_hz=2500)
        y = through(click(), b)[: 1 << 15, 0].astype(np.float64)
        level = 20 * np.log10(np.abs(np.fft.rfft(y)))
        f = np.fft.rfftfreq(1 << 15, 1 / RATE)
        self.assertLess(float(np.abs(level[(f > 20) & (f < 20000)]).max()), 0.01)

    def test_each_band_by_its_own_level(self) -> None:
        """Steady sines: 12 dB over are 9 dB too much at 4 : 1; 12 dB under are lifted by 9."""
        tones = {"low": 60.0, "mid": 700.0, "high": 8000.0}
        for band, hz in tones.items():
            for level, fields in (
                (-8.0, {f"{band}_above_db": -20.0, f"{band}_below_db": -72.0}),
                (-40.0, {f"{band}_above_db": 0.0, f"{band}_below_db": -28.0}),
            ):
                b = changed(
                    BandCompressor(depth=100, ratio=4, attack_ms=0.1, release_ms=1000), **fields
                )
                x = sine(hz, 3.0, 10 ** (level / 20))
                y = through(x, b)
                change = db(rms(y[96000:140000]) / rms(x[96000:140000]))
                wanted = -9.0 if level > -20 else 9.0
                # What the neighbors let through is not turned.
                self.assertAlmostEqual(change, wanted, delta=1.2, msg=f"{band} {level}")

    def test_silence_is_not_lifted(self) -> None:
        x = noise(0.5, level=10 ** (-85 / 20))
        y = through(x, BandCompressor(depth=100))
        self.assertLess(db(rms(y) / rms(x)), 3.0)


class Plain(unittest.TestCase):
    def test_gain_to_a_peak_and_to_a_loudness(self) -> None:
        x = hit(level=0.3)
        y, _ = processed(x, [Gain(normalize="peak", target_db=-1)], RATE, MEASURED)
        self.assertAlmostEqual(db(float(np.abs(y).max())), -1.0, delta=1e-4)
        y, _ = processed(x, [Gain(normalize="loudness", target_db=-20)], RATE, MEASURED)
        self.assertAlmostEqual(loudness_lufs(y, RATE) or 0.0, -20.0, delta=0.01)
        silent = np.zeros((100, 2), np.float32)
        y, _ = processed(silent, [Gain(normalize="peak")], RATE, MEASURED)
        self.assertTrue(np.array_equal(y, silent))
        np.testing.assert_allclose(through(x, Gain(level_db=-6)), x * 10 ** (-6 / 20), rtol=1e-6)

    def test_fades_are_half_cosines_from_the_first_sound(self) -> None:
        f = Fade(in_ms=20, out_on=True, out_at_ms=100, out_ms=50)
        x = np.zeros((14400, 2), np.float32)
        x[480:] = 0.5
        y = through(x, f)[480:, 0]
        for ms in (0.5, 5, 10, 19, 50, 99, 110, 125, 149):
            at = round(ms * 48)
            self.assertAlmostEqual(float(y[at]), 0.5 * f.gain(ms), delta=0.003)
        self.assertLess(float(np.abs(y[(151 * 48) :]).max()), 1e-6)

    def test_width_balance_and_a_mono_bottom(self) -> None:
        x = noise(0.5)
        mono = through(x, Stereo(width=0))
        np.testing.assert_allclose(mono, np.repeat(x.mean(1, keepdims=True), 2, 1), atol=1e-6)
        wide = through(x, Stereo(width=200))
        np.testing.assert_allclose(wide[:, 0] - wide[:, 1], 2 * (x[:, 0] - x[:, 1]), atol=1e-5)
        left = through(x, Stereo(balance=-100))
        self.assertEqual(float(np.abs(left[:, 1]).max()), 0.0)
        self.assertTrue(np.array_equal(left[:, 0], x[:, 0]))
        low = through(x, Stereo(mono_on=True, mono_hz=400))
        side = [np.abs(np.fft.rfft(v[:, 0] - v[:, 1])) for v in (low, x)]
        f = np.fft.rfftfreq(len(x), 1 / RATE)
        self.assertLess(
            db(rms(side[0][(f > 10) & (f < 60)]) / rms(side[1][(f > 10) & (f < 60)])), -18
        )
        top = f > 4000
        # One-poles of 5 % a frame keep 2.6 % at half the rate: twice -0.23 dB.
        self.assertAlmostEqual(db(rms(side[0][top]) / rms(side[1][top])), 0.0, delta=0.55)
