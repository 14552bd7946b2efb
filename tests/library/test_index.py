"""The library's index: what is measured, once; what survives; what remains of a query."""

import contextlib
import io
import json
import os
import shutil
import signal
import socket
import sqlite3
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from puddle.cli import main
from puddle.errors import FileError, PuddleError
from puddle.formats.kitfile import save_kit
from puddle.formats.store import SampleStore
from puddle.kit import edits
from puddle.kit.model.document import Sample
from puddle.library import kit_pads, scanner
from puddle.library.catalog import Catalog, read_catalog, with_folder, write_catalog
from puddle.library.columns import FIGURES, Columns
from puddle.library.library import Library
from puddle.library.measuring import Processes
from puddle.library.record import Record, Unreadable, measured_file, record_of
from puddle.library.scanner import Counts, Progress, scan
from puddle.library.search import BINS, MEASURES, Query
from puddle.library.walking import seen_below
from puddle.library.worker import found_in
from puddle.measure.likeness import likeness_row
from puddle.render.take import Takes
from puddle.voices import Hat, Kick, Snare
from puddle.wanted import UnwantedError, cancellable
from tests.support.hits import hit
from tests.support.sounds import noise, sine, small_kit, wav, write


class Inside:
    """Measures in this process: what processes do is tested on its own."""

    def __init__(self) -> None:
        self.asked: list[bytes] = []

    def measured(self, tasks):  # type: ignore[no-untyped-def]
        for seen, known in tasks:
            self.asked.append(seen.path)
            yield seen, found_in(seen.path, frozenset(known))


class LibraryTest(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.home = Path(holder.name)
        self.sounds = self.home / "sounds"
        (self.sounds / "kicks").mkdir(parents=True)
        (self.sounds / "more" / "deep").mkdir(parents=True)
        write(self.sounds / "kicks" / "hull 1.wav", Kick(decay_ms=200).render(48000.0, 1.0))
        write(self.sounds / "more" / "rain.wav", Hat().render(48000.0, 1.0))
        write(self.sounds / "more" / "deep" / "snare 120 bpm.wav", Snare().render(48000.0, 1.0))
        write(self.sounds / "tone.wav", sine(440.0, 0.4, 0.5))
        self.library = self.opened()

    def opened(self) -> Library:
        made = Library(self.home / "index")
        self.addCleanup(made.close)
        return made

    def scan(self, *folders: Path) -> tuple[Counts, list[bytes]]:
        measurer = Inside()
        chosen = [os.fsencode(f) for f in folders] or [os.fsencode(self.sounds)]
        counts = scan(self.library.index, chosen, measurer)
        self.library.refresh_marks()
        return counts, measurer.asked

    def names(self, **query: object) -> list[str]:
        found = self.library.sieved(Query(**query)).ids  # type: ignore[arg-type]
        ids = self.library.ordered(found, "name")
        return [entry.name for entry in self.library.entries(ids)]


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
            self.assertRaises(UnwantedError),
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


class Kept(LibraryTest):
    def test_a_damaged_index_is_made_anew_and_marks_stay(self) -> None:
        self.scan()
        self.library.judge(self.library.sieved(Query(words="hull")).ids.tolist(), "kept")
        self.library.close()
        place = self.home / "index" / "index.sqlite"
        data = bytearray(place.read_bytes())
        for start in (0, 4096, 8192):
            data[start : start + 600] = os.urandom(600)
        place.write_bytes(data)
        self.library = self.opened()
        self.assertTrue(self.library.index.rebuilt)
        self.assertTrue((self.home / "index" / "damaged-index.sqlite").exists())
        self.assertEqual(len(self.scan()[1]), 4)
        self.assertEqual(self.names(judged="kept"), ["hull 1.wav"])

    def test_a_second_library_reads_and_does_not_write(self) -> None:
        self.scan()
        other = self.opened()
        self.assertFalse(other.index.writes)
        self.assertEqual(len(other.sieved(Query()).ids), 4)
        with self.assertRaises(FileError):
            other.index.forget([1])
        write(self.sounds / "later.wav", sine(700.0, 0.3, 0.5))
        self.scan()
        self.assertEqual(len(other.sieved(Query()).ids), 4)
        with mock.patch("puddle.library.index._FOLLOW_S", 0.0):
            self.assertEqual(len(other.sieved(Query()).ids), 5)  # what the first one measured
        other.judge([1], "kept")  # marks may be set by both
        self.library.close()
        again = self.opened()
        self.assertEqual(len(again.sieved(Query(judged="kept")).ids), 1)

    def test_columns_that_are_old_or_damaged_are_made_from_the_index(self) -> None:
        self.scan()
        whole = self.library.index.columns.likeness.copy()
        self.library.close()
        place = self.home / "index" / "columns"
        data = place.read_bytes()
        for damaged in (b"", data[:100], data[:-4], b"x" * len(data)):
            place.write_bytes(damaged)
            again = self.opened()
            self.assertTrue(np.array_equal(again.index.columns.likeness, whole))
            again.close()
        revision = json.loads(place.read_bytes()[8:64])[0]
        self.assertIsNotNone(Columns.load(place.parent, revision))
        self.assertIsNone(Columns.load(place.parent, "another"))

    def test_damaged_lines_of_marks_cost_themselves(self) -> None:
        self.scan()
        self.library.judge([1, 2], "kept")
        self.library.tag([1], "storm", True)
        self.library.close()
        place = self.home / "index" / "marks.jsonl"
        lines = place.read_bytes().splitlines(keepends=True)
        place.write_bytes(lines[0][:20] + b"\n\xff\xfe\n" + b"".join(lines[1:]) + b'{"hash"')
        self.library = self.opened()
        self.assertEqual(len(self.names(judged="kept")), 2)
        self.library.judge([3], "kept")  # after the line that was cut off
        self.library.close()
        self.library = self.opened()
        self.assertEqual(len(self.names(judged="kept")), 3)

    def test_a_full_disk_leaves_the_marks_as_they_were(self) -> None:
        self.scan()
        self.library.judge([1], "kept")
        before = (self.home / "index" / "marks.jsonl").read_bytes()
        with mock.patch("os.write", return_value=3), self.assertRaises(FileError):
            self.library.judge([2], "kept")
        self.assertEqual((self.home / "index" / "marks.jsonl").read_bytes(), before)
        self.assertEqual(len(self.names(judged="kept")), 1)

    def test_the_catalog_is_kept_and_a_damaged_one_put_aside(self) -> None:
        place = self.home / "catalog.json"
        wanted = with_folder(Catalog(searches={"dark": Query(words="hull")}), "/a", favorite=True)
        write_catalog(place, wanted)
        self.assertEqual(read_catalog(place), wanted)
        place.write_bytes(b'{"folders": 3}')
        self.assertEqual(read_catalog(place), Catalog())
        self.assertTrue((self.home / "damaged-catalog.json").exists())


class Asking(LibraryTest):
    def setUp(self) -> None:
        super().setUp()
        self.scan()

    def test_words_are_parts_of_names_folders_and_tags(self) -> None:
        for words, wanted in (
            ("hull", ["hull 1.wav"]),
            ("KICKS ul", ["hull 1.wav"]),
            ("sounds more", ["rain.wav", "snare 120 bpm.wav"]),
            ('"; DROP', []),
            ("ra", ["rain.wav"]),
            ("%", []),
            ("nothing", []),
        ):
            self.assertEqual(self.names(words=words), wanted, words)
        ids = self.library.sieved(Query(words="tone")).ids.tolist()
        self.library.tag(ids, "lantern light", True)
        self.assertEqual(self.names(words="lantern"), ["tone.wav"])
        self.scan()
        self.assertEqual(self.names(words="lantern"), ["tone.wav"])
        self.library.tag(ids, "lantern light", False)
        self.assertEqual(self.names(words="lantern"), [])

    def test_roles_are_told_by_words_before_the_sound_and_corrected_by_hand(self) -> None:
        self.assertEqual(self.names(roles=("kick",)), ["hull 1.wav"])  # by its folder
        self.assertEqual(self.names(roles=("snare",)), ["snare 120 bpm.wav"])
        ids = self.library.sieved(Query(words="tone")).ids.tolist()
        self.library.correct_role(ids, "bass")
        self.assertEqual(self.names(roles=("bass",)), ["tone.wav"])
        self.library.close()
        self.library = self.opened()
        self.assertEqual(self.names(roles=("bass", "kick")), ["hull 1.wav", "tone.wav"])

    def test_a_folder_holds_what_lies_below_it(self) -> None:
        self.assertEqual(len(self.names(folder=str(self.sounds / "more"))), 2)
        self.assertEqual(self.library.sieved(Query(folder=str(self.sounds / "kicks"))).of, 1)
        self.assertEqual(self.names(folder=str(self.sounds / "mor")), [])

    def test_ranges_and_histograms_are_what_numpy_counts(self) -> None:
        columns = self.library.index.columns
        rng = np.random.default_rng(3)
        record = record_of(noise(0.1), 48000.0, "0" * 64)
        for n in range(5, 4000):
            row = {f: float(np.exp(rng.normal(4.0, 2.0))) for f in FIGURES}
            row |= {"loudness_lufs": float(rng.uniform(-50, 0)), "bpm": None}
            row["pitch_hz"] = None if n % 3 else row["pitch_hz"]
            columns.put(n, {**row, "folder": 1, "flags": 1, "role": "hat", "sure": 1.0},
                        record.likeness)  # fmt: skip
        ranges = {"length_ms": (20.0, 300.0), "pitch_hz": (30.0, 500.0)}
        found = self.library.sieved(Query(roles=("hat",), ranges=ranges))
        figures = columns.figures
        hats = (columns.roles == 3) & (columns.flags == 1)
        with np.errstate(invalid="ignore"):
            long = (figures[0] >= 20.0) & (figures[0] <= 300.0)
            high = (figures[2] >= 30.0) & (figures[2] <= 500.0)
        self.assertEqual(found.ids.tolist(), np.flatnonzero(hats & long & high).tolist())
        for n, others in ((0, high), (2, long), (3, long & high)):
            measure = MEASURES[n]
            values = figures[n][hats & others]
            places = [measure.place(float(v)) for v in values[np.isfinite(values)]]
            wanted, _ = np.histogram(np.clip(places, 0.0, 1.0), BINS, (0.0, 1.0))
            apart = np.abs(found.histograms[n] - wanted).sum()
            self.assertLessEqual(int(apart), 4)  # float32 at the edge of a bin
            self.assertEqual(int(found.histograms[n].sum()), values[np.isfinite(values)].size)

    def test_orders(self) -> None:
        ids = self.library.sieved(Query()).ids
        for by, key in (("length_ms", "length_ms"), ("pitch_hz", "fundamental_hz")):
            for down in (False, True):
                found = self.library.entries(self.library.ordered(ids, by, down))
                values = [e.measured[key] for e in found]
                known = [v for v in values if v is not None]
                self.assertEqual(known, sorted(known, reverse=down))
                self.assertEqual(values[: len(known)], known)  # those without come last

    def test_the_nearest_is_what_numpy_finds(self) -> None:
        ids = self.library.sieved(Query()).ids
        rows = self.library.index.columns.likeness
        row = likeness_row(hit(), 48000.0, 180.0)
        near, apart = self.library.nearest(row, ids, 3)
        wanted = np.abs(rows[ids] - row).sum(axis=1)
        self.assertEqual(near.tolist(), ids[np.argsort(wanted)[:3]].tolist())
        self.assertLess(float(np.abs(apart - np.sort(wanted)[:3]).max()), 1e-3)


def measures(library: Library) -> list[tuple[bytes, str, bytes]]:
    """What was measured of each entry."""
    ids = range(1, library.index.columns.count)
    rows = library.index.columns.likeness
    return [(e.path, repr(sorted(e.measured.items())), rows[e.id].tobytes())
            for e in library.entries(ids)]  # fmt: skip


class Commands(LibraryTest):
    def said(self, *words: object) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([str(word) for word in words])
        return code, out.getvalue(), err.getvalue()

    def test_scan_and_find(self) -> None:
        self.library.close()
        index = ("--index", self.home / "index", "--json")
        code, out, err = self.said("scan", self.sounds, "--jobs", 1, *index)
        told = json.loads(out)
        self.assertEqual((code, err), (0, ""))
        self.assertEqual(
            {k: told[k] for k in ("entries", "new", "changed", "moved", "unreadable")},
            {"entries": 4, "new": 4, "changed": 0, "moved": 0, "unreadable": 0},
        )
        self.assertGreater(told["seconds"], 0.0)
        code, out, _ = self.said("find", *index, "--role", "kick", "--length", "50..900")
        found = json.loads(out)
        self.assertEqual([Path(f["file"]).name for f in found], ["hull 1.wav"])
        self.assertEqual(found[0]["role"], "kick")
        like = self.sounds / "more" / "rain.wav"
        _, out, _ = self.said("find", *index, "--like", like, "--most", 2)
        found = json.loads(out)
        self.assertEqual((len(found), found[0]["file"]), (2, str(like)))
        self.assertLess(found[0]["distance"], 1e-3)
        self.assertGreater(found[1]["distance"], 1.0)

    def test_a_cluster_gives_the_same_records(self) -> None:
        """A scheduler and two workers on this machine, as processes of their own."""
        address = self.cluster()
        self.library.close()
        for index, words in (("here", ("--jobs", 1)), ("there", ("--cluster", address))):
            place = self.home / index
            code, out, err = self.said("scan", self.sounds, "--index", place, "--json", *words)
            self.assertEqual((code, err, json.loads(out)["new"]), (0, "", 4))
        here, there = (Library(self.home / name) for name in ("here", "there"))
        self.addCleanup(here.close)
        self.addCleanup(there.close)
        self.assertEqual(*(sorted(measures(one)) for one in (here, there)))
        with mock.patch("puddle.library.measuring.Cluster.timeout_s", 0.5):
            code, _, err = self.said("scan", self.sounds, "--cluster", "tcp://127.0.0.1:1")
        self.assertEqual((code, err.count("\n")), (2, 1))

    def cluster(self) -> str:
        """Starts one; its address."""
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        address = f"tcp://127.0.0.1:{port}"
        begin = [sys.executable, "-m", "distributed.cli"]
        for words in (
            ("dask_scheduler", "--host", "127.0.0.1", "--port", str(port), "--no-dashboard"),
            ("dask_worker", address, "--nworkers", "2", "--nthreads", "1", "--no-dashboard"),
        ):
            process = subprocess.Popen(
                [*begin[:2], f"distributed.cli.{words[0]}", *words[1:]],
                stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
            )  # fmt: skip
            self.addCleanup(process.wait)
            self.addCleanup(os.killpg, process.pid, signal.SIGKILL)
        return address

    def test_bad_words_are_refused_in_one_line(self) -> None:
        nowhere = self.home / "nowhere"
        for words in (
            ("scan", nowhere),
            ("find", "--index", nowhere),
            ("find", "--index", self.home / "index", "--role", "drum"),
            ("find", "--index", self.home / "index", "--length", "200..100"),
            ("find", "--index", self.home / "index", "--length", "x..y"),
            ("find", "--index", self.home / "index", "--pitch", "100"),
            ("find", "--index", self.home / "index", "--most", "0"),
            ("find", "--index", self.home / "index", "--like", nowhere),
            ("scan", self.sounds, "--index", self.home / "other", "--jobs", "0"),
            ("scan", self.sounds, "--index", self.home / "index"),  # which is held by another
        ):
            code, out, err = self.said(*words)
            self.assertEqual((code, out, err.count("\n")), (2, "", 1), (words, err))
        self.assertFalse(nowhere.exists())
        shutil.rmtree(self.home / "other", ignore_errors=True)
