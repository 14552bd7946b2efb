"""Stages of a layer, or of the whole sound, that listen to a layer."""

import unittest

import numpy as np

from puddle.kit.model.document import Layer, Sample, Sound, Stage
from puddle.parameter import changed
from puddle.render.take import Takes
from puddle.stages import Compressor
from tests.support.sounds import RATE, noise, sine
from tests.support.stores import OneSample

_HARD = Compressor(threshold_db=-30.0, ratio=4.0, knee_db=0.0, attack_ms=0.05, release_ms=5.0)


def stage(key: str) -> Stage:
    return Stage(id="s", process=_HARD, key=key)


class Keyed(unittest.TestCase):
    def setUp(self) -> None:
        self.samples = OneSample(noise(0.2))
        self.takes = Takes(self.samples, RATE)
        self.other = Layer(id="other", name="other", source=Sample(content="a", fade_out_ms=0.0))
        self.own = changed(self.other, id="own", name="own", stages=(stage("other"),))

    def alone(self, *layers: Layer) -> np.ndarray:
        """The last layer's own audio, in a sound of all; rendered anew each time."""
        return Takes(self.samples, RATE).placed(Sound(layers=layers), layers[-1])

    def test_a_twin_is_heard_as_it_hears_itself(self) -> None:
        itself = self.alone(changed(self.own, stages=(stage(""),)))
        np.testing.assert_array_equal(self.alone(self.other, self.own), itself)
        for offset_ms in (-7.5, 12.0):
            later = [changed(one, offset_ms=offset_ms) for one in (self.other, self.own)]
            alone = self.alone(changed(later[1], stages=(stage(""),)))
            np.testing.assert_array_equal(self.alone(*later), alone)

    def test_one_that_began_before_is_heard_from_where_it_is(self) -> None:
        own = changed(self.own, offset_ms=20.0)
        rest = changed(self.other, source=Sample(content="a", start_ms=20.0, fade_out_ms=0.0))
        expected = self.alone(changed(rest, offset_ms=20.0), own)
        np.testing.assert_array_equal(self.alone(self.other, own), expected)
        self.assertGreater(np.abs(expected - self.alone(own)).max(), 0.01)  # it is not its own

    def test_its_own_layer_and_one_that_is_gone_are_no_keys(self) -> None:
        itself = self.alone(changed(self.own, stages=(stage(""),)))
        for key in ("own", "gone"):
            keyed = changed(self.own, stages=(stage(key),))
            np.testing.assert_array_equal(self.alone(self.other, keyed), itself)

    def test_before_the_other_sounds_nothing_is_turned_down(self) -> None:
        """It sounds 100 ms later: what comes before is as it was, what comes with it is not."""
        late = changed(self.other, offset_ms=100.0)
        plain, ducked = self.alone(changed(self.own, stages=())), self.alone(late, self.own)
        np.testing.assert_array_equal(ducked[:4800], plain[:4800])
        inside = slice(4900, 9000)
        self.assertLess(np.square(ducked[inside]).sum(), 0.1 * np.square(plain[inside]).sum())

    def test_one_that_is_off_is_listened_to_too(self) -> None:
        off = changed(self.other, on=False)
        np.testing.assert_array_equal(self.alone(off, self.own), self.alone(self.other, self.own))

    def test_as_far_as_the_other_is_loud(self) -> None:
        """A sine is turned down by three quarters of what the other lies over the threshold.

        With two seconds of release little is let go between two peaks.
        """
        takes = Takes(OneSample(0.5 * sine(1000, 0.5)), RATE)
        slow = Stage(id="s", process=changed(_HARD, release_ms=2000.0), key="other")
        own = changed(self.own, stages=(slow,))
        for level_db in (-12.0, 0.0):
            other = changed(self.other, level_db=level_db)
            audio = takes.placed(Sound(layers=(other, own)), own)[12000:20000]
            over_db = level_db - 6.0206 + 30.0
            told = 20.0 * np.log10(np.abs(audio).max() / 0.5)
            self.assertAlmostEqual(told, -0.75 * over_db, delta=0.1)

    def test_a_stage_of_the_whole_sound(self) -> None:
        late = changed(self.other, offset_ms=100.0, level_db=-20.0)
        first = changed(self.own, stages=())
        plain = self.takes.sound(Sound(layers=(first, late))).audio
        keyed = self.takes.sound(Sound(layers=(first, late), stages=(stage("other"),))).audio
        np.testing.assert_array_equal(keyed[:4800], plain[:4800])
        self.assertLess(np.square(keyed[4900:9000]).sum(), 0.5 * np.square(plain[4900:9000]).sum())

    def test_a_gauge_of_the_other_is_heard_in_it(self) -> None:
        before = self.alone(self.other, self.own)
        for values in ({"level_db": -12.0}, {"offset_ms": 3.0}, {"flip": True}, {"pan": 40.0}):
            after = self.alone(changed(self.other, **values), self.own)
            same = np.array_equal(before, after)
            self.assertEqual(same, "flip" in values, values)  # both sides of a wave are as loud
