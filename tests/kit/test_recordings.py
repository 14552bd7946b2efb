"""Recordings in the kit: marks and groups by hand, and hits sent into pads and patterns."""

import unittest

import numpy as np

from puddle.errors import EditError
from puddle.kit import edits
from puddle.kit.codec.reading import kit_from_json
from puddle.kit.edits import recordings as r
from puddle.kit.edits.landing import landed, landed_on
from puddle.kit.edits.slices import Slice, Tempo, in_order, landing_of, timed_pattern
from puddle.kit.model.document import Content, Kit, Likes, Recording, Sample


def content(frames: int = 480_000) -> Content:
    return Content(
        hash="a" * 64, name="take.wav", suffix=".wav", rate_hz=48000.0, channels=2, frames=frames
    )


def slices(*places: tuple[int, int]) -> list[Slice]:
    return [
        Slice(f"hit {n}", "a" * 64, a, b, 48000.0, a / 48000.0, -20.0 + 6.0 * n)
        for n, (a, b) in enumerate(places)
    ]


class Marks(unittest.TestCase):
    def setUp(self) -> None:
        self.recording = Recording(id="r", name="take", path="/take.wav")

    def test_a_found_hit_that_is_moved_remembers_where_it_was_found(self) -> None:
        moved = r.move_mark(r.move_mark(self.recording, 100, 120), 120, 140)
        self.assertEqual([(m.at, m.found) for m in moved.marks], [(140, 100)])
        self.assertEqual(r.lock_mark(moved, 140, False).marks, ())

    def test_a_hit_put_by_hand_goes_without_a_trace_a_found_one_stays_away(self) -> None:
        added = r.add_mark(self.recording, 50)
        self.assertEqual(r.remove_mark(added, 50).marks, ())
        gone = r.remove_mark(self.recording, 70)
        self.assertTrue(gone.marks[0].gone)
        self.assertFalse(r.add_mark(gone, 70).marks[0].gone)

    def test_an_end_stays_behind_its_start(self) -> None:
        ended = r.end_mark(self.recording, 100, 90)
        self.assertEqual(ended.marks[0].end, 101)
        self.assertEqual(r.move_mark(ended, 100, 500).marks[0].end, 501)
        self.assertIsNone(r.end_mark(ended, 100, None).marks[0].end)

    def test_two_hits_never_begin_at_one_frame(self) -> None:
        both = r.add_mark(r.add_mark(self.recording, 50), 80)
        with self.assertRaises(EditError):
            r.move_mark(both, 50, 80)

    def test_groups_follow_a_mark_that_moves_or_goes(self) -> None:
        groups = (Likes(name="Oak", hits=(10, 20)), Likes(name="Rope", hits=(30,)))
        kept = r.with_groups(r.leave_out(self.recording, 20, True), groups)
        moved = r.move_mark(kept, 20, 25)
        self.assertEqual(moved.groups[0].hits, (10, 25))
        self.assertEqual(moved.left_out, (25,))
        self.assertEqual(r.remove_mark(moved, 25).groups[0].hits, (10,))
        other = r.group_hit(kept, 30, 0)
        self.assertEqual([g.hits for g in other.groups], [(10, 20, 30)])
        own = r.group_hit(kept, 10, None)
        self.assertEqual([g.hits for g in own.groups], [(20,), (30,), (10,)])

    def test_of_one_file_there_is_one_and_numbers_come_into_range(self) -> None:
        kit, first = r.add_recording(Kit(name="k"), "take", "/take.wav")
        again, second = r.add_recording(kit, "take", "/take.wav")
        self.assertIs(again, kit)
        self.assertEqual(first, second)
        wide = r.set_recording(kit, first.id, sensitivity=900.0, gap_ms=-3.0)
        self.assertEqual((wide.recordings[0].sensitivity, wide.recordings[0].gap_ms), (100.0, 3.0))
        self.assertEqual(r.remove_recording(kit, first.id).recordings, ())
        with self.assertRaises(EditError):
            r.recording_of(kit, "none")

    def test_a_kit_with_them_is_read_as_it_was_written(self) -> None:
        import msgspec

        kit, made = r.add_recording(Kit(name="k"), "take", "/take.wav")
        kit = r.in_recording(kit, made.id, lambda x: r.lift_mark(x, 40, 80.0))
        self.assertEqual(kit_from_json(msgspec.json.encode(kit), "a test"), kit)


class Sent(unittest.TestCase):
    def test_soft_to_hard_on_velocities_turns_in_each(self) -> None:
        found = slices((1000, 9000), (20000, 30000), (40000, 52000), (60000, 70000))
        landing = landing_of("Oak", "tom", found, [[0, 1], [2, 3]], [content()])
        kit, made = landed(Kit(name="k"), [landing])
        layers = made[0].sound.layers
        self.assertEqual([k.turn for k in layers], [1, 2, 1, 2])
        self.assertEqual(layers[0].hardest + 1, layers[2].softest)
        self.assertEqual(kit.contents, (content(),))
        source = layers[0].source
        assert isinstance(source, Sample)
        # A millisecond before the hit is faded in, and its end out.
        self.assertAlmostEqual(source.start_ms, 1000 / 48.0 - 1.0)
        self.assertEqual((source.fade_in_ms, source.end_ms), (1.0, 9000 / 48.0))

    def test_onto_a_pad_only_its_layers_are_others(self) -> None:
        kit, made = landed(
            Kit(name="k"), [landing_of("A", "kick", slices((0, 4800)), [[0]], [content()])]
        )
        kit = edits.set_pad(kit, made[0].id, level_db=-3.0, tune_st=2.0)
        other = landing_of(
            "B", "kick", slices((9600, 14400), (20000, 24000)), [[0], [1]], [content()]
        )
        put = landed_on(kit, made[0].id, other).pads[0]
        self.assertEqual((put.level_db, put.tune_st, len(put.sound.layers)), (-3.0, 2.0, 2))

    def test_in_order_each_until_the_next(self) -> None:
        found = slices((480, 24000), (24000, 48000), (48000, 96000))
        kit, pattern = in_order(Kit(name="k"), found, [content()], "loop", Tempo(120.0, 0.01), 2.01)
        self.assertEqual(len(kit.pads), 3)
        self.assertEqual((pattern.length, pattern.grid), (16, "1/16"))
        at = [lane.hits[0].at for lane in pattern.lanes]
        # Two beats a second; each begins with its lead of a millisecond, the first one at zero.
        for beat, one in zip(at, found, strict=True):
            self.assertAlmostEqual(beat, (one.seconds - 0.01) * 2.0)
        self.assertTrue(all(lane.exact for lane in pattern.lanes))
        self.assertTrue(all(pad.velocity_amount == 0.0 for pad in kit.pads))

    def test_in_order_whole_bars_before_the_downbeat(self) -> None:
        found = slices((48000, 96000), (192000, 216000))  # at 1 and 4 s; a bar lasts 2 s
        _, pattern = in_order(Kit(name="k"), found, [content()], "x", Tempo(120.0, 4.0), 8.0)
        at = [lane.hits[0].at for lane in pattern.lanes]
        np.testing.assert_allclose(at, [2.0 - 0.002, 8.0 - 0.002])
        self.assertEqual(pattern.length, 64)  # two bars before it, and two from it on

    def test_in_order_what_is_silent_before_the_downbeat_is_left_out(self) -> None:
        found = slices((48000, 96000), (96000, 144000))
        _, pattern = in_order(Kit(name="k"), found, [content()], "x", Tempo(120.0, 1.0), 5.0)
        self.assertEqual(pattern.length, 32)  # two bars from the first second on
        at = [lane.hits[0].at for lane in pattern.lanes]
        np.testing.assert_allclose(at, [0.0, 2.0 - 0.002], atol=0.002)

    def test_what_is_too_long_for_a_pattern_is_refused(self) -> None:
        with self.assertRaises(EditError) as caught:
            in_order(Kit(name="k"), slices((0, 480)), [content()], "x", Tempo(120.0, 0.0), 400.0)
        self.assertIn("128", str(caught.exception))
        with self.assertRaises(EditError):
            in_order(Kit(name="k"), [], [content()], "x", Tempo(120.0, 0.0), 4.0)

    def test_timing_begins_with_the_downbeat_or_whole_bars_before(self) -> None:
        hits = [("a", 1.0, 1.0), ("b", 1.5, 0.25), ("a", 2.0, 1.0)]
        pattern = timed_pattern("t", hits, Tempo(120.0, 1.0), 3.0)
        lane = next(lane for lane in pattern.lanes if lane.pad == "a")
        self.assertEqual([h.at for h in lane.hits], [0.0, 2.0])
        soft = next(lane for lane in pattern.lanes if lane.pad == "b").hits[0]
        self.assertEqual((soft.at, soft.velocity), (1.0, 64))  # 40 log10 of half: 12 dB
        early = timed_pattern("t", [("a", 0.5, 1.0), *hits], Tempo(120.0, 1.0), 3.0)
        self.assertEqual(early.lanes[0].hits[0].at, 3.0)  # the last beat of the bar before
