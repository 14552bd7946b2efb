"""Files in the window: opened, saved, recovered, dropped and exported."""

import tempfile
from pathlib import Path
from unittest.mock import patch

import numpy as np
import soundfile
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox

from puddle.engine import offline
from puddle.kit import edits
from puddle.kit.edits.prints import without_unused_contents
from tests.support.sounds import noise, write
from tests.support.windows import LEFT, WindowTest, dropped, put


class Files(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def test_save_close_open_is_as_it_was(self) -> None:
        self.demo()
        kit = edits.set_layer(self.session.kit, "pad1", "layer2", offset_ms=3.3)
        put(self.session, "Knock on oak: offset", kit)
        path = self.folder / "storm.puddle"
        self.shell.kits.save_to(path)
        self.until(lambda: not self.session.history.edited)
        self.assertFalse(self.session.history.edited)
        self.shell.do("new")
        self.assertEqual(self.session.kit.pads, ())
        self.shell.kits.open(path)
        self.until(lambda: self.session.kit.pads != ())
        kit = edits.set_kit(kit, name="storm")  # it took its file's name
        self.assertEqual(self.session.kit, without_unused_contents(kit))
        self.settle()
        self.assertTrue(self.session.renders.ready(self.session.kit))
        self.assertEqual(self.session.settings.recent[0], str(path))

    def test_saving_while_one_works_on(self) -> None:
        self.demo()
        path = self.folder / "storm.puddle"
        self.session.file.path = path
        put(self.session, "a", edits.set_kit(self.session.kit, tempo_bpm=90.0))
        self.shell.do("save")
        later = edits.set_kit(self.session.kit, tempo_bpm=91.0)
        put(self.session, "b", later)
        self.until(lambda: "Saved" in self.shell.notice.text())
        self.assertTrue(self.session.history.edited)
        self.shell.do("undo")
        self.assertFalse(self.session.history.edited)
        self.shell.do("save")
        self.session.file.path = self.folder / "nowhere" / "x.puddle"
        self.shell.do("save")
        self.until(lambda: "cannot be written" in self.shell.notice.text())

    def test_a_save_is_whole_whatever_comes_next(self) -> None:
        self.demo()
        kit = self.session.kit
        path = self.folder / "storm.puddle"
        self.session.file.save(path, lambda _: None)
        self.session.file.new()  # the samples' folder goes, but not before they are saved
        self.shell.kits.open(path)
        self.until(lambda: self.session.kit.pads != ())
        self.assertEqual(self.session.kit, kit)
        self.settle()
        journal = self.session.file.journal
        assert journal is not None
        self.assertTrue(all(journal.store.decoded(c.hash) for c in kit.contents))

    def test_an_emptied_kit_asks_before_it_goes(self) -> None:

        self.demo()
        empty = self.session.kit
        for pad in empty.pads:
            empty = edits.remove_pad(empty, pad.id)
        put(self.session, "all out", empty)
        cancel = QMessageBox.StandardButton.Cancel
        with patch.object(QMessageBox, "exec", return_value=cancel) as asked:
            self.shell.do("new")
        asked.assert_called_once()
        self.assertIs(self.session.kit, empty)

    def test_what_was_undone_is_not_recovered(self) -> None:
        self.demo()
        journal = self.session.file.journal
        assert journal is not None
        put(self.session, "a", edits.set_kit(self.session.kit, tempo_bpm=90.0))
        self.session.file.write_journal()
        self.session.file.saving.wait_for_journal()
        self.assertTrue((journal.folder / "kit.json").exists())
        self.shell.do("undo")
        self.session.file.write_journal()
        self.session.file.saving.wait_for_journal()
        self.assertFalse((journal.folder / "kit.json").exists())

    def test_a_bad_kit_leaves_the_open_one(self) -> None:
        self.demo()
        kit = self.session.kit
        bad = self.folder / "bad.puddle"
        bad.write_bytes(b"rubbish")
        self.shell.kits.open(bad)
        self.until(lambda: "bad.puddle" in self.shell.notice.text())
        self.assertIs(self.session.kit, kit)

    def test_a_kit_that_is_edited_while_another_opens_stays(self) -> None:
        self.demo()
        path = self.folder / "storm.puddle"
        self.save(path)
        self.shell.kits.open(path)
        edited = edits.set_kit(self.session.kit, tempo_bpm=77.0)
        put(self.session, "Tempo 77 bpm", edited)
        self.until(lambda: "was edited meanwhile" in self.shell.notice.text())
        self.assertIs(self.session.kit, edited)

    def test_a_wav_dropped_on_an_empty_place_becomes_a_pad(self) -> None:
        path = write(self.folder / "knock.wav", noise(0.2))
        dropped(self.shell.shore.drops[5], path)
        self.until(lambda: len(self.session.kit.pads) == 1)
        pad = self.session.kit.pads[0]
        self.assertEqual((pad.name, pad.place), ("Knock", 5))
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
        dropped(self.shell.pages.page("shape"), path)
        self.until(lambda: len(self.session.kit.pads[1].sound.layers) == 5)
        self.assertEqual(self.session.history.undo_name, "rope.wav dropped")
        self.shell.do("undo")
        self.shell.do("undo")
        self.assertEqual(len(self.session.kit.pads[1].sound.layers), 3)

    def test_what_is_no_sound_is_named_and_the_rest_lands(self) -> None:
        good = write(self.folder / "good.wav", noise(0.1))
        text = self.folder / "text.wav"
        text.write_text("hello")
        self.shell.incoming.drop([text, good], "", 0)
        self.until(lambda: len(self.session.kit.pads) == 1)
        self.assertIn("text.wav", self.shell.notice.text())
        self.assertEqual(self.session.kit.pads[0].name, "Good")

    def test_exports_are_what_is_heard(self) -> None:
        self.demo()
        path = self.folder / "keel.wav"
        self.shell.exports.sound(path, "32f")
        self.until(path.exists)
        self.until(lambda: self.shell.exports.working is None)
        audio, _ = soundfile.read(path, dtype="float32")
        self.assertTrue(np.array_equal(audio, self.session.renders.audio["pad1"]))
        groove = self.folder / "groove.wav"
        self.shell.exports.groove(groove, "32f")
        self.until(groove.exists, 30.0)
        self.until(lambda: self.shell.exports.working is None)
        audio, _ = soundfile.read(groove, dtype="float32")
        pattern = self.session.pattern
        assert pattern is not None
        wanted = offline.bounce(self.session.kit, pattern, 2, self.session.renders.takes).master
        self.assertTrue(np.array_equal(audio, wanted))

    def test_recovery_after_a_kill(self) -> None:
        from puddle.formats.journal import lost_journals
        from puddle.home.settings import journal_root

        self.demo()
        kit = edits.set_kit(self.session.kit, tempo_bpm=77.0)
        put(self.session, "Tempo", kit)
        self.session.file.write_journal()
        self.session.file.saving.wait_for_journal()
        journal = self.session.file.journal
        assert journal is not None
        self.assertLessEqual(self.session.file._autosave.interval(), 10000)
        journal.abandon()  # as a process does that dies
        self.session.file.journal = None
        self.session.history.mark_saved(kit)
        lost = lost_journals(journal_root())
        self.assertEqual(lost[0].name, "Rain Gauge")
        self.shell.kits.recover(lost[0])
        self.assertEqual(self.session.kit, kit)
        self.assertTrue(self.session.history.edited)
        self.settle()
        self.assertTrue(self.session.renders.ready(self.session.kit))

    def test_the_start_page(self) -> None:
        self.shell.do("start")
        start = self.shell.pages.page("start")
        self.assertIs(self.shell.pages.currentWidget(), start)
        QTest.mouseClick(start.demo, LEFT)
        self.until(lambda: self.session.kit.name == "Rain Gauge")
        self.assertIs(self.shell.pages.currentWidget(), self.shell.pages.page("shape"))
        self.assertEqual(self.session.kit.name, "Rain Gauge")
