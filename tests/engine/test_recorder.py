"""Inputs recorded to disk: whole at any moment, waiting for a sound, ending by themselves."""

import os
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from puddle.engine import recorder
from puddle.engine.inputs import SIMULATED_INPUT, InputInfo, inputs, simulated_hits
from puddle.engine.recorder import Recorder
from puddle.errors import DeviceError, FileError
from puddle.formats.growing_wav import GrowingWav

SIMULATED = InputInfo(SIMULATED_INPUT, None, 2)


class InFolder(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.path = Path(holder.name) / "take.wav"


class Growing(InFolder):
    def test_it_can_be_read_after_each_block(self) -> None:
        audio = np.random.default_rng(1).uniform(-1.0, 1.0, (3000, 2)).astype(np.float32)
        file = GrowingWav(self.path, 48000.0, 2)
        for n in range(3):
            file.write(audio[1000 * n : 1000 * (n + 1)])
            there, rate = soundfile.read(self.path, dtype="float32")
            self.assertEqual((there.shape, rate), ((1000 * (n + 1), 2), 48000))
            np.testing.assert_allclose(there, audio[: 1000 * (n + 1)], atol=1.2e-7)
        file.close()
        np.testing.assert_allclose(
            soundfile.read(self.path, dtype="float32")[0], audio, atol=1.2e-7
        )

    def test_a_kill_leaves_what_was_written(self) -> None:
        pid = os.fork()
        if pid == 0:
            file = GrowingWav(self.path, 48000.0, 1)
            file.write(np.full((480, 1), 0.5, np.float32))
            os.kill(os.getpid(), 9)
        os.waitpid(pid, 0)
        self.assertEqual(soundfile.info(self.path).frames, 480)

    def test_no_file_is_written_over_and_an_empty_one_goes(self) -> None:
        GrowingWav(self.path, 48000.0, 1).close()
        self.assertFalse(self.path.exists())
        self.path.write_bytes(b"mine")
        with self.assertRaises(FileError):
            GrowingWav(self.path, 48000.0, 1)
        self.assertEqual(self.path.read_bytes(), b"mine")

    def test_at_four_gigabytes_it_is_full(self) -> None:
        file = GrowingWav(self.path, 48000.0, 2)
        self.addCleanup(file.close)
        file.frames = 1 << 30
        with self.assertRaises(FileError):
            file.write(np.zeros((10, 2), np.float32))


class Recorded(InFolder):
    def until(self, made: Recorder, done: object, seconds: float = 10.0) -> None:
        end = time.monotonic() + seconds
        while not done(made.state()):  # type: ignore[operator]
            self.assertLess(time.monotonic(), end)
            time.sleep(0.01)

    def test_what_the_simulated_input_gives_is_on_disk(self) -> None:
        made = Recorder(SIMULATED, 48000.0, self.path, None)
        self.until(made, lambda s: s.seconds > 1.2)
        self.assertEqual(made.stop(), self.path)
        audio, _ = soundfile.read(self.path, dtype="float32")
        np.testing.assert_allclose(audio, simulated_hits(48000.0)[: len(audio)], atol=1.2e-7)

    def test_it_waits_for_a_sound_and_keeps_a_moment_before_it(self) -> None:
        made = Recorder(SIMULATED, 48000.0, self.path, -24.0)
        self.assertTrue(made.state().waiting)
        self.until(made, lambda s: s.seconds > 0.4)
        made.stop()
        audio, _ = soundfile.read(self.path, dtype="float32")
        first = int(np.argmax(np.abs(audio[:, 0]) > 0.06))
        self.assertAlmostEqual(first / 48000.0, 0.25, delta=0.03)

    def test_what_never_comes_over_the_threshold_makes_no_file(self) -> None:
        made = Recorder(SIMULATED, 48000.0, self.path, -1.0)
        time.sleep(0.2)
        self.assertIsNone(made.stop())
        self.assertFalse(self.path.exists())

    def test_peaks_are_those_since_they_were_asked_for(self) -> None:
        made = Recorder(SIMULATED, 48000.0, None, None)
        highest = 0.0
        end = time.monotonic() + 1.9
        while time.monotonic() < end:
            highest = max(highest, *made.state().peaks)
            time.sleep(0.03)
        self.assertIsNone(made.stop())
        self.assertAlmostEqual(highest, float(simulated_hits(48000.0).max()), places=3)

    def test_a_full_disk_ends_it_and_what_was_written_is_there(self) -> None:
        made = Recorder(SIMULATED, 48000.0, self.path, None)
        self.until(made, lambda s: s.seconds > 0.3)
        full = FileError("the disk is full")
        with mock.patch.object(GrowingWav, "write", side_effect=full):
            self.until(made, lambda s: s.ended == "the disk is full")
        self.assertEqual(made.stop(), self.path)
        self.assertGreater(soundfile.info(self.path).frames, 10_000)

    def test_an_input_that_goes_away_ends_it(self) -> None:
        kept: list[object] = []

        def opened(info: object, rate: float, take: object, gone: object) -> mock.Mock:
            kept.extend((take, gone))
            return mock.Mock()

        with mock.patch.object(recorder, "open_input", opened):
            made = Recorder(SIMULATED, 48000.0, self.path, None)
        kept[0](np.full((4800, 2), 1.0, np.float32))  # type: ignore[operator]
        self.until(made, lambda s: s.clipped == 1 and s.seconds == 0.1)
        kept[1]("it was unplugged")  # type: ignore[operator]
        self.assertEqual(made.state().ended, "it was unplugged")
        self.assertEqual(made.stop(), self.path)
        self.assertEqual(soundfile.info(self.path).frames, 4800)

    def test_a_card_that_is_not_there_is_refused_without_a_file(self) -> None:
        with self.assertRaises(DeviceError):
            Recorder(InputInfo("none", 999, 2), 48000.0, self.path, None)
        self.assertFalse(self.path.exists())

    def test_the_simulated_input_is_always_offered(self) -> None:
        self.assertEqual(inputs()[-1], SIMULATED)
