"""What holds for every stage, and for stages put into rows."""

import math
import unittest
from itertools import combinations, product

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.engine.engine import Engine
from puddle.kernels.blocks import run_stage
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
    Reverb,
    Saturator,
    Stage,
)
from puddle.stages.chain import processed
from puddle.voices import Hat, Snare
from tests.support.engines import kit_of, played
from tests.support.hits import hit
from tests.support.sounds import noise, sine
from tests.support.stage_figures import BUSY

RATE = 48000.0


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
