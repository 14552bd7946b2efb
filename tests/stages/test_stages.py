"""Stages against independent truth: SciPy, closed forms, a second true-peak meter."""

import math
import unittest
from itertools import combinations, product

import numpy as np
import scipy.signal
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.engine.engine import Engine
from puddle.kernels.blocks import run_stage
from puddle.kernels.dynamics import limiter_latency
from puddle.kit.model.document import Master
from puddle.measure.levels import loudness_lufs
from puddle.parameter import changed, parameters
from puddle.render.steps import MEASURED, staged
from puddle.stages import (
    PROCESSES,
    Compressor,
    Delay,
    Equalizer,
    Gain,
    Insert,
    Limiter,
    Process,
    Reverb,
    Saturator,
    Stage,
)
from puddle.stages.chain import processed
from puddle.voices import Hat, Snare
from tests.support.engines import kit_of, played
from tests.support.hits import hit
from tests.support.sounds import noise, sine

RATE = 48000.0
HEARD = np.geomspace(20.0, 20000.0, 400)
BUSY = Equalizer(
    low_cut_on=True,
    low_cut_hz=40,
    low_cut_slope="24 dB/oct",
    low_shelf_db=4,
    bell1_db=-6,
    bell2_db=5,
    bell2_q=3,
    bell3_db=-3,
    bell4_db=2,
    high_shelf_db=-4,
    high_cut_on=True,
    high_cut_slope="36 dB/oct",
)


def db(x: float) -> float:
    return 20.0 * math.log10(max(x, 1e-12))


def impulse_response_db(process: Process, hz: np.ndarray) -> np.ndarray:
    x = np.zeros((1 << 17, 2), np.float32)
    x[0] = 1.0
    y, _ = processed(x, [process], RATE)
    spectrum = np.abs(np.fft.rfft(y[: 1 << 17, 0].astype(np.float64)))
    bins = np.fft.rfftfreq(1 << 17, 1 / RATE)
    return np.interp(hz, bins, 20 * np.log10(np.maximum(spectrum, 1e-9)))


class Defaults(unittest.TestCase):
    def test_no_new_stage_takes_an_attack_or_a_tail_away(self) -> None:
        """A snare's and a hat's first 5 ms, and what is left after 150 ms, stay within 3.5 dB.

        A filter's low-pass is what it is for, and so is a saturator's hold on peaks.
        """
        for kind in PROCESSES:
            process = kind()
            if process.noun in ("filter", "saturator"):
                continue
            for voice in (Snare(), Hat()):
                dry = voice.render(RATE, 1.0)
                stage = Stage(id="s", process=process, dry=process.starts_dry)
                wet = staged(dry, (stage,), RATE, MEASURED).audio
                for first, last in ((0, 240), (7200, 9600)):
                    before, after = (
                        10.0 * math.log10(float(np.mean(a[first:last].astype(np.float64) ** 2)))
                        for a in (dry, wet)
                    )
                    with self.subTest(process.noun, voice=voice.noun, first=first):
                        self.assertGreater(after - before, -3.5)


class Equalizing(unittest.TestCase):
    def test_the_sound_is_changed_as_the_curve_says(self) -> None:
        hz = np.geomspace(30, 19000, 200)
        heard = impulse_response_db(BUSY, hz)
        self.assertLess(float(np.abs(heard - BUSY.response_db(hz, RATE)).max()), 0.02)

    def test_bells_by_the_analog_prototype(self) -> None:
        """H(s) = (s² + s A/Q + 1) / (s² + s/(A Q) + 1), up to 20 kHz, near half the rate too."""
        for rate in (44100.0, 48000.0, 96000.0):
            for gain, f0, q in (
                (6.0, 1000.0, 1.0),
                (-9.0, 200.0, 4.0),
                (12.0, 6000.0, 0.5),
                (24.0, 1500.0, 0.1),
                (-18.0, 16000.0, 2.0),
                (9.0, 20000.0, 0.7),
                (0.02, 9000.0, 3.0),
            ):
                eq = Equalizer(bell1_db=gain, bell1_hz=f0, bell1_q=q)
                s = 1j * HEARD / f0
                a = 10 ** (gain / 40)
                wanted = (s * s + s * a / q + 1) / (s * s + s / (a * q) + 1)
                error = eq.response_db(HEARD, rate) - 20 * np.log10(np.abs(wanted))
                with self.subTest(rate=rate, gain=gain, f0=f0, q=q):
                    self.assertLess(float(np.abs(error).max()), 0.5)
                    self.assertLess(float(np.abs(error[HEARD < 5000]).max()), 0.3)

    def test_shelves_by_the_analog_prototype(self) -> None:
        for rate in (44100.0, 48000.0, 96000.0):
            for gain in (8.0, -5.0, 24.0, -24.0):
                a = 10 ** (gain / 40)
                r = math.sqrt(2 * a)  # sqrt(A)/Q with S = 1
                for f0 in (60.0, 300.0, 2000.0):
                    low = Equalizer(low_shelf_db=gain, low_shelf_hz=f0)
                    s = 1j * HEARD / f0
                    wanted = a * (s * s + r * s + a) / (a * s * s + r * s + 1)
                    error = low.response_db(HEARD, rate) - 20 * np.log10(np.abs(wanted))
                    self.assertLess(float(np.abs(error).max()), 0.01, (rate, gain, f0))
                for f0 in (500.0, 3000.0, 12000.0, 20000.0):
                    high = Equalizer(high_shelf_db=gain, high_shelf_hz=f0)
                    s = 1j * HEARD / f0
                    wanted = a * (a * s * s + r * s + 1) / (s * s + r * s + a)
                    error = high.response_db(HEARD, rate) - 20 * np.log10(np.abs(wanted))
                    self.assertLess(float(np.abs(error).max()), 0.2, (rate, gain, f0))

    def test_cuts_are_butterworth(self) -> None:
        """|H|² = 1 / (1 + (f/f0)^2n), to 20 kHz; what lies 90 dB down is heard by nobody."""
        for rate in (44100.0, 48000.0, 96000.0):
            for order in (2, 4, 6, 8):
                for field, f0s in (("low_cut", (20.0, 120.0, 2000.0)), ("high_cut", (300.0, 4e3))):
                    for f0 in f0s:
                        ratio = f0 / HEARD if field == "low_cut" else HEARD / f0
                        values = {"on": True, "hz": f0, "slope": f"{6 * order} dB/oct"}
                        eq = changed(Equalizer(), **{f"{field}_{k}": v for k, v in values.items()})
                        wanted = -10.0 * np.log10(1.0 + ratio ** (2 * order))
                        error = (eq.response_db(HEARD, rate) - wanted)[wanted > -90.0]
                        with self.subTest(field, rate=rate, order=order, f0=f0):
                            self.assertLess(float(np.abs(error).max()), 0.5)

    def test_every_section_is_stable_and_flat_ones_pass(self) -> None:
        """Whatever is set, at every rate: poles inside the circle, zeros on it or inside."""
        rng = np.random.default_rng(3)
        for _ in range(150):
            rate = float(rng.choice([44100.0, 48000.0, 88200.0, 192000.0]))
            hz, db, q = (
                float(20.0 * 1000.0 ** rng.random()),
                float(rng.uniform(-24.0, 24.0)),
                float(0.1 * 180.0 ** rng.random()),
            )
            eq = Equalizer(
                bell1_db=db, bell1_hz=hz, bell1_q=q, bell2_hz=hz, bell2_q=q,
                high_shelf_db=db, high_shelf_hz=max(500.0, hz), high_cut_on=True,
                high_cut_hz=max(200.0, hz), high_cut_slope="48 dB/oct",
            )  # fmt: skip
            for b0, b1, b2, a1, a2 in eq.sections(rate):
                self.assertLess(float(np.abs(np.roots([1.0, a1, a2])).max()), 1.0)
                self.assertLess(float(np.abs(np.roots([b0, b1, b2])).max(initial=0.0)), 1.0 + 1e-6)
            b0, b1, b2, a1, a2 = eq.sections(rate)[6]
            self.assertEqual((b0, b1, b2), (1.0, a1, a2))

    def test_samples_agree_with_scipy(self) -> None:
        x = noise(0.3)
        rows = BUSY.sections(RATE)
        sos = np.concatenate([rows[:, :3], np.ones((14, 1)), rows[:, 3:]], axis=1)
        wanted = scipy.signal.sosfilt(sos, x.astype(np.float64), axis=0)
        heard, _ = processed(x, [BUSY], RATE)
        # float32 between the sections of a quantum: 14 roundings at -150 dB.
        self.assertLess(float(np.abs(heard[: len(x)] - wanted).max()), 2e-6)

    def test_flat_is_untouched(self) -> None:
        x = noise(0.1)
        heard, _ = processed(x, [Equalizer()], RATE)
        self.assertTrue(np.array_equal(heard[: len(x)], x))


class Compressing(unittest.TestCase):
    def test_steady_tones_follow_the_static_curve(self) -> None:
        """A full-wave peak detector sees the crest; slow release holds it there."""
        c = Compressor(threshold_db=-20, ratio=4, knee_db=8, attack_ms=1, release_ms=2000)
        for level in (-30.0, -22.0, -18.0, -10.0, -3.0):
            x = sine(1000, 1.0, 10 ** (level / 20))
            y, reductions = processed(x, [c], RATE)
            settled = db(float(np.abs(y[24000:48000]).max()))
            self.assertAlmostEqual(settled, c.gain_db(level), delta=0.15)
            self.assertAlmostEqual(reductions[0].deepest_db, level - c.gain_db(level), delta=0.15)

    def test_the_static_curve_by_hand(self) -> None:
        c = Compressor(threshold_db=-20, ratio=4, knee_db=0)
        self.assertEqual(c.gain_db(-30), -30)
        self.assertAlmostEqual(c.gain_db(-8), -20 + 12 / 4)
        soft = Compressor(threshold_db=-20, ratio=2, knee_db=10)
        self.assertAlmostEqual(soft.gain_db(-20), -20 - 0.5 * 25 / 20)

    def test_attack_and_release_are_time_constants(self) -> None:
        c = Compressor(threshold_db=-40, ratio=20, knee_db=0, attack_ms=20, release_ms=100)
        x = np.full((48000, 2), 1.0, np.float32)  # a held level: the detector has no ripple
        x[24000:] = 10 ** (-60 / 20)
        y, _ = processed(x, [c], RATE)
        reduction = -20 * np.log10(np.abs(y[:, 0]) / np.abs(x[:, 0]))
        full = 40 * (1 - 1 / 20)
        self.assertAlmostEqual(
            float(reduction[round(0.02 * RATE)]), full * (1 - 1 / math.e), delta=0.1
        )
        after = float(reduction[24000 + round(0.1 * RATE)])
        self.assertAlmostEqual(after, float(reduction[23999]) / math.e, delta=0.1)

    def test_agrees_with_a_loop_in_plain_python(self) -> None:
        c = Compressor(
            threshold_db=-24,
            ratio=3,
            knee_db=6,
            attack_ms=5,
            release_ms=60,
            makeup_db=4,
            detector="RMS",
        )
        x = noise(0.05, level=0.4)
        heard, _ = processed(x, [Insert(c, dry=30)], RATE)
        attack, release = (math.exp(-1000 / (ms * RATE)) for ms in (5, 60))
        smooth = math.exp(-1000 / (10 * RATE))
        power = held = 0.0
        for n, (left, right) in enumerate(x.astype(np.float64)):
            power = smooth * power + (1 - smooth) * (left**2 + right**2) / 2
            level = 10 * math.log10(2 * power + 1e-30)
            wanted = level - Compressor(threshold_db=-24, ratio=3, knee_db=6).gain_db(level)
            pole = attack if wanted > held else release
            held = pole * held + (1 - pole) * wanted
            gain = 0.3 + 0.7 * 10 ** (4 / 20) * 10 ** (-held / 20)
            self.assertAlmostEqual(float(heard[n, 0]), left * gain, delta=1e-5)

    def test_all_dry_is_untouched(self) -> None:
        x = noise(0.05)
        heard, _ = processed(x, [Insert(Compressor(threshold_db=-60), dry=100)], RATE)
        self.assertLess(float(np.abs(heard - x).max()), 1e-7)


class Decibels(unittest.TestCase):
    def test_logarithm_and_power_of_two(self) -> None:
        """Against the library's, over all that a level can be."""
        from puddle.kernels.decibels import exp2_of, log2_of

        rng = np.random.default_rng(5)
        for x in 10.0 ** rng.uniform(-30, 8, 2000):
            self.assertAlmostEqual(log2_of(x), math.log2(x), delta=5e-9)
        for x in rng.uniform(-60, 10, 2000):
            self.assertAlmostEqual(exp2_of(x) / 2.0**x, 1.0, delta=2e-8)
        for x in (1.0, 2.0, 0.5, 2.0**0.5, 1.9999999999, 1e-30):
            self.assertAlmostEqual(log2_of(x), math.log2(x), delta=5e-9)
        self.assertEqual(exp2_of(0.0), 1.0)


class Limiting(unittest.TestCase):
    def true_peak_db(self, audio: np.ndarray) -> float:
        """A second meter: sixteen-fold interpolation by the spectrum."""
        size = 1 << (len(audio) + 4096 - 1).bit_length()
        fine = np.fft.irfft(np.fft.rfft(audio.astype(np.float64), size, axis=0), 16 * size, axis=0)
        return db(float(np.abs(fine).max()) * 16)

    def test_nothing_leaves_over_the_ceiling(self) -> None:
        rng = np.random.default_rng(1)
        taps = scipy.signal.firwin(255, 18000, fs=RATE)
        for ceiling in (-1.0, -6.0, -12.0):
            for n in range(4):
                x = scipy.signal.lfilter(taps, 1, rng.standard_normal((24000, 2)), axis=0)
                x *= rng.uniform(0.3, 3.0) * np.exp(-np.arange(24000) / 4000)[:, None]
                y, _ = processed(x.astype(np.float32), [Limiter(ceiling_db=ceiling)], RATE)
                self.assertLess(self.true_peak_db(y), ceiling + 0.2, n)

    def test_what_is_under_the_ceiling_passes_with_its_latency_taken_out(self) -> None:
        x = noise(0.1, level=0.05)
        y, reductions = processed(x, [Limiter()], RATE)
        self.assertTrue(np.array_equal(y[: len(x)], x))
        self.assertEqual(reductions[0].deepest_db, 0.0)

    def test_latency_is_what_it_says(self) -> None:
        limiter = Limiter(lookahead_ms=2.0)
        x = np.zeros((1000, 2), np.float32)
        x[100] = 0.5
        state = np.zeros(limiter.cells(RATE))
        run_stage(limiter.entry(), state, limiter.coefficients(RATE), x)
        self.assertEqual(int(np.argmax(x[:, 0])), 100 + limiter.latency_frames(RATE))
        self.assertEqual(limiter.latency_frames(RATE), limiter_latency(96))

    def test_it_turns_down_no_more_than_it_must(self) -> None:
        x = sine(997, 0.5, 10 ** (6 / 20))
        y, reductions = processed(x, [Limiter(ceiling_db=-1)], RATE)
        self.assertAlmostEqual(reductions[0].deepest_db, 7.0, delta=0.1)
        self.assertAlmostEqual(db(float(np.abs(y[12000:20000]).max())), -1.0, delta=0.1)


class Inserting(unittest.TestCase):
    """What every stage has: levels, a dry blend, and a match of loudness."""

    def test_a_blend_is_in_time_whatever_the_latency(self) -> None:
        """Under its ceiling a limiter is a pure delay: any blend of both is the input."""
        x = noise(0.1, level=0.05)
        for lookahead in (0.2, 1.5, 5.0):
            for dry in (0.0, 37.0, 100.0):
                y, _ = processed(x, [Insert(Limiter(lookahead_ms=lookahead), dry=dry)], RATE)
                np.testing.assert_allclose(y[: len(x)], x, atol=1e-7)

    def test_levels(self) -> None:
        """The input level drives the stage and not the dry blend; the output level is for both."""
        x = noise(0.05, level=0.1)
        y, _ = processed(x, [Insert(Equalizer(), input_db=6.0, output_db=-2.0, dry=25.0)], RATE)
        gain = 10 ** (-2 / 20) * (0.75 * 10 ** (6 / 20) + 0.25)
        np.testing.assert_allclose(y[: len(x)], x * gain, rtol=2e-5, atol=1e-7)

    def test_as_loud_as_before_for_a_one_shot(self) -> None:
        x = noise(0.5, level=0.2) * np.exp(-np.arange(24000) / 6000)[:, None].astype(np.float32)
        stage = Insert(Equalizer(low_shelf_db=9, high_shelf_db=-7), output_db=5, matched=True)
        y, _ = processed(x, [stage], RATE, MEASURED)
        before, after = loudness_lufs(x, RATE), loudness_lufs(y, RATE)
        assert before is not None and after is not None
        self.assertAlmostEqual(after, before, delta=0.01)

    def test_silence_stays_silence_when_it_is_matched(self) -> None:
        x = np.zeros((1000, 2), np.float32)
        y, _ = processed(x, [Insert(Equalizer(bell1_db=3), matched=True)], RATE, MEASURED)
        self.assertEqual(float(np.abs(y).max()), 0.0)

    def test_as_loud_as_before_while_it_runs(self) -> None:
        """On a bus: running powers of 400 ms; after ten of them the levels agree."""
        x = noise(4.0, level=0.1)
        insert = Insert(Equalizer(low_shelf_db=12, low_shelf_hz=2000), matched=True)
        y = x.copy()
        run_stage(insert.entry(), np.zeros(insert.cells(RATE)), insert.coefficients(RATE), y)
        late = slice(-48000, None)
        change = 10 * np.log10(np.mean(y[late] ** 2) / np.mean(x[late] ** 2))
        self.assertAlmostEqual(float(change), 0.0, delta=0.5)

    def test_a_match_ends_without_a_leap(self) -> None:
        """On the master, under a steady sine that it had turned down by 12 dB."""
        loud = Stage(id="g", process=Gain(level_db=12), matched=True)
        kit = kit_of({}, master=Master(stages=(loud,)))
        x = {"p0": sine(100, 3.0, 0.2)}
        engine = Engine(RATE)
        engine.set_kit(kit, x, None)
        engine.strike(0, 127)
        before = played(engine, 96000, 64)
        free = Stage(id="g", process=Gain(level_db=12))
        engine.set_kit(changed(kit, master=Master(stages=(free,))), x, None)
        after = played(engine, 4800, 64)
        whole = np.concatenate([before[-2400:, 0], after[:, 0]])
        # A sine of 0.8 moves by no more than 0.8 * 2 pi 100 / 48000 from frame to frame.
        self.assertLess(float(np.abs(np.diff(whole)).max()), 1.3 * 0.8 * 2 * np.pi * 100 / RATE)
        self.assertGreater(float(np.abs(after[-2400:]).max()), 0.7)

    def test_reductions_are_found_behind_the_insert(self) -> None:
        x = sine(997, 0.5, 10 ** (6 / 20))
        _, reductions = processed(x, [Insert(Limiter(ceiling_db=-1), dry=10.0)], RATE)
        self.assertAlmostEqual(reductions[0].deepest_db, 7.0, delta=0.1)


class AllStages(unittest.TestCase):
    def test_any_block_size_gives_the_same_samples(self) -> None:
        x = noise(0.06, level=0.6)
        for kind in PROCESSES:
            process = changed(kind(), bell1_db=5.0) if kind is Equalizer else kind()
            outs = []
            for block in (1, 7, 32, 500):
                y = x.copy()
                state = np.zeros(process.cells(RATE))
                for start in range(0, len(y), block):
                    part = np.ascontiguousarray(y[start : start + block])
                    run_stage(process.entry(), state, process.coefficients(RATE), part)
                    y[start : start + block] = part
                outs.append(y)
            for y in outs[1:]:
                self.assertTrue(np.array_equal(outs[0], y), kind)

    def test_all_ends_of_all_ranges_in_pairs(self) -> None:
        """Every pair of gauges at all four corners: full-scale squares, then silence.

        Finite, and bounded: by what a resonance of 24 dB and levels of 60 dB make of full scale.
        """
        square = np.sign(sine(97, 0.025)).astype(np.float32)
        heard = np.concatenate([square, np.zeros_like(square)])
        for kind in PROCESSES:
            known = [p for p in parameters(kind) if p.kind == "number"]
            first = {"low_cut_on": True, "high_cut_on": True} if kind is Equalizer else {}
            for a, b in combinations(known, 2):
                for one, other in product((a.low, a.high), (b.low, b.high)):
                    process = changed(kind(), **{a.field: one, b.field: other, **first})
                    y = heard.copy()
                    state = np.zeros(process.cells(RATE))
                    run_stage(process.entry(), state, process.coefficients(RATE), y)
                    told = (kind.noun, a.field, one, b.field, other)
                    self.assertTrue(np.isfinite(y).all(), told)
                    self.assertLess(float(np.abs(y).max()), 3000.0, told)

    def test_tails_end(self) -> None:
        """At either end of every gauge a stage is at rest when its tail is said to be over."""
        x = hit(seconds=0.2)
        x[-960:] *= np.linspace(1.0, 0.0, 960, dtype=np.float32)[:, None]
        for kind in PROCESSES:
            for p in parameters(kind):
                for value in (p.low, p.high) if p.kind == "number" else ():
                    process = changed(kind(), **{p.field: value})
                    y = processed(x, [process], RATE)[0]
                    end, peak = np.abs(y[-32:]).max(), np.abs(y).max()
                    self.assertLess(end, 2e-3 * peak + 1e-6, (kind.noun, p.field, value))

    def test_sixty_seconds(self) -> None:
        """All of them in a row over a minute: finite, of the length that their tails say."""
        x = np.tile(hit(seconds=0.99), (60, 1))
        y, overs = processed(x, [kind() for kind in PROCESSES], RATE, MEASURED)
        self.assertTrue(np.isfinite(y).all())
        self.assertLess(float(np.abs(y).max()), 30.0)
        tails = round(sum(kind().tail_ms() for kind in PROCESSES) / 1000.0 * RATE)
        self.assertEqual(len(y), len(x) + tails)
        self.assertEqual(len(overs), len(PROCESSES))

    @settings(deadline=None, max_examples=15)
    @given(st.sampled_from([44100.0, 88200.0, 96000.0, 192000.0]), st.integers(1, 4000))
    def test_any_rate_and_length(self, rate: float, frames: int) -> None:
        x = noise(0.1)[:frames]
        for kind in PROCESSES:
            y, _ = processed(x, [kind()], rate)
            self.assertTrue(np.isfinite(y).all())
            self.assertGreaterEqual(len(y), len(x))

    def test_what_is_no_quantity_never_ramps(self) -> None:
        """A choice, or a number that changes the cells or a length, is another way.

        Ramped, the length of a ring would be anything between: the engine would read beside it.
        """
        lengths = {Reverb: ("size", "pre_ms"), Delay: ("time_ms",), Limiter: ("lookahead_ms",)}
        for kind in PROCESSES:
            process = kind()
            for p in parameters(kind):
                if p.kind == "choice" and p.field not in ("normalize", "tuned", "detector"):
                    if p.choices[0].endswith("oct"):
                        continue  # an equalizer's slopes are sections, which ramp
                    other = changed(process, **{p.field: p.choices[-1]})
                elif p.field in lengths.get(kind, ()):
                    other = changed(process, **{p.field: p.at(0.77)})
                elif p.kind == "number":
                    other = changed(process, **{p.field: p.at(0.77)})
                    self.assertEqual(process.cells(RATE), other.cells(RATE), (kind, p.field))
                    continue
                else:
                    continue
                self.assertNotEqual(process.way(), other.way(), (kind, p.field))

    def test_lengths_that_change_while_it_sounds(self) -> None:
        """On the master, at every quantum another size, time and pre-delay: finite throughout."""
        x = noise(0.01, level=0.5)
        engine = Engine(RATE)
        pad = {"p0": np.ascontiguousarray(np.tile(x, (40, 1)))}
        for n in range(40):
            stages = (
                Stage(id="r", process=Reverb(size=25.0 + 4.0 * n, pre_ms=2.0 * n), dry=50.0),
                Stage(id="d", process=Delay(time_ms=5.0 + 7.0 * n)),
                Stage(id="s", process=Saturator(shape=("round", "fold", "hard")[n % 3])),
            )
            engine.set_kit(kit_of({}, master=Master(stages=stages)), pad, None)
            if n == 0:
                engine.strike(0, 127)
            out = played(engine, 480, 32)
            self.assertTrue(np.isfinite(out).all())
            self.assertLess(float(np.abs(out).max()), 8.0)

    def test_a_poisoned_filter_heals(self) -> None:
        for process in (BUSY, Compressor(), Limiter()):
            state = np.zeros(process.cells(RATE))
            bad = np.full((64, 2), np.nan, np.float32)
            run_stage(process.entry(), state, process.coefficients(RATE), bad)
            good = noise(0.2, level=0.1)
            run_stage(process.entry(), state, process.coefficients(RATE), good)
            self.assertTrue(np.isfinite(good[-2000:]).all(), process)
            self.assertGreater(float(np.abs(good[-2000:]).max()), 0.01, process)
