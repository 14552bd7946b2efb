"""Gather by hand: folders, the sieve, hearing, taking, marking, and what is like a sound."""

import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QAction, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMenu, QPushButton

from puddle.formats.kitfile import save_kit
from puddle.formats.sound import read_sound
from puddle.formats.store import SampleStore
from puddle.kit.edits import add_layer, remove_pad
from puddle.kit.edits.patterns import add_pattern
from puddle.kit.model.document import Pad, Sample
from puddle.library.library import Library
from puddle.library.search import Query
from puddle.library.worker import found_in
from puddle.measure.levels import loudness_lufs
from puddle.measure.pitch import fundamental
from puddle.voices import STARTING_POINTS, Clap, Hat, Kick, Snare
from puddle.window.files.asking_files import sound_dialog
from puddle.window.pages.gather.page import GatherPage
from puddle.window.session import librarian, scans, taking
from tests.support.sounds import sine, small_kit, write
from tests.support.windows import LEFT, NONE, WindowTest, drag, put

CONTROL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)
RATE = 48000.0


class Inside:
    """Measures in this process, in the place of processes."""

    def __init__(self, jobs: int) -> None:
        self.going = threading.Event()
        self.going.set()

    def measured(self, tasks):  # type: ignore[no-untyped-def]
        for seen, known in tasks:
            yield seen, found_in(seen.path, frozenset(known))


def made_loop(bpm: float) -> np.ndarray:
    """Four beats of a kick and a snare."""
    out = np.zeros((round(240.0 / bpm * RATE), 2), np.float32)
    for beat, voice in enumerate((Kick(), Snare(), Kick(), Snare())):
        at = round(beat * 60.0 / bpm * RATE)
        part = voice.render(RATE, 1.0)[: len(out) - at]
        out[at : at + len(part)] += 0.5 * part
    return out


class GatherTest(WindowTest):
    shares_takes = True

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.home = Path(holder.name)
        self.folder = self.home / "sounds"
        (self.folder / "hats").mkdir(parents=True)
        points = {Hat: dict(list(STARTING_POINTS[Hat].items())[:2])}
        for target, name, value in (
            (scans, "Processes", Inside),
            (scans, "starting_points", lambda: points),
            (taking, "starting_points", lambda: points),
            (librarian, "default_folder", lambda: self.home / "library"),
        ):
            self.enterContext(mock.patch.object(target, name, value))
        for number, decay in enumerate((60.0, 120.0, 400.0, 900.0)):
            hat = Hat(decay_ms=decay, ring_ms=decay)
            write(self.folder / "hats" / f"rain {number}.wav", hat.render(RATE, 1.0))
        write(self.folder / "hull kick.wav", Kick(decay_ms=250.0).render(RATE, 1.0))
        write(self.folder / "tarp clap.wav", Clap().render(RATE, 1.0))
        super().setUp()
        self.session.file.new()
        put(self.session, "a kit", small_kit())
        self.session.selection.select_pad("pad3")
        self.settle()
        self.shell.do("gather")
        page = self.shell.pages.page("gather")
        assert isinstance(page, GatherPage)
        self.page = page
        self.librarian = page.librarian
        self.until(lambda: self.librarian.library is not None and not self.librarian.scans.scanning)

    def with_folder(self) -> None:
        self.librarian.add_folder(self.folder)
        self.listed(8)  # six files, and two starting points

    def listed(self, count: int) -> None:
        self.until(lambda: not self.librarian.scans.scanning and self.page.model.ids.size == count)

    def select(self, name: str) -> None:
        """Selects the row of a sound."""

        def found() -> bool:
            entries = [self.page.model.entry(n) for n in range(self.page.model.ids.size)]
            return all(e is not None for e in entries)

        self.until(found)
        for row in range(self.page.model.ids.size):
            entry = self.page.model.entry(row)
            if entry is not None and entry.name == name:
                self.page.list.selectRow(row)
                return
        self.fail(f"{name} is not listed")

    def heard(self) -> np.ndarray:
        """What is auditioned from now on."""
        before = self.session.player.auditioned
        self.until(lambda: self.session.player.auditioned is not before)
        audio = self.session.player.auditioned
        assert audio is not None
        return audio

    def texts(self) -> list[str]:
        entries = [self.page.model.entry(n) for n in range(self.page.model.ids.size)]
        return [e.name for e in entries if e is not None]


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
        for width, height in ((1000, 640), (1180, 700), (1280, 800), (1920, 1080)):
            self.shell.resize(width, height)
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
        # the base class closes the window, and fails on threads that are left


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


class Marking(GatherTest):
    def setUp(self) -> None:
        super().setUp()
        self.with_folder()
        self.select("rain 1.wav")

    def choose(self, name: str) -> None:
        tree = self.page.folders.tree
        item = next(
            tree.topLevelItem(n)
            for n in range(tree.topLevelItemCount())
            if tree.topLevelItem(n).text(0).startswith(name)
        )
        tree.setCurrentItem(item)

    def test_keys_keep_and_reject_and_take_it_back(self) -> None:
        QTest.keyClick(self.page.list, Qt.Key.Key_1)
        self.choose("Kept")
        self.listed(1)
        self.choose("Everything")
        self.listed(8)
        self.select("rain 2.wav")
        QTest.keyClick(self.page.list, Qt.Key.Key_2)
        self.listed(7)
        self.choose("Rejected")
        self.listed(1)
        self.assertTrue((self.folder / "hats" / "rain 2.wav").exists())
        self.select("rain 2.wav")
        QTest.keyClick(self.page.list, Qt.Key.Key_2)
        self.listed(0)
        self.choose("Everything")
        self.listed(8)

    def test_a_rejected_sound_gives_way_to_the_next_one(self) -> None:
        row = self.page.list.currentIndex().row()
        after = self.page.model.entry(row + 1)
        assert after is not None
        QTest.keyClick(self.page.list, Qt.Key.Key_2)
        self.listed(7)
        self.until(lambda: self.page.list.current is not None)
        self.assertEqual(self.page.list.current.name, after.name)  # type: ignore[union-attr]

    def test_many_at_once_are_tagged_and_found_by_the_tag(self) -> None:
        self.page.list.selectAll()
        with mock.patch.object(QInputDialog, "getText", return_value=("lantern", True)):
            QTest.keyClick(self.page.list, Qt.Key.Key_3)
        QTest.keyClicks(self.page.sieve.words, "lantern")
        self.listed(8)

    def test_a_role_is_corrected(self) -> None:
        self.select("tarp clap.wav")
        self.until(lambda: self.page.details.entry is not None)
        self.page.details.role.setCurrentText("effect")
        self.page.details.role.activated.emit(0)
        self.until(lambda: self.page.list.current.role == "effect")  # type: ignore[union-attr]
        self.page.sieve.roles["effect"].click()
        self.listed(1)

    def test_files_go_to_the_trash_only_after_asking(self) -> None:
        place = "puddle.window.pages.gather.marking.sure_to_trash"
        with mock.patch(place, return_value=False):
            self.page.marking.ask_trash()
        self.assertTrue((self.folder / "hats" / "rain 1.wav").exists())
        gone: list[str] = []

        def away(path: str) -> None:
            gone.append(path)
            Path(path).unlink()

        with mock.patch(place, return_value=True), mock.patch("send2trash.send2trash", away):
            self.page.marking.ask_trash()
            self.listed(7)
        self.assertEqual(gone, [str(self.folder / "hats" / "rain 1.wav")])


class Likeness(GatherTest):
    def setUp(self) -> None:
        super().setUp()
        self.with_folder()

    def near(self) -> list[str]:
        near = self.page.details.near
        return [near.item(n).text() for n in range(near.count())]

    def test_pulled_longer_the_longer_ones_come_first(self) -> None:
        self.page.sieve.kinds["recorded"].click()
        self.listed(6)
        self.select("rain 1.wav")
        self.until(lambda: len(self.near()) == 5)
        self.page.details.pull("length", 100.0)
        self.until(lambda: self.near()[0] in ("rain 2", "rain 3"))
        self.page.details.pull("length", -100.0)
        self.until(lambda: self.near()[0] == "rain 0")

    def test_less_like_leads_away(self) -> None:
        self.select("rain 1.wav")
        self.until(lambda: len(self.near()) == 7)
        first = self.near()[0]
        self.page.details.near.setCurrentRow(0)
        self.page.alike.less_like()
        self.until(lambda: bool(self.near()) and self.near()[0] != first)

    def test_a_pad_is_replaced_by_something_like_it_while_it_is_heard(self) -> None:
        self.session.selection.select_pad("pad4")  # the open hat
        self.settle()
        before = self.session.kit
        self.shell.do("like_pad")
        self.until(lambda: len(self.near()) == 8)
        self.assertEqual(self.page.hearing.way, "in the groove")
        self.shell.do("like_next")
        self.until(lambda: self.session.playing.trial_by is self.page.hearing)
        first = self.session.heard.pad("pad4")
        self.shell.do("like_next")
        self.until(lambda: self.session.heard.pad("pad4") is not first)
        self.assertIs(self.session.kit, before)
        QTest.mouseClick(self.page.details.put, LEFT)
        self.until(lambda: self.session.kit is not before)
        self.session.undo()
        self.assertEqual(self.session.kit.pads, before.pads)

    def test_anything_on_the_shelf_of_compare_can_be_asked_with(self) -> None:
        self.session.selection.select_pad("pad1")
        self.shell.do("snapshot")
        self.session.selection.select_pad("pad2")
        self.session.selection.select_pad("pad1")

        def offers() -> list[QAction]:
            menus = self.page.details.findChildren(QMenu)
            return [a for m in menus for a in m.actions() if a.text().startswith("snapshot")]

        with mock.patch.object(QMenu, "popup"):
            QTest.mouseClick(self.page.details.other, LEFT)
            offers()[0].trigger()
        self.until(lambda: len(self.near()) == 8)
        self.assertEqual(self.near()[0], "hull kick")

    def test_gaps_are_searches(self) -> None:
        self.session.edit("no kick", lambda kit: remove_pad(kit, "pad1"))
        self.settle()

        def offers() -> list[QAction]:
            menus = self.page.findChildren(QMenu)
            return [a for m in menus for a in m.actions() if a.text() == "There is no kick."]

        with mock.patch.object(QMenu, "popup"):
            self.page.gaps.show()
            self.until(lambda: bool(offers()))
            offers()[0].trigger()
        self.assertEqual(self.page.sieve.query.roles, ("kick",))
        self.listed(1)

    def test_surprise_stays_within_the_sieve_and_avoids_what_was_heard(self) -> None:
        self.page.sieve.roles["hat"].click()
        self.listed(6)
        self.select("rain 0.wav")
        heard = set()
        for _ in range(5):
            self.page.surprise()
            QApplication.processEvents()
            entry = self.page.list.current
            assert entry is not None
            heard.add(entry.name)
        self.assertEqual(len(heard - {"rain 0.wav"}), 5)


class Dragging(GatherTest):
    def dragged(self) -> QMimeData:
        """What a drag of the selected rows carries."""
        chosen = self.page.list.selectionModel()
        assert chosen is not None
        data = self.page.model.mimeData(chosen.selectedRows())
        self.addCleanup(lambda: data)
        return data

    def first_pad(self) -> Pad:
        pad = self.session.kit.pad("pad1")
        assert pad is not None
        return pad

    def drop(self, data: QMimeData, place: int) -> None:
        pad = self.shell.shore.drops[place]
        at = QPointF(pad.rect().center())
        event = QDropEvent(at, Qt.DropAction.CopyAction, data, LEFT, NONE)
        pad.dropEvent(event)

    def test_a_starting_point_lands_on_a_pad_and_on_an_empty_place(self) -> None:
        self.with_folder()
        name = next(iter(STARTING_POINTS[Hat]))
        self.select(name)
        data = self.dragged()
        layers = len(self.first_pad().sound.layers)
        self.drop(data, self.first_pad().place)
        self.until(lambda: len(self.first_pad().sound.layers) == layers + 1)
        self.assertIsInstance(self.first_pad().sound.layers[-1].source, Hat)
        self.drop(data, 9)
        self.until(lambda: self.session.kit.pad_at(9) is not None)
        made = self.session.kit.pad_at(9)
        assert made is not None
        self.assertEqual(made.name, name)

    def test_a_starting_point_is_a_sound_file_for_other_programs(self) -> None:
        self.with_folder()
        name, point = next(iter(STARTING_POINTS[Hat].items()))
        self.select(name)
        (url,) = self.dragged().urls()
        sound = read_sound(url.toLocalFile())
        self.assertEqual(Path(url.toLocalFile()).stem, name)
        np.testing.assert_allclose(sound.stereo, point.render(RATE, 1.0), atol=2.0**-23)

    def test_a_file_is_dragged_as_itself(self) -> None:
        self.with_folder()
        self.select("hull kick.wav")
        (url,) = self.dragged().urls()
        self.assertEqual(Path(url.toLocalFile()), self.folder / "hull kick.wav")

    def test_favorite_folders_come_first_in_dialogs_for_sounds(self) -> None:
        self.with_folder()
        self.librarian.set_favorite(str(self.folder.resolve()), True)
        with mock.patch("puddle.library.catalog.user_data_path", return_value=self.home):
            dialog = sound_dialog(self.shell, "Sound files", "")
        places = [url.toLocalFile() for url in dialog.sidebarUrls()]
        dialog.deleteLater()
        self.assertEqual(places[0], str(self.folder.resolve()))


class LoopsInTheGroove(GatherTest):
    def test_a_loop_on_a_new_pad_is_in_the_pattern(self) -> None:
        write(self.folder / "slipway.wav", made_loop(100.0))
        self.librarian.add_folder(self.folder)
        self.listed(9)
        kit, pattern = add_pattern(self.session.kit)
        put(self.session, "a pattern", kit)
        self.select("slipway.wav")
        self.page.take(self.page.list.current, "pad")
        self.until(lambda: self.session.kit.patterns[0].lanes != ())
        (lane,) = self.session.kit.patterns[0].lanes
        self.assertEqual(lane.pad, self.session.pad_id)
        self.assertEqual([hit.at for hit in lane.hits], [0.0])
        self.assertEqual(pattern.length, 16)


class Closing(GatherTest):
    def test_a_mark_that_was_just_set_is_kept(self) -> None:
        self.with_folder()
        ids = [int(n) for n in self.page.model.ids[:3]]
        folder = self.librarian.library.folder if self.librarian.library else Path()
        self.librarian.judge(ids, "kept")
        self.librarian.tag(ids[:1], "storm", True)
        self.librarian.close()
        marks = Library(folder).marks.every()
        self.assertEqual(sorted(mark.judged for mark in marks), ["kept"] * 3)
        self.assertEqual([m.tags for m in marks if m.tags], [("storm",)])
