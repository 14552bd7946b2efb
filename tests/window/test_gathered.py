"""Gather by hand: marks, likeness, drags, loops in the groove, and closing."""

from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QMimeData, QPointF, Qt
from PyQt6.QtGui import QAction, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QMenu

from puddle.formats.sound import read_sound
from puddle.kit.edits import remove_pad
from puddle.kit.edits.patterns import add_pattern
from puddle.kit.model.document import Pad
from puddle.library.library import Library
from puddle.voices import STARTING_POINTS, Hat
from puddle.window.files.asking_files import sound_dialog
from tests.support.gather_page import GatherTest, made_loop
from tests.support.sounds import write
from tests.support.windows import LEFT, NONE, put

RATE = 48000.0


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

    def test_what_is_selected_stays_so_while_others_come_and_go(self) -> None:
        self.with_folder()
        self.page.list.selectRow(0)
        self.select("hull kick.wav")
        ids = self.page.model.ids
        self.page.list.selectAll()
        current = self.page.list.currentIndex().row()
        kept = np.delete(ids, 1 if current != 1 else 2)
        order = np.roll(kept, 3)
        self.assertEqual(self.page.list.show_ids(order, fresh=False), "again")
        self.assertEqual(self.page.list.chosen_ids(), order.tolist())
        self.assertEqual(order[self.page.list.currentIndex().row()], ids[current])
        gone = order[order != ids[current]]
        self.assertEqual(self.page.list.show_ids(gone, fresh=False), "gone")
        self.assertEqual(self.page.list.chosen_ids(), gone.tolist())
        self.assertEqual(self.page.list.show_ids(gone, fresh=True), "untouched")

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
