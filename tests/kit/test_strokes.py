"""The schedule against arithmetic: swing, shift, rolls, flams, passes, chance, chords."""

import unittest
from itertools import pairwise

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.kit.model.document import Chord, Flam, Hit, Kit, Lane, Pattern, Play
from puddle.kit.model.pattern import GRIDS
from puddle.kit.playing.chords import nearest_to
from puddle.kit.playing.groove import changed_groove, groove_of, in_order, position, turned_to
from puddle.kit.playing.schedule import (
    Part,
    bars_of,
    loops_alike,
    passes_alike,
    pattern_beats,
    strokes_in,
    strokes_of,
    strokes_until,
)

BPM = 120.0  # a beat is 500 ms


def one_lane(*hits: Hit, **lane: object) -> Pattern:
    return Pattern(id="a", name="A", lanes=(Lane(pad="p", hits=hits, **lane),))  # type: ignore[arg-type]


def beats_of(pattern: Pattern, until: float = 4.0) -> list[float]:
    return [stroke.beat for stroke in strokes_until(pattern, until, BPM)]


class Times(unittest.TestCase):
    def test_a_lanes_shift_and_a_hits_nudge_are_milliseconds(self) -> None:
        made = one_lane(Hit(at=4, nudge_ms=-10.0), shift_ms=25.0)
        np.testing.assert_allclose(beats_of(made), [1.0 + 0.015 / 0.5])
        twice = [s.beat for s in strokes_until(made, 4.0, 2 * BPM)]
        np.testing.assert_allclose(twice, [1.0 + 0.015 / 0.25])

    def test_what_would_fall_before_the_start_falls_on_it_once(self) -> None:
        made = one_lane(Hit(at=0, nudge_ms=-10.0, flams=(Flam(),)))
        found = strokes_until(made, 8.0, BPM)
        self.assertEqual(found[0].beat, 0.0)
        np.testing.assert_allclose([s.beat for s in found[1:]], [4 - 0.035 / 0.5, 4 - 0.01 / 0.5])

    def test_flams_come_before_and_softer(self) -> None:
        made = one_lane(
            Hit(at=4, velocity=100, flams=(Flam(before_ms=40, level=50), Flam(before_ms=20)))
        )
        found = strokes_of(made, BPM)
        np.testing.assert_allclose([s.beat for s in found], [0.92, 0.96, 1.0])
        self.assertEqual([s.velocity for s in found], [50, 55, 100])

    def test_a_roll_is_even_and_ramps(self) -> None:
        rising = strokes_of(one_lane(Hit(at=4, velocity=120, roll=4, ramp=50.0, length=2.0)), BPM)
        np.testing.assert_allclose([s.beat for s in rising], [1.0, 1.125, 1.25, 1.375])
        self.assertEqual([s.velocity for s in rising], [60, 80, 100, 120])
        np.testing.assert_allclose([s.beats for s in rising], 0.125)
        falling = strokes_of(one_lane(Hit(at=4, velocity=120, roll=4, ramp=-50.0)), BPM)
        self.assertEqual([s.velocity for s in falling], [120, 100, 80, 60])

    def test_a_lane_of_its_own_length_runs_over_the_others(self) -> None:
        made = one_lane(Hit(at=0), length=3)
        np.testing.assert_allclose(beats_of(made, 6.0), np.arange(8) * 0.75)
        self.assertEqual(passes_alike(made), 3)

    def test_a_lane_of_its_own_grid_and_swing(self) -> None:
        made = one_lane(Hit(at=0), Hit(at=1), Hit(at=2), grid="1/8 triplet", swing=60.0)
        np.testing.assert_allclose(beats_of(made), [0, (1 + 0.2) / 3, 2 / 3])

    def test_exact_times_know_no_swing(self) -> None:
        made = Pattern(
            id="a",
            name="A",
            swing=66.0,
            lanes=(Lane(pad="p", exact=True, hits=(Hit(at=0.25), Hit(at=1.013))),),
        )
        np.testing.assert_allclose(beats_of(made), [0.25, 1.013])

    def test_a_lane_that_is_muted_is_left_out_and_a_solo_one_is_alone(self) -> None:
        lanes = tuple(Lane(pad=p, hits=(Hit(at=n),)) for n, p in enumerate("abc"))
        made = Pattern(id="a", name="A", lanes=lanes)

        def pads(pattern: Pattern) -> list[str]:
            return [s.pad for s in strokes_of(pattern, BPM)]

        muted = (Lane(pad="a", hits=lanes[0].hits, mute=True), *lanes[1:])
        solo = (Lane(pad="a", hits=lanes[0].hits, solo=True), *lanes[1:])
        self.assertEqual(pads(made), ["a", "b", "c"])
        self.assertEqual(pads(Pattern(id="a", name="A", lanes=muted)), ["b", "c"])
        self.assertEqual(pads(Pattern(id="a", name="A", lanes=solo)), ["a"])

    def test_bars_by_meter(self) -> None:
        self.assertEqual(bars_of(Pattern(id="a", name="A", length=24, meter="6/8")), 2)
        self.assertEqual(bars_of(Pattern(id="a", name="A", length=28, meter="7/8")), 2)
        self.assertEqual(bars_of(Pattern(id="a", name="A", length=1)), 1)


class Chances(unittest.TestCase):
    def test_over_many_passes_chance_is_its_number(self) -> None:
        """4,000 draws: three standard deviations are 2.4 points at most."""
        for chance in (10.0, 35.0, 80.0):
            made = one_lane(*(Hit(at=n, chance=chance) for n in range(8)))
            found = strokes_in((Part(made),), BPM, 0.0, 500 * 4.0)
            self.assertAlmostEqual(100 * len(found) / 4000, chance, delta=2.4)
            by_hit = np.bincount(found["hit"], minlength=8) / 5.0
            self.assertLess(np.abs(by_hit - chance).max(), 8.0, "each hit has its own chance")

    def test_none_and_always(self) -> None:
        made = one_lane(Hit(at=0, chance=0.0), Hit(at=4, chance=100.0))
        self.assertEqual(beats_of(made, 16.0), [1.0, 5.0, 9.0, 13.0])
        self.assertTrue(loops_alike((Part(made),), BPM))

    def test_a_hit_that_is_added_leaves_the_chances_of_others_alone(self) -> None:
        one = one_lane(Hit(at=4, chance=50.0))
        two = one_lane(Hit(at=2), Hit(at=4, chance=50.0))
        fourth = [b for b in beats_of(two, 400.0) if b % 4.0 == 1.0]
        self.assertEqual(fourth, beats_of(one, 400.0))

    def test_the_second_of_four_passes(self) -> None:
        made = one_lane(Hit(at=0, every=4, which=2))
        self.assertEqual(beats_of(made, 40.0), [4.0, 20.0, 36.0])
        self.assertEqual(passes_alike(made), 4)

    def test_scatter_stays_within_its_bounds_and_is_the_same_again(self) -> None:
        made = one_lane(Hit(at=4), scatter_ms=10.0, scatter_velocity=12.0)
        found = strokes_in((Part(made),), BPM, 0.0, 800.0)
        late = (found["beat"] - (1.0 + 4.0 * np.arange(200))) * 500.0
        self.assertLessEqual(np.abs(late).max(), 10.0)
        self.assertGreater(np.abs(late).max(), 9.0)
        self.assertAlmostEqual(float(late.mean()), 0.0, delta=1.5)
        self.assertLessEqual(np.abs(found["velocity"] - 100.0).max(), 12.0)
        self.assertGreater(float(found["velocity"].std()), 5.0)
        again = strokes_in((Part(made),), BPM, 0.0, 800.0)
        np.testing.assert_array_equal(found, again)

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(
            st.builds(
                Hit,
                at=st.integers(0, 15),
                chance=st.floats(0, 100),
                roll=st.integers(1, 5),
                nudge_ms=st.floats(-100, 100),
                length=st.floats(0.1, 20),
                every=st.integers(1, 3),
                flams=st.lists(st.builds(Flam, before_ms=st.floats(1, 150)), max_size=2).map(tuple),
            ),
            max_size=6,
        ),
        st.sampled_from(list(GRIDS)),
        st.integers(0, 11),
        st.floats(-100, 100),
        st.lists(st.floats(0.1, 40), min_size=1, max_size=5),
    )
    def test_a_span_is_the_sum_of_its_pieces(
        self, hits: list[Hit], grid: str, length: int, shift: float, cuts: list[float]
    ) -> None:
        lane = Lane(pad="p", hits=tuple(hits), length=length, shift_ms=shift, scatter_ms=7.0)
        other = Lane(pad="q", hits=tuple(hits), grid="1/16")
        parts = (
            Part(Pattern(id="a", name="", grid=grid, lanes=(lane, other))),  # type: ignore[arg-type]
            Part(Pattern(id="b", name="", length=7, lanes=(other,)), 11.0, 11.0),
        )
        whole = strokes_in(parts, 97.0, 0.0, 40.0)
        edges = [0.0, *sorted(cuts), 40.0]
        pieces = [strokes_in(parts, 97.0, a, b) for a, b in pairwise(edges) if b > a]
        np.testing.assert_array_equal(np.concatenate(pieces), whole)
        by_lane = whole[(whole["part"] == 0) & (whole["lane"] == 1)]
        self.assertEqual(len(set(by_lane["turn"])), len(by_lane), "no turn comes twice")


class Grooves(unittest.TestCase):
    def setUp(self) -> None:
        self.a = one_lane(Hit(at=0), Hit(at=14))
        self.b = Pattern(id="b", name="B", length=8, lanes=(Lane(pad="p", hits=(Hit(at=2),)),))

    def heard(self, groove: object, until: float) -> list[float]:
        return strokes_in(groove.parts, BPM, 0.0, until)["beat"].tolist()  # type: ignore[attr-defined]

    def test_another_pattern_comes_at_the_next_bar(self) -> None:
        made = turned_to(groove_of(self.a), self.b, 5.2, "next bar")
        self.assertEqual(self.heard(made, 12.0), [0.0, 3.5, 4.0, 7.5, 8.5, 10.5])

    def test_at_the_next_beat_and_at_once(self) -> None:
        beat = turned_to(groove_of(self.a), self.b, 5.2, "next beat")
        self.assertEqual(self.heard(beat, 9.0), [0.0, 3.5, 4.0, 6.5, 8.5])
        once = turned_to(groove_of(self.a), self.b, 4.2, "at once")
        self.assertEqual(self.heard(once, 7.0), [0.0, 3.5, 4.0, 4.5, 6.5])

    def test_a_play_order(self) -> None:
        kit = Kit(
            name="",
            patterns=(self.a, self.b),
            order=(Play(pattern="a"), Play(pattern="b", times=2)),
        )
        self.assertEqual(self.heard(in_order(kit), 12.0), [0.0, 3.5, 4.5, 6.5, 8.0, 11.5])

    def test_the_position_is_told_in_the_meters_own_beats(self) -> None:
        self.assertEqual(position("4/4", 5.75), (2, 2, 4))
        self.assertEqual(position("6/8", 3.5), (2, 2, 1), "an eighth into the second bar")
        self.assertEqual(position("7/8", 3.375), (1, 7, 4))

    def test_a_length_that_changes_goes_on_from_the_pass_that_runs(self) -> None:
        longer = Pattern(id="a", name="A", length=20, lanes=self.a.lanes)
        made = changed_groove(groove_of(self.a), longer, 9.0)
        self.assertEqual(made.place(9.0), (longer, 1.0))
        self.assertEqual(pattern_beats(longer), 5.0)
        self.assertEqual(made.place(13.5)[1], 0.5)


class Chords(unittest.TestCase):
    def test_a_lane_follows_the_roots(self) -> None:
        """Am7, then F: the root nearest to what is written."""
        made = Pattern(
            id="a",
            name="A",
            lanes=(
                Lane(pad="p", follow="root", hits=tuple(Hit(at=4 * n, note=36) for n in range(4))),
            ),
            chords=(Chord(at=0, root=9, kind="m7"), Chord(at=2, root=5)),
        )
        notes = [s.note for s in strokes_of(made, BPM)]
        self.assertEqual(notes, [33, 33, 41, 41], "A1 and F2")

    def test_thirds_and_sevenths(self) -> None:
        for follow, tone in (("third", 0), ("fifth", 4), ("seventh", 7), ("root", 9)):
            made = Pattern(
                id="a",
                name="A",
                lanes=(Lane(pad="p", follow=follow, hits=(Hit(at=0),)),),  # type: ignore[arg-type]
                chords=(Chord(at=0, root=9, kind="m7"),),
            )
            self.assertEqual(strokes_of(made, BPM)[0].note % 12, tone)

    @given(st.integers(0, 127), st.integers(0, 11))
    def test_the_nearest_key_is_at_most_half_an_octave_away(self, note: int, tone: int) -> None:
        found = nearest_to(note, tone)
        self.assertEqual(found % 12, tone)
        self.assertTrue(0 <= found <= 127)
        self.assertLessEqual(abs(found - note), 6 if 6 <= note <= 121 else 11)


if __name__ == "__main__":
    unittest.main()
