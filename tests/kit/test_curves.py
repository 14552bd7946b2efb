"""Curves of patterns as data: evaluated, drawn over, thinned, shifted, reversed, recorded."""

import itertools
import unittest

import msgspec
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.errors import EditError
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.edits import curves
from puddle.kit.edits.address import parameter_at
from puddle.kit.model.address import Address
from puddle.kit.model.document import Bus, Kit, Pattern, Stage
from puddle.kit.model.pattern import MOST_CURVES, Curve, CurvePoint
from puddle.kit.playing.curves import FINE, beats_of, value_at
from puddle.stages import Filter

CUTOFF = Address(of="process", field="cutoff_hz", bus="b", stage="f")
KIT = Kit(
    name="",
    patterns=(Pattern(id="p", name="p", length=16),),
    buses=(Bus(id="b", name="b", stages=(Stage(id="f", process=Filter()),)),),
)
KNOWN = parameter_at(KIT, CUTOFF)
PLACES = st.lists(
    st.tuples(st.floats(0.0, 3.99), st.floats(KNOWN.low, KNOWN.high)), min_size=1, max_size=12
).map(lambda found: [CurvePoint(at=a, value=v) for a, v in sorted(found)])


def at(points: list[CurvePoint], beat: float) -> float:
    return KNOWN.position(value_at(points, KNOWN, beat))


class Evaluated(unittest.TestCase):
    def test_a_frequency_moves_by_octaves(self) -> None:
        points = [CurvePoint(at=1.0, value=200.0), CurvePoint(at=3.0, value=3200.0)]
        for beat, wanted in (
            (0.0, 200.0),
            (1.5, 400.0),
            (2.0, 800.0),
            (2.5, 1600.0),
            (3.5, 3200.0),
        ):
            self.assertAlmostEqual(value_at(points, KNOWN, beat), wanted, places=6)

    @settings(max_examples=60, deadline=None)
    @given(PLACES)
    def test_it_is_read_so_often_that_it_moves_by_little(self, points: list[CurvePoint]) -> None:
        read = beats_of(Curve(address=CUTOFF, points=tuple(points)), KNOWN, 4.0)
        self.assertEqual(read, sorted(set(read)))
        self.assertTrue({point.at for point in points} <= set(read))
        leaps = {b.at for a, b in itertools.pairwise(points) if b.at - a.at < 1e-3}
        for first, last in itertools.pairwise(read):
            if last not in leaps:
                self.assertLessEqual(abs(at(points, last) - at(points, first)), 1.0 / FINE + 1e-6)


class Edited(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(PLACES)
    def test_thinned_it_is_the_same_within_a_five_hundredth(self, points: list[CurvePoint]) -> None:
        made = list(curves.thin(KNOWN, points))
        self.assertLessEqual(len(made), len(points))
        for point in points:
            if sum(other.at == point.at for other in points) == 1:
                away = abs(at(made, point.at) - KNOWN.position(point.value))
                self.assertLess(away, 0.0021)

    def test_drawn_over_leaves_the_rest(self) -> None:
        points = [CurvePoint(at=n, value=100.0 * (n + 1)) for n in range(4)]
        drawn = [CurvePoint(at=0.5, value=5000.0), CurvePoint(at=2.5, value=6000.0)]
        made = curves.drawn_over(points, drawn, KNOWN, 1000.0)
        self.assertEqual([point.at for point in made], [0, 0.5, 0.5, 2.5, 2.5, 3])
        for beat in (0.0, 0.3, 0.499, 2.501, 2.8, 3.5):
            self.assertAlmostEqual(at(made, beat), at(points, beat), places=2)

    def test_a_single_place_is_a_point_more(self) -> None:
        points = [CurvePoint(at=0.0, value=100.0), CurvePoint(at=2.0, value=100.0)]
        made = curves.drawn_over(points, [CurvePoint(at=1.0, value=1000.0)], KNOWN, 50.0)
        self.assertAlmostEqual(value_at(made, KNOWN, 0.5), 10.0**2.5, places=6)
        alone = curves.drawn_over([], [CurvePoint(at=1.0, value=1000.0)], KNOWN, 50.0)
        self.assertEqual([value_at(alone, KNOWN, beat) for beat in (0.0, 3.0)], [1000.0, 1000.0])

    def test_on_nothing_it_rests_where_the_gauge_does(self) -> None:
        drawn = [CurvePoint(at=1.0, value=5000.0), CurvePoint(at=2.0, value=6000.0)]
        made = curves.drawn_over([], drawn, KNOWN, 900.0)
        for beat, wanted in ((0.5, 900.0), (1.0, 5000.0), (3.0, 900.0)):
            self.assertAlmostEqual(value_at(made, KNOWN, beat), wanted, places=6)

    @settings(max_examples=60, deadline=None)
    @given(PLACES, st.floats(0.05, 3.9))
    def test_shifted_forth_and_back_it_is_as_it_was(
        self, points: list[CurvePoint], by: float
    ) -> None:
        there = curves.shifted(points, KNOWN, 4.0, by)
        for beat in (0.013, 0.77, 1.51, 2.3, 3.333, 3.97):
            before = beat - by if beat >= by else beat - by + 4.0
            near = [abs(before - point.at) for point in points] + [before, 4.0 - before]
            if min(near) > 1e-3:  # else on one side of a leap here and on the other there
                self.assertAlmostEqual(at(there, beat), at(points, before), delta=1e-4)

    def test_reversed_twice_it_is_as_it_was(self) -> None:
        points = [CurvePoint(at=0.5, value=300.0), CurvePoint(at=3.0, value=3000.0)]
        once = curves.reversed_in(points, 4.0)
        self.assertEqual([point.at for point in once], [1.0, 3.5])
        self.assertEqual(curves.reversed_in(once, 4.0), points)

    def test_recorded_into_the_next_pass(self) -> None:
        moves = [(3.0, 500.0), (3.5, 600.0), (0.5, 700.0), (1.0, 800.0)]
        kit = curves.recorded(KIT, "p", CUTOFF, moves, 8000.0)
        made = curves.curve_of(kit.patterns[0], CUTOFF)
        assert made is not None
        for beat, wanted in ((3.25, 547.7), (0.75, 748.3), (2.0, 8000.0)):
            self.assertAlmostEqual(value_at(made.points, KNOWN, beat), wanted, delta=10.0)


class Kept(unittest.TestCase):
    def test_written_and_read_again(self) -> None:
        points = [CurvePoint(at=0.5, value=300.0), CurvePoint(at=3.0, value=3000.0)]
        kit = curves.with_points(KIT, "p", CUTOFF, points)
        self.assertEqual(kit_from_json(kit_json(kit), "here"), kit)
        self.assertEqual(curves.with_points(kit, "p", CUTOFF, []), KIT)

    def test_what_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "rise in time"):
            Curve(address=CUTOFF, points=(CurvePoint(at=1, value=1), CurvePoint(at=0, value=1)))
        with self.assertRaisesRegex(EditError, "runs live"):
            tempo = Address(of="kit", field="tempo_bpm")
            curves.with_points(KIT, "p", tempo, [CurvePoint(at=0.0, value=100.0)])
        with self.assertRaises(EditError):
            curves.with_points(KIT, "gone", CUTOFF, [CurvePoint(at=0.0, value=100.0)])
        many = tuple(
            Curve(
                address=msgspec.structs.replace(CUTOFF, stage=f"s{n}"),
                points=(CurvePoint(at=0, value=1),),
            )
            for n in range(MOST_CURVES)
        )
        full = msgspec.structs.replace(
            KIT, patterns=(msgspec.structs.replace(KIT.patterns[0], curves=many),)
        )
        with self.assertRaisesRegex(EditError, "up to 64 curves"):
            curves.with_points(full, "p", CUTOFF, [CurvePoint(at=0.0, value=100.0)])
