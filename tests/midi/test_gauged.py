"""Controls move gauges: how they send, where they take over, and what the hat pedal does."""

import unittest

import mido
from hypothesis import given
from hypothesis import strategies as st

from puddle.midi.gauged import SENDS, Gauged, TakeOver, gauged_by, guessed, is_gauge, steps_of
from puddle.midi.hat_pedal import FootStroke, Pedal
from puddle.midi.messages import Messages, Turned, song_position, turned


class OfMessages(unittest.TestCase):
    @given(st.integers(0, 15), st.integers(0, 127), st.integers(0, 127))
    def test_as_another_reader_has_them(self, channel: int, number: int, value: int) -> None:
        other = {
            "control": mido.Message("control_change", control=number, value=value),
            "key pressure": mido.Message("polytouch", note=number, value=value),
            "pressure": mido.Message("aftertouch", value=value),
            "program": mido.Message("program_change", program=number),
            "wheel": mido.Message("pitchwheel", pitch=64 * value + number - 8192),
        }
        for kind, message in other.items():
            data = bytes(message.copy(channel=channel).bytes())
            found = turned(data)
            assert found is not None
            self.assertEqual((found.kind, found.channel), (kind, channel))
            if kind == "wheel":
                self.assertEqual(found.raw - 8192, message.pitch)
            elif kind == "program":
                self.assertEqual(found.number, number)
            else:
                self.assertEqual(found.raw, value)
            self.assertTrue(0.0 <= found.share <= 1.0)

    def test_notes_broken_ones_and_nothing_turn_nothing(self) -> None:
        for data in (b"", b"\x90\x20\x40", b"\xb0\x01", b"\xd0", b"\xc0\x01\x02", b"\xf8"):
            self.assertIsNone(turned(data))

    @given(st.integers(0, 16383))
    def test_song_position_is_in_sixteenths(self, position: int) -> None:
        data = bytes(mido.Message("songpos", pos=position).bytes())
        whole = Messages().of(b"\xf8" + data[:1] + b"\xfa" + data[1:])
        self.assertEqual(song_position(whole[-1]), position / 4.0)
        self.assertIsNone(song_position(b"\xb0\x01\x02"))

    def test_data_after_a_song_position_runs_on_in_nothing(self) -> None:
        self.assertEqual(len(Messages().of(b"\xf2\x01\x02\x03\x04")), 1)


def control(number: int, raw: int, channel: int = 0) -> Turned:
    return Turned("control", channel, number, raw, raw / 127.0)


class HowTheySend(unittest.TestCase):
    @given(st.sampled_from(SENDS[1:]), st.lists(st.integers(-9, 9).filter(bool), min_size=1))
    def test_steps_are_read_as_they_were_sent(self, sends: str, steps: list[int]) -> None:
        sent = {
            "steps around 64": lambda n: 64 + n,
            "steps, two's complement": lambda n: n % 128,
            "steps, sign and size": lambda n: n if n > 0 else 64 - n,
        }[sends]
        self.assertEqual([steps_of(sends, sent(n)) for n in steps], steps)  # type: ignore[arg-type]

    def test_steps_are_told_from_positions(self) -> None:
        for values, told in (
            ([65, 65, 65], "steps around 64"),
            ([63, 63, 63, 65], "steps around 64"),
            ([1, 1, 1, 127, 127], "steps, two's complement"),
            ([127, 127, 127], "steps, two's complement"),
            ([1, 1, 1, 65, 65, 66], "steps, sign and size"),
            ([20, 21, 22, 23], "positions"),
            ([60, 61, 62, 63, 64, 65], "positions"),
            ([1, 2, 3, 4, 5], None),
            ([65], None),
        ):
            self.assertEqual(guessed(values), told, values)

    @given(st.integers(0, 127), st.integers(1, 8), st.booleans())
    def test_what_runs_along_its_way_is_no_steps(self, at: int, by: int, up: bool) -> None:
        values = list(range(at, 128, by)) if up else list(range(at, -1, -by))
        self.assertIn(guessed(values), (None, "positions"))

    def test_pedals_banks_and_data_entry_are_no_gauges(self) -> None:
        free = [n for n in range(128) if is_gauge(control(n, 0))]
        for number in (0, 4, 6, 32, 38, 64, 98, 101, 120, 127):
            self.assertNotIn(number, free)
        self.assertTrue({1, 7, 10, 20, 21, 28, 74} <= set(free))

    def test_a_control_of_one_channel_goes_before_one_of_any(self) -> None:
        wide, own = Gauged(kind="control", number=21), Gauged(kind="control", number=21, channel=3)
        self.assertEqual(gauged_by((own, wide), control(21, 5, 3)), own)
        self.assertEqual(gauged_by((own, wide), control(21, 5, 4)), wide)
        self.assertIsNone(gauged_by((own,), control(21, 5, 4)))


class Takes(unittest.TestCase):
    def test_it_waits_until_the_gauge_is_passed(self) -> None:
        over = TakeOver()
        self.assertFalse(over.moved(0.1, 0.5))
        self.assertFalse(over.moved(0.4, 0.5))
        self.assertTrue(over.moved(0.7, 0.5), "passed between two messages")
        over.left(0.7)
        self.assertTrue(over.moved(0.2, 0.7), "it has the gauge")

    def test_a_gauge_that_was_moved_elsewhere_is_waited_for_again(self) -> None:
        over = TakeOver()
        over.moved(0.5, 0.5)
        over.left(0.5)
        self.assertFalse(over.moved(0.52, 0.9))
        self.assertTrue(over.moved(0.95, 0.9))

    @given(st.lists(st.floats(0.0, 1.0), min_size=2, max_size=60), st.floats(0.0, 1.0))
    def test_a_gauge_never_jumps_but_over_where_the_hand_goes(
        self, hands: list[float], stands: float
    ) -> None:
        over, before = TakeOver(), hands[0]
        for hand in hands:
            if over.moved(hand, stands):
                low, high = min(before, hand), max(before, hand)
                self.assertTrue(low - 0.0121 <= stands <= high + 0.0121)
                stands = hand
                over.left(stands)
            before = hand


class OfFeet(unittest.TestCase):
    def press(self, *at: tuple[float, float]) -> list[FootStroke]:
        pedal = Pedal()
        found = [pedal.moved(down, seconds) for seconds, down in at]
        return [stroke for stroke in found if stroke is not None]

    def test_zones_run_from_closed_to_open(self) -> None:
        pedal = Pedal()
        zones = []
        for down in (1.0, 0.9, 0.6, 0.4, 0.1, 0.0):
            pedal.moved(down, 0.0)
            zones.append(pedal.zone(3))
        self.assertEqual(zones, [0, 0, 1, 1, 2, 2])

    def test_the_faster_the_harder_and_slowly_nothing(self) -> None:
        def closed(seconds: float) -> float:
            steps = [(10.0 + seconds * n / 10, n / 10) for n in range(11)]
            (stroke,) = self.press(*steps)
            self.assertTrue(stroke.closes)
            return stroke.velocity

        hard = [closed(seconds) for seconds in (0.02, 0.06, 0.15, 0.4)]
        self.assertEqual(hard, sorted(hard, reverse=True))
        self.assertGreater(hard[0], 80.0)
        self.assertGreaterEqual(closed(2.0), 0.0)
        self.assertEqual(closed(2.0), 0.0)

    def test_opened_at_once_it_splashes(self) -> None:
        closes, opens = self.press((0.0, 0.1), (0.02, 0.5), (0.03, 1.0), (0.1, 0.2))
        self.assertTrue(closes.closes and not opens.closes)
        self.assertAlmostEqual(opens.velocity, 0.7 * closes.velocity)
        late = self.press((0.0, 0.1), (0.02, 0.5), (0.03, 1.0), (0.8, 0.2))
        self.assertEqual(len(late), 1)
