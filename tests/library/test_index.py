"""The library's index: what is measured, once; what survives; what remains of a query."""

import contextlib
import io
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import threading
from pathlib import Path
from unittest import mock

import numpy as np

from puddle.cli import main
from puddle.errors import FileError
from puddle.library.catalog import Catalog, read_catalog, with_folder, write_catalog
from puddle.library.columns import FIGURES, Columns
from puddle.library.library import Library
from puddle.library.measuring import Processes
from puddle.library.record import record_of
from puddle.library.scanner import Progress
from puddle.library.search import BINS, MEASURES, Query
from puddle.library.synthesized import measure_voices
from puddle.measure.likeness import likeness_row
from puddle.tasks import Cancelled, cancellable
from puddle.voices import Kick
from tests.support.hits import hit
from tests.support.libraries import LibraryTest
from tests.support.sounds import noise, sine, write


class StartingPoints(LibraryTest):
    def test_they_are_found_as_they_are_measured_and_none_twice(self) -> None:
        """Told how many of how many; what was measured before it was left is kept."""
        points = {Kick: {f"{hz} Hz": Kick(end_hz=float(hz), decay_ms=60) for hz in range(40, 70)}}
        told = list[Progress]()

        def left(progress: Progress) -> None:
            told.append(progress)
            self.assertEqual(len(self.names(roles=frozenset({"kick"}))), progress.done)
            if progress.done > 12:
                raise Cancelled

        with self.assertRaises(Cancelled):
            measure_voices(self.library.index, points, left)
        self.assertEqual([(one.done, one.of) for one in told], [(12, 30), (24, 30)])
        self.assertEqual(measure_voices(self.library.index, points, told.append), 6)
        self.assertEqual((told[-1].done, told[-1].of), (6, 6))
        self.assertEqual(len(self.names(roles=frozenset({"kick"}))), 30)
        self.assertEqual(measure_voices(self.library.index, points, told.append), 0)

    def test_they_rest_while_paused_and_can_be_left(self) -> None:
        processes, left = Processes(1), threading.Event()
        processes.going.clear()

        def rest() -> None:
            with cancellable(lambda: not left.is_set()), contextlib.suppress(Cancelled):
                processes.rest_while_paused()

        for end in (processes.going.set, left.set):
            processes.going.clear()
            resting = threading.Thread(target=rest, daemon=True)
            resting.start()
            resting.join(0.3)
            self.assertTrue(resting.is_alive(), "it rests")
            end()
            resting.join(5.0)
            self.assertFalse(resting.is_alive())

    def test_each_name_is_listed_with_its_recipe_and_gone_with_it(self) -> None:
        """Own ones are kept unchanged, moved and moved back, and thrown away."""
        short, long = Kick(decay_ms=60), Kick(decay_ms=900)

        def measured(**points: Kick) -> int:
            return measure_voices(self.library.index, {Kick: points})

        def lengths() -> dict[str, float]:
            ids = self.library.sieved(Query(roles=frozenset({"kick"}))).ids
            entries = self.library.entries(ids)
            return {e.name: e.measured["length_ms"] for e in entries}

        self.assertEqual(measured(shipped=short), 1)
        before = lengths()["shipped"]
        self.assertEqual(measured(shipped=short, mine=short), 0, "known under another name")
        self.assertEqual(lengths(), {"shipped": before, "mine": before})
        self.assertEqual(measured(shipped=short, mine=long), 1)
        self.assertGreater(lengths()["mine"], before)
        self.assertEqual(measured(shipped=short, mine=short), 0)
        self.assertEqual(lengths(), {"shipped": before, "mine": before}, "moved back")
        self.assertEqual(measured(shipped=short), 0)
        self.assertEqual(list(lengths()), ["shipped"])


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
