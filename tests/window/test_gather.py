"""Gather by hand: folders, the sieve, hearing, taking, marking, and what is like a sound."""

import threading
import time
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QPushButton

from puddle.formats.kitfile import save_kit
from puddle.formats.store import SampleStore
from puddle.kit.edits import add_layer
from puddle.kit.model.document import Pad, Sample
from puddle.library.search import Query
from puddle.measure.levels import loudness_lufs
from puddle.measure.pitch import fundamental
from puddle.voices import STARTING_POINTS, Clap, Hat, Kick, Snare
from puddle.window.session import scans
from tests.support.gather_page import GatherTest, Inside, made_loop
from tests.support.sounds import sine, small_kit, write
from tests.support.windows import LEFT, drag

CONTROL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)
RATE = 48000.0


class Finding(GatherTest):
    def test_a_folder_is_added_by_hand_and_remembered(self) -> None:
        self.until(lambda: self.page.model.ids.size == 2)  # the starting points
        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(self.folder)):
            self.page.folders.ask_folder()
        self.listed(8)
        self.until(lambda: self.page.sieve.count.text() == "8")
        tree = self.page.folders.tree
        self.assertEqual(tree.topLevelItem(1).text(0), "sounds")
        self.assertEqual(tree.topLevelItem(1).text(1), "6")
        self.assertEqual(tree.topLevelItem(1).child(0).text(0), "hats")
        tree.setCurrentItem(tree.topLevelItem(1).child(0))
        self.listed(4)
        self.assertEqual(self.librarian.catalog.folders[0].path, str(self.folder))

    def test_the_demo_brings_a_library_where_there_is_no_folder(self) -> None:
        self.until(lambda: self.page.model.ids.size == 2)
        with mock.patch.object(self.page, "make_demo") as made:
            self.page.entered()
            made.assert_not_called()  # a kit of one's own
            self.demo()
            self.page.entered()
            made.assert_called_once_with()
            self.librarian.add_folder(self.folder)
            self.until(lambda: bool(self.librarian.catalog.folders))
            self.page.entered()
            made.assert_called_once_with()

    def test_words_roles_and_kinds(self) -> None:
        self.with_folder()
        sieve = self.page.sieve
        QTest.keyClicks(sieve.words, "hull")
        self.listed(1)
        sieve.words.clear()
        self.listed(8)
        QTest.mouseClick(sieve.roles["hat"], LEFT)
        self.listed(6)
        QTest.mouseClick(sieve.kinds["synthesized"], LEFT)
        self.listed(2)
        QTest.mouseClick(sieve.kinds["recorded"], LEFT)  # instead
        self.listed(4)
        self.assertFalse(sieve.kinds["synthesized"].isChecked())
        sieve.clear()
        self.listed(8)
        self.assertFalse(sieve.roles["hat"].isChecked())

    def test_a_range_is_dragged_and_counts_meanwhile(self) -> None:
        self.with_folder()
        part = self.page.sieve.ranges["length_ms"]
        middle = part.height() - 30
        drag(part, QPoint(8, middle), QPoint(8 + round(0.35 * (part.width() - 16)), middle))
        chosen = part.range
        assert chosen is not None
        wanted = [
            e.name
            for e in self.librarian.library.entries(range(1, 20))  # type: ignore[union-attr]
            if e.measured["length_ms"] >= chosen[0]
        ]
        self.until(lambda: self.page.sieve.count.text() == str(len(wanted)))
        self.assertLess(len(wanted), 8)
        self.assertEqual(chosen[1], float("inf"))
        part.setFocus()
        QTest.keyClick(part, Qt.Key.Key_Right)
        self.assertGreater(part.range[0], chosen[0])  # type: ignore[index]
        QTest.mouseDClick(part, LEFT, pos=QPoint(40, 20))
        self.assertIsNone(part.range)
        self.listed(8)

    def test_any_column_sorts(self) -> None:
        self.with_folder()
        self.page.list.sort_by(4)
        self.until(lambda: len(self.texts()) == 8 and self.texts()[0] == "rain 0.wav")
        self.page.list.sort_by(4)
        self.until(lambda: len(self.texts()) == 8 and self.texts()[-1] == "rain 0.wav")

    def test_a_new_file_is_there_in_two_seconds_and_a_lost_one_gone(self) -> None:
        self.with_folder()
        self.until(lambda: self.librarian.scans.watching)
        time.sleep(0.3)
        began = time.monotonic()
        write(self.folder / "hats" / "new.wav", Snare().render(RATE, 1.0))
        self.until(lambda: self.page.model.ids.size == 9)
        self.assertLess(time.monotonic() - began, 2.0)
        (self.folder / "tarp clap.wav").unlink()
        self.listed(8)

    def test_searches_and_collections_are_kept(self) -> None:
        self.with_folder()
        self.page.sieve.roles["hat"].click()
        self.listed(6)
        with mock.patch.object(QInputDialog, "getText", return_value=("thin rain", True)):
            self.page.keep_search()
        self.assertEqual(self.librarian.catalog.searches["thin rain"], Query(roles=("hat",)))
        self.page.sieve.clear()
        self.listed(8)
        self.select("tarp clap.wav")
        self.page.marking.collect("storm")
        tree = self.page.folders.tree
        self.until(lambda: tree.topLevelItem(tree.topLevelItemCount() - 1).text(0) == "⌕ thin rain")
        tree.setCurrentItem(tree.topLevelItem(tree.topLevelItemCount() - 1))
        self.listed(6)
        self.page.sieve.clear()
        tree.setCurrentItem(tree.topLevelItem(tree.topLevelItemCount() - 2))
        self.listed(1)

    def test_nothing_is_cut_in_a_narrow_window(self) -> None:
        self.with_folder()
        for width, height in ((1000, 640), (1180, 700), (1250, 760), (1280, 800), (1920, 1080)):
            self.shell.resize(width, height)
            self.page.sieve.count.setText("10,000")
            self.page.sieve.of.setText("of 12,000 remain")
            QApplication.processEvents()
            for made in self.page.findChildren(QPushButton):
                if made.isVisible():
                    said = (width, made.text())
                    self.assertGreaterEqual(made.width(), made.sizeHint().width(), said)
            self.assertGreater(self.page.list.viewport().height(), 68)

    def test_it_closes_while_it_measures(self) -> None:
        begun = threading.Event()

        class Slow(Inside):
            def measured(self, tasks):  # type: ignore[no-untyped-def]
                for one in super().measured(tasks):
                    begun.set()
                    time.sleep(0.05)
                    yield one

        with mock.patch.object(scans, "Processes", Slow):
            self.librarian.add_folder(self.folder)
            self.until(begun.is_set)


class Hearing(GatherTest):
    def setUp(self) -> None:
        super().setUp()
        self.with_folder()

    def test_the_arrows_play_and_pointing_does(self) -> None:
        self.select("hull kick.wav")
        plain = self.heard()
        peak = float(np.abs(Kick(decay_ms=250.0).render(RATE, 1.0)).max())
        self.assertAlmostEqual(float(np.abs(plain).max()), peak, places=3)
        QTest.keyClick(self.page.list, Qt.Key.Key_Down)
        self.assertFalse(np.array_equal(self.heard(), plain))
        self.until(lambda: self.page.details.near.count() > 0)

    def test_matched_is_as_loud_and_as_high_as_the_pads_own(self) -> None:
        self.session.selection.select_pad("pad1")
        self.settle()
        self.page.hearing.set_way("matched")
        self.select("hull kick.wav")
        audio = self.heard()
        own = self.session.renders.audio["pad1"]
        self.assertAlmostEqual(
            loudness_lufs(audio, RATE) or 0.0, loudness_lufs(own, RATE) or 1.0, delta=0.1
        )
        found, wanted = fundamental(audio, RATE).hz, fundamental(own, RATE).hz
        assert found is not None and wanted is not None
        self.assertLess(abs(1200.0 * np.log2(found / wanted)), 8.0)

    def test_in_the_groove_it_stands_in_for_the_source_and_leaves_no_trace(self) -> None:
        before = self.session.kit
        self.page.hearing.set_way("in the groove")
        self.select("rain 3.wav")
        self.until(lambda: self.session.playing.trial_by is self.page.hearing)
        heard = self.session.heard.pad("pad3")
        assert heard is not None
        self.assertIsInstance(heard.sound.layers[0].source, Sample)
        self.assertIs(self.session.kit, before)
        self.shell.do("shape")
        self.assertFalse(self.session.playing.trying)
        self.assertIs(self.session.kit, before)

    def test_a_loop_plays_at_the_kits_tempo(self) -> None:
        write(self.folder / "slipway.wav", made_loop(100.0))
        self.listed(9)
        self.select("slipway.wav")
        audio = self.heard()
        self.assertEqual(self.page.details.entry.beats, 4)  # type: ignore[union-attr]
        self.assertAlmostEqual(len(audio) / RATE, 4 * 60.0 / 120.0, delta=0.005)
        QTest.keyClick(self.page.list, Qt.Key.Key_Return, ALT)
        self.until(lambda: len(self.session.kit.pad("pad3").alternates) == 2)  # type: ignore[union-attr]
        source = self.session.kit.pad("pad3").alternates[1].sound.layers[0].source  # type: ignore[union-attr]
        assert isinstance(source, Sample)
        self.assertAlmostEqual(source.stretch, 100.0 * 100.0 / 120.0, places=3)


class Taking(GatherTest):
    def setUp(self) -> None:
        super().setUp()
        self.with_folder()
        self.select("rain 1.wav")

    def test_enter_replaces_the_source_and_keeps_all_else(self) -> None:
        before = self.session.kit
        QTest.keyClick(self.page.list, Qt.Key.Key_Return)
        self.until(lambda: self.session.kit is not before)
        old, new = before.pad("pad3"), self.session.kit.pad("pad3")
        assert old is not None and new is not None
        layer, was = new.sound.layers[0], old.sound.layers[0]
        assert isinstance(layer.source, Sample)
        self.assertEqual(layer.name, "rain 1")
        self.assertEqual(
            (layer.level_db, layer.stages, layer.id), (was.level_db, was.stages, was.id)
        )
        self.assertEqual(len(new.sound.layers), len(old.sound.layers))
        content = next(c for c in self.session.kit.contents if c.hash == layer.source.content)
        self.assertEqual(content.name, "rain 1.wav")
        self.session.undo()
        self.assertEqual(self.session.kit.pads, before.pads)

    def test_what_is_taken_lands_however_soon_another_one_is_heard(self) -> None:
        self.page.hearing.set_way("in the groove")
        self.select("rain 1.wav")
        self.session.selection.select_pad("pad3")
        QTest.keyClick(self.page.list, Qt.Key.Key_Return)
        QTest.keyClick(self.page.list, Qt.Key.Key_Down)
        QTest.keyClick(self.page.list, Qt.Key.Key_Down)
        self.session.selection.select_pad("pad4")
        self.until(lambda: self.pad.sound.layers[0].name == "rain 1")
        other = self.session.kit.pad("pad4")
        assert other is not None
        self.assertNotIsInstance(other.sound.layers[0].source, Sample)

    def test_shift_adds_a_layer_alt_an_alternate_and_control_a_pad(self) -> None:
        self.takes(SHIFT, lambda: len(self.pad.sound.layers))
        self.takes(ALT, lambda: max(1, len(self.pad.alternates)))
        self.takes(CONTROL, lambda: len(self.session.kit.pads))
        made = self.session.kit.pads[-1]
        self.assertEqual((made.name, made.role), ("rain 1", "hat"))

    @property
    def pad(self) -> Pad:
        found = self.session.kit.pad("pad3")
        assert found is not None
        return found

    def takes(self, key: Qt.KeyboardModifier, count: Callable[[], int]) -> None:
        """Enter with a key: there is one more of something."""
        self.session.selection.select_pad("pad3")
        before = count()
        QTest.keyClick(self.page.list, Qt.Key.Key_Return, key)
        self.until(lambda: count() == before + 1)

    def test_a_starting_point_comes_as_a_voice(self) -> None:
        name = next(iter(STARTING_POINTS[Hat]))
        self.select(name)
        QTest.keyClick(self.page.list, Qt.Key.Key_Return)
        self.until(lambda: self.pad.sound.layers[0].name == name)
        self.assertEqual(self.pad.sound.layers[0].source, STARTING_POINTS[Hat][name])

    def test_a_pad_of_another_kit_comes_whole(self) -> None:
        store = SampleStore(self.home / "store")
        self.addCleanup(store.close)
        other, _ = add_layer(small_kit(), "pad2", "under it", Clap())
        save_kit(self.folder / "storm.puddle", other, store)
        self.listed(12)
        self.select("Crack")
        self.until(lambda: self.page.details.entry is not None)
        self.heard()
        QTest.keyClick(self.page.list, Qt.Key.Key_Return)
        self.until(lambda: len(self.pad.sound.layers) == 2)
        self.assertEqual(self.pad.sound, other.pads[1].sound)
        self.assertEqual(self.pad.name, "Tick")
        self.session.undo()
        QTest.keyClick(self.page.list, Qt.Key.Key_Return, CONTROL)
        self.until(lambda: len(self.session.kit.pads) == 5)
        self.assertEqual(self.session.kit.pads[-1].sound, other.pads[1].sound)

    def test_a_row_is_dragged_as_a_file(self) -> None:
        data = self.page.model.mimeData(self.page.list.selectedIndexes())
        self.assertEqual(
            [Path(u.toLocalFile()) for u in data.urls()], [self.folder / "hats" / "rain 1.wav"]
        )

    def test_the_kits_own_samples_are_entries(self) -> None:
        kept = self.home / "kept.wav"
        write(kept, sine(330.0, 0.3, 0.4))
        self.shell.incoming.drop([kept], "pad1", None)
        self.until(lambda: any(c.name == "kept.wav" for c in self.session.kit.contents))
        self.listed(9)
        kept.unlink()
        self.select("kept.wav")
        self.assertAlmostEqual(float(np.abs(self.heard()).max()), 0.4, places=2)
        self.page.sieve.kinds["never_used"].click()
        self.listed(8)
