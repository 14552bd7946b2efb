"""Edits of patterns and their hits: put, moved, copied, converted, drawn."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.errors import EditError
from puddle.kit.edits import (
    chords,
    feels,
    patterns,
    set_kit,
    shaping,
    variations,
)
from puddle.kit.edits import hits as editing
from puddle.kit.edits.hits import Spot
from puddle.kit.edits.own_values import varied_pad, varied_pads
from puddle.kit.edits.pads import remove_pad
from puddle.kit.model.address import Address
from puddle.kit.model.document import Flam, Hit, Lane, OwnValue, Pattern, Play
from puddle.kit.playing.schedule import strokes_of
from puddle.kit.presets import templates
from tests.support.sounds import simple_pattern as simple
from tests.support.sounds import small_kit

PADS = ("a", "b", "c")
BPM = 96.0


def beats(pattern: Pattern) -> list[float]:
    return [stroke.beat for stroke in strokes_of(pattern, BPM)]


class Patterns(unittest.TestCase):
    def test_made_named_copied_removed(self) -> None:
        kit = small_kit()
        kit, one = patterns.add_pattern(kit)
        kit, two = patterns.duplicate_pattern(kit, one.id)
        self.assertEqual([p.id for p in kit.patterns][-2:], [one.id, two.id])
        self.assertNotEqual(one.name, two.name)
        kit = patterns.set_order(kit, (Play(pattern=two.id), Play(pattern=one.id, times=3)))
        kit = patterns.move_pattern(kit, two.id, 0)
        self.assertEqual(kit.patterns[0].id, two.id)
        kit = patterns.remove_pattern(kit, two.id)
        self.assertEqual(kit.order, (Play(pattern=one.id, times=3),))
        with self.assertRaises(EditError):
            patterns.set_order(kit, (Play(pattern=two.id),))

    def test_kept_tempos_are_in_order_and_once(self) -> None:
        kit = small_kit()
        for bpm in (120.0, 90.0, 120.04):
            kit = patterns.keep_tempo(kit, bpm)
        self.assertEqual(kit.tempos, (90.0, 120.0))
        self.assertEqual(patterns.drop_tempo(kit, 90.0).tempos, (120.0,))

    def test_a_pad_that_goes_takes_its_lane_along(self) -> None:
        kit = small_kit()
        kit, made = patterns.add_pattern(kit)
        kit = patterns.in_pattern(kit, made.id, lambda p: editing.put(p, "pad1", (Hit(at=0),)))
        kit = remove_pad(kit, "pad1")
        self.assertIsNone(patterns.pattern_of(kit, made.id).lane("pad1"))


class Templates(unittest.TestCase):
    def test_what_a_template_keeps_of_the_groove(self) -> None:
        kit, made = patterns.add_pattern(small_kit())
        kit = patterns.in_pattern(
            kit, made.id, lambda p: editing.put(editing.resized(p, 24), "pad1", (Hit(at=3),))
        )
        kit, _ = feels.keep_feel(kit, "x", feels.feel_of(patterns.pattern_of(kit, made.id), BPM))
        kit = patterns.keep_tempo(set_kit(kit, metronome=True, count_in=2, tempo_bpm=93.0), 88.0)
        new = templates.started(templates.as_template(kit, "T", with_sounds=False))
        self.assertEqual((new.tempo_bpm, new.tempos, new.metronome, new.count_in),
                         (93.0, (88.0,), True, 2))  # fmt: skip
        self.assertEqual((new.patterns[-1].length, len(new.feels)), (24, 1))
        self.assertEqual(new.patterns[-1].lanes[0].hits, ())


class Hits(unittest.TestCase):
    def test_two_never_stand_at_one_place(self) -> None:
        made = editing.put(simple(), "a", (Hit(at=4, velocity=7), Hit(at=2)))
        lane = made.lane("a")
        assert lane is not None
        self.assertEqual(
            [(h.at, h.velocity) for h in lane.hits], [(0, 120), (2, 100), (4, 7), (10, 90)]
        )

    def test_moved_as_far_as_all_can_go(self) -> None:
        spots = [Spot("a", 4), Spot("a", 10)]
        later, now = editing.moved_hits(simple(), spots, 0.5, 0, PADS)
        self.assertEqual(now, [Spot("a", 6), Spot("a", 12)])
        self.assertEqual(beats(later), [0.0, 1.5, 3.0])
        most, now = editing.moved_hits(simple(), spots, 9.0, 7, PADS)
        self.assertEqual(now, [Spot("c", 9), Spot("c", 15)])
        self.assertEqual(len(editing.spots_of(most)), 3)
        copy, _ = editing.moved_hits(simple(), spots, 0.0, 1, PADS, copy=True)
        self.assertEqual(len(editing.spots_of(copy)), 5)

    def test_copied_from_one_pattern_into_another_of_another_grid(self) -> None:
        clip = editing.copied(simple(), [Spot("a", 4), Spot("a", 10)], PADS)
        other = Pattern(id="y", name="Y", length=8, grid="1/8")
        made, spots = editing.pasted(other, clip, PADS, "b", 1.0)
        self.assertEqual(beats(made), [1.0, 2.5])
        self.assertEqual(spots, [Spot("b", 2), Spot("b", 5)])
        made, spots = editing.pasted(other, clip, PADS, "b", 3.0)
        self.assertEqual(len(spots), 1, "what would lie outside is left out")

    def test_a_longer_pattern_repeats_what_there_is(self) -> None:
        made = editing.resized(simple(), 40)
        self.assertEqual(beats(made), [0, 1, 2.5, 4, 5, 6.5, 8, 9])
        self.assertEqual(beats(editing.resized(made, 16)), [0, 1, 2.5])
        back = editing.resized(editing.resized(simple(), 4), 16)
        self.assertEqual(beats(back)[0], 0.0)

    @settings(max_examples=80, deadline=None)
    @given(
        st.lists(
            st.builds(
                Hit,
                at=st.integers(0, 15),
                nudge_ms=st.floats(-40, 40).map(lambda ms: round(ms, 3)),
                velocity=st.integers(1, 127),
                roll=st.integers(1, 4),
                flams=st.lists(st.builds(Flam), max_size=2).map(tuple),
            ),
            max_size=8,
        ),
        st.floats(50, 75),
    )
    def test_to_events_and_back_loses_nothing(self, found: list[Hit], swing: float) -> None:
        lane = editing.with_hits(Lane(pad="a"), found)
        made = Pattern(id="x", name="X", swing=swing, lanes=(lane,))
        events, told = editing.to_events(made, "a", BPM)
        np.testing.assert_allclose(beats(events), beats(made), atol=1e-9)
        self.assertEqual(told == "", all(h.nudge_ms >= 0 or h.at > 0 for h in lane.hits))
        steps, lost = editing.to_steps(events, "a", BPM, 0.0)
        np.testing.assert_allclose(beats(steps), beats(made), atol=1e-5)
        self.assertEqual(lost, "")
        velocities = [s.velocity for s in strokes_of(steps, BPM)]
        self.assertEqual(velocities, [s.velocity for s in strokes_of(made, BPM)])

    def test_what_cannot_be_kept_is_told(self) -> None:
        lane = Lane(pad="a", exact=True, hits=(Hit(at=1.0, velocity=50), Hit(at=1.02, velocity=90)))
        made, told = editing.to_steps(Pattern(id="x", name="X", lanes=(lane,)), "a", BPM)
        self.assertEqual(told, "1 softer on a step that has another is gone.")
        self.assertEqual([s.velocity for s in strokes_of(made)], [90])

    def test_quantized_by_an_amount(self) -> None:
        lane = Lane(pad="a", exact=True, hits=(Hit(at=0.98), Hit(at=2.06)))
        made = Pattern(id="x", name="X", lanes=(lane,))
        half = editing.quantized(made, editing.spots_of(made), 50.0, BPM)
        np.testing.assert_allclose(beats(half), [0.99, 2.03])
        whole = editing.quantized(made, editing.spots_of(made), 100.0, BPM)
        np.testing.assert_allclose(beats(whole), [1.0, 2.0])


class Values(unittest.TestCase):
    def setUp(self) -> None:
        self.kit = small_kit()
        hits = tuple(Hit(at=4 * n) for n in range(4))
        self.pattern = Pattern(id="x", name="X", lanes=(Lane(pad="pad1", hits=hits),))
        self.spots = editing.spots_of(self.pattern)

    def values(self, pattern: Pattern, kind: shaping.Kind) -> list[float]:
        lane = pattern.lane("pad1")
        assert lane is not None
        rest = shaping.drawn_as(self.kit, "pad1", kind).rest
        return [shaping.value_of(hit, kind, rest) for hit in lane.hits]

    def test_drawn_in_range(self) -> None:
        made = shaping.draw(self.kit, self.pattern, "pad1", "velocity", {0: 300.0, 4: 0.0, 7: 9.0})
        self.assertEqual(self.values(made, "velocity"), [127, 1, 100, 100])

    def test_a_ramp_is_a_line_as_the_gauge_is_laid_out(self) -> None:
        made = shaping.ramp(self.kit, self.pattern, "pad1", "velocity", (12, 115.0), (0, 25.0))
        self.assertEqual(self.values(made, "velocity"), [25, 55, 85, 115])
        layer = self.kit.pads[0].sound.layers[0]
        decay = Address(of="source", pad="pad1", layer=layer.id, field="decay_ms")
        made = shaping.ramp(self.kit, self.pattern, "pad1", decay, (0, 100.0), (12, 800.0))
        np.testing.assert_allclose(self.values(made, decay), [100, 200, 400, 800], rtol=1e-9)

    def test_scattered_scaled_reversed_shifted(self) -> None:
        ramped = shaping.ramp(self.kit, self.pattern, "pad1", "velocity", (0, 20.0), (12, 80.0))
        done = shaping.scatter(self.kit, ramped, self.spots, "velocity", 10.0, 3)
        away = np.abs(np.array(self.values(done, "velocity")) - self.values(ramped, "velocity"))
        self.assertTrue(0.0 < away.max() <= 13.0)
        self.assertEqual(done, shaping.scatter(self.kit, ramped, self.spots, "velocity", 10.0, 3))
        half = shaping.scale(self.kit, ramped, self.spots, "velocity", 0.5)
        self.assertEqual(self.values(half, "velocity"), [10, 20, 30, 40])
        back = shaping.reverse(self.kit, ramped, self.spots, "velocity")
        self.assertEqual(self.values(back, "velocity"), [80, 60, 40, 20])
        later = shaping.shift(self.kit, ramped, self.spots, "velocity", 1)
        self.assertEqual(self.values(later, "velocity"), [80, 20, 40, 60])

    def test_flams_and_notes(self) -> None:
        made = shaping.draw(self.kit, self.pattern, "pad1", "flam", {0: 30.0, 4: 0.4})
        self.assertEqual(self.values(made, "flam"), [30.0, 0.0, 0.0, 0.0])
        made = shaping.draw(self.kit, made, "pad1", "note", {4: 64.0})
        self.assertEqual(self.values(made, "note"), [60, 64, 60, 60])

    def test_own_values_make_pads_that_share_everything_else(self) -> None:
        address = Address(of="pad", pad="pad1", field="tune_st")
        made = shaping.draw(self.kit, self.pattern, "pad1", address, {4: 5.0, 8: 5.0, 12: 7.0})
        varied = varied_pads(self.kit, (made,))
        self.assertEqual([one.pad.tune_st for one in varied], [5.0, 7.0])
        self.assertIs(varied[0].pad.sound, self.kit.pads[0].sound)
        gone = OwnValue(address=Address(of="layer", pad="pad1", layer="x", field="pan"), value=3.0)
        same = varied_pad(self.kit.pads[0], (gone,))
        self.assertEqual(same.sound, self.kit.pads[0].sound, "what is gone is passed over")

    def test_rotated(self) -> None:
        made = shaping.rotated_lane(self.pattern, "pad1", -1)
        self.assertEqual([s.at for s in editing.spots_of(made)], [3, 7, 11, 15])


class Chords(unittest.TestCase):
    def test_typed(self) -> None:
        for text, root, kind, name in (
            ("Am7", 9, "m7", "Am7"),
            ("F#", 6, "", "F♯"),
            ("bb maj7", 10, "maj7", "B♭maj7"),
            ("Cb", 11, "", "B"),
            ("Eø", 4, "m7b5", "Em7♭5"),
        ):
            made = chords.typed_chord(text, 2.0)
            self.assertEqual((made.root, made.kind, made.at), (root, kind, 2.0))
            self.assertEqual(chords.chord_name(made), name)
        for text in ("H", "Am99", "", "7"):
            with self.assertRaises(EditError):
                chords.typed_chord(text)

    def test_put_and_taken_out(self) -> None:
        made = simple()
        for at, text in ((2.0, "F"), (0.0, "Am"), (2.0, "G7")):
            made = chords.put_chord(made, chords.typed_chord(text, at))
        self.assertEqual([chords.chord_name(c) for c in made.chords], ["Am", "G7"])
        self.assertEqual(len(chords.without_chord(made, 2.0).chords), 1)

    def test_read_from_notes(self) -> None:
        """A minor seventh and a dominant, spread over steps."""
        notes = {0: 45, 1: 48, 2: 52, 3: 55, 8: 43, 9: 47, 10: 50, 11: 53}
        hits = tuple(Hit(at=at, note=note) for at, note in notes.items())
        made = Pattern(id="x", name="X", lanes=(Lane(pad="a", hits=hits),))
        made = chords.read_chords(made, "a", 2.0)
        self.assertEqual([(c.at, chords.chord_name(c)) for c in made.chords],
                         [(0.0, "Am7"), (2.0, "G7")])  # fmt: skip


class Variations(unittest.TestCase):
    def setUp(self) -> None:
        self.kit, made = patterns.add_pattern(small_kit())
        hits = tuple(Hit(at=n) for n in range(16))
        self.pattern = editing.put(made, "pad1", hits)

    def test_by_how_far(self) -> None:
        none = variations.varied(self.kit, self.pattern, ["pad1"], 0.0, 1)
        self.assertIs(none, self.pattern)

        def away(amount: float) -> float:
            found = []
            for seed in range(20):
                made = variations.varied(self.kit, self.pattern, ["pad1"], amount, seed)
                by_place = {s.at: editing.hit_at(made, s) for s in editing.spots_of(made)}
                for hit in self.pattern.lanes[0].hits:
                    other = by_place.get(hit.at)
                    found.append(127 if other is None else abs(other.velocity - hit.velocity))
            return float(np.mean(found))

        self.assertLess(away(10.0), away(40.0))
        self.assertLess(away(40.0), away(90.0))

    def test_a_seed_makes_it_again_and_beats_stay(self) -> None:
        one = variations.varied(self.kit, self.pattern, ["pad1"], 100.0, 7)
        self.assertEqual(one, variations.varied(self.kit, self.pattern, ["pad1"], 100.0, 7))
        self.assertNotEqual(one, variations.varied(self.kit, self.pattern, ["pad1"], 100.0, 8))
        places = {spot.at for spot in editing.spots_of(one)}
        self.assertLessEqual({0.0, 4.0, 8.0, 12.0}, places)

    def test_a_fill_lies_in_the_last_beats(self) -> None:
        made = variations.filled(self.kit, self.pattern, 1.0, 3)
        new = set(editing.spots_of(made)) - set(editing.spots_of(self.pattern))
        self.assertTrue(new)
        self.assertGreaterEqual(min(spot.at for spot in new), 12.0)
