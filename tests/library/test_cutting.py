"""Recordings on disk: looked at in parts, marked, sent, written; and files that are none."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from puddle.demo.session import LOOP_BPM, loop, session
from puddle.engine.offline import bounce_beats
from puddle.errors import FileError, SoundFileError
from puddle.formats.cue_points import read_cues, write_with_cues
from puddle.formats.midi import read_midi
from puddle.formats.recording_file import RecordingFile
from puddle.formats.store import SampleStore
from puddle.kit.edits import recordings as r
from puddle.kit.edits.slices import Tempo, in_order
from puddle.kit.model.document import Kit, Recording
from puddle.kit.playing.groove import groove_of
from puddle.kit.playing.schedule import pattern_beats
from puddle.library import cutting
from puddle.library.cutting import first_look, looked_at
from puddle.library.hit_files import write_hits
from puddle.library.hit_groups import HeardHits, found_groups, standing_groups
from puddle.library.marked import Marked, marked
from puddle.library.sending import hit_audio, sent
from puddle.render.take import Takes
from tests.support.made_recordings import RATE, boathouse, looked_at_once, matched, recording


class InFolder(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def written(self, name: str, audio: np.ndarray, rate: float = RATE, **how: str) -> Path:
        path = self.folder / name
        soundfile.write(path, audio, round(rate), **({"subtype": "PCM_24"} | how))
        return path

    def cut(self, path: Path, **values: object) -> tuple[RecordingFile, Marked]:
        file = RecordingFile(path)
        self.addCleanup(file.close)
        noted, _ = looked_at_once(file)
        made = Recording(id="r", name="take", path=str(path), **values)  # type: ignore[arg-type]
        return file, marked(noted, made)


class Read(InFolder):
    def test_any_part_of_any_kind(self) -> None:
        audio = np.random.default_rng(1).uniform(-0.5, 0.5, (5000, 2)).astype(np.float32)
        for name in ("a.wav", "a.flac", "a.aiff"):
            with self.subTest(name), RecordingFile(self.written(name, audio)) as file:
                np.testing.assert_allclose(file.read(4000, 500), audio[4000:4500], atol=2e-7)
                self.assertEqual(file.read(4900, 500).shape, (100, 2))
                self.assertEqual(file.read(6000, 5).shape, (0, 2))

    def test_eight_channels_are_mixed_down_to_one(self) -> None:
        audio = np.random.default_rng(1).uniform(-0.5, 0.5, (1000, 8)).astype(np.float32)
        with RecordingFile(self.written("a.wav", audio, 192000.0)) as file:
            self.assertEqual((file.file_channels, file.channels, file.rate_hz), (8, 1, 192000.0))
            np.testing.assert_allclose(file.read(0, 1000)[:, 0], audio.mean(axis=1), atol=1e-6)

    def test_what_is_no_number_is_silence(self) -> None:
        audio = np.full((100, 1), np.nan, np.float32)
        audio[:50] = 0.25
        with RecordingFile(self.written("a.wav", audio, subtype="FLOAT")) as file:
            np.testing.assert_array_equal(file.read(0, 100)[50:], 0.0)

    def test_what_is_no_recording_says_why(self) -> None:
        os.mkfifo(self.folder / "pipe.wav")
        (self.folder / "junk.wav").write_bytes(b"RIFF" + bytes(40))
        (self.folder / "empty.wav").write_bytes(b"")
        self.written("nothing.wav", np.zeros((0, 2)))
        for name in ("pipe.wav", "junk.wav", "empty.wav", "nothing.wav", "none.wav", "."):
            with self.subTest(name), self.assertRaises(SoundFileError) as caught:
                RecordingFile(self.folder / name)
            self.assertNotIn("\n", str(caught.exception))

    def test_too_long_a_file_is_refused_by_its_header(self) -> None:
        path = self.written("a.wav", np.zeros((1000, 1)), 1000.0, subtype="PCM_U8")
        shorter = mock.patch("puddle.formats.recording_file.MOST_HOURS", 0.0001)
        with shorter, self.assertRaises(SoundFileError):
            RecordingFile(path)


class Looked(InFolder):
    def test_in_parts_as_in_one(self) -> None:
        """Parts of five seconds find what one part does, to the frame."""
        made = recording(8, seconds=24.0)
        path = self.written("a.wav", made.audio)
        _, whole = self.cut(path)
        with mock.patch("puddle.measure.onsets._PART_S", 5.0):
            _, parts = self.cut(path)
        near = matched(parts.starts, whole.starts, 0.001 * RATE)
        # The room's level is that of each part: what is at the edge of being heard may differ.
        self.assertGreaterEqual(len(near), 0.97 * len(whole))
        self.assertLess(float(np.mean(near)), 1.0)

    def test_the_same_on_every_run(self) -> None:
        path = self.written("a.wav", recording(9, seconds=12.0).audio)
        with mock.patch("puddle.measure.onsets._PART_S", 3.0):
            (_, one), (_, other) = self.cut(path), self.cut(path)
        np.testing.assert_array_equal(one.starts, other.starts)
        np.testing.assert_array_equal(one.ends, other.ends)

    def test_times_do_not_drift_at_44100(self) -> None:
        """A millisecond is 44 whole frames there: places are counted in frames, never in ms."""
        audio = np.zeros((44100 * 40, 1), np.float32)
        begins = [44100 * n + 123 for n in range(1, 39, 4)]
        for at in begins:
            audio[at : at + 2000, 0] = np.exp(-np.arange(2000) / 300.0) * 0.5
        _, found = self.cut(self.written("a.wav", audio, 44100.0))
        self.assertEqual(len(matched(found.starts, np.array(begins), 44.0)), len(begins))
        self.assertTrue(np.all(found.ends - found.starts < 4410))

    def test_the_first_look_and_the_outline_show_the_same(self) -> None:
        path = self.written("a.wav", recording(8, seconds=10.0).audio)
        with RecordingFile(path) as file:
            early = first_look(file, 200)
            _, sharp = looked_at(file)
            audio = file.read(0, file.frames)
        self.assertEqual(early.lows.size, 200)
        self.assertAlmostEqual(float(sharp.highs.max()), float(audio.max()), places=6)
        self.assertLessEqual(float(early.highs.max()), float(sharp.highs.max()))

    def test_a_file_that_was_cut_off_is_as_long_as_what_is_there(self) -> None:
        path = self.written("a.wav", recording(8, seconds=10.0).audio)
        data = path.read_bytes()
        path.write_bytes(data[: len(data) // 2])
        _, found = self.cut(path)
        self.assertGreater(len(found), 5)
        self.assertLessEqual(found.frames, round(5.1 * RATE))

    def test_a_file_that_vanishes_meanwhile_is_still_read_or_refused(self) -> None:
        path = self.written("a.wav", recording(8, seconds=6.0).audio)
        file = RecordingFile(path)
        self.addCleanup(file.close)
        path.unlink()
        self.assertGreater(len(looked_at(file)[0].risen), 0)  # one part: it is open already
        with mock.patch("puddle.measure.onsets._PART_S", 1.0), self.assertRaises(SoundFileError):
            looked_at(file)

    def test_it_is_left_at_a_checkpoint(self) -> None:
        from puddle.tasks import Cancelled, cancellable

        path = self.written("a.wav", recording(8, seconds=8.0).audio)
        with RecordingFile(path) as file, mock.patch("puddle.measure.onsets._PART_S", 1.0):
            shares: list[float] = []
            with self.assertRaises(Cancelled), cancellable(lambda: len(shares) < 2):
                looked_at(file, shares.append)

    def test_ten_thousand_hits(self) -> None:
        hit = np.exp(-np.arange(600) / 90.0)
        audio = np.tile(np.concatenate([hit, np.zeros(1320)]), 10_000).astype(np.float32)
        _, found = self.cut(self.written("a.wav", 0.7 * audio[:, None], subtype="PCM_16"))
        self.assertEqual(len(found), 10_000)


class ByHand(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.path = boathouse()[0]
        file = RecordingFile(self.path)
        self.addCleanup(file.close)
        self.noted, _ = looked_at_once(file)
        self.plain = Recording(id="r", name="take", path=str(self.path))

    def test_what_a_hand_touched_stays_whatever_the_gauges_say(self) -> None:
        at = int(marked(self.noted, self.plain).starts[4])
        moved = r.move_mark(self.plain, at, at + 777)
        for sensitivity in (0.0, 50.0, 100.0):
            from puddle.parameter import changed

            found = marked(self.noted, changed(moved, sensitivity=sensitivity))
            self.assertIsNotNone(found.place_of(at + 777))
            self.assertIsNone(found.place_of(at))

    def test_removed_added_joined_and_ended(self) -> None:
        before = marked(self.noted, self.plain)
        first, second, third = (int(n) for n in before.starts[:3])
        without = marked(self.noted, r.remove_mark(self.plain, second))
        self.assertEqual(len(without), len(before) - 1)
        middle = (first + second) // 2
        added = marked(self.noted, r.add_mark(self.plain, middle))
        self.assertIsNotNone(added.place_of(middle))
        joined = marked(self.noted, r.join_mark(self.plain, second, True))
        self.assertEqual((len(joined), joined.joined.tolist()), (len(before) - 1, [second]))
        # It reaches over the one that was joined to it.
        self.assertEqual(joined.place_of(first), 0)
        ended = marked(self.noted, r.end_mark(self.plain, third, third + 500))
        self.assertEqual(int(ended.ends[2]), third + 500)

    def test_groups_that_are_kept_and_what_was_found_since(self) -> None:
        found = marked(self.noted, self.plain)
        with RecordingFile(self.path) as file:
            groups = found_groups(HeardHits(file), found)
        self.assertEqual(sum(len(g.hits) for g in groups), len(found))
        kept = r.with_groups(self.plain, groups)
        at = int(found.starts[0]) // 2
        standing = standing_groups(kept, marked(self.noted, r.add_mark(kept, at)), ())
        self.assertEqual(standing[-1].hits, (at,))

    def test_when_a_hit_changes_only_that_one_is_heard_anew(self) -> None:
        found = marked(self.noted, self.plain)
        third = int(found.starts[2])
        changed = marked(self.noted, r.end_mark(self.plain, third, third + 500))
        with RecordingFile(self.path) as file:
            heard = HeardHits(file)
            groups = found_groups(heard, found)
            with mock.patch.object(file, "read", wraps=file.read) as read:
                self.assertEqual(found_groups(heard, found), groups)
                read.assert_not_called()
                again = found_groups(heard, changed)
                self.assertIn(read.call_count, (1, 2))  # for its spectrum, and for its role
            self.assertEqual(again, found_groups(HeardHits(file), changed))


class Rebuilt(InFolder):
    def test_in_order_at_its_own_tempo_it_is_the_recording_again(self) -> None:
        """Sample for sample but for the millisecond in which one slice goes over into the next."""
        path = boathouse()[1]
        file, found = self.cut(path)
        audio = file.read(0, file.frames)
        store = SampleStore(self.folder / "store")
        self.addCleanup(store.close)
        names = [(int(at), f"slice {n}") for n, at in enumerate(found.starts)]
        for whole in (True, False):
            got = sent(file, found, names, store, whole=whole, until_next=True)
            self.assertEqual(len(got.contents), 1 if whole else len(names))
            seconds = found.frames / RATE
            kit, pattern = in_order(
                Kit(name="k", tempo_bpm=LOOP_BPM), got.slices, got.contents, "loop",
                Tempo(LOOP_BPM, 0.0), seconds,
            )  # fmt: skip
            takes = Takes(store, RATE)
            out = bounce_beats(kit, groove_of(pattern), pattern_beats(pattern), takes).master
            first = int(found.starts[0])
            residual = np.abs(out[first : audio.shape[0]] - audio[first:]).max(axis=1)
            fades = np.zeros(residual.size, bool)
            for at in found.starts:
                fades[max(0, at - first - 60) : max(0, at - first + 8)] = True
            fades[-300:] = True  # the last one's end
            self.assertLess(20.0 * np.log10(residual[~fades].max() + 1e-12), -90.0)
            self.assertLess(fades.mean(), 0.02)


class Written(InFolder):
    def test_each_hit_a_file_from_its_onset_on(self) -> None:
        file, found = self.cut(boathouse()[0])
        names = [(int(at), f"oak/{n}") for n, at in enumerate(found.starts[:4])]
        for kind, suffix in (("WAV", ".wav"), ("FLAC", ".flac")):
            made = write_hits(file, found, names, self.folder / kind, kind)
            self.assertEqual([p.name for p in made], [f"oak-{n}{suffix}" for n in range(4)])
            audio, rate = soundfile.read(made[1], dtype="float32")
            self.assertEqual(rate, 48000)
            own = hit_audio(file, int(found.starts[1]), int(found.ends[1]))
            np.testing.assert_allclose(audio, own, atol=2e-7)
            self.assertLess(float(np.abs(audio[0]).max()), 1e-6)  # the lead is faded in

    def test_cue_points_at_every_hit_and_the_sound_as_it_was(self) -> None:
        path = boathouse()[1]
        _, found = self.cut(path)
        copy = self.folder / "copy.wav"
        places = [int(n) for n in found.starts]
        points = [(at, f"hit {n}") for n, at in enumerate(places)]
        write_with_cues(path, copy, points[::-1])
        np.testing.assert_array_equal(soundfile.read(copy)[0], soundfile.read(path)[0])
        data = copy.read_bytes()
        self.assertEqual(int.from_bytes(data[4:8], "little") + 8, len(data))
        at = data.index(b"cue ")
        self.assertEqual(int.from_bytes(data[at + 8 : at + 12], "little"), len(places))
        read = [
            int.from_bytes(data[at + 12 + 24 * n + 20 : at + 12 + 24 * n + 24], "little")
            for n in range(len(places))
        ]
        self.assertEqual(read, places)
        self.assertEqual(read_cues(copy), places)
        self.assertEqual(read_cues(path), [])
        for end in range(0, 4000, 37):  # cut off anywhere, it tells what is there
            cut = self.folder / "cut.wav"
            cut.write_bytes(data[-end:] if end % 2 else data[: at + end])
            self.assertTrue(set(read_cues(cut)) <= set(places))
        with self.assertRaises(FileError):
            write_with_cues(self.written("a.flac", np.zeros((10, 1))), copy, [(1, "")])

    def test_marks_at_places_where_none_is_near(self) -> None:
        made = r.add_marks(Recording(id="r", name="a", path="a"), [5, 100, 480, 900], [0, 490], 10)
        self.assertEqual([mark.at for mark in made.marks], [100, 900])
        self.assertEqual(r.add_marks(made, [100, 900], [100, 900], 10), made)

    def test_of_a_file_that_was_cut_off_or_had_cue_points_before(self) -> None:
        path = boathouse()[1]
        short, copy, again = (self.folder / name for name in ("short.wav", "copy.wav", "again.wav"))
        short.write_bytes(path.read_bytes()[:200001])
        write_with_cues(short, copy, [(100, "a"), (2000, "b")])
        audio = soundfile.read(path)[0]
        made = soundfile.read(copy)[0]
        np.testing.assert_array_equal(made, audio[: made.shape[0]])
        self.assertGreater(made.shape[0], 30000)
        write_with_cues(copy, again, [(100, "c")])
        self.assertEqual(again.read_bytes().count(b"cue "), 1)
        self.assertEqual(again.read_bytes().count(b"labl"), 1)
        with self.assertRaises(FileError):
            write_with_cues(self.folder, copy, [(1, "")])

    def test_what_lies_over_full_scale_is_float_and_never_called_flac(self) -> None:
        audio = np.zeros((48000, 1), np.float32)
        audio[4800:9600, 0] = 2.0 * np.sin(np.arange(4800) / 9.0)
        file, found = self.cut(self.written("loud.wav", audio, subtype="FLOAT"))
        names = [(int(at), "hit") for at in found.starts[:1]]
        (made,) = write_hits(file, found, names, self.folder / "out", "FLAC")
        self.assertEqual((made.suffix, soundfile.info(made).subtype), (".wav", "FLOAT"))
        self.assertGreater(float(np.abs(soundfile.read(made)[0]).max()), 1.9)

    def test_what_fails_leaves_nothing_and_what_was_there_stays(self) -> None:
        flac = self.written("take.flac", soundfile.read(boathouse()[1])[0])
        file, found = self.cut(flac)
        names = [(int(at), f"hit {n}") for n, at in enumerate(found.starts)]
        out = self.folder / "out"
        with self.assertRaises(FileError):  # only a WAV file takes cue points
            write_hits(file, found, names, out, cue_copy="copy")
        self.assertFalse(out.exists())
        out.mkdir()
        (out / "mine.wav").write_bytes(b"mine")

        def full(share: float) -> None:
            if share > 0.5:
                raise FileError("The disk is full.")

        with self.assertRaises(FileError):
            write_hits(file, found, names, out, tell=full)
        self.assertEqual([p.name for p in out.iterdir()], ["mine.wav"])

    def test_a_recording_is_taken_in_once(self) -> None:
        path = self.written("take.wav", soundfile.read(boathouse()[1])[0])
        file, found = self.cut(path)
        names = [(int(found.starts[0]), "hit")]
        store = SampleStore(self.folder / "store")
        self.addCleanup(store.close)
        first = sent(file, found, names, store, whole=True)
        with mock.patch("puddle.formats.store.read_sound", side_effect=AssertionError):
            again = sent(file, found, names, store, whole=True)
        self.assertEqual((first.contents, first.bytes), (again.contents, again.bytes))
        kept = store.folder / f"{first.contents[0].hash}.wav"
        kept.write_bytes(kept.read_bytes()[:1000])  # damaged since: it is taken in again
        self.assertEqual(sent(file, found, names, store, whole=True).contents, first.contents)
        self.assertEqual(kept.stat().st_size, path.stat().st_size)
        self.written("take.wav", 0.5 * soundfile.read(boathouse()[1])[0])  # another file now
        changed = sent(file, found, names, store, whole=True)
        self.assertNotEqual(changed.contents[0].hash, first.contents[0].hash)

    def test_the_verb(self) -> None:
        path = boathouse()[1]
        out = self.folder / "out"
        words = [sys.executable, "-m", "puddle", "cut", str(path), "--json", "-o", str(out)]
        done = subprocess.run(words, capture_output=True, text=True, timeout=120)
        told = json.loads(done.stdout)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(len(told["onsets_s"]), len(told["strength"]))
        _, struck = loop()
        begins = np.unique([one.frame for one in struck]) / RATE
        near = matched(np.array(told["onsets_s"]), begins, 0.005)
        self.assertGreater(len(near), 0.9 * len(begins))
        self.assertEqual(len(list(out.glob("*.wav"))), len(told["onsets_s"]))
        notes = read_midi(next(out.glob("*.mid"))).notes
        self.assertEqual(len(notes), len(told["onsets_s"]))
        for bad in ("none.wav", str(self.folder)):
            words = [sys.executable, "-m", "puddle", "cut", bad]
            refused = subprocess.run(words, capture_output=True, text=True, timeout=60)
            self.assertEqual((refused.returncode, refused.stderr.count("\n")), (2, 1))


class Demo(InFolder):
    def test_forty_hits_are_found_of_the_session(self) -> None:
        _, struck = session()
        _, found = self.cut(boathouse()[0])
        begins = np.array([one.frame for one in struck])
        near = matched(found.starts, begins, 0.003 * RATE)
        self.assertEqual(len(near), len(begins))
        self.assertLessEqual(len(found) - len(near), 2)

    def test_two_cores_do_not_leave_their_threads(self) -> None:
        import threading

        before = threading.active_count()
        self.cut(boathouse()[1])
        self.assertEqual(threading.active_count(), before)
        self.assertGreater(cutting._CORES, 1)
