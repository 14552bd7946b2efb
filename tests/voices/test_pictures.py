"""Pictures of voices: they show what is computed, and their handles follow the hand."""

import unittest

import numpy as np

from puddle.kernels.bands import band_gain_db
from puddle.parameter import changed, parameter
from puddle.picture import Axis, Handle, Picture
from puddle.stages import (
    PROCESSES,
    BandCompressor,
    Compressor,
    Crusher,
    Fade,
    Filter,
    Gate,
    Stereo,
    Transient,
)
from puddle.stages.chain import processed
from puddle.voices import STARTING_POINTS, Bar, Hat, Kick, Noise, Snare, Tone
from tests.support.sounds import sine
from tests.voices.test_bodies import RATE, mono

EVERY = [(name, v) for points in STARTING_POINTS.values() for name, v in points.items()]


def handle(shown: Picture, name: str) -> Handle:
    return next(h for h in shown.handles if h.name == name)


class Pictures(unittest.TestCase):
    def test_every_voice_has_one_that_lies_in_its_frame(self) -> None:
        for name, voice in EVERY:
            with self.subTest(name):
                shown = voice.picture()
                self.assertGreater(len(shown.points), 0)
                for x, y in shown.points:
                    self.assertTrue(-1e-9 <= shown.across.place(x) <= 1.0 + 1e-9, x)
                    self.assertTrue(-1e-9 <= shown.upwards.place(y) <= 1.0 + 1e-9, y)
                self.assertTrue(shown.across.unit and shown.upwards.unit)

    def test_a_kicks_picture_is_its_fall(self) -> None:
        """Nine tenths of the way after the fall's time, whatever the curve."""
        for bend in (-100, -40, 0, 35, 90):
            shown = Kick(start_hz=400, end_hz=50, fall_ms=100, bend=bend).picture()
            at = float(np.interp(100.0, *np.array(shown.points).T))
            self.assertAlmostEqual(at, 50 + 0.1 * 350, delta=2.0)
            self.assertAlmostEqual(handle(shown, "fall").y, 85.0)

    def test_a_bars_stems_are_its_modes(self) -> None:
        bar = Bar()
        hz, _, gains = bar.modes()
        shown = bar.picture()
        loud = np.flatnonzero(20 * np.log10(gains / gains.max()) > -48)
        np.testing.assert_allclose([x for x, _ in shown.points], hz[loud])
        np.testing.assert_allclose([y for _, y in shown.points], 20 * np.log10(gains[loud]))

    def test_a_decay_is_the_rendered_one(self) -> None:
        """The picture's line against the level of the sine that the voice makes."""
        tone = Tone(pitch_hz=400, attack_ms=10, hold_ms=50, decay_ms=600)
        shown, x = tone.picture(), mono(tone)
        for ms in (100, 250, 400):
            around = x[round((ms - 5) * RATE / 1000) : round((ms + 5) * RATE / 1000)]
            level = 20 * np.log10(np.sqrt(2 * np.mean(around**2)) / 0.8)
            at = float(np.interp(ms, *np.array(shown.points).T))
            self.assertAlmostEqual(level, at, delta=0.3)

    def test_the_sum_of_two_decays(self) -> None:
        shown = Hat(metal_db=-6, noise_db=-80, decay_ms=100, ring_db=-20, ring_ms=1000).picture()
        for t, db in shown.points[1:]:
            level = 10 ** (-6 / 20) * (10 ** (-3 * t / 100) + 0.1 * 10 ** (-3 * t / 1000))
            self.assertAlmostEqual(db, max(20 * np.log10(level), shown.upwards.low), delta=0.03)
        self.assertEqual(len(shown.parts), 2)

    def test_a_silent_part_has_no_handle(self) -> None:
        names = [h.name for h in Snare(balance=0).picture().handles]
        self.assertEqual(names, ["skin"])
        self.assertEqual(Noise(fast_on=False, slow_on=False).picture().parts, ())


class Handles(unittest.TestCase):
    def test_where_they_are_is_what_is_set(self) -> None:
        for name, voice in EVERY:
            for h in voice.picture().handles:
                for field, value in h.values(h.x, h.y).items():
                    with self.subTest(f"{name}: {h.name}"):
                        now = getattr(voice, field)
                        self.assertAlmostEqual(value, now, delta=1e-6 * max(1.0, now))

    def test_they_go_where_they_are_pulled(self) -> None:
        """Taken a little to the side, the new picture has them there: under the hand."""
        for name, voice in EVERY:
            shown = voice.picture()
            for h in shown.handles:
                x = shown.across.value(shown.across.place(h.x) + 0.03 * bool(h.across))
                y = shown.upwards.value(shown.upwards.place(h.y) - 0.03 * bool(h.upwards))
                values = h.values(x, y)
                known = [parameter(type(voice), field) for field in values]
                if any(p.clamped(values[p.field]) != values[p.field] for p in known):
                    continue
                after = handle(changed(voice, **values).picture(), h.name)
                with self.subTest(f"{name}: {h.name}"):
                    if h.across:
                        self.assertAlmostEqual(after.x / x, 1.0, places=6)
                    if h.upwards:
                        self.assertAlmostEqual(after.y, y, places=6)

    def test_every_voice_can_be_moved_by_its_picture(self) -> None:
        for kind in STARTING_POINTS:
            self.assertTrue(kind().picture().handles, kind.__name__)


class Axes(unittest.TestCase):
    def test_there_and_back(self) -> None:
        for axis in (Axis(20.0, 2000.0, "Hz", log=True), Axis(-60.0, 3.0, "dB")):
            for place in (-0.2, 0.0, 0.3, 1.0, 1.4):
                self.assertAlmostEqual(axis.place(axis.value(place)), place)
        self.assertEqual(Axis(20.0, 2000.0, "Hz", log=True).value(0.5), 200.0)


STAGES = (
    *(kind() for kind in PROCESSES),
    Fade(in_ms=80, out_on=True),
    Stereo(mono_on=True, width=60),
    Filter(resonance=6, octaves=-3),
    Gate(threshold_db=-20, hysteresis_db=3),
    BandCompressor(depth=100),
    Transient(attack_db=-9, sustain_db=12),
)


class StagePictures(unittest.TestCase):
    def test_they_lie_in_their_frames(self) -> None:
        for process in STAGES:
            shown = process.picture(RATE)
            with self.subTest(process=process):
                self.assertGreater(len(shown.points), 1)
                for x, y in shown.points:
                    self.assertTrue(-1e-6 <= shown.across.place(x) <= 1.0 + 1e-6, x)
                    self.assertTrue(-1e-6 <= shown.upwards.place(y) <= 1.0 + 1e-6, y)

    def test_handles_hold_what_is_set_and_follow(self) -> None:
        moved = 0
        for process in STAGES:
            shown = process.picture(RATE)
            for h in shown.handles:
                for field, value in h.values(h.x, h.y).items():
                    now = getattr(process, field)
                    self.assertAlmostEqual(value, now, delta=1e-6 * max(1.0, abs(now)))
                x = shown.across.value(shown.across.place(h.x) - 0.02 * bool(h.across))
                y = shown.upwards.value(shown.upwards.place(h.y) - 0.02 * bool(h.upwards))
                values = h.values(x, y)
                known = [parameter(type(process), field) for field in values]
                if any(abs(p.clamped(values[p.field]) - values[p.field]) > 1e-9 for p in known):
                    continue
                after = handle(changed(process, **values).picture(RATE), h.name)
                with self.subTest(process=process.noun, handle=h.name):
                    moved += 1
                    if h.across:
                        self.assertAlmostEqual(after.x, x, delta=1e-6 * max(1.0, abs(x)))
                    if h.upwards:
                        self.assertAlmostEqual(after.y, y, delta=1e-6 * max(1.0, abs(y)))
        self.assertGreater(moved, 20)

    def test_a_compressors_line_is_what_leaves(self) -> None:
        """Against the rendered stage, for a steady sine."""
        c = Compressor(threshold_db=-30, ratio=3, attack_ms=1, release_ms=1000)
        line = dict(c.picture(RATE).points)
        for level in (-40.0, -20.0, -6.0):
            y, _ = processed(sine(1000, 1.0, 10 ** (level / 20)), [c], RATE)
            out = 20 * np.log10(np.sqrt(2 * np.mean(y[24000:40000, 0].astype(float) ** 2)))
            self.assertAlmostEqual(out, line[level], delta=0.4)

    def test_a_crushers_steps_are_the_rendered_ones(self) -> None:
        c = Crusher(bits=3, crushed_hz=8000)
        shown = c.picture(RATE)
        x = np.sin(2 * np.pi * 1000 * np.arange(96) / RATE)
        y, _ = processed(np.stack([x, x], 1).astype(np.float32), [c], RATE)
        at = np.interp(np.arange(96) / 48.0 + 0.004, *np.array(shown.points).T)
        self.assertLess(float(np.mean(np.abs(at / 100 - y[:, 0]) > 0.02)), 0.12)  # at its steps

    def test_a_transients_line_is_what_the_kernel_does(self) -> None:
        """A hit whose samples are its level, after silence; half a dB for the coarser steps."""
        for t in (Transient(attack_db=12, sustain_db=-9), Transient(attack_db=-9, sustain_db=12)):
            line = np.array(t.picture(RATE).points).T
            seconds = np.arange(round(0.24 * RATE)) / RATE
            x = np.concatenate([np.zeros(4800), 0.999 * 10 ** (-7.5 * seconds)])
            y, _ = processed(np.stack([x, x], 1).astype(np.float32), [t], RATE)
            for ms in (4.0, 10.0, 30.0, 80.0, 200.0):
                at = 4800 + round(ms * RATE / 1000)
                wanted = 20 * np.log10(float(y[at, 0]))
                self.assertAlmostEqual(float(np.interp(ms, *line)), wanted, delta=0.5, msg=str(ms))

    def test_a_band_compressors_lines_are_the_kernels(self) -> None:
        b = BandCompressor(depth=70, ratio=5, mid_gain_db=3, high_above_db=-30, low_below_db=-50)
        for band, (above, below, gain) in enumerate(b.levels()):
            for level in np.linspace(-90, 0, 91):
                turned = band_gain_db(level, above, below, 0.8, 0.8) + gain
                self.assertAlmostEqual(b.out_db(level, band), level + 0.7 * turned, places=9)
