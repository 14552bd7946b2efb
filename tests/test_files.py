"""Files in the window: opened, saved, recovered, dropped and exported."""

import tempfile
import zipfile
from pathlib import Path
from unittest.mock import patch

import numpy as np
import soundfile
from PyQt6.QtTest import QTest

from puddle.engine import offline
from puddle.kit import edits
from tests.sounds import noise, write
from tests.windows import LEFT, WindowTest, dropped


class Files(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def test_save_close_open_is_as_it_was(self) -> None:
        self.demo()
        kit = edits.set_layer(self.session.kit, "pad1", "layer2", offset_ms=3.3)
        self.session.edit("Knock on oak: offset", kit)
        path = self.folder / "storm.puddle"
        self.assertTrue(self.shell.kits.save_to(path))
        self.assertFalse(self.session.history.edited)
        self.shell.do_new()
        self.assertEqual(self.session.kit.pads, ())
        self.shell.kits.open(path)
        self.until(lambda: self.session.kit.pads != ())
        self.assertEqual(self.session.kit, edits.without_unused_contents(kit))
        self.settle()
        self.assertTrue(self.session.renders.ready(self.session.kit))
        self.assertEqual(self.session.settings.recent[0], str(path))

    def test_saving_while_one_works_on(self) -> None:
        self.demo()
        path = self.folder / "storm.puddle"
        self.session.path = path
        self.session.edit("a", edits.set_kit(self.session.kit, tempo_bpm=90.0))
        self.shell.do_save()
        later = edits.set_kit(self.session.kit, tempo_bpm=91.0)
        self.session.edit("b", later)
        self.until(lambda: "Saved" in self.shell._notice.text())
        self.assertTrue(self.session.history.edited)
        self.shell.do_undo()
        self.assertFalse(self.session.history.edited)
        self.shell.do_save()
        self.session.path = self.folder / "nowhere" / "x.puddle"
        self.shell.do_save()
        self.until(lambda: "cannot be written" in self.shell._notice.text())

    def test_a_save_is_whole_whatever_comes_next(self) -> None:
        self.demo()
        kit = self.session.kit
        path = self.folder / "storm.puddle"
        self.session.save_soon(path)
        self.session.new()  # the samples' folder goes, but not before they are saved
        self.shell.kits.open(path)
        self.until(lambda: self.session.kit.pads != ())
        self.assertEqual(self.session.kit, kit)
        self.settle()
        journal = self.session.journal
        assert journal is not None
        self.assertTrue(all(journal.store.decoded(c.hash) for c in kit.contents))

    def test_a_sample_that_cannot_be_read_stops_the_save(self) -> None:
        self.demo()
        self.shell.incoming.drop([write(self.folder / "storm.wav", noise(0.2))], "pad1", None)
        self.until(lambda: len(self.session.kit.contents) == 7)
        journal = self.session.journal
        assert journal is not None
        (journal.store.folder / f"{self.session.kit.contents[-1].hash}.wav").unlink()
        path = self.folder / "storm.puddle"
        self.assertFalse(self.shell.kits.save_to(path))
        self.assertIn("storm.wav", self.shell._notice.text())
        self.assertFalse(path.exists())

    def test_an_emptied_kit_asks_before_it_goes(self) -> None:
        from PyQt6.QtWidgets import QMessageBox

        self.demo()
        empty = self.session.kit
        for pad in empty.pads:
            empty = edits.remove_pad(empty, pad.id)
        self.session.edit("all out", empty)
        cancel = QMessageBox.StandardButton.Cancel
        with patch.object(QMessageBox, "exec", return_value=cancel) as asked:
            self.shell.do_new()
        asked.assert_called_once()
        self.assertIs(self.session.kit, empty)

    def test_what_was_undone_is_not_recovered(self) -> None:
        self.demo()
        journal = self.session.journal
        assert journal is not None
        self.session.edit("a", edits.set_kit(self.session.kit, tempo_bpm=90.0))
        self.session._write_journal()
        self.session.background.workers.wait()
        self.assertTrue((journal.folder / "kit.json").exists())
        self.shell.do_undo()
        self.session._write_journal()
        self.session.background.workers.wait()
        self.assertFalse((journal.folder / "kit.json").exists())

    def test_a_bad_kit_leaves_the_open_one(self) -> None:
        self.demo()
        kit = self.session.kit
        bad = self.folder / "bad.puddle"
        bad.write_bytes(b"rubbish")
        self.shell.kits.open(bad)
        self.until(lambda: "bad.puddle" in self.shell._notice.text())
        self.assertIs(self.session.kit, kit)

    def test_a_kit_that_is_edited_while_another_opens_stays(self) -> None:
        self.demo()
        path = self.folder / "storm.puddle"
        self.session.save(path)
        self.shell.kits.open(path)
        edited = edits.set_kit(self.session.kit, tempo_bpm=77.0)
        self.session.edit("Tempo 77 bpm", edited)
        self.until(lambda: "was edited meanwhile" in self.shell._notice.text())
        self.assertIs(self.session.kit, edited)

    def test_a_damaged_sample_is_told_after_the_kit_has_opened(self) -> None:
        self.demo()
        path = self.folder / "storm.puddle"
        self.session.save(path)
        raw = bytearray(path.read_bytes())
        with zipfile.ZipFile(path) as file:
            entry = next(i for i in file.infolist() if i.filename.startswith("samples/"))
        at = entry.header_offset + len(entry.filename) + 2000
        raw[at : at + 64] = bytes(64)
        path.write_bytes(raw)
        self.shell.kits.open(path)
        self.until(lambda: "is damaged" in self.shell._notice.text())
        self.assertEqual(len(self.session.kit.pads), 16)
        self.settle()
        self.assertTrue(self.session.renders.ready(self.session.kit))

    def test_a_wav_dropped_on_an_empty_place_becomes_a_pad(self) -> None:
        path = write(self.folder / "knock.wav", noise(0.2))
        dropped(self.shell.shore.drops[5], path)
        self.until(lambda: len(self.session.kit.pads) == 1)
        pad = self.session.kit.pads[0]
        self.assertEqual((pad.name, pad.place), ("knock", 5))
        self.settle()
        self.assertTrue(
            np.array_equal(self.session.renders.audio[pad.id][:9000], noise(0.2)[:9000])
        )

    def test_a_wav_dropped_on_a_pad_or_the_strata_becomes_a_layer(self) -> None:
        self.demo()
        path = write(self.folder / "rope.wav", noise(0.2))
        dropped(self.shell.shore.drops[1], path)
        self.until(lambda: len(self.session.kit.pads[1].sound.layers) == 4)
        self.assertEqual(self.session.pad_id, "pad2")
        dropped(self.shell.page, path)
        self.until(lambda: len(self.session.kit.pads[1].sound.layers) == 5)
        self.assertEqual(self.session.history.undo_name, "rope.wav dropped")
        self.shell.do_undo()
        self.shell.do_undo()
        self.assertEqual(len(self.session.kit.pads[1].sound.layers), 3)

    def test_what_is_no_sound_is_named_and_the_rest_lands(self) -> None:
        good = write(self.folder / "good.wav", noise(0.1))
        text = self.folder / "text.wav"
        text.write_text("hello")
        self.shell.incoming.drop([text, good], "", 0)
        self.until(lambda: len(self.session.kit.pads) == 1)
        self.assertIn("text.wav", self.shell._notice.text())
        self.assertEqual(self.session.kit.pads[0].name, "good")

    def test_exports_are_what_is_heard(self) -> None:
        self.demo()
        path = self.folder / "keel.wav"
        self.shell.exports.sound(path, "32f")
        self.until(path.exists)
        self.until(lambda: not self.shell.exports.working.isVisible())
        audio, _ = soundfile.read(path, dtype="float32")
        self.assertTrue(np.array_equal(audio, self.session.renders.audio["pad1"]))
        groove = self.folder / "groove.wav"
        self.shell.exports.groove(groove, "32f")
        self.until(groove.exists, 30.0)
        self.until(lambda: not self.shell.exports.working.isVisible())
        audio, _ = soundfile.read(groove, dtype="float32")
        pattern = self.session.pattern
        assert pattern is not None
        wanted = offline.bounce(self.session.kit, pattern, 2, self.session.renders.takes).master
        self.assertTrue(np.array_equal(audio, wanted))

    def test_recovery_after_a_kill(self) -> None:
        from puddle.formats.journal import lost_journals
        from puddle.window.settings import journal_root

        self.demo()
        kit = edits.set_kit(self.session.kit, tempo_bpm=77.0)
        self.session.edit("Tempo", kit)
        self.session._write_journal()
        self.session.background.workers.wait()
        journal = self.session.journal
        assert journal is not None
        self.assertLessEqual(self.session._autosave.interval(), 10000)
        (journal.folder / "pid").write_text("1 0")  # as if its process had died
        self.session.journal = None
        lost = lost_journals(journal_root())
        self.assertEqual(lost[0].name, "Rain Gauge")
        self.shell.kits.recover(lost[0])
        self.assertEqual(self.session.kit, kit)
        self.assertTrue(self.session.history.edited)
        self.settle()
        self.assertTrue(self.session.renders.ready(self.session.kit))

    def test_the_start_page(self) -> None:
        self.shell.do_start()
        start = self.shell.start_page
        self.assertIs(self.shell.pages.currentWidget(), start)
        QTest.mouseClick(start.demo, LEFT)
        self.until(lambda: self.session.kit.name == "Rain Gauge")
        self.assertIs(self.shell.pages.currentWidget(), self.shell.page)
        self.assertEqual(self.session.kit.name, "Rain Gauge")
