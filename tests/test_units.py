"""Units: what is shown can be typed back."""

import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from puddle import units
from puddle.errors import ParameterError


class Conversions(unittest.TestCase):
    def test_gain_of_unity_is_exact(self) -> None:
        self.assertEqual(units.gain_from_db(0.0), 1.0)

    def test_the_octave_of_middle_c_is_a_preference_of_what_is_shown(self) -> None:
        self.addCleanup(setattr, units.Octaves, "middle", 4)
        for octave in (3, 4, 5):
            units.Octaves.middle = octave
            self.assertEqual(units.note_name(60), f"C{octave}")
            self.assertEqual(units.parsed_note(f"A{octave} +6"), 69.06)
            self.assertEqual(units.ascii_note_name(60), "C4")  # what scripts read stays
            for note in range(128):
                self.assertEqual(units.parsed_note(units.note_name(note)), note)

    def test_six_db_is_a_factor_of_two(self) -> None:
        self.assertAlmostEqual(units.gain_from_db(20.0 * math.log10(2.0)), 2.0, places=12)

    def test_notes_by_the_table_of_equal_temperament(self) -> None:
        # ISO 16 fixes A4 at 440 Hz; C4 and A1 follow.
        for note, hz in ((69, 440.0), (60, 261.6255653), (33, 55.0), (29, 43.6535289)):
            self.assertAlmostEqual(units.hz_from_note(note), hz, places=6)
            self.assertAlmostEqual(units.note_from_hz(hz), note, places=6)

    def test_note_names(self) -> None:
        self.assertEqual(units.note_name(60), "C4")
        self.assertEqual(units.note_name(61), "C♯4")
        self.assertEqual(units.ascii_note_name(30), "F#1")

    @given(st.integers(0, 127))
    def test_names_are_understood(self, note: int) -> None:
        self.assertEqual(units.parsed_note(units.note_name(note)), note)


class Typing(unittest.TestCase):
    def test_what_people_type(self) -> None:
        for text, unit, value in (
            ("-6", "dB", -6.0),
            ("−6.5 dB", "dB", -6.5),
            ("1.2k", "Hz", 1200.0),
            ("A#1", "Hz", 58.270470),
            ("18 ms", "ms", 18.0),
            ("0.4 s", "ms", 400.0),
            ("L 20", "pan", -20.0),
            ("r20", "pan", 20.0),
            ("center", "pan", 0.0),
            ("4,5", ":1", 4.5),
        ):
            self.assertAlmostEqual(units.parsed(text, unit), value, places=5, msg=text)

    def test_nonsense_is_refused_with_an_example(self) -> None:
        for text in ("", "loud", "--3", "1e999", "nan", "inf"):
            with self.assertRaises(ParameterError):
                units.parsed(text, "ms")

    @given(st.floats(-48, 48).map(lambda x: round(x, 1)))
    def test_what_is_shown_can_be_typed(self, value: float) -> None:
        shown = units.with_unit(value, "dB", 1)
        self.assertAlmostEqual(units.parsed(shown, "dB"), value, places=6)

    def test_a_rounded_zero_has_no_minus(self) -> None:
        self.assertEqual(units.with_unit(-0.01, "dB", 1), "0.0\N{THIN SPACE}dB")

    def test_large_values_change_their_unit(self) -> None:
        self.assertEqual(units.with_unit(1200.0, "Hz", 1), "1.20\N{THIN SPACE}kHz")
        self.assertEqual(units.with_unit(1400.0, "ms", 1), "1.40\N{THIN SPACE}s")
