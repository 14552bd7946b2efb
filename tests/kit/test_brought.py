"""Patterns that come from elsewhere: by hand, as a feel, out of MIDI files, of older kits."""

import unittest

import numpy as np

from puddle.errors import EditError
from puddle.kit.edits import (
    feels,
    from_midi,
    patterns,
    set_pad,
)
from puddle.kit.edits import hits as editing
from puddle.kit.edits.moves import Moved, moved_controls, with_moves
from puddle.kit.edits.recorded import Struck, TimedStroke, joined, kept, recorded
from puddle.kit.model.address import Address
from puddle.kit.model.document import Hit, Kit, Pattern
from puddle.kit.playing.schedule import Part
from tests.support.sounds import simple_pattern as simple
from tests.support.sounds import small_kit

PADS = ("a", "b", "c")
BPM = 96.0


class Recorded(unittest.TestCase):
    """A sixteenth at 120 bpm lasts 125 ms."""

    def test_on_its_step_with_what_is_left_of_its_time(self) -> None:
        for quantize, nudge in ((100.0, 0.0), (0.0, 30.0), (50.0, 15.0)):
            made = recorded(simple(), Struck("b", 9.0 + 0.06, 77), 8.0, 120.0, quantize)
            (hit,) = made.lanes[1].hits
            self.assertEqual((hit.at, hit.velocity), (4.0, 77))
            self.assertAlmostEqual(hit.nudge_ms, nudge, places=1)

    def test_early_for_the_next_pass(self) -> None:
        made = recorded(simple(), Struck("b", 3.99, 77), 0.0, 120.0, 0.0)
        (hit,) = made.lanes[1].hits
        self.assertEqual(hit.at, 0.0)
        self.assertAlmostEqual(hit.nudge_ms, -5.0, places=1)

    def test_flams_and_rolls_are_kept(self) -> None:
        both = joined(Struck("b", 0.95, 50), Struck("b", 1.0, 100), 120.0)
        assert both is not None
        made = recorded(Pattern(id="x", name="X"), both, 0.0, 120.0, 100.0)
        (hit,) = made.lanes[0].hits
        self.assertEqual((hit.at, hit.velocity), (4.0, 100))
        self.assertEqual([(f.before_ms, f.level) for f in hit.flams], [(25.0, 50.0)])
        self.assertIsNone(joined(Struck("b", 0.8, 50), Struck("b", 1.0, 100), 120.0))
        self.assertIsNone(joined(Struck("a", 0.95, 50), Struck("b", 1.0, 100), 120.0))
        made, before = Pattern(id="x", name="X"), None
        for beat in (1.0, 1.06, 1.12):
            now = Struck("b", beat, 90)
            made, before = recorded(made, now, 0.0, 120.0, 100.0, before), now
        self.assertEqual([(h.at, h.roll) for h in made.lanes[0].hits], [(4.0, 3)])
        again = recorded(made, Struck("b", 5.0, 60), 0.0, 120.0, 100.0, before)
        self.assertEqual([(h.at, h.roll, h.velocity) for h in again.lanes[0].hits], [(4, 1, 60)])

    def test_kept_as_whole_bars(self) -> None:
        kit = small_kit()
        made = kept(kit, [TimedStroke("pad1", 1.0 + n * 0.5, 90) for n in range(9)], 120.0)
        self.assertEqual(made.length, 48)
        self.assertEqual([s.at for s in editing.spots_of(made)], [float(n) for n in range(9)])


class Moves(unittest.TestCase):
    def test_each_stroke_takes_what_stood_when_it_fell(self) -> None:
        kit, made = patterns.add_pattern(small_kit())
        hits = tuple(Hit(at=2 * n) for n in range(8))
        kit = patterns.in_pattern(kit, made.id, lambda p: editing.put(p, "pad1", hits))
        tune = Address(of="pad", pad="pad1", field="tune_st")
        moves = [Moved(1.0 + 0.1 * n, float(n)) for n in range(11)]
        part = Part(patterns.pattern_of(kit, made.id))
        kit = with_moves(kit, part, tune, moves, -1.0)
        found = [
            (hit.at, hit.values[0].value)
            for hit in patterns.pattern_of(kit, made.id).lanes[0].hits
            if hit.values
        ]
        self.assertEqual(found, [(4.0, 0.0), (6.0, 5.0), (8.0, 10.0)])
        self.assertEqual(kit.pads[0].tune_st, -1.0)

    def test_only_gauges_of_the_pad_itself_count(self) -> None:
        pad = small_kit().pads[0]
        other = set_pad(small_kit(), pad.id, level_db=-3.0).pads[0]
        found = moved_controls(pad, other)
        self.assertEqual([(a.field, v) for a, v in found.items()], [("level_db", (0.0, -3.0))])
        self.assertEqual(moved_controls(pad, pad), {})


class Feels(unittest.TestCase):
    def setUp(self) -> None:
        self.kit, made = patterns.add_pattern(small_kit())
        late = [Hit(at=n, velocity=60 + 10 * (n % 4), nudge_ms=3.0 * (n % 4)) for n in range(16)]
        plain = [Hit(at=n) for n in range(16)]
        made = editing.put(editing.put(made, "pad1", late), "pad2", plain)
        self.pattern = made
        self.kit, self.feel = feels.keep_feel(self.kit, "x", feels.feel_of(made, BPM, ["pad1"]))

    def hits(self, amount: float) -> tuple[Hit, ...]:
        made = feels.laid_over(self.pattern, ["pad2"], self.feel, amount, BPM)
        lane = made.lane("pad2")
        assert lane is not None
        return lane.hits

    def test_timing_and_strengths_by_an_amount(self) -> None:
        whole, half = self.hits(100.0), self.hits(50.0)
        np.testing.assert_allclose([h.nudge_ms for h in whole[:4]], [0, 3, 6, 9], atol=0.01)
        np.testing.assert_allclose([h.nudge_ms for h in half[:4]], [0, 1.5, 3, 4.5], atol=0.01)
        mean = 75.0
        wanted = [100.0 * (60 + 10 * n) / mean for n in range(4)]
        np.testing.assert_allclose([h.velocity for h in whole[:4]], wanted, atol=1.0)
        self.assertEqual(self.hits(0.0), self.pattern.lanes[1].hits)

    def test_of_notes_and_of_swing(self) -> None:
        swung = Pattern(id="x", name="X", swing=62.0, lanes=(self.pattern.lanes[1],))
        steps = feels.feel_of(swung, BPM)
        self.assertAlmostEqual(steps[1].late, 0.24 * 0.25, places=5)
        notes = [from_midi.PlayedNote(0.25 * n + 0.01, 0.1, 36, 90) for n in range(32)]
        folded = feels.feel_of_notes(notes)
        self.assertEqual(len(folded), 16)
        self.assertTrue(all(abs(s.late - 0.01) < 1e-6 and s.strength == 1.0 for s in folded))

    def test_steps_without_a_stroke_say_nothing(self) -> None:
        steps = feels.feel_of(simple(), BPM)
        self.assertEqual(steps[1].strength, 0.0)
        with self.assertRaises(EditError):
            feels.feel_of(Pattern(id="x", name="X"), BPM)


class FromMidi(unittest.TestCase):
    def test_notes_find_pads_by_their_notes_then_by_roles(self) -> None:
        kit = small_kit()
        notes = [
            from_midi.PlayedNote(0.5 * n, 0.25, note, 80) for n, note in enumerate((36, 35, 38, 99))
        ]
        taken = from_midi.pattern_from(kit, notes, "x", "3/4")
        self.assertEqual(taken.lost, (99,))
        self.assertEqual(taken.pattern.meter, "3/4")
        self.assertEqual([s.at for s in editing.spots_of(taken.pattern, "pad1")], [0.0, 2.0])

    def test_triplets_and_loose_times(self) -> None:
        kit = small_kit()
        triplets = [from_midi.PlayedNote(n / 3.0, 0.1, 36, 80) for n in range(12)]
        self.assertEqual(from_midi.pattern_from(kit, triplets, "x").pattern.grid, "1/8 triplet")
        loose = [from_midi.PlayedNote(n * 0.31, 0.1, 36, 80) for n in range(12)]
        lane = from_midi.pattern_from(kit, loose, "x").pattern.lane("pad1")
        self.assertTrue(lane is not None and lane.exact)

    def test_many_notes_are_cut_to_what_a_pattern_holds(self) -> None:
        kit = small_kit()
        many = [from_midi.PlayedNote(n * 0.25, 0.1, 36, 80) for n in range(5000)]
        made = from_midi.pattern_from(kit, many, "x").pattern
        self.assertEqual(made.length, 128)
        self.assertEqual(len(editing.spots_of(made)), 128)


class OldKits(unittest.TestCase):
    def test_version_6_is_brought_up(self) -> None:
        import msgspec

        from puddle.kit.codec.migrations import migrated

        lanes = [
            {"pad": "a", "hits": [{"step": 3, "velocity": 70, "steps": 2.0}]},
            {"pad": "a", "hits": [{"step": 4}]},
        ]
        old = {"name": "K", "version": 6, "pads": [{"id": "a", "name": "A", "place": 0}]}
        even = {"id": "p", "name": "P", "length": 12, "steps_per_beat": 3, "lanes": lanes}
        odd = {"id": "q", "name": "Q", "length": 10, "steps_per_beat": 5, "swing": 60.0,
               "lanes": [{"pad": "a", "hits": [{"step": 3}]}]}  # fmt: skip
        kit = msgspec.convert(migrated({**old, "patterns": [even, odd]}, 6), type=Kit)
        first, second = kit.patterns
        self.assertEqual((first.grid, first.length), ("1/8 triplet", 12))
        self.assertEqual([(h.at, h.velocity, h.length) for h in first.lanes[0].hits],
                         [(3, 70, 2.0), (4, 100, 1.0)])  # fmt: skip
        self.assertEqual((second.grid, second.length), ("1/16", 8))
        self.assertAlmostEqual(second.lanes[0].hits[0].at, (3 + 0.2) / 5)


if __name__ == "__main__":
    unittest.main()
