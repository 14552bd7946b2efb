"""A whole delivery on a disk: sums, what stands there, and everything that goes wrong."""

import hashlib
import threading
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from puddle.deliver import writing
from puddle.deliver.plan import Planned
from puddle.deliver.writing import standing, write_plan, write_zip
from puddle.errors import FileError
from puddle.files import sweep
from puddle.tasks import Cancelled, cancellable
from tests.support.deliveries import PatternsTest


class WholeTest(PatternsTest):
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

    def test_each_kind_lies_in_its_folder_or_all_beside_the_kit(self) -> None:
        kinds = {"one-shots", "instrument", "grooves"}
        plan = self.plan(*self.EVERYTHING)
        self.assertEqual({f.path.split("/")[0] for f in plan.files if "/" in f.path}, kinds)
        for what, kind in (("groove", "grooves"), ("instrument", "instrument")):
            for flat in (True, False):
                files = self.plan(what, flat=flat).files
                there = any(f.path.startswith(f"{kind}/") for f in files)
                self.assertEqual(there, not flat, what)

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

        with self.assertRaises(Cancelled), cancellable(wanted.is_set):
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


if __name__ == "__main__":
    unittest.main()
