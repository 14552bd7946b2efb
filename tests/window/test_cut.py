"""Cut by hand: a recording opened, its marks touched, its groups sent, undone, written."""

import shutil
import time
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu

from puddle.formats.cue_points import write_with_cues
from tests.support.cut_page import CutTest
from tests.support.windows import LEFT, NONE, drag, dropped, turn_wheel

SHIFT = Qt.KeyboardModifier.ShiftModifier


class Opened(CutTest):
    def test_cue_points_become_hits_where_none_was_found(self) -> None:
        path = self.folder / "cued.wav"
        self.open(self.loop_file)
        starts = self.starts
        between = (starts[1] + starts[2]) // 2
        write_with_cues(self.loop_file, path, [(starts[0] + 5, "same"), (between, "new")])
        self.open(path)
        before = self.session.kit
        self.shell.do("cut_cues")
        self.until(lambda: self.session.kit is not before)
        self.found()
        self.assertEqual(self.starts, sorted([*starts, between]))
        self.session.undo()
        self.found()
        self.assertEqual(self.starts, starts)

    def test_the_empty_page_says_what_to_do(self) -> None:
        self.assertEqual(self.page.stack.currentIndex(), 0)
        with mock.patch("puddle.window.pages.cut.bringing.user_cache_path", lambda _: self.folder):
            self.page.bringing.open_session()
            self.found()
        self.assertEqual(
            [r.name for r in self.session.kit.recordings], ["boathouse loop", "boathouse session"]
        )
        self.assertEqual(self.page.stack.currentIndex(), 1)

    def test_a_dropped_file_is_found_named_and_undone(self) -> None:
        self.open(self.session_file)
        self.assertIn("hits", self.page.bar.count.text())
        self.assertIn("48 kHz stereo", self.page.bar.facts.text())
        self.assertGreater(len(self.cutter.groups), 3)
        self.session.undo()
        self.assertEqual(self.session.kit.recordings, ())
        self.assertEqual(self.page.stack.currentIndex(), 0)
        self.session.redo()
        self.assertEqual(len(self.session.kit.recordings), 1)

    def test_what_needs_hits_says_so_while_they_are_looked_for(self) -> None:
        told: list[str] = []
        self.session.told.connect(told.append)
        self.page.cutter.bring(self.session_file)
        for name in ("cut_pattern", "cut_in_order"):
            self.shell.do(name)
            self.assertIn("not found yet", told[-1])
        self.found()

    def test_what_is_no_recording_says_so(self) -> None:
        (self.folder / "junk.wav").write_bytes(b"RIFF" + bytes(90))
        dropped(self.page, self.folder / "junk.wav")
        self.until(lambda: "not a sound file" in self.page.bar.facts.text())

    def test_two_recordings_are_chosen_between(self) -> None:
        self.open(self.session_file)
        self.open(self.loop_file)
        count = len(self.starts)
        self.page.bar.names.setCurrentIndex(0)
        self.page.bar.names.activated.emit(0)
        self.found()
        self.assertNotEqual(len(self.starts), count)
        self.page.cutter.remove()
        self.assertEqual([r.name for r in self.session.kit.recordings], ["boathouse loop"])

    def test_saved_and_opened_it_stands_as_it_stood(self) -> None:
        self.open(self.session_file)
        self.page.marks.remove(self.starts[3])
        self.found()
        count = len(self.starts)
        self.assertEqual(self.save(self.folder / "k.puddle"), "")
        self.session.file.open(self.folder / "k.puddle")
        self.until(lambda: bool(self.session.kit.recordings) and not self.session.history.edited)
        self.found()
        self.assertEqual(len(self.starts), count)


class Left(CutTest):
    def test_a_look_that_is_left_lets_its_file_go_and_can_be_had_again(self) -> None:
        long = shutil.copy(self.session_file, self.folder / "long.wav")
        with mock.patch("puddle.measure.onsets._PART_S", 1.0):
            dropped(self.page, Path(long))
            self.until(lambda: self.cutter.known is not None and self.cutter.known.file is not None)
            known = self.cutter.known
            assert known is not None and known.file is not None
            self.cutter.stop_looking()
            self.assertIn("Look at it again", self.page.bar.facts.text())
            self.until(lambda: known.file._file.closed)  # type: ignore[union-attr]
        self.cutter.look_again()
        self.found()
        self.assertGreater(len(self.starts), 30)


class Marked(CutTest):
    def setUp(self) -> None:
        super().setUp()
        self.open(self.session_file)
        self.page.span.show(0.0, 4.0 * 48000)

    def test_a_gauge_moves_what_is_found_in_one_step(self) -> None:
        before = len(self.starts)
        gauge = self.page.bar.gauges["sensitivity"]
        for value in (40.0, 20.0, 0.0):
            gauge.moved.emit(value)
        gauge.settled.emit()
        self.found()
        self.assertLess(len(self.starts), before)
        self.session.undo()
        self.found()
        self.assertEqual(len(self.starts), before)

    def test_marks_follow_a_gauge_that_never_rests(self) -> None:
        shown: list[object] = []
        self.cutter.changed.connect(lambda: shown.append(self.cutter.cut))
        for n in range(60):
            self.page.bar.gauges["sensitivity"].moved.emit(30.0 + 0.5 * n)
            QApplication.processEvents()
            time.sleep(0.005)
        self.assertGreater(len(set(map(id, shown))), 8)

    def test_a_click_plays_and_chooses_arrows_walk(self) -> None:
        heard: list[np.ndarray] = []
        with mock.patch.object(self.session.player, "audition", heard.append):
            middle = self.page.wave.height() // 2
            QTest.mouseClick(self.page.wave, LEFT, NONE, self.at(self.starts[1] + 900, middle))
            self.until(lambda: len(heard) == 1)
            self.assertEqual(self.page.place, 1)
            QTest.keyClick(self.page.wave, Qt.Key.Key_Right)
            self.until(lambda: len(heard) == 2)
            self.assertEqual(self.page.place, 2)
            QTest.mouseClick(self.page.wave, LEFT, SHIFT, self.at(self.starts[0] + 900, middle))
            self.until(lambda: len(heard) == 3)
        self.assertGreater(heard[2].shape[0], 5 * heard[0].shape[0])  # it goes on

    def test_a_mark_is_dragged_as_one_step_and_kept(self) -> None:
        at = self.starts[1]
        drag(self.page.wave, self.at(at, 12), self.at(at, 12) + QPoint(24, 0))
        self.found()
        mark = self.cutter.recording.marks[0]  # type: ignore[union-attr]
        self.assertEqual(mark.found, at)
        self.assertGreater(mark.at, at + 1000)
        self.page.bar.gauges["sensitivity"].moved.emit(80.0)
        self.found()
        self.assertIn(mark.at, self.starts)
        self.session.undo()
        self.session.undo()
        self.found()
        self.assertEqual(self.starts[1], at)

    def test_an_end_is_dragged(self) -> None:
        cut = self.cutter.cut
        assert cut is not None
        end, y = int(cut.ends[0]), self.page.wave.height() // 2
        drag(self.page.wave, self.at(end, y), self.at(end, y) + QPoint(-10, 0))
        self.found()
        self.assertLess(int(self.cutter.cut.ends[0]), end)  # type: ignore[union-attr]

    def test_added_by_a_double_click_removed_by_a_key(self) -> None:
        between = (self.starts[0] + self.starts[1]) // 2 + 9000
        place = self.at(between, self.page.wave.height() // 2)
        QTest.mouseDClick(self.page.wave, LEFT, NONE, place)
        self.found()
        added = [m.at for m in self.cutter.recording.marks]  # type: ignore[union-attr]
        self.assertEqual(len(added), 1)
        self.page.choose_frame(added[0])
        QTest.keyClick(self.page.wave, Qt.Key.Key_Delete)
        self.found()
        self.assertNotIn(added[0], self.starts)
        self.assertEqual(self.cutter.recording.marks, ())  # type: ignore[union-attr]

    def test_the_menu_joins_locks_and_leaves_out(self) -> None:
        before = self.starts
        self.page.marks.open_menu(QPoint(10, 10), 2, before[2])
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        texts = [a.text() for a in menu.actions()]
        for wanted in ("Join to the one before", "Lock", "Leave it out", "Add a mark here"):
            self.assertIn(wanted, texts)
        menu.close()
        self.page.marks.join(before[2], True)
        self.found()
        self.assertNotIn(before[2], self.starts)
        self.page.marks.join(before[2], False)
        self.found()
        self.assertIn(before[2], self.starts)
        self.page.marks.leave_out(before[0], True)
        names = dict(self.page.sending.names_of(self.cutter.kept_groups))
        self.assertNotIn(before[0], names)

    def test_the_wheel_zooms_to_single_frames(self) -> None:
        for _ in range(80):
            turn_wheel(self.page.wave, 120)
        self.assertLess(self.page.span.count, 30.0)
        self.until(lambda: self.page.detail.detail is not None)
        self.until(lambda: self.page.detail.detail.wave is not None)  # type: ignore[union-attr]
        self.assertFalse(self.page.wave.grab().isNull())

    def test_the_overview_moves_what_is_seen(self) -> None:
        strip = self.page.overview
        QTest.mouseClick(strip, LEFT, NONE, QPoint(strip.width() - 30, 20))
        self.assertGreater(self.page.span.first, 0.5 * self.page.span.frames)
