"""What is read and written: one gate for all paths, files replaced whole, traces of kills swept."""

import os
import signal
import stat
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from puddle import files
from puddle.errors import FileError, KitFileError, ReadOnlyError, SoundFileError
from puddle.files import copy_regular, read_regular, stamp_of, sweep, write_aside
from puddle.formats.journal import any_journal, lost_journals, new_journal, recovered
from puddle.formats.kitfile import open_kit
from puddle.formats.ownfile import VoiceFile, read_own
from puddle.formats.sound import read_sound
from puddle.formats.store import SampleStore
from puddle.kit.model.document import Kit
from tests.support.sounds import noise, small_kit, wav


class InFolder(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def pipe(self) -> Path:
        path = self.folder / "pipe.wav"
        os.mkfifo(path)
        return path


class Told(InFolder):
    def test_what_lies_in_the_person_s_own_folder_begins_with_a_tilde(self) -> None:
        with mock.patch.dict(os.environ, {"HOME": str(self.folder / "mine")}):
            self.assertEqual(files.homely(self.folder / "mine" / "kits" / "a"), "~/kits/a")
            beside = self.folder / "mines" / os.fsdecode(b"\xff")
            self.assertEqual(files.homely(beside), f"{self.folder}/mines/\\xff")


class Gate(InFolder):
    """Every reader goes through it, and none waits."""

    def test_only_regular_files_of_a_bounded_size(self) -> None:
        large = self.folder / "large"
        with large.open("wb") as file:
            file.truncate(3 << 20)
        bad = {
            self.pipe(): "is a pipe",
            Path("/dev/zero"): "is a device",
            self.folder: "is a folder",
            large: "larger than 2 MiB",
            self.folder / "nowhere": "No such file",
            Path("a\0b"): "character",
        }
        for path, why in bad.items():
            for read in (
                lambda p: read_regular(p, 2 << 20),
                lambda p: copy_regular(p, self.folder / "copy", 2 << 20),
            ):
                with self.subTest(path), self.assertRaises(FileError) as caught:
                    read(path)
                self.assertIn(why, str(caught.exception))
                self.assertFalse((self.folder / "copy").exists())

    def test_every_reader_refuses_pipes_and_devices_in_a_sentence(self) -> None:
        store = SampleStore(self.folder / "store")
        self.addCleanup(store.close)
        for path in (self.pipe(), Path("/dev/zero"), Path("/dev/stdin"), self.folder):
            with self.assertRaises(SoundFileError):
                read_sound(path)
            with self.assertRaises(SoundFileError):
                store.add_file(path)
            with self.assertRaises(KitFileError):
                open_kit(path, store)
            with self.assertRaises(KitFileError):
                read_own(path, VoiceFile)

    def test_the_time_is_bounded(self) -> None:
        path = self.folder / "slow"
        path.write_bytes(bytes(3 << 20))
        with self.assertRaises(FileError) as caught:
            read_regular(path, 4 << 20, longest_s=0.0)
        self.assertIn("takes longer", str(caught.exception))

    def test_a_file_that_grows_is_read_as_it_was_when_it_was_opened(self) -> None:
        path = self.folder / "log"
        path.write_bytes(b"before")
        with files.open_regular(path, 100) as file:
            parts = files.chunks(file, "log")
            with path.open("ab") as more:
                more.write(bytes(50))
            self.assertLessEqual(len(b"".join(parts)), 56)


class Replaced(InFolder):
    def test_a_link_stays_one_and_what_it_leads_to_is_replaced(self) -> None:
        target, link = self.folder / "target", self.folder / "link"
        target.write_bytes(b"before")
        link.symlink_to("target")
        write_aside(link, b"after")
        self.assertTrue(link.is_symlink())
        self.assertEqual(target.read_bytes(), b"after")
        dangling = self.folder / "dangling"
        dangling.symlink_to(self.folder / "new")
        write_aside(dangling, b"made")
        self.assertEqual((self.folder / "new").read_bytes(), b"made")
        self.assertTrue(dangling.is_symlink())

    def test_permissions_and_owner_are_kept(self) -> None:
        path = self.folder / "a"
        path.write_bytes(b"before")
        path.chmod(0o640)
        if os.geteuid() == 0:
            os.chown(path, 1234, 4321)
        write_aside(path, b"after")
        found = path.stat()
        self.assertEqual(stat.S_IMODE(found.st_mode), 0o640)
        if os.geteuid() == 0:
            self.assertEqual((found.st_uid, found.st_gid), (1234, 4321))
        mask = os.umask(0)
        os.umask(mask)
        write_aside(self.folder / "fresh", b"x")
        mode = stat.S_IMODE((self.folder / "fresh").stat().st_mode)
        self.assertEqual(mode, 0o666 & ~mask)

    def test_a_read_only_file_is_replaced_only_when_one_is_sure(self) -> None:
        path = self.folder / "a"
        path.write_bytes(b"before")
        path.chmod(0o444)
        with self.assertRaises(ReadOnlyError):
            write_aside(path, b"after")
        self.assertEqual(path.read_bytes(), b"before")
        write_aside(path, b"after", over_read_only=True)
        self.assertEqual(path.read_bytes(), b"after")
        self.assertEqual(stat.S_IMODE(path.stat().st_mode), 0o444)

    def test_nothing_else_than_a_file_is_replaced(self) -> None:
        pipe = self.pipe()
        link = self.folder / "link"
        link.symlink_to("/dev/null")
        for path in (pipe, link, Path("/dev/null"), self.folder):
            with self.subTest(path), self.assertRaises(FileError):
                write_aside(path, b"after", over_read_only=True)
        self.assertTrue(stat.S_ISFIFO(pipe.stat().st_mode))
        self.assertTrue(stat.S_ISCHR(Path("/dev/null").stat().st_mode))

    def test_the_stamp_is_that_of_the_file(self) -> None:
        path = self.folder / "a"
        first = write_aside(path, b"one")
        self.assertEqual(stamp_of(path), first)
        self.assertNotEqual(write_aside(path, b"two"), first)
        self.assertIsNone(stamp_of(self.folder / "nowhere"))

    def test_no_room_leaves_what_was_there_and_nothing_else(self) -> None:
        path = self.folder / "a"
        path.write_bytes(b"before")
        full = OSError(28, "No space left on device")
        with mock.patch.object(os, "fsync", side_effect=full), self.assertRaises(FileError):
            write_aside(path, b"after")
        self.assertEqual([(p.name, p.read_bytes()) for p in self.folder.iterdir()],
                         [("a", b"before")])  # fmt: skip


class Swept(InFolder):
    """Half-written files and folders of processes that were killed."""

    CODE = (
        "import os, sys, time\n"
        "from pathlib import Path\n"
        "from puddle import files\n"
        "def stop(*_):\n"
        "    print('half', flush=True)\n"
        "    time.sleep(60)\n"
        "if sys.argv[2] in ('file', 'fresh'):\n"
        "    os.replace = stop\n"
        "    if sys.argv[2] == 'fresh': os.fdopen = stop\n"  # it is made, and nothing more
        "    files.write_aside(Path(sys.argv[1]) / 'a', b'x' * 1000)\n"
        "else:\n"
        "    with files.scratch_folder() as folder:\n"
        "        (folder / 'b').write_bytes(b'x')\n"
        "        stop()\n"
    )

    def setUp(self) -> None:
        super().setUp()
        (self.folder / "temp").mkdir()
        self.environment = {
            "XDG_STATE_HOME": str(self.folder / "state"),
            "TMPDIR": str(self.folder / "temp"),
        }
        self.enterContext(mock.patch.dict(os.environ, self.environment))
        self.enterContext(mock.patch.object(tempfile, "tempdir", None))

    def started(self, what: str) -> "subprocess.Popen[str]":
        words = [sys.executable, "-c", self.CODE, str(self.folder), what]
        process = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
        self.addCleanup(lambda: (process.kill(), process.wait()))
        assert process.stdout is not None
        self.addCleanup(process.stdout.close)
        self.assertEqual(process.stdout.readline().strip(), "half")
        return process

    def left(self) -> list[str]:
        asides = [p.name for p in self.folder.glob(".puddle-*")]
        return [*asides, *(p.name for p in (self.folder / "temp").iterdir())]

    def test_only_once_their_process_is_gone(self) -> None:
        for what in ("file", "fresh", "folder"):
            with self.subTest(what):
                process = self.started(what)
                sweep()
                self.assertEqual(len(self.left()), 1)
                process.send_signal(signal.SIGKILL)
                process.wait()
                self.assertEqual(len(self.left()), 1)
                sweep()
                self.assertEqual(self.left(), [])
        self.assertEqual(list((self.folder / "state" / "puddle" / "asides").iterdir()), [])

    def test_nothing_else_is_touched(self) -> None:
        own = self.folder / ".puddle-mine"
        own.write_bytes(b"mine")
        (self.folder / "temp" / "puddle-notes").mkdir()
        record = self.folder / "state" / "puddle" / "asides" / ".puddle-x"
        record.parent.mkdir(parents=True)
        record.write_bytes(os.fsencode(self.folder / "a"))  # leads to another name
        (self.folder / "a").write_bytes(b"a")
        sweep()
        self.assertTrue(own.exists() and (self.folder / "a").exists())
        self.assertTrue((self.folder / "temp" / "puddle-notes").exists())
        self.assertFalse(record.exists())


class HeldJournals(InFolder):
    def test_two_processes_never_recover_one(self) -> None:
        journal = new_journal(self.folder)
        journal.write(Kit(name="Storm"))
        journal.abandon()
        (lost,) = lost_journals(self.folder)
        code = (
            "import sys, time\n"
            "from pathlib import Path\n"
            "from puddle.formats.journal import lost_journals, recovered\n"
            "kit, journal = recovered(lost_journals(Path(sys.argv[1]))[0])\n"
            "print(kit.name, flush=True)\n"
            "time.sleep(60)\n"
        )
        process = subprocess.Popen(
            [sys.executable, "-c", code, str(self.folder)], stdout=subprocess.PIPE, text=True
        )
        self.addCleanup(lambda: (process.kill(), process.wait()))
        assert process.stdout is not None
        self.addCleanup(process.stdout.close)
        self.assertEqual(process.stdout.readline().strip(), "Storm")
        self.assertEqual(lost_journals(self.folder), [])
        with self.assertRaises(KitFileError) as caught:
            recovered(lost)
        self.assertIn("another window", str(caught.exception))
        process.kill()
        process.wait()
        kit, journal = recovered(lost)
        self.assertEqual(kit.name, "Storm")
        journal.close()
        with self.assertRaises(KitFileError):
            recovered(lost)

    def test_one_that_is_being_made_is_left_alone(self) -> None:
        young, old = self.folder / ".new-1", self.folder / ".new-2"
        young.mkdir()
        old.mkdir()
        os.utime(old, (time.time() - 1e5, time.time() - 1e5))
        self.assertEqual(lost_journals(self.folder), [])
        self.assertTrue(young.exists())
        self.assertFalse(old.exists())

    def test_samples_stay_for_as_long_as_they_are_used(self) -> None:
        journal = new_journal(self.folder)
        path = self.folder / "a.wav"
        path.write_bytes(wav(noise(0.1)))
        content = journal.store.add_file(path)
        with journal.in_use() as store:
            give_back = journal.borrow()
            journal.close()
            self.assertTrue(journal.closing)
            self.assertIsNotNone(store.as_it_came(content.hash))
        self.assertTrue(journal.folder.exists())
        give_back()
        self.assertFalse(journal.folder.exists())

    def test_a_state_folder_that_cannot_be_written(self) -> None:
        blocked = self.folder / "file"
        blocked.write_bytes(b"")
        with mock.patch.object(tempfile, "tempdir", str(self.folder)):
            journal, note = any_journal(blocked / "journals")
        self.assertIn("cannot be written", note)
        self.assertIn("not be recovered", note)
        journal.write(small_kit())
        journal.close()
        with (
            mock.patch.object(tempfile, "tempdir", str(blocked)),
            self.assertRaises(FileError),
        ):
            any_journal(blocked / "journals")
