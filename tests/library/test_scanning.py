"""Folders are scanned: new, moved, lost and unreadable files, and the pads of kits."""

import contextlib
import os
import signal
import socket
import sqlite3
import subprocess
import sys
import time
from pathlib import Path
from unittest import mock

import numpy as np

from puddle.errors import PuddleError
from puddle.formats.kitfile import save_kit
from puddle.formats.store import SampleStore
from puddle.kit import edits
from puddle.kit.model.document import Sample
from puddle.library import kit_pads, scanner
from puddle.library.measuring import Processes
from puddle.library.record import Record, Unreadable, measured_file
from puddle.library.scanner import Progress, scan
from puddle.library.search import Query
from puddle.library.walking import seen_below
from puddle.render.take import Takes
from puddle.tasks import Cancelled, cancellable
from tests.support.libraries import Inside, LibraryTest
from tests.support.sounds import noise, sine, small_kit, wav, write


class Scanning(LibraryTest):
    def test_nothing_is_measured_twice(self) -> None:
        counts, asked = self.scan()
        self.assertEqual((counts.entries, counts.new, counts.unreadable), (4, 4, 0))
        self.assertEqual(len(asked), 4)
        before = self.library.index.revision
        counts, asked = self.scan()
        self.assertEqual((counts.entries, counts.new, counts.changed, asked), (4, 0, 0, []))
        self.assertEqual(self.library.index.revision, before)  # so nothing is written anew

    def test_a_changed_file_is_measured_again_and_a_lost_one_forgotten(self) -> None:
        self.scan()
        write(self.sounds / "tone.wav", sine(880.0, 0.4, 0.5))
        (self.sounds / "more" / "rain.wav").unlink()
        counts, asked = self.scan()
        self.assertEqual((counts.entries, counts.changed, len(asked)), (3, 1, 1))
        self.assertNotIn("rain.wav", self.names())
        entry = next(e for e in self.library.entries([1, 2, 3, 4]) if e.name == "tone.wav")
        self.assertAlmostEqual(entry.measured["fundamental_hz"], 880.0, 1)

    def test_a_moved_file_keeps_its_marks_and_is_only_read(self) -> None:
        self.scan()
        before = self.library.sieved(Query(words="rain")).ids
        self.library.judge(before.tolist(), "kept")
        (self.sounds / "more" / "rain.wav").rename(self.sounds / "kicks" / "drizzle.wav")
        with mock.patch("puddle.library.record.record_of", side_effect=AssertionError):
            counts, asked = self.scan()
        self.assertEqual((counts.moved, counts.new, len(asked)), (1, 0, 1))
        self.assertEqual(self.names(judged="kept"), ["drizzle.wav"])

    def test_unreadable_files_are_kept_with_their_reason_and_never_listed(self) -> None:
        (self.sounds / "bad.wav").write_bytes(b"RIFF nothing")
        (self.sounds / "empty.flac").write_bytes(b"")
        (self.sounds / "cut.wav").write_bytes(wav(noise(0.2))[:40])
        counts, _ = self.scan()
        self.assertEqual(counts.unreadable, 3)
        reasons = dict(self.library.index.unreadable())
        self.assertEqual(len(reasons), 3)
        self.assertIn("empty", reasons[str(self.sounds / "empty.flac")])
        self.assertEqual(len(self.names()), 4)
        _, asked = self.scan()
        self.assertEqual(asked, [])  # not tried again until they change

    def test_what_is_no_sound_file_is_passed_over(self) -> None:
        os.mkfifo(self.sounds / "pipe.wav")
        server = socket.socket(socket.AF_UNIX)
        self.addCleanup(server.close)
        server.bind(str(self.sounds / "socket.wav"))
        (self.sounds / "around").symlink_to(self.sounds)
        (self.sounds / "self.wav").symlink_to(self.sounds / "self.wav")
        (self.sounds / ".hidden").mkdir()
        write(self.sounds / ".hidden" / "a.wav", sine(100.0, 0.1))
        odd = os.fsencode(self.sounds) + b"/caf\xe9.wav"
        Path(os.fsdecode(odd)).write_bytes(wav(sine(300.0, 0.2)))
        locked = self.sounds / "locked"
        locked.mkdir(mode=0o000)
        self.addCleanup(locked.chmod, 0o700)
        counts, asked = self.scan()
        self.assertEqual((counts.entries, counts.unreadable), (5, 0))
        self.assertIn(odd, asked)
        self.assertIn("caf\\xe9.wav", self.names())
        self.assertEqual(self.scan()[1], [])

    def test_a_folder_that_is_away_comes_back(self) -> None:
        self.scan()
        self.library.judge(self.library.sieved(Query(words="rain")).ids.tolist(), "rejected")
        self.sounds.rename(self.home / "unplugged")
        counts, _ = self.scan()
        self.assertEqual((counts.entries, self.names()), (4, []))
        self.sounds.mkdir()  # the mount point, empty
        self.scan()
        self.assertEqual(self.names(), [])
        self.sounds.rmdir()
        (self.home / "unplugged").rename(self.sounds)
        _, asked = self.scan()
        self.assertEqual((asked, len(self.names())), ([], 3))
        self.assertEqual(self.names(judged="rejected"), ["rain.wav"])

    def test_a_folder_that_goes_away_while_it_is_scanned_loses_nothing(self) -> None:
        self.scan()

        def unplugged(folder: bytes):  # type: ignore[no-untyped-def]
            found = list(seen_below(folder))[:1]
            self.sounds.rename(self.home / "unplugged")
            return iter(found)

        with mock.patch.object(scanner, "seen_below", unplugged):
            self.scan()
        (self.home / "unplugged").rename(self.sounds)
        self.assertEqual((self.scan()[1], len(self.names())), ([], 4))

    def test_what_was_measured_before_a_cancel_is_kept(self) -> None:
        asked = []

        class Slow(Inside):
            def measured(self, tasks):  # type: ignore[no-untyped-def]
                for one in super().measured(tasks):
                    asked.append(one)
                    yield one

        with (
            mock.patch.object(scanner, "_BATCH", 1),
            self.assertRaises(Cancelled),
            cancellable(lambda: len(asked) < 2),
        ):
            scan(self.library.index, [os.fsencode(self.sounds)], Slow())
        kept = len(self.names())
        self.assertGreater(kept, 0)
        self.assertEqual(len(self.scan()[1]), 4 - kept)

    def test_progress_is_told(self) -> None:
        told: list[Progress] = []
        scan(self.library.index, [os.fsencode(self.sounds)], Inside(), told.append)
        self.assertEqual((told[-1].done, told[-1].of), (4, 4))
        self.assertGreater(told[-1].per_second, 0.0)

    def test_processes_measure_the_same_and_one_that_dies_costs_one_file(self) -> None:
        seen = sorted(seen_below(os.fsencode(self.sounds)), key=lambda s: s.path)
        done = dict(Processes(2).measured([(s, ()) for s in seen]))
        self.assertEqual({s: measured_file(s.path) for s in seen}, done)
        first = done[seen[0]]
        assert isinstance(first, Record)
        copies = dict(Processes(1).measured([(seen[0], (first.hash,))]))
        self.assertEqual(copies[seen[0]], first.hash)
        begun = subprocess.Popen

        def dying(*words, **values):  # type: ignore[no-untyped-def]
            return begun([sys.executable, "-c", "import os; os.abort()"], **values)

        with mock.patch.object(subprocess, "Popen", dying):
            done = dict(Processes(1).measured([(s, ()) for s in seen[:2]]))
        self.assertTrue(all(isinstance(d, Unreadable) for d in done.values()), done)

    def test_a_scan_that_is_killed_goes_on_where_it_was(self) -> None:
        for n in range(40):
            write(self.sounds / f"tone {n}.wav", sine(200.0 + n, 0.3))
        self.library.close()
        words = [sys.executable, "-m", "puddle", "scan", str(self.sounds), "--index",
                 str(self.home / "index"), "--jobs", "1"]  # fmt: skip
        process = subprocess.Popen(words, stdout=subprocess.DEVNULL, start_new_session=True)
        end = time.monotonic() + 60
        while time.monotonic() < end:
            with contextlib.suppress(sqlite3.Error):
                at = self.home / "index" / "index.sqlite"
                db = sqlite3.connect(f"file:{at}?mode=ro", uri=True)
                count = db.execute("SELECT count(*) FROM files").fetchone()[0]
                db.close()
                if count:
                    break
            time.sleep(0.02)
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        self.library = self.opened()
        kept = len(self.names(doubles=True))
        self.assertGreater(kept, 0)
        _, asked = self.scan()
        self.assertEqual((len(asked), len(self.names(doubles=True))), (44 - kept, 44))


class Kits(LibraryTest):
    """Kits in a folder: their pads are entries, their samples are used."""

    def setUp(self) -> None:
        super().setUp()
        self.store = SampleStore(self.home / "store")
        self.addCleanup(self.store.close)
        self.content = self.store.add_file(self.sounds / "tone.wav")
        kit = edits.add_content(small_kit(), self.content)
        source = Sample(content=self.content.hash, end_ms=self.content.length_ms)
        self.kit, _ = edits.add_layer(kit, "pad2", "tone", source)
        self.path = self.sounds / "more" / "storm.puddle"
        save_kit(self.path, self.kit, self.store)

    def pads(self) -> list[str]:
        return self.names(made="synthesized", doubles=True)

    def test_pads_are_entries_with_their_roles_measured_once(self) -> None:
        counts, asked = self.scan()
        self.assertEqual((counts.new, len(asked)), (5, 5))
        self.assertEqual(self.pads(), ["Crack", "Thud", "Tick", "Wash"])
        self.assertEqual(self.names(roles=("snare",), made="synthesized"), ["Crack"])
        self.assertEqual(self.names(words="small wash"), ["Wash"])
        self.assertEqual(self.library.index.kits_using(self.content.hash), ["Small"])
        self.assertEqual(self.names(never_used=True, words="tone"), [])
        self.assertEqual(self.scan()[1], [])

    def test_a_kit_that_is_changed_lost_or_away(self) -> None:
        self.scan()
        save_kit(self.path, edits.remove_pad(self.kit, "pad4"), self.store)
        self.assertEqual(len(self.scan()[1]), 1)
        self.assertEqual(self.pads(), ["Crack", "Thud", "Tick"])
        self.sounds.rename(self.home / "unplugged")
        self.scan()
        self.assertEqual(self.pads(), [])
        (self.home / "unplugged").rename(self.sounds)
        self.assertEqual((self.scan()[1], len(self.pads())), ([], 3))
        self.path.unlink()
        self.scan()
        self.assertEqual((self.pads(), self.library.index.kits_using(self.content.hash)), ([], []))

    def test_a_damaged_kit_is_kept_with_its_reason(self) -> None:
        self.scan()
        data = self.path.read_bytes()
        self.path.write_bytes(data[: len(data) // 2])
        counts, _ = self.scan()
        self.assertEqual((counts.unreadable, self.pads()), (1, []))
        self.assertEqual(self.scan()[1], [])
        self.assertEqual(len(self.names()), 4)

    def test_a_pad_is_heard_and_taken_with_its_samples(self) -> None:
        self.scan()
        found = self.library.sieved(Query(words="crack", made="synthesized")).ids
        entry = self.library.entries(found)[0]
        place = kit_pads.address(entry.path)
        assert place is not None
        self.assertEqual(place, (self.path, "pad2"))
        audio = kit_pads.pad_audio(*place)
        wanted = Takes(self.store, 48000.0).sound(self.kit.pads[1].sound).audio
        self.assertTrue(np.array_equal(audio, wanted))
        taken: list[str] = []
        copied = kit_pads.taken_pad(*place, lambda sound, name: taken.append(name))  # type: ignore[arg-type, func-returns-value]
        self.assertEqual((copied.pad.sound, taken), (self.kit.pads[1].sound, ["tone.wav"]))
        with self.assertRaises(PuddleError):
            kit_pads.pad_audio(self.path, "pad99")

    def test_a_process_measures_kits_too(self) -> None:
        seen = next(s for s in seen_below(os.fsencode(self.sounds)) if kit_pads.is_kit(s.path))
        done = dict(Processes(1).measured([(seen, ())]))
        self.assertEqual(done[seen], kit_pads.measured_kit(seen.path))
