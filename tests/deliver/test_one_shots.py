"""One-shots: read back by libsndfile and by a chunk reader in here."""

import io
import struct
import unittest

import numpy as np
import soundfile

from puddle.deliver.names import named, unknown
from puddle.deliver.options import Options, as_kept, options_from
from puddle.engine.offline import strike
from puddle.errors import FileError
from puddle.formats.sampler_chunks import SamplerFacts, sampler_facts, with_chunks
from puddle.kit import edits
from puddle.kit.edits.alternates import add_alternate
from puddle.kit.model.document import Layer, Sound
from puddle.measure.levels import true_peak_dbtp
from puddle.stages import Gain, Reverb, Stage
from puddle.voices import Bass
from tests.support.deliveries import DeliveryTest, read
from tests.support.sampled_kits import decaying
from tests.support.sounds import RATE, sine, wav


def chunks_of(data: bytes) -> dict[bytes, bytes]:
    """The chunks of a RIFF file, by the standard alone."""
    assert data[:4] == b"RIFF" and data[8:12] == b"WAVE"
    assert struct.unpack("<I", data[4:8])[0] == len(data) - 8
    found, at = {}, 12
    while at < len(data):
        name, size = struct.unpack("<4sI", data[at : at + 8])
        found[name] = data[at + 8 : at + 8 + size]
        at += 8 + size + size % 2
    return found


class OneShotsTest(DeliveryTest):
    """What a plan makes of pads."""

    def test_each_strength_and_turn_is_what_a_strike_plays(self) -> None:
        hits = [decaying(200.0, level=level) for level in (0.1, 0.3, 0.25)]
        pad = self.pad(
            self.layer(hits[0], "layer1", softest=1, hardest=60),
            self.layer(hits[1], "layer2", softest=61, turn=1),
            self.layer(hits[2], "layer3", softest=61, turn=2),
            level_db=-3.0, pan=40.0,
        )  # fmt: skip
        made = self.made(self.plan("one-shots", format="wav 32f", tail_db=-120.0, fade_ms=0.0))
        stems = [path.rpartition("/")[2] for path in made]
        self.assertEqual(
            stems,
            ["Made Thud G3 v060.wav", "Made Thud G3 v127 r1.wav", "Made Thud G3 v127 r2.wav"],
        )
        for data, (velocity, turn) in zip(
            made.values(), ((60.0, 0), (127.0, 0), (127.0, 1)), strict=True
        ):
            audio, rate = read(data)
            wanted = strike(pad, self.takes, velocity, turn)
            self.assertEqual(rate, RATE)
            frames = min(len(audio), len(wanted))
            # The engine multiplies in float32, one factor after another.
            np.testing.assert_allclose(audio[:frames], wanted[:frames], atol=2e-7)

    def test_formats_and_rates(self) -> None:
        self.pad(self.layer(decaying(200.0)))
        for kind, subtype, container in (
            ("wav 16", "PCM_16", "WAV"), ("wav 24", "PCM_24", "WAV"), ("wav 32f", "FLOAT", "WAV"),
            ("flac", "PCM_24", "FLAC"), ("aiff", "PCM_24", "AIFF"),
        ):  # fmt: skip
            for rate in (44100, 48000, 88200, 96000):
                (data,) = self.made(self.plan("one-shots", rate=rate, format=kind)).values()
                with soundfile.SoundFile(io.BytesIO(data)) as file:
                    told = (file.samplerate, file.subtype, file.format, file.channels)
                self.assertEqual(told, (rate, subtype, container, 1))

    def test_two_channels_where_the_sides_differ_or_it_is_wanted(self) -> None:
        self.pad(self.layer(decaying(200.0)), pan=20.0)
        (data,) = self.made(self.plan("one-shots")).values()
        self.assertEqual(read(data)[0].shape[1], 2)
        self.kit = edits.set_pad(self.kit, "pad1", pan=0.0)
        (data,) = self.made(self.plan("one-shots", mono=False)).values()
        self.assertEqual(read(data)[0].shape[1], 2)

    def test_a_pad_is_brought_to_a_peak_and_its_strengths_stay_apart(self) -> None:
        soft = self.layer(decaying(200.0, level=0.05), "layer1", softest=1, hardest=60)
        hard = self.layer(decaying(200.0, level=0.2), "layer2", softest=61)
        self.pad(soft, hard, velocity_amount=0.0)
        made = self.made(self.plan("one-shots", loudness="peak", peak_db=-3.0))
        peaks = [true_peak_dbtp(np.asarray(read(data)[0], np.float32)) for data in made.values()]
        self.assertAlmostEqual(peaks[1], -3.0, delta=0.02)
        self.assertAlmostEqual(peaks[1] - peaks[0], 20.0 * np.log10(4.0), delta=0.02)

    def test_a_tail_ends_where_it_is_as_soft_as_wanted(self) -> None:
        self.pad(self.layer(decaying(1000.0, 1.0)))  # 100 dB in a second
        (data,) = self.made(self.plan("one-shots", tail_db=-60.0, fade_ms=20.0)).values()
        audio, _ = read(data)
        self.assertAlmostEqual(len(audio) / RATE, 0.6 + 0.02, delta=0.004)
        self.assertLess(np.abs(audio[-24:]).max(), 1e-5)

    def test_through_the_mix(self) -> None:
        pad = self.pad(self.layer(decaying(200.0)), level_db=-6.0)
        self.kit, bus = edits.add_bus(self.kit, "Drums")
        drive = Stage(id="stage1", process=Gain(level_db=5.0))
        self.kit = edits.set_bus(self.kit, bus.id, level_db=-4.0)
        self.kit = edits.set_master(self.kit, level_db=-2.0)
        self.kit = edits.set_pad(self.kit, pad.id, bus=bus.id, stages=(drive,))
        peaks = {}
        for source in ("dry", "live", "bus", "master"):
            plan = self.plan("one-shots", source=source, format="wav 32f")
            (data,) = self.made(plan).values()
            peaks[source] = 20.0 * np.log10(np.abs(read(data)[0]).max())
        self.assertAlmostEqual(peaks["live"], peaks["dry"] + 5.0, delta=0.05)
        self.assertAlmostEqual(peaks["bus"], peaks["live"] - 4.0, delta=0.05)
        self.assertAlmostEqual(peaks["master"], peaks["bus"] - 2.0, delta=0.05)

    def test_what_rings_on_in_the_mix_is_in_the_file(self) -> None:
        pad = self.pad(self.layer(decaying(200.0, 0.1)))
        room = Stage(id="stage1", process=Reverb(decay_ms=1000.0))
        self.kit = edits.set_pad(self.kit, pad.id, stages=(room,))
        (dry,) = self.made(self.plan("one-shots")).values()
        (wet,) = self.made(self.plan("one-shots", source="live")).values()
        self.assertLess(len(read(dry)[0]), 0.2 * RATE)
        self.assertGreater(len(read(wet)[0]), 0.8 * RATE)

    def test_alternates_have_files_of_their_own(self) -> None:
        pad = self.pad(self.layer(decaying(200.0)))
        other = Sound(layers=(self.layer(decaying(300.0)),))
        self.kit = add_alternate(self.kit, pad.id, "Wet", other)
        made = [path.rpartition("/")[2] for path in self.made(self.plan("one-shots"))]
        self.assertEqual(len(made), 2)
        self.assertTrue(any(name.endswith("Wet.wav") for name in made))
        self.assertEqual(len(self.plan("one-shots", alternates=False).files), 1)

    def test_names_follow_the_scheme_and_are_never_given_twice(self) -> None:
        self.assertEqual(named("{kit} {pad} r{turn}", {"kit": "A", "pad": "b/c"}), "A b-c")
        self.assertEqual(unknown("{kit} {colour}"), ["colour"])
        self.pad(self.layer(decaying(200.0)), name="One")
        self.pad(self.layer(decaying(300.0)), name="Two")
        plan = self.plan("one-shots", scheme="{kit}", folders="none")
        self.assertEqual(
            [one.path for one in plan.files], ["one-shots/Made.wav", "one-shots/Made 2.wav"]
        )
        with self.assertRaisesRegex(FileError, "colour"):
            self.plan("one-shots", scheme="{colour}")

    def test_root_keys_and_loops_are_in_the_wav_file(self) -> None:
        self.pad(self.layer(decaying(440.0 * 2.0 ** (0.25 / 12.0))))
        (data,) = self.made(self.plan("one-shots")).values()
        smpl = chunks_of(data)[b"smpl"]
        fields = struct.unpack("<9I", smpl[:36])
        self.assertEqual(fields[2], round(1e9 / RATE))
        pitch = fields[3] + fields[4] / 2.0**32  # the fraction is of a semitone, upwards
        self.assertAlmostEqual(pitch, 69.25, delta=0.02)
        looped = with_chunks(wav(sine(100.0, 0.1)), SamplerFacts(60, 0.0, ((100, 579),)), RATE)
        fields = struct.unpack("<6I", chunks_of(looped)[b"smpl"][36:60])
        self.assertEqual(fields[2:4], (100, 579))
        self.assertEqual(sampler_facts(looped).loops, ((100, 579),))
        self.assertEqual(read(looped)[0].shape[0], 4800)

    def test_libsndfile_reads_the_same_of_the_chunk(self) -> None:
        """Another library's reader, which tells what it has found in words."""
        looped = with_chunks(wav(sine(100.0, 0.1)), SamplerFacts(69, 0.0, ((100, 579),)), RATE)
        with soundfile.SoundFile(io.BytesIO(looped)) as file:
            told = " ".join(file.extra_info.split())
        for words in ("smpl : 60", "Midi Note : 69", "Start : 100", "End : 579"):
            self.assertIn(words, told)

    def test_broken_chunks_tell_nothing(self) -> None:
        whole = with_chunks(
            wav(sine(100.0, 0.01)), SamplerFacts(61, 30.0, ((1, 9),), "104 bpm"), RATE
        )
        told = sampler_facts(whole)
        self.assertEqual((told.note, told.comment), (61, "104 bpm"))
        self.assertAlmostEqual(told.cents, 30.0, delta=1e-4)
        for end in range(0, len(whole), 7):
            sampler_facts(whole[:end])  # raises nothing
        self.assertEqual(sampler_facts(b"not a file"), SamplerFacts())


class OptionsTest(unittest.TestCase):
    def test_kept_options_come_back_and_broken_ones_are_as_new(self) -> None:
        chosen = Options(what=("midi",), format="flac", tempos=(90.0,))
        self.assertEqual(options_from(as_kept(chosen)), chosen)
        for broken in ({"format": "mp9"}, {"rate_hz": -1}, {"what": "all"}, [], None, {"x": 1}):
            self.assertIsInstance(options_from(broken), Options)


class MelodicTest(DeliveryTest):
    def test_a_pad_that_follows_keys_tells_its_root(self) -> None:
        layer = Layer(id="layer1", name="Bass", source=Bass())
        self.pad(layer, role="bass", tracking=100.0, root=36, notes=(36, 37))
        (data,) = self.made(self.plan("one-shots", strengths="hardest")).values()
        smpl = chunks_of(data)[b"smpl"]
        self.assertEqual(struct.unpack("<I", smpl[12:16])[0], 36)


if __name__ == "__main__":
    unittest.main()
