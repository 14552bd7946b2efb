"""What is listened to: the reference loop, mono, the small speaker, and takes crossed over."""

import math
import unittest

import msgspec
import numpy as np

from puddle.engine.engine import Engine
from puddle.engine.listening import SMALL_SPEAKER, speaker_sections
from puddle.kit.model.document import Hit, Lane, Pattern
from puddle.kit.playing.velocity import even_lows
from puddle.render.takeset import TakeSet
from tests.support.engines import RATE, kit_of, played, take_of
from tests.support.sounds import noise

EVEN = Pattern(id="a", name="a", lanes=(Lane(pad="p0", hits=(Hit(at=0, velocity=127),)),))


def ramp(frames: int, level: float) -> np.ndarray:
    x = (level * np.arange(frames) / frames).astype(np.float32)
    return np.stack([x, x], axis=1)


class Crossing(unittest.TestCase):
    def ringing(self, first: np.ndarray) -> Engine:
        engine = Engine(RATE)
        self.kit = kit_of({})
        engine.set_kit(self.kit, {"p0": first}, None)
        engine.strike(0, 127)
        return engine

    def test_it_goes_over_without_a_gap(self) -> None:
        engine = self.ringing(take_of(0.8, 48000))
        before = played(engine, 4800)
        engine.set_kit(self.kit, {"p0": take_of(0.4, 48000)}, None)
        engine.cross(0)
        after = played(engine, 4800)
        np.testing.assert_allclose(before[100:], 0.8, atol=1e-6)
        np.testing.assert_allclose(after[600:], 0.4, atol=1e-6)
        way = after[:600, 0]
        self.assertLessEqual(float(np.diff(way).max()), 1e-6)  # straight down, nothing else
        self.assertGreater(float(np.diff(way).min()), -0.4 / 480 * 1.2)
        self.assertEqual(engine.sounding, 1)

    def test_it_goes_on_at_the_same_place_or_ahead(self) -> None:
        for ahead in (0.0, 250.0, -100.0):
            engine = self.ringing(ramp(48000, 0.5))
            played(engine, 4800)
            engine.set_kit(self.kit, {"p0": ramp(48000, 1.0)}, None)
            engine.cross(0, ahead)
            found = played(engine, 4800)
            wanted = (np.arange(4800 + 1000, 9600) + ahead) / 48000
            np.testing.assert_allclose(found[1000:, 0], wanted, atol=2e-5)

    def test_a_shorter_take_only_fades_out(self) -> None:
        engine = self.ringing(take_of(0.8, 48000))
        played(engine, 4800)
        engine.set_kit(self.kit, {"p0": take_of(0.4, 1000)}, None)
        engine.cross(0)
        found = played(engine, 960)
        self.assertGreater(found[100, 0], 0.5)
        self.assertEqual(float(np.abs(found[500:]).max()), 0.0)

    def test_the_same_take_another_pad_and_no_pad_are_left_alone(self) -> None:
        engine = Engine(RATE)
        takes = {"p0": take_of(0.5, 48000), "p1": take_of(0.25, 48000)}
        kit = kit_of({}, {})
        engine.set_kit(kit, takes, None)
        for n in (0, 1):
            engine.strike(n, 127)
        played(engine, 3200)
        for pad in (0, 7, -1):
            engine.cross(pad)
        np.testing.assert_array_equal(played(engine, 3200), np.full((3200, 2), 0.75, np.float32))
        self.assertEqual(engine.sounding, 2)

    def test_what_comes_in_can_be_choked(self) -> None:
        engine = Engine(RATE)
        kit = kit_of({"choke_group": 1}, {"choke_group": 1})
        first = {"p0": take_of(0.5, 48000), "p1": take_of(0.0, 480)}
        engine.set_kit(kit, first, None)
        engine.strike(0, 127)
        played(engine, 3200)
        engine.set_kit(kit, {**first, "p0": take_of(0.9, 48000)}, None)
        engine.cross(0)
        played(engine, 128)
        engine.strike(1, 127)
        found = played(engine, 2400)
        self.assertEqual(float(np.abs(found[600:]).max()), 0.0)

    def test_a_strength_keeps_its_step_and_level(self) -> None:
        engine = Engine(RATE)
        kit = kit_of({})
        soft, hard = take_of(0.2, 48000), take_of(0.8, 48000)
        engine.set_kit(
            kit, {"p0": TakeSet(even_lows(2), 1, ready={(0, 0, 0): soft, (1, 0, 0): hard})}, None
        )
        engine.strike(0, 40)
        played(engine, 3200)
        other = TakeSet(
            even_lows(2), 1, ready={(0, 0, 0): take_of(0.1, 48000), (1, 0, 0): take_of(0.9, 48000)}
        )
        engine.set_kit(kit, {"p0": other}, None)
        engine.cross(0)
        gain = (40 / 127) ** 2
        np.testing.assert_allclose(played(engine, 3200)[1000:], 0.1 * gain, atol=1e-6)


class Reference(unittest.TestCase):
    def engine(self, bpm: float = 120.0, level: float = 0.0) -> Engine:
        engine = Engine(RATE)
        self.kit = kit_of({}, tempo_bpm=bpm)
        engine.set_kit(self.kit, {"p0": take_of(level, 24000)}, EVEN)
        return engine

    def test_it_runs_with_the_groove_from_its_first_frame(self) -> None:
        engine, loop = self.engine(), noise(1.0, level=0.3)
        engine.set_reference(loop, 2.0)  # a second at 120 bpm
        engine.listen_to_reference(True)
        played(engine, 960)  # the way over to the reference
        engine.play()
        found = played(engine, 3 * 48000)
        np.testing.assert_array_equal(found, np.tile(loop, (3, 1)))
        engine.stop()
        after = played(engine, 4800)
        self.assertEqual(float(np.abs(after[600:]).max()), 0.0)
        self.assertGreater(float(np.abs(after[:100]).max()), 0.05)  # faded, not cut

    def test_rounds_of_no_whole_frames_stay_in_time(self) -> None:
        """At 101 bpm a bar has 114,059.4 frames: round k begins at the nearest frame to k bars."""
        engine = self.engine(101.0)
        length = 4 * 60 / 101 * RATE
        loop = np.zeros((math.ceil(length), 2), np.float32)
        loop[0] = 0.5
        engine.set_reference(loop, 4.0)
        engine.listen_to_reference(True)
        played(engine, 960)
        engine.play()
        found = played(engine, round(12.5 * length), 1024)
        clicks = np.flatnonzero(found[:, 0] > 0.25)
        self.assertEqual(clicks.tolist(), [math.floor(k * length + 0.5) for k in range(13)])

    def test_switching_leaves_no_gap(self) -> None:
        engine = self.engine(level=0.5)
        engine.set_reference(take_of(0.5, 96000), 4.0)
        engine.listen_to_reference(False)
        engine.play()
        heard = [played(engine, 1600)]
        for on in (True, False, True, False):
            engine.listen_to_reference(on)
            heard.append(played(engine, 1600))
        whole = np.concatenate(heard)
        np.testing.assert_allclose(whole[1600:], 0.5, atol=1e-6)

    def test_gains_match_both(self) -> None:
        engine = self.engine(level=0.5)
        engine.set_reference(take_of(0.25, 96000), 4.0)
        engine.listen_to_reference(False, 0.5, 2.0)
        engine.play()
        np.testing.assert_allclose(played(engine, 4800)[1600:], 0.25, atol=1e-6)
        engine.listen_to_reference(True, 0.5, 2.0)
        np.testing.assert_allclose(played(engine, 4800)[1600:], 0.5, atol=1e-6)

    def test_no_loop_is_silence_and_an_old_one_is_let_go(self) -> None:
        import weakref

        engine = self.engine()
        loop = noise(0.5, level=0.3)
        gone = weakref.ref(loop)
        engine.set_reference(loop, 1.0)
        engine.listen_to_reference(True)
        del loop
        engine.play()
        played(engine, 4800)
        self.assertIsNotNone(gone())
        engine.set_reference(None)
        found = played(engine, 4800)
        self.assertEqual(float(np.abs(found).max()), 0.0)
        engine.set_reference(None)
        self.assertIsNone(gone())


class Monitor(unittest.TestCase):
    def test_mono_is_the_mean(self) -> None:
        engine = Engine(RATE)
        take = noise(1.0, level=0.3)
        take[:, 1] *= np.float32(-0.4)
        engine.set_kit(kit_of({}), {"p0": take}, None)
        engine.set_listening(mono=True, small_speaker=False)
        played(engine, 960)
        engine.strike(0, 127)
        found = played(engine, 9600)
        middle = take[:9600].mean(axis=1)
        np.testing.assert_allclose(found, np.stack([middle, middle], 1), atol=1e-6)

    def test_the_speaker_is_its_curve(self) -> None:
        """An impulse through it, against the analog equations' own response by frequency."""
        for rate in (44100.0, 48000.0, 96000.0):
            engine = Engine(rate)
            take = np.zeros((8192, 2), np.float32)
            take[0] = 1.0
            engine.set_kit(kit_of({}), {"p0": take}, None)
            engine.set_listening(mono=False, small_speaker=True)
            played(engine, 1920)
            engine.strike(0, 127)
            found = played(engine, 8192)[:, 0].astype(np.float64)
            hz = np.fft.rfftfreq(8192, 1 / rate)
            some = (hz > 60) & (hz < 15000)
            db = 20 * np.log10(np.abs(np.fft.rfft(found))[some])
            np.testing.assert_allclose(db, SMALL_SPEAKER.response_db(hz[some], rate), atol=0.05)
            at = {h: float(db[np.argmin(np.abs(hz[some] - h))]) for h in (80.0, 1500.0)}
            self.assertLess(at[80.0], at[1500.0] - 25.0)  # the bottom is gone
            self.assertLess(len(speaker_sections(rate)), 9)

    def test_it_does_not_depend_on_blocks_and_is_in_no_bounce(self) -> None:
        take, loop = noise(1.0, level=0.3), noise(0.7, seed=4, level=0.2)
        kit = kit_of({}, tempo_bpm=133.0)

        def made() -> Engine:
            engine = Engine(RATE)
            engine.set_kit(kit, {"p0": take}, EVEN)
            engine.set_reference(loop, 3.0)
            engine.listen_to_reference(True, 0.7, 1.3)
            engine.set_listening(mono=True, small_speaker=True)
            engine.play()
            return engine

        wanted = played(made(), 19200, 64)
        for block in (1, 37, 128, 1024):
            frames = 19200 if block > 1 else 3200
            np.testing.assert_array_equal(played(made(), frames, block), wanted[:frames])
        bounced, _ = made().advance_tapped(9600)
        plain = Engine(RATE)
        plain.set_kit(kit, {"p0": take}, EVEN)
        plain.play()
        np.testing.assert_array_equal(bounced, plain.advance_tapped(9600)[0])
        self.assertGreater(float(np.abs(wanted[:9600] - bounced).max()), 0.01)

    def test_switched_off_it_touches_nothing(self) -> None:
        take = noise(1.0, level=0.3)
        engine, plain = Engine(RATE), Engine(RATE)
        for one in (engine, plain):
            one.set_kit(kit_of({}), {"p0": take}, None)
        engine.set_listening(mono=True, small_speaker=True)
        played(engine, 4800)
        engine.set_listening(mono=False, small_speaker=False)
        played(engine, 4800)
        for one in (engine, plain):
            one.strike(0, 100)
        np.testing.assert_array_equal(played(engine, 9600), played(plain, 9600))

    def test_no_click_on_the_way(self) -> None:
        t = np.arange(48000) / RATE
        x = (0.5 * np.sin(2 * np.pi * 500 * t)).astype(np.float32)
        engine = Engine(RATE)
        engine.set_kit(kit_of({}), {"p0": np.stack([x, 0.3 * x], 1)}, None)
        engine.strike(0, 127)
        played(engine, 4800)
        heard = []
        for mono, small in ((True, False), (True, True), (False, False)):
            engine.set_listening(mono=mono, small_speaker=small)
            heard.append(played(engine, 4800))
        steps = np.abs(np.diff(np.concatenate(heard), axis=0)).max()
        largest = 0.5 * 10 ** (6 / 20) * 2 * np.pi * 500 / RATE  # of such a sine at the hump's gain
        self.assertLess(float(steps), 1.2 * largest)


class Kept(unittest.TestCase):
    def test_patterns_and_references_are_others(self) -> None:
        """A pattern swapped while a loop runs leaves the loop in its place."""
        engine = Engine(RATE)
        kit = kit_of({}, tempo_bpm=120.0)
        loop = noise(1.0, level=0.3)
        engine.set_kit(kit, {"p0": take_of(0.0, 10)}, EVEN)
        engine.set_reference(loop, 2.0)
        engine.listen_to_reference(True)
        played(engine, 960)
        engine.play()
        first = played(engine, 10 * 1600)
        engine.set_kit(kit, {"p0": take_of(0.0, 10)}, msgspec.structs.replace(EVEN, length=12))
        rest = played(engine, 48000 - 16000)
        np.testing.assert_array_equal(np.concatenate([first, rest]), loop)
