"""Nothing is lost: saves in their turn, the journal under load, copies, doubts, closing."""

import os
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

from PyQt6.QtWidgets import QMessageBox

from puddle.errors import FileError
from puddle.formats import kitfile
from puddle.formats.journal import lost_journals, new_journal, recovered
from puddle.formats.writing import Autosave, Writer
from puddle.home import templates
from puddle.kit.model.document import Kit
from puddle.window.session import saving
from tests.support.saving import SavingTest
from tests.support.sounds import small_kit
from tests.support.windows import put


class InOrder(unittest.TestCase):
    def test_everything_is_done_in_the_order_asked_and_told(self) -> None:
        writer, done, gate = Writer(), [], threading.Event()
        writer.ask(lambda: gate.wait(5.0), lambda _: done.append("slow"))
        for n in range(5):
            writer.ask(lambda n=n: n, done.append)
        self.assertTrue(writer.busy)
        with self.assertLogs("puddle.formats.writing", "ERROR"):
            writer.ask(lambda: 1 // 0, done.append)
            gate.set()
            writer.close()  # which waits for all of it
        self.assertEqual(done[:-1], ["slow", 0, 1, 2, 3, 4])
        self.assertIsInstance(done[-1], ZeroDivisionError)
        with self.assertRaises(RuntimeError):
            writer.ask(lambda: None)


class KeptByItself(unittest.TestCase):
    """The journal's thread, with a disk that refuses."""

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)
        self.journal = new_journal(self.root)
        self.told: list[str] = []
        self.autosave = Autosave(self.told.append, retry_s=0.02)
        self.addCleanup(self.autosave.close)

    def written(self) -> str:
        self.journal.abandon()
        return recovered(lost_journals(self.root)[0])[0].name

    def test_the_newest_is_written(self) -> None:
        for n in range(50):
            self.autosave.keep(self.journal, Kit(name=f"kit {n}"), None, None)
        self.assertTrue(self.autosave.wait(5.0))
        self.assertEqual(self.told, [])
        self.assertEqual(self.written(), "kit 49")

    def test_what_fails_is_tried_again_and_told_as_a_state(self) -> None:
        write, tried = self.journal.write, []

        def refused(*given: object) -> None:
            tried.append(given)
            if len(tried) < 4:
                raise FileError("No space left on device.")
            write(*given)  # type: ignore[arg-type]

        with mock.patch.object(self.journal, "write", refused):
            self.autosave.keep(self.journal, Kit(name="a"), None, None)
            end = time.monotonic() + 5.0
            while len(self.told) < 2 and time.monotonic() < end:
                time.sleep(0.005)
        self.assertEqual(self.told, ["No space left on device.", ""])
        self.assertEqual(len(tried), 4)
        self.assertEqual(self.written(), "a")

    def test_a_kit_that_was_left_is_neither_told_nor_tried_again(self) -> None:
        gate, tried = threading.Event(), []

        def refused(*given: object) -> None:
            tried.append(given)
            gate.wait(5.0)
            raise FileError("No space left on device.")

        with mock.patch.object(self.journal, "write", refused):
            self.autosave.keep(self.journal, Kit(name="a"), None, None)
            while not tried:
                time.sleep(0.001)
            self.autosave.drop()
            gate.set()
            self.assertTrue(self.autosave.wait(5.0))
            time.sleep(0.1)
        self.assertEqual((len(tried), self.told), (1, []))
        self.journal.close()


class Saves(SavingTest):
    def test_of_two_saves_the_newer_one_stays(self) -> None:
        slow, save = threading.Event(), kitfile.save_kit

        def first_slowly(path: Path, kit: Kit, *given: object, **kept: object) -> object:
            if kit.tempo_bpm == 91.0:
                slow.wait(1.0)
            return save(path, kit, *given, **kept)  # type: ignore[arg-type]

        with mock.patch.object(saving, "save_kit", first_slowly):
            for bpm in (91.0, 92.0, 93.0):
                self.tempo(bpm)
                self.shell.kits.save_to(self.path)
            slow.set()
            self.until(lambda: not self.session.file.saving.busy)
        self.assertEqual(self.on_disk(self.path).tempo_bpm, 93.0)
        self.assertEqual(self.told, [f"Saved to {self.path}."] * 3)
        self.assertFalse(self.session.history.edited)

    def test_a_save_that_waits_is_not_dropped_by_save_as(self) -> None:
        other = self.folder / "other.puddle"
        self.tempo(91.0)
        self.shell.kits.save_to(self.path)
        self.tempo(92.0)
        self.shell.kits.save_to(other)
        self.until(lambda: not self.session.file.saving.busy)
        self.assertEqual(self.on_disk(self.path).tempo_bpm, 91.0)
        self.assertEqual(self.on_disk(other).tempo_bpm, 92.0)
        self.assertEqual(self.session.file.path, other)

    def test_closing_waits_for_what_is_being_written_and_asks_about_the_rest(self) -> None:
        gate, save = threading.Event(), kitfile.save_kit

        def slowly(*given: object, **kept: object) -> object:
            gate.wait(5.0)
            return save(*given, **kept)  # type: ignore[arg-type]

        with mock.patch.object(saving, "save_kit", slowly):
            self.tempo(91.0)
            self.shell.kits.save_to(self.path)
            self.assertFalse(self.shell.close())
            self.assertTrue(self.shell.isVisible())
            gate.set()
            self.until(lambda: not self.shell.isVisible())
        self.assertIsNone(self.session.file.journal)
        self.assertEqual(self.on_disk(self.path).tempo_bpm, 91.0)

    def test_a_save_that_fails_keeps_the_window(self) -> None:
        gone = self.folder / "gone"
        gone.mkdir()
        self.tempo(91.0)
        self.session.file.path = gone / "a.puddle"
        gone.rmdir()
        with mock.patch.object(QMessageBox, "exec", return_value=QMessageBox.StandardButton.Save):
            self.shell.close()
            self.until(lambda: any("cannot be written" in text for text in self.told))
        self.assertTrue(self.shell.isVisible())
        self.assertTrue(self.session.history.edited)

    def test_saved_while_all_workers_are_busy(self) -> None:
        gate = self.fill_workers()
        self.tempo(91.0)
        self.assertEqual(self.save(self.path), "")
        self.tempo(92.0)
        self.session.file.write_journal()
        self.assertTrue(self.session.file.saving.wait_for_journal(5.0))
        journal = self.session.file.journal
        assert journal is not None
        self.assertTrue((journal.folder / "kit.json").exists())
        gate.set()

    def test_a_journal_that_cannot_be_written_is_shown_until_it_can(self) -> None:
        self.tempo(91.0)
        journal = self.session.file.journal
        assert journal is not None
        refused = FileError("No space left on device.")
        with mock.patch.object(journal, "write", side_effect=refused):
            self.session.file.write_journal()
            self.until(lambda: self.session.file.saving.trouble != "")
            self.assertEqual(self.shell.top.state.text(), "· not recoverable")
            self.assertIn("No space left", self.shell.top.state.toolTip())
        self.until(lambda: self.session.file.saving.trouble == "")
        self.assertEqual(self.shell.top.state.text(), "· edited")

    def test_a_template_is_kept_whatever_is_opened_next(self) -> None:
        self.demo()
        self.shell.kits.keep_template("Gale", with_sounds=True)
        self.session.file.new()
        self.until(lambda: "Gale is a template" in "".join(self.told))
        made = self.on_disk(templates.place_of("Gale"))
        self.assertEqual(len(made.pads), 26)
        templates.place_of("Gale").unlink()

    def test_an_export_that_fails_says_so(self) -> None:
        put(self.session, "x", small_kit())
        self.session.selection.select_pad("pad1")
        self.settle()
        for error in (ValueError("odd"), MemoryError(), KeyError("k")):
            self.told.clear()
            with (
                mock.patch("puddle.formats.sound.write_wav", side_effect=error),
                self.assertLogs("puddle.tasks", "ERROR"),
            ):
                self.shell.exports.sound(self.folder / "x.wav", "24")
                self.until(lambda: bool(self.told))
            self.assertIn("failed", self.told[0])
            self.assertNotIn("is in", self.told[0])
            self.assertIsNone(self.shell.exports.working)

    def test_a_relative_path_is_the_same_place_later(self) -> None:
        self.save(self.path)
        before = Path.cwd()
        self.addCleanup(os.chdir, before)
        os.chdir(self.folder)
        self.session.file.open(Path("storm.puddle"))
        os.chdir(before)
        self.assertEqual(self.session.file.path, self.path)
        self.tempo(93.0)
        self.session.file.write_journal()
        self.session.file.saving.wait_for_journal()
        journal = self.session.file.journal
        assert journal is not None
        self.assertIn(str(self.path), (journal.folder / "where.json").read_text())
        self.shell.do("save")
        self.until(lambda: not self.session.file.saving.busy)
        self.assertEqual(self.on_disk(self.path).tempo_bpm, 93.0)
