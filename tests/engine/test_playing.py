"""How a pad answers: gates, few voices, glides, keys and response curves, against closed forms."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.engine import layout, offline
from puddle.engine.engine import Engine
from puddle.kit.model.document import Kit, Layer, Pad, Point, Sample, Sound
from puddle.kit.playing.key_tracking import keyed, shift_of, zone_at, zones_of
from puddle.kit.playing.response import (
    PRESETS,
    bends,
    points_of,
    preset_of,
    strength_of,
    with_bend,
    without_bend,
)
from puddle.measure.pitch import fundamental
from puddle.parameter import changed
from puddle.render.take import Takes
from puddle.render.takeset import TakeSet, take_set
from puddle.voices import Tone
from tests.render.test_render import NoSamples
from tests.support.engines import RATE, hardness, kit_of, played, take_of
from tests.support.sounds import sine

LONG = take_of(1.0, 96000)


def engine_of(take: np.ndarray, **pad: object) -> Engine:
    engine = Engine(RATE)
    engine.set_kit(kit_of({"velocity_amount": 0.0, **pad}), {"p0": take}, None)
    return engine


def sounding(engine: Engine) -> int:
    return int(np.count_nonzero(engine.voices["state"] == layout.SOUNDING))


class Gates(unittest.TestCase):
    def test_attack_decay_sustain_release(self) -> None:
        """Linear up in 10 ms, exponentially down (a thousandth in 100 ms) to half, linear out."""
        engine = engine_of(
            LONG, trigger="gate", attack_ms=10, decay_ms=100, sustain=50, release_ms=20
        )
        engine.strike(0, 127)
        held = played(engine, 9600)[:, 0].astype(float)
        rise = np.arange(1, 481) / 480
        np.testing.assert_allclose(held[:480], rise, atol=1e-5)
        n = np.arange(1, 4801)
        fall = 0.5 + 0.5 * 10.0 ** (-3.0 * n / 4800)
        np.testing.assert_allclose(held[480:5280], fall, atol=3e-4)
        self.assertEqual(float(held[-1]), 0.5)
        engine.release(0)
        out = played(engine, 1200)[:, 0].astype(float)
        np.testing.assert_allclose(out[:960], 0.5 * (1 - np.arange(1, 961) / 960), atol=1e-5)
        self.assertEqual(float(np.abs(out[961:]).max()), 0.0)

    def test_let_go_while_it_rises_it_fades_from_there(self) -> None:
        engine = engine_of(LONG, trigger="gate", attack_ms=100, release_ms=10)
        engine.strike(0, 127)
        rising = played(engine, 2400)[:, 0]
        engine.release(0)
        out = played(engine, 960)[:, 0]
        self.assertAlmostEqual(float(rising[-1]), 0.5, delta=1e-3)
        self.assertLessEqual(float(out.max()), 0.501)
        self.assertEqual(float(out[481:].max()), 0.0)
        self.assertLess(float(np.abs(np.diff(out)).max()), 0.002)

    def test_a_one_shot_has_no_gate(self) -> None:
        engine = engine_of(LONG, attack_ms=100, sustain=10, decay_ms=10)
        engine.strike(0, 127)
        np.testing.assert_array_equal(played(engine, 480), LONG[:480])

    def test_a_key_lets_its_own_go(self) -> None:
        engine = engine_of(LONG, trigger="gate", release_ms=1, tracking=100)
        engine.strike(0, 127, note=60)
        engine.strike(0, 127, note=64)
        played(engine, 960)
        engine.release(0, note=60)
        played(engine, 960)
        self.assertEqual(engine.sounding, 1)
        engine.release(0)
        played(engine, 960)
        self.assertEqual(engine.sounding, 0)


class Few(unittest.TestCase):
    def test_no_more_than_the_limit(self) -> None:
        engine = engine_of(LONG, limit=3)
        for _ in range(6):
            engine.strike(0, 127)
            played(engine, 480)
            self.assertLessEqual(sounding(engine), 3)
        self.assertEqual(sounding(engine), 3)

    def test_stealing_does_not_click(self) -> None:
        """A sine that is stolen falls in 3 ms: no step is larger than its own slope and the fade's.

        The new strike starts at a zero crossing, so that what steps is the old one.
        """
        take = sine(100.0, 2.0)
        for rule in ("the oldest", "the softest"):
            engine = engine_of(take, limit=1, steals=rule)
            engine.strike(0, 127)
            before = played(engine, 1320)
            engine.strike(0, 127)
            after = played(engine, 960)
            both = np.concatenate([before, after])[:, 0].astype(float)
            slope = 2 * np.pi * 100.0 / RATE
            self.assertLess(np.abs(np.diff(both)).max(), 2 * slope + 1.0 / 144 + 1e-4)

    def test_who_goes(self) -> None:
        for rule, stays in (("the oldest", [30.0, 90.0]), ("the softest", [90.0, 127.0])):
            engine = engine_of(LONG, limit=2, steals=rule)
            for velocity in (127.0, 30.0, 90.0):
                engine.strike(0, velocity)
                played(engine, 480)
            on = engine.voices["state"] == layout.SOUNDING
            self.assertEqual(sorted(engine.voices["velocity"][on]), stays, rule)

    def test_other_pads_are_left_alone(self) -> None:
        engine = Engine(RATE)
        engine.set_kit(kit_of({"limit": 1}, {}), {"p0": LONG, "p1": LONG}, None)
        for pad in (1, 1, 0, 0):
            engine.strike(pad, 127)
        played(engine, 480)
        self.assertEqual(sounding(engine), 3)


class Keys(unittest.TestCase):
    """A bass of one sine: its pitch says which key was struck."""

    def setUp(self) -> None:
        self.takes = Takes(NoSamples(), RATE)
        layer = Layer(id="layer1", name="a", source=Tone(pitch_hz=220.0))
        self.pad = Pad(
            id="p0", name="p0", place=0, sound=Sound(layers=(layer,)), tracking=100.0, root=57,
            notes=tuple(range(52, 64)), velocity_amount=0.0,
        )  # fmt: skip

    def test_every_key_has_its_pitch(self) -> None:
        for note in (40, 55, 57, 58, 60, 68, 75):
            audio = offline.strike(self.pad, self.takes, 127.0, note=note)
            found = fundamental(audio, RATE).hz
            assert found is not None
            self.assertAlmostEqual(1200 * np.log2(found / 220.0), 100 * (note - 57), delta=3.0)

    def test_half_tracking_is_half_as_far(self) -> None:
        pad = changed(self.pad, tracking=50.0)
        found = fundamental(offline.strike(pad, self.takes, 127.0, note=69), RATE).hz
        assert found is not None
        self.assertAlmostEqual(1200 * np.log2(found / 220.0), 600.0, delta=3.0)

    def test_without_tracking_or_a_note_it_is_as_it_is(self) -> None:
        plain = offline.strike(changed(self.pad, tracking=0.0), self.takes, 127.0, note=80)
        np.testing.assert_array_equal(plain, offline.strike(self.pad, self.takes, 127.0))
        np.testing.assert_array_equal(plain, offline.strike(self.pad, self.takes, 127.0, note=57))

    def test_every_third_semitone_is_a_take_of_its_own(self) -> None:
        """To the bit: nothing is resampled there."""
        audio = offline.strike(self.pad, self.takes, 127.0, note=60)
        own = self.takes.sound(keyed(self.pad.sound, 3)).audio
        np.testing.assert_array_equal(audio, own[: len(audio)])

    def test_live_is_offline_to_the_bit(self) -> None:
        zones = zones_of(self.pad)
        self.assertEqual((zones[0], zones[-1]), (-12, 12))
        ready = {(0, 0, z): self.takes.sound(keyed(self.pad.sound, z)).audio for z in zones}
        engine = Engine(RATE)
        engine.set_kit(
            Kit(name="", pads=(self.pad,)), {"p0": TakeSet(zones=zones, ready=ready)}, None
        )
        for note in (52, 57, 61, 80):
            engine.strike(0, 100.0, note=note)
            out, _ = engine.advance_tapped(192000)
            wanted = offline.strike(self.pad, self.takes, 100.0, note=note)
            np.testing.assert_array_equal(out[: len(wanted)], wanted, str(note))

    def test_a_tuned_pad_plays_a_take_that_was_tuned(self) -> None:
        """To the bit the resampled sound: while it plays nothing is read between frames."""
        pad = changed(self.pad, tracking=0.0, tune_st=3.0, tune_ct=-20.0)
        audio = offline.strike(pad, self.takes, 127.0)
        own = self.takes.tuned(pad.sound, 2.8)
        np.testing.assert_array_equal(audio, own[: len(audio)])
        found = fundamental(audio, RATE).hz
        assert found is not None
        self.assertAlmostEqual(1200 * np.log2(found / 220.0), 280.0, delta=0.5)
        engine = Engine(RATE)
        engine.set_kit(Kit(name="", pads=(pad,)), {"p0": take_set(self.takes, pad, (127.0,))}, None)
        engine.strike(0, 127.0)
        played(engine, 640)
        self.assertEqual(float(engine.voices["rate"].max()), 1.0)

    def test_a_tuning_moves_before_its_take_is_there(self) -> None:
        untuned = take_set(self.takes, self.pad, (127.0,))
        pad = changed(self.pad, tracking=0.0, tune_st=7.0)
        engine = Engine(RATE)
        engine.set_kit(Kit(name="", pads=(pad,)), {"p0": untuned}, None)
        engine.strike(0, 127.0)
        found = fundamental(played(engine, 48000), RATE).hz
        assert found is not None
        self.assertAlmostEqual(1200 * np.log2(found / 220.0), 700.0, delta=3.0)

    def test_until_its_take_is_there_another_is_bent_to_the_pitch(self) -> None:
        home = take_set(self.takes, self.pad, (127.0,))
        self.assertEqual(set(home.ready), {(0, 0, 0)})
        engine = Engine(RATE)
        engine.set_kit(Kit(name="", pads=(self.pad,)), {"p0": home}, None)
        engine.strike(0, 127.0, note=62)
        found = fundamental(played(engine, 48000), RATE).hz
        assert found is not None
        self.assertAlmostEqual(1200 * np.log2(found / 220.0), 500.0, delta=3.0)

    def test_samples_have_one_take(self) -> None:
        sample = Layer(id="layer1", name="a", source=Sample(content="0" * 64, end_ms=10.0))
        pad = changed(self.pad, sound=Sound(layers=(sample,)))
        self.assertEqual(zones_of(pad), (0,))
        self.assertEqual(zone_at((-3, 0, 3), 1.4), 1)
        self.assertEqual(shift_of(pad, 60), 3.0)

    def test_fine_tune_is_in_cents(self) -> None:
        pad = changed(self.pad, tune_ct=50.0)
        found = fundamental(offline.strike(pad, self.takes, 127.0), RATE).hz
        assert found is not None
        self.assertAlmostEqual(1200 * np.log2(found / 220.0), 50.0, delta=2.0)


class Glides(unittest.TestCase):
    def phase_hz(self, audio: np.ndarray) -> np.ndarray:
        """The frequency between rising zero crossings."""
        wave = audio[:, 0].astype(float)
        at = np.flatnonzero((wave[:-1] < 0) & (wave[1:] >= 0))
        at = at - wave[at] / (wave[at + 1] - wave[at])
        return np.asarray(RATE / np.diff(at))

    def glided(self, glide: str, gap: int, limit: int = 1) -> np.ndarray:
        engine = engine_of(
            sine(200.0, 1.0), limit=limit, glide=glide, glide_ms=200, tracking=100, root=60
        )
        engine.strike(0, 127, note=60)
        played(engine, gap)
        engine.strike(0, 127, note=72)
        played(engine, 192)  # the stolen one has gone
        return self.phase_hz(played(engine, 16000))

    def test_it_slides_an_octave_in_its_time(self) -> None:
        hz = self.glided("always", 4800)
        self.assertLess(hz[0], 215.0)
        self.assertTrue(np.all(np.diff(hz) > -0.5))
        self.assertAlmostEqual(float(hz[-1]), 400.0, delta=0.5)
        # An octave in 200 ms at an even pace: half way it is at 200 times the root of two.
        times = np.cumsum(1.0 / hz) + 192 / RATE
        half = float(np.interp(0.1, times, hz))
        self.assertAlmostEqual(half, 200.0 * 2**0.5, delta=6.0)

    def test_only_when_overlapping(self) -> None:
        self.assertLess(self.glided("when overlapping", 4800)[0], 215.0)
        self.assertAlmostEqual(float(self.glided("when overlapping", 96000)[0]), 400.0, delta=1.0)
        self.assertLess(self.glided("always", 96000)[0], 215.0)

    def test_off_or_with_many_voices_it_jumps(self) -> None:
        self.assertAlmostEqual(float(self.glided("off", 96000)[0]), 400.0, delta=1.0)
        self.assertAlmostEqual(float(self.glided("always", 96000, 0)[0]), 400.0, delta=1.0)

    def test_any_block_size_is_the_same(self) -> None:
        made = []
        for block in (1, 37, 256):
            engine = engine_of(
                sine(200.0, 1.0), limit=1, glide="always", tracking=100, trigger="gate",
                attack_ms=7, sustain=40, decay_ms=50,
            )  # fmt: skip
            for n, note in enumerate((60, 67, 55)):
                engine.strike(0, 100, frame=700 * n + 13, note=note)
            engine.release(0, frame=3001)
            made.append(played(engine, 6000, block))
        np.testing.assert_array_equal(made[0], made[1])
        np.testing.assert_array_equal(made[0], made[2])


class Responses(unittest.TestCase):
    def test_presets_run_from_end_to_end(self) -> None:
        for name, found in PRESETS.items():
            points = points_of(found)
            curve = [strength_of(points, float(v)) for v in range(1, 128)]
            self.assertEqual(curve, sorted(curve), name)
            self.assertTrue(1.0 <= curve[0] <= curve[-1] == 127.0, name)
        self.assertEqual(preset_of(Pad(id="p", name="", place=0)), "even")

    def test_it_is_straight_between_bends(self) -> None:
        points = (Point(struck=50, plays=100),)
        velocities = np.arange(1, 128, 0.5)
        wanted = np.interp(velocities, [1, 50, 127], [1, 100, 127])
        found = [strength_of(points, float(v)) for v in velocities]
        np.testing.assert_allclose(found, wanted, rtol=1e-12)

    def test_it_chooses_level_and_take(self) -> None:
        soft, hard = take_of(0.25, 4800), take_of(0.5, 4800)
        found = TakeSet((1, 64), 1, ready={(0, 0, 0): soft, (1, 0, 0): hard})
        engine = Engine(RATE)
        kit = kit_of({"response": (Point(struck=40, plays=80),), "velocity_amount": 50.0})
        engine.set_kit(kit, {"p0": found}, None)
        engine.strike(0, 40)
        self.assertAlmostEqual(float(played(engine, 64)[9, 0]), 0.5 * 80 / 127, places=5)
        self.assertEqual(hardness(engine), 40.0)

    @given(
        st.lists(st.tuples(st.floats(1, 127), st.floats(1, 127)), max_size=20),
        st.floats(1, 127),
    )
    @settings(max_examples=60, deadline=None)
    def test_bends_by_hand_never_fall(
        self, hands: list[tuple[float, float]], velocity: float
    ) -> None:
        points: tuple[Point, ...] = ()
        for n, (x, y) in enumerate(hands):
            points, at = (
                with_bend(points, None if n % 3 else min(n, len(points)) - 1, x, y)
                if (n % 3 or points)
                else with_bend(points, None, x, y)
            )
            self.assertLess(at, max(1, len(points)))
        curve = bends(points)
        self.assertEqual(curve, sorted(curve))
        self.assertEqual([y for _, y in curve], sorted(y for _, y in curve))
        self.assertTrue(1.0 <= strength_of(points, velocity) <= 127.0)
        if points:
            self.assertEqual(len(without_bend(points, 0)), len(points) - 1)


class Darker(unittest.TestCase):
    def setUp(self) -> None:
        self.takes = Takes(NoSamples(), RATE)
        layer = Layer(id="layer1", name="a", source=Tone(pitch_hz=2000.0))
        self.sound = Sound(layers=(layer,))

    def struck(self, velocity: float, **values: object) -> np.ndarray:
        sound = changed(self.sound, **values)
        pad = Pad(id="p", name="p", place=0, sound=sound, velocity_amount=0.0)
        return offline.strike(pad, self.takes, velocity)

    def test_soft_strikes_lose_their_top(self) -> None:
        """The softest is closed to 300 Hz: 12 dB an octave under a tone of 2 kHz, 33 dB."""
        full = self.struck(127, darker=100.0)
        np.testing.assert_array_equal(full, self.struck(127))
        soft, middle = self.struck(1, darker=100.0), self.struck(64, darker=100.0)
        levels = [float(np.abs(x[2400:4800]).max()) for x in (soft, middle, full)]
        self.assertEqual(levels, sorted(levels))
        self.assertAlmostEqual(20 * np.log10(levels[0] / levels[2]), -33.0, delta=2.0)

    def test_soft_strikes_start_later(self) -> None:
        full, soft = self.struck(127, later_ms=20.0), self.struck(1, later_ms=20.0)
        np.testing.assert_array_equal(full, self.struck(127))
        self.assertEqual(len(full) - len(soft), 960)
        np.testing.assert_allclose(soft[64:4800], full[1024:5760], atol=1e-6)
        self.assertLess(abs(float(soft[0, 0])), 0.02)


if __name__ == "__main__":
    unittest.main()
