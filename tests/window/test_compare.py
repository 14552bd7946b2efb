"""Compare in the window: the shelf, switching at matched loudness, figures, loops, the monitor."""

from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog

from puddle.kit import edits
from puddle.kit.edits import rows, snapshots
from puddle.kit.edits.rows import RowPath
from puddle.measure.levels import loudness_lufs
from puddle.stages import Gain
from tests.support.compare_page import CompareTest
from tests.support.sounds import sine, write
from tests.support.windows import LEFT, WindowTest, dropped, put


class FirstTest(WindowTest):
    def test_a_page_that_toggles_gives_way_to_the_first_where_none_was_before(self) -> None:
        self.shell.do("compare")
        self.shell.do("compare")
        self.assertEqual(self.shell.pages.current, self.shell.pages.tabs[0])


class Shelf(CompareTest):
    def test_the_page_opens_by_its_key_and_says_what_to_do(self) -> None:
        action = self.shell.commands.by_id["compare"]
        self.assertEqual(action.shortcut().toString(), "F8")
        action.trigger()
        self.assertIs(self.shell.pages.currentWidget(), self.shell.pages.page("compare"))
        self.assertTrue(self.shell.top.compare.isChecked())
        kinds = [e.kind for e in self.comparer.shelf.entries]
        self.assertEqual(kinds, ["dry", "without", "without", "without", "without"])
        action.trigger()
        self.assertIs(self.shell.pages.currentWidget(), self.page)

    def test_a_snapshot_is_kept_renamed_restored_and_taken_away(self) -> None:
        was = self.session.pad
        assert was is not None
        self.shell.commands.by_id["snapshot"].trigger()
        self.assertIn("snapshot 1", self.told[-1])
        put(self.session, "x", edits.set_source(self.session.kit, "pad1", "layer1", end_hz=60.0))
        self.settle()
        page = self.shell.pages.page("compare")
        self.shell.do("compare")
        entry = self.entry("snapshot")
        self.compared(entry.key)
        with patch.object(QInputDialog, "getText", return_value=("dark", True)):
            page.shelf._ask_name(entry)
        self.assertEqual(self.entry("snapshot").name, "dark")
        QTest.mouseClick(page.restore, LEFT)
        now = self.session.pad
        assert now is not None
        self.assertIs(now.sound, was.sound)
        # What it was before it was restored went to the shelf in the same step.
        by_itself = [s for s in now.snapshots if s.by_itself]
        self.assertEqual(len(by_itself), 1)
        self.assertIn("back to dark", by_itself[0].name)
        self.shell.do("undo")
        assert self.session.pad is not None
        self.assertEqual(len(self.session.pad.snapshots), 1)
        self.comparer.shelf.remove(self.entry("snapshot"))
        self.assertEqual(self.session.pad.snapshots, ())
        self.settle()

    def test_large_steps_take_snapshots_by_themselves(self) -> None:
        self.session.selection.select_layer("layer3")
        self.shell.do("remove_layer")
        pad = self.session.pad
        assert pad is not None
        self.assertEqual([s.by_itself for s in pad.snapshots], [True])
        self.assertEqual(len(pad.snapshots[0].sound.layers), 3)
        self.shell.do("undo")
        assert self.session.pad is not None
        self.assertEqual(self.session.pad.snapshots, ())
        self.settle()

    def test_files_are_dropped_and_bad_ones_named(self) -> None:
        good = write(self.folder / "kick.wav", sine(60.0, 0.5, 0.5))
        bad = self.folder / "no.wav"
        bad.write_bytes(b"RIFF but not for long")
        self.shell.do("compare")
        dropped(self.shell.pages.page("compare"), good, bad, self.folder / "gone.wav")
        self.until(lambda: any(e.kind == "file" for e in self.comparer.shelf.entries))
        self.assertTrue(any("no.wav" in t for t in self.told))
        self.assertEqual(self.entry("file").name, "kick")
        self.assertEqual(len(self.session.kit.references), 1)
        self.assertEqual(self.session.kit.contents, self.session.history.kit.contents)
        self.until(lambda: self.ready)

    def test_a_file_that_is_gone_says_so_and_keeps_its_place(self) -> None:
        kit, _ = snapshots.add_file_reference(
            self.session.kit, "gone", str(self.folder / "gone.wav"), 0.0, 100.0
        )
        put(self.session, "x", kit)
        self.shell.do("compare")
        self.until(lambda: bool(self.entry("file").problem))
        entry = self.entry("file")
        self.comparer.choose(entry.key)
        self.assertIn("gone.wav cannot be read", entry.problem)
        self.assertIn("gone.wav", self.shell.pages.page("compare")._problem.text())
        self.comparer.switch()
        self.assertFalse(self.comparer.hearing)
        self.assertIn("gone.wav", self.told[-1])
        self.comparer.shelf.remove(entry)
        self.assertEqual(self.session.kit.references, ())
        self.settle()

    def test_two_hours_are_refused_with_the_limit(self) -> None:
        """By its header: nothing of it is decoded, and nothing lands."""
        import soundfile

        long = self.folder / "long.flac"
        with soundfile.SoundFile(long, "w", 8000, 1, "PCM_16") as file:
            silent = np.zeros(8000 * 600, np.int16)
            for _ in range(12):
                file.write(silent)
        self.shell.do("compare")
        self.comparer.shelf.add_files([long])
        self.until(lambda: any("long.flac" in t for t in self.told))
        self.assertIn("longer than 10 minutes", self.told[-1])
        self.assertEqual(self.session.kit.references, ())

    def test_a_pad_is_a_reference_and_goes_with_it(self) -> None:
        self.shell.do("compare")
        self.comparer.shelf.add_pad("pad14")
        entry = self.entry("pad")
        self.assertEqual(entry.name, "Bilge D")
        self.until(lambda: self.ready)
        put(self.session, "x", edits.remove_pad(self.session.kit, "pad14"))
        self.assertFalse(any(e.kind == "pad" for e in self.comparer.shelf.entries))
        self.settle()

    def test_another_kit_reads_its_files_anew(self) -> None:
        good = write(self.folder / "kick.wav", sine(60.0, 0.5, 0.5))
        self.shell.do("compare")
        self.comparer.shelf.add_files([good])
        self.until(lambda: any(e.kind == "file" for e in self.comparer.shelf.entries))
        self.until(lambda: self.ready)
        path = self.folder / "kit.puddle"
        self.save(path)
        self.session.file.new()
        self.assertIsNone(self.comparer.result)
        self.session.file.open(path)  # which shows Shape
        self.shell.do("compare")
        self.until(lambda: any(e.sound for e in self.comparer.shelf.entries if e.kind == "file"))
        self.comparer.choose(self.entry("file").key)
        self.until(lambda: self.ready)
        found = self.comparer.result
        assert found is not None
        self.assertAlmostEqual(found.other_figures.peak_dbfs, -6.0, delta=0.1)


class Hearing(CompareTest):
    def test_switched_it_is_as_loud_and_back_it_is_as_it_was(self) -> None:
        self.shell.do("snapshot")
        self.louder(-9.0)
        own = self.played_take().copy()
        kit = self.session.kit
        self.shell.commands.by_id["switch"].trigger()  # F5, from Shape
        self.until(lambda: self.comparer.hearing)
        other = self.played_take()
        rate = self.session.renders.takes.rate_hz
        loud = loudness_lufs(own, rate), loudness_lufs(other, rate)
        assert loud[0] is not None and loud[1] is not None
        self.assertAlmostEqual(loud[0], loud[1], delta=0.05)
        self.assertIs(self.session.kit, kit)  # nothing was edited
        self.assertIn("Heard: snapshot 1, −9.0", self.shell.compare_strip.says.text())
        self.assertTrue(self.shell.compare_strip.isVisible())
        self.shell.do("switch")
        self.assertFalse(self.comparer.hearing)
        np.testing.assert_array_equal(self.played_take(), own)
        self.shell.do("switch")
        self.assertTrue(self.comparer.hearing)  # at once: it was measured and rendered
        QTest.mouseClick(self.shell.compare_strip.end, LEFT)
        self.assertFalse(self.shell.compare_strip.isVisible())
        self.assertIs(self.session.heard, kit)

    def test_a_louder_reference_that_would_be_clipped_brings_both_down(self) -> None:
        self.shell.do("snapshot")
        self.louder(-30.0)
        self.shell.do("snapshot")
        self.shell.do("undo")  # the second snapshot
        self.shell.do("undo")  # softer
        kit, _ = snapshots.take_snapshot(self.session.kit, "pad1", "soft")
        put(self.session, "x", kit)
        pad = self.session.pad
        assert pad is not None
        softer, stage = rows.add_stage(kit, RowPath(pad="pad1"), Gain())
        softer = rows.set_process(softer, RowPath(pad="pad1"), stage.id, level_db=-20.0)
        snap = edits.pad_of(softer, "pad1").sound
        kit, made = snapshots.take_snapshot(kit, "pad1", "far softer", snap)
        # Another drum at the same peak, far softer in loudness: turned up it would be clipped.
        put(self.session, "y", kit)
        self.shell.do("compare")
        self.compared(f"snapshot {made.id}")
        gains = self.comparer.gains
        self.assertAlmostEqual(gains.own_db, 0.0, delta=0.01)
        self.assertAlmostEqual(gains.other_db, 20.0, delta=0.1)
        self.comparer.shelf.add_pad("pad7")  # Barrel mid: a tom with less low end
        self.until(lambda: self.ready)
        found = self.comparer.result
        assert found is not None
        other = found.other_figures.true_peak_dbtp + self.comparer.gains.other_db
        self.assertLessEqual(other, 0.01)

    def test_matching_can_be_left_off(self) -> None:
        self.shell.do("snapshot")
        self.louder(-9.0)
        self.shell.do("compare")
        self.compared(self.entry("snapshot").key)
        page = self.shell.pages.page("compare")
        QTest.mouseClick(page.matched, LEFT)
        self.assertFalse(self.comparer.matched)
        self.assertEqual(self.comparer.gains.other_db, 0.0)
        QTest.mouseClick(page.other, LEFT)
        self.assertTrue(self.comparer.hearing)
        peak = float(np.abs(self.played_take()).max())
        self.assertAlmostEqual(20 * np.log10(peak), -1.08, delta=0.05)
        self.shell.do("matched")
        self.assertTrue(page.matched.isChecked())
        self.assertAlmostEqual(20 * np.log10(float(np.abs(self.played_take()).max())), -10.08, 1)

    def test_an_edit_is_heard_and_not_the_reference(self) -> None:
        self.shell.do("snapshot")
        self.shell.do("switch")
        self.until(lambda: self.comparer.hearing)
        kit = edits.set_source(self.session.kit, "pad1", "layer1", end_hz=55.0)
        put(self.session, "x", kit)
        self.assertFalse(self.comparer.hearing)
        self.assertIs(self.session.heard.pad("pad1"), kit.pad("pad1"))
        self.settle()

    def test_digits_hear_what_stands_on_the_shelf(self) -> None:
        self.shell.do("snapshot")
        self.shell.do("compare")
        page = self.shell.pages.page("compare")
        QTest.keyClick(page, Qt.Key.Key_1)
        self.until(lambda: self.comparer.hearing)
        self.assertEqual(self.comparer.chosen_key, "dry")
        QTest.keyClick(page, Qt.Key.Key_6)
        self.until(lambda: self.comparer.hearing and self.comparer.chosen_key != "dry")
        self.assertEqual(self.comparer.chosen_key, "snapshot snapshot1")
        QTest.keyClick(page, Qt.Key.Key_0)
        self.assertFalse(self.comparer.hearing)
        QTest.keyClick(page, Qt.Key.Key_9)  # nothing stands there
        self.assertFalse(self.comparer.hearing)

    def test_what_rings_goes_over(self) -> None:
        self.session.player.open()
        self.until(lambda: self.session.player.engine is not None)
        self.shell.do("snapshot")
        self.louder(-6.0)
        crossed: list[tuple[str, float]] = []
        with patch.object(self.session.player, "cross", lambda n, a: crossed.append((n, a))):
            self.shell.do("switch")
            self.until(lambda: bool(crossed))
            self.shell.do("switch")
            self.until(lambda: len(crossed) > 1)
        self.assertEqual([n for n, _ in crossed], ["pad1", "pad1"])
        self.assertAlmostEqual(crossed[0][1], 0.0, delta=1.0)

    def test_what_is_compared_ends_what_is_tried(self) -> None:
        self.shell.do("snapshot")
        self.session.selection.select_layer("layer2")
        self.page.trial.offer(
            lambda kit: edits.set_layer(kit, "pad1", "layer2", flip=True), "a", "b", "c"
        )
        self.assertTrue(self.page.trial.trying)
        self.shell.do("switch")
        self.until(lambda: self.comparer.hearing)
        self.assertFalse(self.page.trial.trying)
        self.settle()

    def test_another_pad_is_its_own(self) -> None:
        self.shell.do("snapshot")
        self.shell.do("switch")
        self.until(lambda: self.comparer.hearing)
        self.session.selection.select_pad("pad2")
        self.assertFalse(self.comparer.hearing)
        self.assertIs(self.session.heard, self.session.kit)
        self.settle()

    def test_nothing_to_compare_says_what_to_do(self) -> None:
        self.session.file.new()
        self.shell.do("switch")
        self.assertIn("F7 keeps a snapshot", self.told[-1])
