"""Files: sounds, kits, journals, MIDI; good ones there and back, bad ones refused in a sentence."""

import io
import os
import struct
import unittest

import numpy as np
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.errors import FileError, SoundFileError
from puddle.files import write_aside
from puddle.formats.sound import (
    decoded_sound,
    quantized,
    read_sound,
    wav_bytes,
    write_wav,
)
from puddle.formats.store import SampleStore
from tests.support.sounds import noise, sine, wav
from tests.support.stores import new_folder


class Sounds(unittest.TestCase):
    def test_every_kind_and_width(self) -> None:
        x = sine(440, 0.1, 0.5)
        for kind, subtype, error in (
            ("WAV", "PCM_16", 3.2e-5),
            ("WAV", "PCM_24", 1e-6),
            ("WAV", "FLOAT", 0.0),
            ("WAV", "DOUBLE", 0.0),
            ("WAV", "PCM_U8", 1e-2),
            ("AIFF", "PCM_24", 1e-6),
            ("FLAC", "PCM_24", 1e-6),
            ("OGG", "VORBIS", 0.1),
        ):
            for channels in (1, 2):
                with self.subTest(kind=kind, subtype=subtype, channels=channels):
                    raw = wav(x[:, :channels], 44100, subtype, kind)
                    found = decoded_sound(raw, "a", ".wav")
                    self.assertEqual((found.rate_hz, found.audio.shape[1]), (44100.0, channels))
                    self.assertEqual(found.stereo.shape[1], 2)
                    frames = min(len(found.audio), len(x))
                    self.assertLessEqual(
                        float(np.abs(found.audio[:frames, 0] - x[:frames, 0]).max()), error
                    )

    def refused(self, raw: bytes) -> str:
        with self.assertRaises(SoundFileError) as caught:
            decoded_sound(raw, "storm.wav", ".wav")
        text = str(caught.exception)
        self.assertIn("storm.wav", text)
        self.assertNotIn("\n", text)
        return text

    def test_what_is_refused(self) -> None:
        good = wav(noise(0.01))
        self.assertIn("empty", self.refused(b""))
        self.refused(b"I am text, named .wav")
        self.refused(good[:20])
        self.assertIn("no sound", self.refused(wav(np.zeros((0, 2), np.float32))))
        bad = noise(0.01)
        bad[7] = np.nan
        self.assertIn("not numbers", self.refused(wav(bad)))
        many = wav(np.zeros((10, 64), np.float32))
        self.assertIn("64 channels", self.refused(many))
        slow = good[:24] + struct.pack("<I", 0) + good[28:]
        self.refused(slow)
        fast = good[:24] + struct.pack("<I", 4_000_000) + good[28:]
        self.assertIn("4000000 Hz", self.refused(fast))

    def test_a_header_that_claims_too_much(self) -> None:
        good = bytearray(wav(noise(0.01), subtype="PCM_16"))
        at = good.index(b"data") + 4
        good[at : at + 4] = struct.pack("<I", 0x7FFFFFF0)
        try:
            found = decoded_sound(bytes(good), "a", ".wav")
        except SoundFileError:
            return
        self.assertLessEqual(len(found.audio), 481)

    def test_odd_but_good(self) -> None:
        one = decoded_sound(wav(np.ones((1, 1), np.float32) * 0.5), "a", ".wav")
        self.assertEqual(one.audio.shape, (1, 1))
        fast = decoded_sound(wav(noise(0.01), 192000), "a", ".wav")
        self.assertEqual(fast.rate_hz, 192000.0)

    @settings(max_examples=60, deadline=None)
    @given(st.integers(0, 400), st.binary(min_size=1, max_size=8))
    def test_damage_is_read_or_refused(self, at: int, damage: bytes) -> None:
        raw = bytearray(wav(noise(0.005), subtype="PCM_16"))
        raw[at : at + len(damage)] = damage
        try:
            found = decoded_sound(bytes(raw), "a", ".wav")
        except SoundFileError:
            return
        self.assertTrue(np.isfinite(found.audio).all())

    def test_names_that_are_not_utf8(self) -> None:
        with new_folder() as folder:
            path = os.fsencode(folder) + b"/caf\xe9.wav"
            with open(path, "wb") as file:
                file.write(wav(noise(0.01)))
            self.assertEqual(len(read_sound(os.fsdecode(path)).audio), 480)
            store = SampleStore(folder / "store")
            self.assertEqual(store.add_file(os.fsdecode(path)).name, "caf\ufffd.wav")
            with self.assertRaises(SoundFileError) as caught:
                read_sound(os.fsdecode(path + b"x"))
            str(caught.exception).encode()

    def test_folders_and_missing_files(self) -> None:
        with new_folder() as folder:
            for path in (folder, folder / "nothing.wav"):
                with self.assertRaises(SoundFileError):
                    read_sound(path)


class Writing(unittest.TestCase):
    def test_widths(self) -> None:
        x = noise(0.1, level=0.1)
        for bits, step in (("16", 1 / 32768), ("24", 1 / 8388608), ("32f", 0.0)):
            raw = wav_bytes(x, 48000.0, bits)  # type: ignore[arg-type]
            y, rate = soundfile.read(io.BytesIO(raw), dtype="float64")
            self.assertEqual(rate, 48000)
            self.assertLessEqual(float(np.abs(y - x).max()), 2.0 * step)

    def test_dither_is_honest(self) -> None:
        """A tone under one step survives in the mean; the error is white and does not follow it."""
        t = np.arange(48000 * 4) / 48000
        mono = 0.4 / 32768 * np.sin(2 * np.pi * 1000 * t)
        steps = quantized(np.stack([mono, mono], 1), "16")[:, 0].astype(np.float64)
        spectrum = np.abs(np.fft.rfft(steps)) / len(steps) * 2
        self.assertAlmostEqual(float(spectrum[4000]), 0.4, delta=0.02)
        others = spectrum[100:90000]
        self.assertLess(float(np.delete(others, slice(3890, 3910)).max()), 0.02)
        error = steps - mono * 32768
        # TPDF of two steps' width plus rounding: a variance of 1/6 + 1/12.
        self.assertAlmostEqual(float(error.var()), 0.25, delta=0.01)

    def test_silence_stays_silence_and_full_scale_does_not_wrap(self) -> None:
        self.assertFalse(quantized(np.zeros((100, 2)), "16").any())
        for bits in ("16", "24"):
            loud = quantized(np.full((100, 2), 1.5), bits)  # type: ignore[arg-type]
            self.assertTrue((loud > 0).all())

    def test_aside_then_renamed(self) -> None:
        with new_folder() as folder:
            path = folder / "a.wav"
            path.write_bytes(b"before")
            with self.assertRaises(FileError):
                write_wav(folder / "nowhere" / "a.wav", noise(0.01), 48000.0)
            write_aside(path, b"after")
            self.assertEqual(path.read_bytes(), b"after")
            self.assertEqual([p.name for p in folder.iterdir()], ["a.wav"])
