"""One-shots, grooves and the whole: read back by libsndfile, mido and a chunk reader in here."""

import hashlib
import io
import struct
import threading
import unittest
import zipfile
from pathlib import Path
from unittest import mock

import mido
import numpy as np
import soundfile

from puddle.deliver import writing
from puddle.deliver.making import Making
from puddle.deliver.names import named, unknown
from puddle.deliver.options import Options, as_kept, options_from
from puddle.deliver.plan import Plan, Planned
from puddle.deliver.whole import plan_of
from puddle.deliver.writing import standing, write_plan, write_zip
from puddle.engine.offline import bounce, strike
from puddle.errors import FileError
from puddle.files import sweep
from puddle.formats.sampler_chunks import SamplerFacts, sampler_facts, with_chunks
from puddle.kit import edits
from puddle.kit.edits.alternates import add_alternate
from puddle.kit.edits.patterns import add_pattern
from puddle.kit.model.document import Layer, Sound
from puddle.measure.levels import true_peak_dbtp
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from puddle.stages import Gain, Reverb, Stage
from puddle.voices import Bass
from puddle.wanted import UnwantedError, cancellable
from tests.support.sampled_kits import SampledKitTest, decaying
from tests.support.sounds import RATE, pattern, sine, small_kit, wav
from tests.support.stores import new_folder

MIDDLE_AT = 20  # of a `smpl` chunk: its unity note


def read(data: bytes) -> tuple[np.ndarray, int]:
    audio, rate = soundfile.read(io.BytesIO(data), dtype="float64", always_2d=True)
    return audio, rate


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


class ExportsTest(SampledKitTest):
    """What a plan makes."""

    def setUp(self) -> None:
        super().setUp()
        self.folder = self.enterContext(new_folder())

    def plan(self, *what: str, rate: int = RATE, **options: object) -> Plan:
        chosen = Options(what=what, rate_hz=rate, **options)  # type: ignore[arg-type]
        takes = Takes(self.store, float(rate))
        return plan_of(Making(self.kit, takes, self.store, chosen))

    def made(self, plan: Plan) -> dict[str, bytes]:
        files = [*(f for f in plan.files if not f.last), *(f for f in plan.files if f.last)]
        return {one.path: one.make() for one in files}

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


class GroovesTest(ExportsTest):
    """Patterns through the mix."""

    def setUp(self) -> None:
        super().setUp()
        kit = small_kit()
        kit, drums = edits.add_bus(kit, "Drums")
        kit, metal = edits.add_bus(kit, "Metal")
        for pad, bus in (("pad1", drums), ("pad2", drums), ("pad3", metal), ("pad4", metal)):
            kit = edits.set_pad(kit, pad, bus=bus.id)
        made = pattern(("pad1", (0, 8)), ("pad2", (4, 12)), ("pad4", (14,)))
        self.kit, _ = add_pattern(kit, made)

    def test_stems_add_up_to_the_mix_and_the_loop_is_a_bounce(self) -> None:
        made = self.made(self.plan("groove", "stems", format="wav 32f", mono=False))
        loop = next(data for path, data in made.items() if "stems" not in path)
        stems = [read(data)[0] for path, data in made.items() if "stems" in path]
        mix, _ = read(loop)
        total = np.zeros_like(mix)
        for stem in stems:
            total[: len(stem)] += stem
        null = np.abs(total - mix).max()
        self.assertLess(20.0 * np.log10(null / np.abs(mix).max()), -120.0)
        whole = bounce(self.kit, self.kit.patterns[-1], 1, Takes(NoSamples(), float(RATE))).master
        np.testing.assert_array_equal(mix, whole)

    def test_stems_of_24_bits_still_add_up(self) -> None:
        made = self.made(self.plan("groove", "stems", mono=False))
        loop = next(data for path, data in made.items() if "stems" not in path)
        mix, _ = read(loop)
        total = np.zeros_like(mix)
        for path, data in made.items():
            if "stems" in path:
                stem, _ = read(data)
                total[: len(stem)] += stem
        self.assertLess(20.0 * np.log10(np.abs(total - mix).max() / np.abs(mix).max()), -90.0)

    def test_lanes_as_stems(self) -> None:
        made = self.made(self.plan("stems", stems_by="lane"))
        names = {path.rpartition("/")[2] for path in made}
        self.assertEqual(names, {"Thud.wav", "Crack.wav", "Wash.wav"})

    def test_wrapped_tails_are_laid_over_the_beginning(self) -> None:
        ringing = self.made(self.plan("groove", format="wav 32f"))
        wrapped = self.made(self.plan("groove", format="wav 32f", tails="wrapped"))
        (long,) = (read(data)[0] for data in ringing.values())
        (short,) = (read(data)[0] for data in wrapped.values())
        self.assertEqual(len(short), 2 * RATE)  # four beats at 120 bpm
        self.assertGreater(len(long), len(short))
        wanted = long[: len(short)].copy()
        wanted[: len(long) - len(short)] += long[len(short) :]
        np.testing.assert_allclose(short, wanted, atol=1e-6)

    def test_several_tempos_and_their_comments(self) -> None:
        made = self.made(self.plan("groove", "midi", tempos=(90.0, 140.0), tails="wrapped"))
        for bpm in (90.0, 140.0):
            data = next(d for p, d in made.items() if p.endswith(f"{bpm:g} bpm.wav"))
            self.assertEqual(len(read(data)[0]), round(4 * 60.0 / bpm * RATE))
            self.assertIn(f"{bpm:g} bpm", sampler_facts(data).comment)
            notes = next(d for p, d in made.items() if p.endswith(f"{bpm:g} bpm.mid"))
            file = mido.MidiFile(file=io.BytesIO(notes))
            tempo = next(m.tempo for m in file.tracks[0] if m.type == "set_tempo")
            self.assertAlmostEqual(mido.tempo2bpm(tempo), bpm, delta=0.01)

    def test_lanes_as_midi_files(self) -> None:
        made = self.made(self.plan("midi"))
        lanes = {p.rpartition("/")[2]: d for p, d in made.items() if "lanes" in p}
        self.assertEqual(set(lanes), {"Thud.mid", "Crack.mid", "Wash.mid"})
        file = mido.MidiFile(file=io.BytesIO(lanes["Thud.mid"]))
        struck = [m.note for track in file.tracks for m in track if m.type == "note_on"]
        self.assertEqual(struck, [36, 36])


class WholeTest(GroovesTest):
    """Written to a disk."""

    EVERYTHING = ("one-shots", "instrument", "groove", "stems", "midi", "kit")

    def test_checksums_hold_and_equal_kits_give_equal_bytes(self) -> None:
        first = write_plan(self.plan(*self.EVERYTHING), self.folder / "a", jobs=2)
        write_plan(self.plan(*self.EVERYTHING), self.folder / "b", jobs=1)
        self.assertEqual(len(first.paths), len(set(first.paths)))
        sums = (self.folder / "a" / "checksums.txt").read_text().splitlines()
        self.assertEqual(len(sums), len(first.paths) - 1)
        for line in sums:
            digest, path = line.split("  ", 1)
            data = (self.folder / "a" / path).read_bytes()
            self.assertEqual(hashlib.sha256(data).hexdigest(), digest)
            self.assertEqual(data, (self.folder / "b" / path).read_bytes(), path)
        text = (self.folder / "a" / "README.txt").read_text()
        for word in ("Small", "120 bpm", "Thud", "one-shots", "How it may be used"):
            self.assertIn(word, text)

    def test_a_zip_holds_the_same_and_is_the_same_every_time(self) -> None:
        for name in ("one.zip", "two.zip"):
            write_zip(self.plan("one-shots", "kit"), self.folder / name)
        one, two = (self.folder / name for name in ("one.zip", "two.zip"))
        self.assertEqual(one.read_bytes(), two.read_bytes())
        with zipfile.ZipFile(one) as file:
            self.assertIsNone(file.testzip())
            self.assertTrue(all(name.startswith("Small/") for name in file.namelist()))
            self.assertIn("Small/checksums.txt", file.namelist())

    def test_what_stands_there_is_kept_replaced_or_skipped(self) -> None:
        plan = self.plan("one-shots")
        target = self.folder / "out"
        write_plan(plan, target)
        place = target / plan.files[0].path
        place.write_bytes(b"mine")
        self.assertEqual(len(standing(plan, target)), len(plan.files))
        made = write_plan(plan, target, "skip")
        self.assertEqual((made.skipped, place.read_bytes()), (len(plan.files), b"mine"))
        made = write_plan(plan, target, "keep both")
        self.assertEqual(place.read_bytes(), b"mine")
        self.assertTrue((target / made.paths[0]).exists())
        self.assertIn(" (2)", made.paths[0])
        write_plan(plan, target, "replace")
        self.assertNotEqual(place.read_bytes(), b"mine")

    def left(self) -> list[Path]:
        return [p for p in self.folder.rglob("*") if p.is_file()]

    def test_left_half_way_nothing_is_there(self) -> None:
        wanted = threading.Event()
        wanted.set()

        def stop(done: int, of: int, one: Planned) -> None:
            if done > 2:
                wanted.clear()

        with self.assertRaises(UnwantedError), cancellable(wanted.is_set):
            write_plan(self.plan("one-shots", "instrument"), self.folder / "out", progress=stop)
        self.assertEqual(self.left(), [])
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_disk_that_fills_leaves_what_was_there(self) -> None:
        plan = self.plan("one-shots")
        target = self.folder / "out"
        write_plan(plan, target)
        before = {p: p.read_bytes() for p in self.left()}
        real, count = writing._put, [0]

        def full(aside: Path, path: str, data: bytes) -> int:
            count[0] += 1
            if count[0] > 3:
                raise FileError(f"{path} cannot be written: No space left on device.")
            return real(aside, path, data)

        with mock.patch.object(writing, "_put", full), self.assertRaisesRegex(FileError, "space"):
            write_plan(plan, target, "replace")
        self.assertEqual({p: p.read_bytes() for p in self.left()}, before)

    def test_a_place_that_cannot_be_written_gives_all_back(self) -> None:
        plan = self.plan("one-shots")
        target = self.folder / "out"
        write_plan(plan, target)
        first = target / plan.files[0].path
        first.write_bytes(b"mine")
        last = target / plan.files[-1].path
        last.unlink()
        last.mkdir()
        with self.assertRaisesRegex(FileError, "folder"):
            write_plan(plan, target, "replace")
        self.assertEqual(first.read_bytes(), b"mine")
        self.assertTrue(last.is_dir())

    def test_a_file_in_the_folders_place_is_said(self) -> None:
        (self.folder / "out").write_bytes(b"a file")
        with self.assertRaisesRegex(FileError, "no folder"):
            write_plan(self.plan("one-shots"), self.folder / "out")

    def test_a_folder_that_vanishes_meanwhile_is_one_sentence(self) -> None:
        target = self.folder / "gone" / "out"
        target.parent.mkdir()

        def vanish(done: int, of: int, one: Planned) -> None:
            if done == 3:
                target.parent.rename(self.folder / "away")

        with self.assertRaises(FileError) as caught:
            write_plan(self.plan("one-shots", "instrument"), target, progress=vanish, jobs=1)
        self.assertEqual(len(str(caught.exception).splitlines()), 1)
        self.assertFalse(target.parent.exists())

    def test_after_a_kill_what_was_written_aside_is_swept(self) -> None:
        from puddle.files import _records

        aside = self.folder / ".puddle-0123"
        (aside / "one-shots").mkdir(parents=True)
        record = _records() / aside.name
        record.parent.mkdir(parents=True, exist_ok=True)
        record.write_bytes(str(aside).encode())
        sweep()
        self.assertFalse(aside.exists())
        self.assertFalse(record.exists())


class OptionsTest(unittest.TestCase):
    def test_kept_options_come_back_and_broken_ones_are_as_new(self) -> None:
        chosen = Options(what=("midi",), format="flac", tempos=(90.0,))
        self.assertEqual(options_from(as_kept(chosen)), chosen)
        for broken in ({"format": "mp9"}, {"rate_hz": -1}, {"what": "all"}, [], None, {"x": 1}):
            self.assertIsInstance(options_from(broken), Options)


class MelodicTest(ExportsTest):
    def test_a_pad_that_follows_keys_tells_its_root(self) -> None:
        layer = Layer(id="layer1", name="Bass", source=Bass())
        self.pad(layer, role="bass", tracking=100.0, root=36, notes=(36, 37))
        (data,) = self.made(self.plan("one-shots", strengths="hardest")).values()
        smpl = chunks_of(data)[b"smpl"]
        self.assertEqual(struct.unpack("<I", smpl[12:16])[0], 36)


def load_tests(loader: unittest.TestLoader, tests: object, _: object) -> unittest.TestSuite:
    """Each class's own tests alone, not those that it inherits."""
    suite = unittest.TestSuite()
    for kind in (ExportsTest, GroovesTest, WholeTest, OptionsTest, MelodicTest):
        names = [n for n in vars(kind) if n.startswith("test_")]
        suite.addTests(kind(name) for name in names)
    return suite


if __name__ == "__main__":
    unittest.main()
