"""What JACK calls once a period, with functions of our own in the place of its library's."""

import ctypes
import math
import time
import unittest
from typing import Any

import numpy as np

from puddle.kernels import jack_events as events
from puddle.midi.jack_client import Semaphore
from puddle.midi.jack_transport import beat_and_tempo


class Given(unittest.TestCase):
    """Events that leave."""

    def setUp(self) -> None:
        self.now = 0
        self.given: list[tuple[int, bytes]] = []
        self.cleared = 0
        pointer, i32, i64 = ctypes.c_void_p, ctypes.c_int32, ctypes.c_int64

        def write(buffer: int, at: int, data: int, size: int) -> int:
            self.assertEqual(buffer, 77)
            self.given.append((at, ctypes.string_at(data, size)))
            return 0

        def clear(buffer: int) -> int:
            self.cleared += int(buffer == 77)
            return 0

        self.functions = (
            ctypes.CFUNCTYPE(i64, pointer, i32)(lambda port, frames: 77),
            ctypes.CFUNCTYPE(i32, i64)(clear),
            ctypes.CFUNCTYPE(i32, i64, i32, pointer, i64)(write),
            ctypes.CFUNCTYPE(i32, pointer)(lambda client: self.now),
            ctypes.CFUNCTYPE(i64)(lambda: 1000 * self.now),
        )
        self.cells = np.zeros(events.MEMORY, np.int64)
        places = (events.BUFFER_OF, events.CLEAR, events.WRITE, events.TIME, events.NOW_US)
        for place, function in zip(places, self.functions, strict=True):
            self.cells[place] = ctypes.cast(function, pointer).value or 0

    def put(self, frame: int, *message: int) -> bool:
        data = int.from_bytes(bytes(message), "little")
        return bool(events.put_event(self.cells, frame, data, len(message)))

    def period(self, now: int, frames: int = 128) -> list[tuple[int, bytes]]:
        self.now = now - (1 << 32) if now >= 1 << 31 else now  # as a C function returns it
        self.given.clear()
        memory = self.cells.ctypes.data_as(ctypes.POINTER(ctypes.c_int64))
        events.give_events.ctypes(frames, memory)
        return list(self.given)

    def test_each_event_leaves_on_its_frame_in_its_period(self) -> None:
        rng = np.random.default_rng(2)
        frames = np.sort(rng.integers(0, 12800, 300))
        came, n = list[tuple[int, bytes]](), 0
        for now in range(0, 12800, 128):
            while n < 300 and frames[n] < now + 256:  # written a period ahead
                self.put(int(frames[n]), 0x90, n % 128, 1 + n // 128)
                n += 1
            came += [(now + at, data) for at, data in self.period(now)]
        self.assertEqual([at for at, _ in came], frames.tolist())
        wanted = [bytes([0x90, n % 128, 1 + n // 128]) for n in range(300)]
        self.assertEqual([data for _, data in came], wanted)
        self.assertEqual(self.cleared, 100)

    def test_the_frame_at_a_moment_is_that_of_the_period_and_what_has_gone_since(self) -> None:
        """Frames are counted in 32 bits, the microseconds beside them in 31."""
        for frame in (0, 12800, (1 << 31) - 64, (1 << 32) - 64):
            self.period(frame)  # at a thousand microseconds a frame, as C counts them
            period, at_us = int(self.cells[events.PERIOD]), 1000 * self.now
            for since_us in (0, 1000, 5_000_000):
                found = events.frame_now(period, at_us + since_us, 48000)
                self.assertEqual(found, frame + since_us * 48 // 1000, (frame, since_us))

    def test_late_ones_leave_at_once_and_in_order(self) -> None:
        self.put(100, 0xF8)
        self.put(1050, 0xFA)
        self.put(1040, 0x90, 1, 2)
        self.assertEqual(self.period(1024), [(0, b"\xf8"), (26, b"\xfa"), (26, b"\x90\x01\x02")])

    def test_what_lies_far_ahead_holds_up_nothing(self) -> None:
        """As jack_frame_time has it after a server stood still for five seconds (measured)."""
        self.put(100 + 240405, 0xF8)
        self.put(100, 0xFA)
        self.put(200, 0xFC)
        self.assertEqual(self.period(0), [(0, b"\xf8"), (100, b"\xfa")])
        self.assertEqual(self.period(128), [(72, b"\xfc")])

    def test_strokes_of_a_server_that_stood_still_do_not_sound_in_one_heap(self) -> None:
        """Their ends leave, and what keeps time and moves controls."""
        for frame in (50_000, 51_000, 52_000):  # put while it stood still
            self.put(frame, 0x99, 36, 100)
            self.put(frame + 200, 0x99, 36, 0)
            self.put(frame + 300, 0x89, 36, 64)
            self.put(frame + 400, 0xB9, 7, 80)
        self.put(100, 0x99, 38, 90)
        ends = [b"\x99\x24\x00", b"\x89\x24\x40", b"\xb9\x07\x50"]
        left = self.period(0)
        self.assertEqual(left, [(0, data) for data in 3 * ends] + [(100, b"\x99\x26\x5a")])
        self.put(128, 0x99, 40, 90)  # the same where its frames went on meanwhile
        self.put(50_000, 0x99, 41, 90)
        self.assertEqual(self.period(49_920), [(80, b"\x99\x29\x5a")])

    def test_a_stroke_that_is_a_little_late_sounds(self) -> None:
        for frames in (16, 128, 1024):
            self.put(1000, 0x90, 1, 2)
            self.assertEqual(self.period(1000 + 3000, frames), [(0, b"\x90\x01\x02")])

    def test_frames_are_counted_over_the_end_of_32_bits(self) -> None:
        self.put((1 << 32) + 5 - (1 << 32), 0xF8)
        self.assertEqual(self.period((1 << 32) - 128), [])
        self.assertEqual(self.period(0), [(5, b"\xf8")])
        self.put((1 << 31) + 7, 0xF8)
        self.assertEqual(self.period(1 << 31), [(7, b"\xf8")])

    def test_what_finds_no_place_is_refused(self) -> None:
        self.assertTrue(all(self.put(n, 0xF8) for n in range(events.PLACES)))
        self.assertFalse(self.put(0, 0xF8))
        self.period(0, 64)
        self.assertTrue(self.put(events.PLACES, 0xF8))


class Taken(unittest.TestCase):
    """Events that come."""

    def setUp(self) -> None:
        self.coming: list[bytes] = []
        self.came = Semaphore()
        self.kept: list[Any] = []
        i32, i64 = ctypes.c_int32, ctypes.c_int64

        def event(place: int, buffer: int, n: int) -> int:
            data = ctypes.create_string_buffer(self.coming[n])
            self.kept.append(data)
            frame, size = (
                ctypes.c_uint32.from_address(place),
                ctypes.c_uint64.from_address(place + 8),
            )
            frame.value, size.value = 3 * n, len(self.coming[n])
            ctypes.c_int64.from_address(place + 16).value = ctypes.addressof(data)
            return int(buffer != 77)

        self.functions = (
            ctypes.CFUNCTYPE(i64, ctypes.c_void_p, i32)(lambda port, frames: 77),
            ctypes.CFUNCTYPE(i32, i64)(lambda buffer: len(self.coming)),
            ctypes.CFUNCTYPE(i32, i64, i64, i32)(event),
            ctypes.CFUNCTYPE(i32, i64)(lambda client: self.now),
        )
        self.now = 0
        self.cells = np.zeros(events.MEMORY, np.int64)
        self.cells[events.RATE] = 48000
        places = (events.BUFFER_OF, events.COUNT_OF, events.GET, events.LAST_FRAME)
        for place, function in zip(places, self.functions, strict=True):
            self.cells[place] = ctypes.cast(function, ctypes.c_void_p).value or 0
        self.cells[events.POST] = Semaphore.post_address()
        self.cells[events.CAME] = self.came.address

    def period(self, *coming: bytes) -> None:
        self.coming = list(coming)
        memory = self.cells.ctypes.data_as(ctypes.POINTER(ctypes.c_int64))
        events.take_events.ctypes(128, memory)

    def taken(self) -> list[bytes]:
        return [message for _, message in events.taken(self.cells)]

    def test_times_are_those_of_the_frames_though_periods_are_called_late(self) -> None:
        """Of a period of 512 frames, called up to 4 ms late; the third event is 6 frames in it."""
        rng, start, found = np.random.default_rng(6), time.monotonic(), list[float]()
        for n in range(100):
            due = start + n * 512 / 48000.0 + rng.uniform(0.0, 0.004) * (n % 5 > 0)
            time.sleep(max(0.0, due - time.monotonic()))
            self.now = 512 * n
            self.period(b"\xf8", b"\xf8", b"\x90\x24\x40")
            (at, _) = list(events.taken(self.cells))[2]
            found.append(at - start - (512 * n + 6) / 48000.0)
        self.assertLess(float(np.ptp(found[50:])), 0.0015, "a clock that is never set back")
        self.assertLess(float(np.std(found[50:])), 0.0003)

    def test_all_in_order_and_who_waits_is_woken(self) -> None:
        self.period()
        self.assertFalse(self.came.is_posted)
        rng = np.random.default_rng(4)
        wanted = [bytes(rng.integers(0, 256, n % 8 + 1, np.uint8)) for n in range(40)]
        self.period(*wanted[:20])
        self.period(*wanted[20:])
        self.came.wait()
        self.assertTrue(self.came.is_posted)  # once for each period
        self.assertEqual(self.taken(), wanted)
        self.assertEqual(self.taken(), [])

    def test_exclusive_messages_and_what_finds_no_place_are_left_out(self) -> None:
        self.period(b"", bytes(9), b"\xf8")
        self.assertEqual(self.taken(), [b"\xf8"])
        for n in range(events.PLACES + 5):
            self.period(bytes([0x90, n % 128, 1 + n // 128]))
        found = self.taken()
        self.assertEqual(len(found), events.PLACES)
        self.assertEqual(found[-1], bytes([0x90, 127, events.PLACES // 128]))
        self.period(b"\xfa")
        self.assertEqual(self.taken(), [b"\xfa"])


class Base(unittest.TestCase):
    """The transport's tempo."""

    def test_bar_beat_and_tick_of_a_frame(self) -> None:
        """JACK's transport.h: bars and beats count from 1, ticks from 0."""
        for bpm, seconds, bar, beat, tick in (
            (120.0, 0.0, 1, 1, 0.0),
            (120.0, 3.75, 2, 4, 960.0),
            (90.0, 100.0, 38, 3, 0.0),
        ):
            place = np.zeros(2, events.POSITION)
            place["frame_rate"], place["frame"] = 48000, round(48000 * seconds)
            tempo = np.array([bpm])
            memory = tempo.ctypes.data_as(ctypes.POINTER(ctypes.c_double))
            events.give_position.ctypes(1, 128, place.ctypes.data, 0, memory)
            found = place[0]
            self.assertEqual((found["bar"], found["beat"]), (bar, beat))
            self.assertAlmostEqual(float(found["tick"]), tick, delta=1.0)
            self.assertEqual(found["bar_start_tick"], (bar - 1) * 4 * found["ticks_per_beat"])
            self.assertEqual((found["beats_per_bar"], found["beat_type"]), (4.0, 4.0))
            self.assertEqual(found["beats_per_minute"], bpm)
            wanted = (seconds * bpm / 60.0, bpm)  # as another program reads it
            np.testing.assert_allclose(beat_and_tempo(found, 77.0), wanted, atol=1.0 / 1920.0)

    def test_a_program_that_leads_with_nonsense_is_followed_by_its_frame(self) -> None:
        whole = {"bar": 3, "beat": 2, "tick": 480, "beat_type": 8.0, "beats_per_bar": 6.0}
        whole |= {"ticks_per_beat": 960.0, "beats_per_minute": 90.0, "valid": 0x10}
        for changed, wanted in (
            ({}, ((12.0 + 1.5) / 2.0, 90.0)),  # eighths
            ({"valid": 0}, (4.0, 120.0)),
            ({"beat_type": 0.0}, (3.0, 90.0)),
            ({"ticks_per_beat": 0.0}, (3.0, 90.0)),
            ({"beats_per_bar": math.nan}, (3.0, 90.0)),
            ({"beats_per_minute": math.inf}, ((12.0 + 1.5) / 2.0, 120.0)),
            ({"beats_per_minute": -1.0, "ticks_per_beat": -3.0}, (4.0, 120.0)),
        ):
            place = np.zeros(1, events.POSITION)[0]
            place["frame_rate"], place["frame"] = 48000, 96000
            for name, value in (whole | changed).items():
                place[name] = value
            with self.subTest(changed):
                self.assertEqual(beat_and_tempo(place, 120.0), wanted)


if __name__ == "__main__":
    unittest.main()
