"""Samples in saved kits, the copy that is opened, and what is in doubt."""

import stat
import threading
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox

from puddle.formats import kitfile
from puddle.formats.journal import lost_journals
from puddle.formats.store import SampleStore
from puddle.kit import edits
from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Kit, Stage
from puddle.stages import Compressor
from puddle.window.files.kit_files import Kits
from puddle.window.session.saving import Saved
from puddle.window.shell.take_over import take_over_menu
from tests.support.saving import SavingTest
from tests.support.sounds import noise, small_kit, write
from tests.support.windows import DemoTest, answering, put

YES, CANCEL = QMessageBox.StandardButton.Yes, QMessageBox.StandardButton.Cancel


class Samples(SavingTest):
    shares_takes = False  # samples are missing

    def setUp(self) -> None:
        super().setUp()
        self.wav = write(self.folder / "knock.wav", noise(0.2))
        self.shell.incoming.drop([self.wav], "", 0)
        self.until(lambda: len(self.session.kit.pads) == 1)
        self.settle()

    def loose(self) -> Path:
        journal = self.session.file.journal
        assert journal is not None
        return journal.store.folder / f"{self.session.kit.contents[0].hash}.wav"

    def test_one_that_has_gone_bad_stops_the_save_and_the_good_file_stays(self) -> None:
        self.assertEqual(self.save(self.path), "")
        good = self.path.read_bytes()
        raw = bytearray(self.loose().read_bytes())
        raw[2000:2040] = bytes(40)
        for damaged in (bytes(raw), raw[:500], b""):
            self.loose().write_bytes(damaged)
            self.tempo(self.session.kit.tempo_bpm + 1.0)
            self.assertIn("knock.wav is missing or damaged", self.save(self.path))
            self.assertEqual(self.path.read_bytes(), good)
            self.assertTrue(self.session.history.edited)
        self.shell.incoming.drop([self.wav], "", 1)  # its file once more: it is whole again
        self.until(lambda: len(self.session.kit.pads) == 2)
        self.assertEqual(self.save(self.path), "")
        self.assertEqual(self.on_disk(self.path).contents, self.session.kit.contents)

    def test_one_that_went_bad_before_a_crash_is_noticed_too(self) -> None:
        journal = self.session.file.journal
        assert journal is not None
        again = SampleStore(journal.store.folder)
        name = self.session.kit.contents[0].hash
        self.assertIsNotNone(again.as_it_came(name))
        raw = bytearray(self.loose().read_bytes())
        raw[2000:2040] = bytes(40)
        self.loose().write_bytes(raw)
        self.assertIsNone(again.as_it_came(name))
        again.close()

    def test_a_kit_that_is_left_while_it_is_checked_says_nothing(self) -> None:
        self.save(self.path)
        checking, go = threading.Event(), threading.Event()
        decoded = SampleStore.decoded

        def slowly(store: SampleStore, content: str) -> object:
            if threading.current_thread().name.startswith("puddle-render"):
                checking.set()
                go.wait(5.0)
            return decoded(store, content)

        self.session.file.open(self.path)
        self.told.clear()
        with mock.patch.object(SampleStore, "decoded", slowly):
            self.until(checking.is_set)
            self.session.file.new()
            self.session.file.saving.wait()
            go.set()
            self.session.background.tasks.wait()
            self.session.background.tasks.wait()
            QApplication.processEvents()
        self.assertEqual([t for t in self.told if "sample" in t], [])

    def test_a_copy_carries_its_samples_from_the_moment_of_copying(self) -> None:
        pad = self.session.kit.pads[0]
        self.shell.parcels.copy(pad.id)
        self.tempo(99.0)
        put(self.session, "x", edits.set_pad(self.session.kit, pad.id, level_db=-9.0))
        self.session.file.new()
        self.session.file.saving.wait()
        self.assertEqual(self.shell.parcels.copied_name(), f"Knock of {'Untitled'}")
        self.shell.parcels.paste(4)
        self.until(lambda: len(self.session.kit.pads) == 1)
        pasted = self.session.kit.pads[0]
        self.assertEqual((pasted.place, pasted.level_db), (4, pad.level_db))
        self.settle()
        self.assertGreater(float(np.abs(self.session.renders.audio[pasted.id]).max()), 0.1)
        self.assertEqual(self.save(self.path), "")

    def test_several_copies_at_once_all_land(self) -> None:
        self.shell.parcels.copy(self.session.kit.pads[0].id)
        self.session.file.new()
        for place in range(5):
            self.shell.parcels.paste(place)
        self.until(lambda: len(self.session.kit.pads) == 5)
        self.assertEqual(sorted(p.place for p in self.session.kit.pads), [0, 1, 2, 3, 4])

    def test_a_pad_whose_sample_is_gone_is_not_copied_silently(self) -> None:
        self.loose().unlink()
        self.shell.parcels.copy(self.session.kit.pads[0].id)
        self.until(lambda: any("missing or damaged" in text or "cannot be read" in text
                               for text in self.told))  # fmt: skip


class TheCopy(DemoTest):
    """A copy is the thing copied, named in every menu."""

    def setUp(self) -> None:
        super().setUp()
        put(self.session, "x", edits.set_pad(self.session.kit, "pad2", level_db=-7.0, pan=20.0))
        self.session.selection.select_pad("pad2")
        self.shell.do("copy_pad")

    def test_in_another_kit_it_is_still_that_pad(self) -> None:
        copied = edits.pad_of(self.session.kit, "pad2")
        self.session.file.new(small_kit())
        mine = edits.pad_of(self.session.kit, "pad2")  # the old id, another drum
        self.session.selection.select_pad("pad2")
        menu = take_over_menu(self.session, self.shell.parcels, self.shell)
        self.assertEqual(menu.title(), "Take over from Plank of Rain Gauge")
        entry = self.shell.commands.by_id["take_over"]
        self.assertEqual(entry.text(), "Take over from Plank of Rain Gauge …")
        action = next(a for a in menu.actions() if a.text() == "Level, pan and tune")
        action.trigger()
        self.until(lambda: self.session.kit.pad("pad2") != mine)
        taken = edits.pad_of(self.session.kit, "pad2")
        self.assertEqual((taken.level_db, taken.pan), (copied.level_db, copied.pan))
        self.assertEqual(taken.name, mine.name)

    def test_a_whole_sound_brings_its_samples_along(self) -> None:
        copied = edits.pad_of(self.session.kit, "pad2")
        self.session.file.new(small_kit())
        self.shell.parcels.take_over("pad1", "whole sound")
        self.until(lambda: edits.pad_of(self.session.kit, "pad1").sound == copied.sound)
        self.settle()
        journal = self.session.file.journal
        assert journal is not None
        self.assertTrue(self.session.kit.contents)
        self.assertTrue(all(journal.store.decoded(c.hash) for c in self.session.kit.contents))

    def test_it_is_as_it_was_when_it_was_copied_and_outlives_its_pad(self) -> None:
        sound = edits.pad_of(self.session.kit, "pad2").sound
        put(self.session, "gone", edits.remove_pad(self.session.kit, "pad2"))
        self.shell.parcels.paste(40)
        pad = self.session.kit.pad_at(40)
        assert pad is not None
        self.assertEqual((pad.sound, pad.name), (sound, "Plank"))

    def test_nothing_on_the_clipboard_offers_nothing(self) -> None:
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        clipboard.clear()
        self.assertEqual(self.shell.parcels.copied_name(), "")
        self.shell.parcels.paste(40)
        self.assertIsNone(self.session.kit.pad_at(40))

    def test_a_pad_that_keyed_others_is_spoken_of_and_undo_brings_both_back(self) -> None:
        told: list[str] = []
        self.session.told.connect(told.append)
        stage = Stage(id="c", process=Compressor(), key="pad1")
        path = RowPath(pad="pad13", live=True)
        put(self.session, "x", rows.with_stages(self.session.kit, path, (stage,)))
        kit = self.session.kit
        self.session.selection.select_pad("pad1")
        self.shell.do("remove_pad")
        self.assertIn("its compressor was keyed by Keel and is off now", told[-1])
        self.session.undo()
        self.assertIs(self.session.kit, kit)
        self.assertTrue(rows.stages_at(self.session.kit, path)[0].on)


class Doubts(SavingTest):
    """Where a file is not simply to be replaced, the person is asked."""

    def setUp(self) -> None:
        super().setUp()
        self.tempo(91.0)
        self.assertEqual(self.save(self.path), "")

    def elsewhere(self) -> bytes:
        """As another window saves over it."""
        store = SampleStore(self.folder / "other")
        kitfile.save_kit(self.path, Kit(name="from elsewhere"), store)
        store.close()
        return self.path.read_bytes()

    def saved(self, answer: QMessageBox.StandardButton) -> str:
        with answering(answer) as asked:
            self.shell.do("save")
            self.until(lambda: not self.session.file.saving.busy)
        return asked[-1] if asked else ""

    def test_a_file_that_another_window_saved(self) -> None:
        other = self.elsewhere()
        self.tempo(92.0)
        self.assertIn("storm.puddle was changed by another window", self.saved(CANCEL))
        self.assertEqual(self.path.read_bytes(), other)
        self.assertTrue(self.session.history.edited)
        self.assertIn("was changed", self.saved(YES))
        self.assertEqual(self.on_disk(self.path).tempo_bpm, 92.0)
        self.tempo(93.0)
        self.assertEqual(self.saved(CANCEL), "")  # it is ours again

    def test_one_that_was_opened_and_saved_elsewhere_meanwhile(self) -> None:
        self.session.file.open(self.path)
        self.elsewhere()
        self.tempo(94.0)
        self.assertIn("was changed", self.saved(CANCEL))

    def test_after_a_crash_it_is_still_known(self) -> None:
        self.tempo(95.0)
        self.session.file.write_journal()
        self.session.file.saving.wait_for_journal()
        journal = self.session.file.journal
        assert journal is not None
        journal.abandon()
        self.session.file.journal = None
        self.elsewhere()
        (lost,) = [x for x in lost_journals(journal.folder.parent) if x.folder == journal.folder]
        self.session.file.saving._stamps.clear()  # as a new process begins
        self.session.file.recover(lost)
        self.assertIn("was changed", self.saved(CANCEL))

    def test_one_that_is_gone_is_made_again(self) -> None:
        self.path.unlink()
        self.tempo(92.0)
        self.assertEqual(self.saved(CANCEL), "")
        self.assertEqual(self.on_disk(self.path).tempo_bpm, 92.0)

    def test_one_that_is_read_only(self) -> None:
        self.path.chmod(0o444)
        before = self.path.read_bytes()
        self.tempo(92.0)
        self.assertIn("storm.puddle is read-only", self.saved(CANCEL))
        self.assertEqual(self.path.read_bytes(), before)
        self.saved(YES)
        self.assertEqual(self.on_disk(self.path).tempo_bpm, 92.0)
        self.assertEqual(stat.S_IMODE(self.path.stat().st_mode), 0o444)

    def test_through_a_link(self) -> None:
        link = self.folder / "link.puddle"
        link.symlink_to(self.path)
        self.session.file.open(link)
        self.tempo(96.0)
        self.assertEqual(self.saved(CANCEL), "")
        self.assertTrue(link.is_symlink())
        self.assertEqual(self.on_disk(self.path).tempo_bpm, 96.0)

    def test_a_name_that_gets_its_ending_is_asked_about(self) -> None:
        chosen = str(self.folder / "storm")  # the dialog knows of no such file
        before = self.path.read_bytes()
        with (
            mock.patch.object(QFileDialog, "getSaveFileName", return_value=(chosen, "")),
            answering(CANCEL) as asked,
        ):
            self.tempo(92.0)
            self.shell.do("save_as")
        self.assertIn("is there already. Replace it? [Cancel, Replace]", asked[-1])
        self.assertEqual(self.path.read_bytes(), before)

    def test_recovering_asks_about_the_kit_that_is_open(self) -> None:
        self.tempo(97.0)
        kits: Kits = self.shell.kits
        with mock.patch.object(QMessageBox, "exec", return_value=CANCEL) as asked:
            kits.recover(mock.Mock())
        asked.assert_called_once()
        self.assertEqual(self.session.kit.tempo_bpm, 97.0)

    def test_what_came_of_a_save_is_told(self) -> None:
        came: list[Saved] = []
        self.elsewhere()
        self.tempo(98.0)
        self.session.file.save(self.path, came.append)
        self.session.file.save(self.path, came.append, sure=True)
        self.until(lambda: len(came) == 2)
        self.assertEqual([c.done for c in came], [False, True])
