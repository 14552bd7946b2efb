"""Parameters: one declaration, and everything that is read from it."""

import unittest

import msgspec
from hypothesis import given
from hypothesis import strategies as st

from puddle.errors import ParameterError
from puddle.kit.model.document import Envelope, Layer, Master, Pad, Sample
from puddle.parameter import Scale, changed, parameter, parameters
from puddle.stages import PROCESSES, Compressor, Equalizer
from puddle.voices import STARTING_POINTS, Kick

DECLARING = (*STARTING_POINTS, *PROCESSES, Layer, Pad, Envelope, Sample, Master)


class Declarations(unittest.TestCase):
    def test_every_parameter_says_what_it_does(self) -> None:
        for struct in DECLARING:
            found = parameters(struct)
            self.assertTrue(found, struct)
            for p in found:
                with self.subTest(struct=struct.__name__, field=p.field):
                    self.assertTrue(p.label)
                    self.assertGreater(len(p.says), 15)
                    self.assertTrue(p.says.endswith("."))
                    if p.kind == "number":
                        self.assertLess(p.low, p.high)
                        self.assertTrue(p.low <= p.default <= p.high)
                        self.assertTrue(p.unit, "a value without a unit")
                    if p.scale is Scale.LOGARITHMIC:
                        self.assertGreater(p.low, 0.0)

    def test_zero_may_have_a_word(self) -> None:
        group = parameter(Pad, "choke_group")
        self.assertEqual((group.text(0.0), group.text(2.0)), ("none", "2"))
        self.assertEqual((group.parsed("None"), group.parsed("3")), (0.0, 3.0))

    def test_every_part_of_a_voice_has_its_switch(self) -> None:
        without = {("hat", "Shape"), ("kick", ""), ("snare", ""), ("hat", "")}
        # These make no sound of their own: they shape all the others.
        without |= {("clap", "Color"), ("noise", "Color"), ("zap", "Sweep"), ("shaker", "Swing")}
        for voice in STARTING_POINTS:
            known = parameters(voice)
            for part in {p.part for p in known} - {n for v, n in without if v == voice.noun}:
                with self.subTest(voice=voice.noun, part=part):
                    heads = [p for p in known if p.part == part and p.kind == "switch"]
                    self.assertEqual([p.label for p in heads], [part])

    @given(st.floats(0, 1))
    def test_places_on_a_gauge_go_both_ways(self, place: float) -> None:
        for struct in (Kick, Compressor):
            for p in parameters(struct):
                if p.kind == "number":
                    self.assertAlmostEqual(p.position(p.at(place)), place, places=9)

    def test_a_logarithmic_gauge_is_even_in_octaves(self) -> None:
        p = parameter(Kick, "click_hz")  # 500 Hz to 12 kHz
        self.assertAlmostEqual(p.at(0.5), (500.0 * 12000.0) ** 0.5, places=6)


class Written(unittest.TestCase):
    def test_numbers_are_floats_however_they_were_written(self) -> None:
        for struct in (*STARTING_POINTS, *PROCESSES, Envelope, Master):
            numbers = [p.field for p in parameters(struct) if p.kind == "number"]
            whole = [p.field for p in parameters(struct) if p.kind == "whole"]
            made = struct(**dict.fromkeys(numbers, 1), **dict.fromkeys(whole, 2))
            with self.subTest(struct=struct.__name__):
                self.assertEqual({type(getattr(made, field)) for field in numbers}, {float})
                self.assertLessEqual({type(getattr(made, field)) for field in whole}, {int})


class Changes(unittest.TestCase):
    def test_values_are_brought_into_range(self) -> None:
        self.assertEqual(changed(Kick(), end_hz=1e9).end_hz, 400.0)
        self.assertEqual(changed(Kick(), end_hz=-3).end_hz, 20.0)

    def test_what_is_not_a_number_is_refused(self) -> None:
        for value in (float("nan"), float("inf"), "loud", True, None):
            with self.assertRaises(ParameterError):
                changed(Kick(), end_hz=value)

    def test_unknown_fields_and_choices_are_refused(self) -> None:
        with self.assertRaises(ParameterError):
            changed(Kick(), loudness=3.0)
        with self.assertRaises(ParameterError):
            changed(Compressor(), detector="ears")
        with self.assertRaises(ParameterError):
            changed(Equalizer(), low_cut_on=1)

    def test_whole_numbers_stay_whole(self) -> None:
        seed = changed(Kick(), seed=12.6).seed
        self.assertEqual((seed, type(seed)), (13, int))

    def test_the_struct_given_is_untouched(self) -> None:
        kick = Kick()
        changed(kick, end_hz=100.0)
        self.assertEqual(kick, Kick())
        with self.assertRaises(AttributeError):
            kick.end_hz = 3.0  # type: ignore[misc]

    def test_reading_refuses_what_is_out_of_range(self) -> None:
        with self.assertRaises(msgspec.ValidationError):
            msgspec.json.decode(b'{"type": "kick", "end_hz": 5}', type=Kick)
