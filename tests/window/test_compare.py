"""Compare in the window: the shelf, switching at matched loudness, figures, loops, the monitor."""

import tempfile
from pathlib import Path
from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog

from puddle.kit import edits
from puddle.kit.edits import rows, snapshots
from puddle.kit.edits.rows import RowPath
from puddle.measure.comparing import figures
from puddle.measure.levels import loudness_lufs
from puddle.stages import Gain
from puddle.units import THIN
from puddle.window.session.shelf import Entry
from tests.support.sounds import noise, sine, write
from tests.support.windows import LEFT, DemoTest, dropped, put


class CompareTest(DemoTest):
    def setUp(self) -> None:
        super().setUp()
        self.comparer = self.shell.comparer
        self.told: list[str] = []
        self.session.told.connect(self.told.append)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def entry(self, kind: str) -> Entry:
        return next(e for e in self.comparer.shelf.entries if e.kind == kind)

    def compared(self, key: str) -> None:
        """Chooses an entry, and waits until it is measured with its pitch."""
        self.comparer.choose(key)
        self.until(lambda: self.ready)

    @property
    def ready(self) -> bool:
        found, entry, pad = self.comparer.result, self.comparer.chosen, self.session.pad
        if found is None or entry is None or found.other is not entry.sound:
            return False
        return found.pitch_known and (bool(entry.beats) or found.own is (pad and pad.sound))

    def played_take(self) -> np.ndarray:
        """What the engine has on the selected pad at full strength."""
        pad = self.session.heard.pad(self.session.pad_id)
        assert pad is not None
        self.until(lambda: self.session.renders.can_play(pad))
        return self.session.renders.audio[pad.id]

    def louder(self, db: float) -> None:
        kit, stage = rows.add_stage(self.session.kit, RowPath(pad="pad1"), Gain())
        kit = rows.set_process(kit, RowPath(pad="pad1"), stage.id, level_db=db)
        put(self.session, "louder", kit)
        self.settle()


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
        crossed: list[tuple[int, float]] = []
        with patch.object(self.session.player, "cross", lambda n, a: crossed.append((n, a))):
            self.shell.do("switch")
            self.until(lambda: bool(crossed))
            self.shell.do("switch")
            self.until(lambda: len(crossed) > 1)
        self.assertEqual([n for n, _ in crossed], [0, 0])
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


class Figures(CompareTest):
    def test_the_table_says_what_is_measured(self) -> None:
        self.shell.do("compare")
        self.comparer.shelf.add_pad("pad14")
        self.until(lambda: self.ready)
        takes = self.session.renders.takes
        own, other = (
            figures(takes.sound(edits.pad_of(self.session.kit, key).sound).audio, takes.rate_hz)
            for key in ("pad1", "pad14")
        )
        table = self.shell.pages.page("compare").table
        mine, theirs, apart = table.row("fundamental_hz")
        assert own.fundamental_hz and other.fundamental_hz
        cents = 1200 * np.log2(other.fundamental_hz / own.fundamental_hz)
        self.assertIn(f"{own.fundamental_hz:.1f}", mine)
        self.assertIn(f"{other.fundamental_hz:.1f}", theirs)
        self.assertEqual(apart, f"● −{abs(cents):.0f}{THIN}ct")
        _, _, peak = table.row("peak_dbfs")
        self.assertIn(f"{abs(other.peak_dbfs - own.peak_dbfs):.1f}", peak)
        texts = self.shell.pages.page("compare").headroom.texts()
        left = own.headroom_db - self.comparer.gains.own_db
        self.assertIn(f"{left:.1f}{THIN}dB left", texts[0])

    def test_pictures_say_what_they_draw(self) -> None:
        self.shell.do("compare")
        self.comparer.shelf.add_pad("pad14")
        self.until(lambda: self.ready)
        page, found = self.shell.pages.page("compare"), self.comparer.result
        assert found is not None
        at = int(np.argmin(np.abs(found.spectra.hz - 1000.0)))
        x = float(page.spectra._xs(found.spectra.hz[at : at + 1])[0])
        self.assertIn(f"{abs(found.spectra.differs_db[at]):.1f}", page.spectra.text_at(x))
        QTest.mouseClick(page.stacked, LEFT)
        self.assertTrue(page.waves.stacked)
        self.assertFalse(page.waves.grab().isNull())
        QTest.mouseClick(page.overlaid, LEFT)
        self.assertFalse(page.waves.stacked)

    def test_they_follow_a_moving_control(self) -> None:
        self.shell.do("snapshot")
        self.shell.do("compare")
        self.until(lambda: self.ready)
        for n in range(5):
            kit = edits.set_layer(self.session.kit, "pad1", "layer1", level_db=-3.0 - n)
            put(self.session, "x", kit, "drag")
            QApplication.processEvents()
        self.until(lambda: self.ready)
        found = self.comparer.result
        assert found is not None
        takes = self.session.renders.takes
        wanted = figures(self.played_take(), takes.rate_hz)
        self.assertEqual(found.own_figures, wanted)


class Grooves(CompareTest):
    def loop(self, bpm: float, beats: int) -> Path:
        """Clicks on every beat."""
        x = np.zeros((round(beats * 60 / bpm * 44100), 2), np.float32)
        click = noise(0.05, level=0.4, rate=44100) * np.exp(-np.arange(2205) / 300)[:, None]
        for n in range(beats):
            at = round(n * 60 / bpm * 44100)
            x[at : at + 2205] += click[: len(x) - at]
        return write(self.folder / "loop.wav", x.astype(np.float32), 44100)

    def test_a_loop_is_held_against_the_groove_at_its_tempo(self) -> None:
        self.session.player.open()
        engine = self.engine
        self.shell.do("compare")
        self.comparer.shelf.add_files([self.loop(120.0, 8)])
        self.until(lambda: any(e.kind == "file" for e in self.comparer.shelf.entries))
        entry = self.entry("file")
        self.assertEqual((entry.beats, entry.about), (8, "loop"))
        self.until(
            lambda: self.comparer.result is not None and self.comparer.result.loop is not None
        )
        found = self.comparer.result
        assert found is not None and found.loop is not None
        # Eight beats at the kit's 104 bpm, to the end of the last click.
        frames = 8 * 60 / 104 * found.rate_hz
        self.assertLess(len(found.loop), frames + 10)
        self.assertGreater(len(found.loop), 7 * 60 / 104 * found.rate_hz)
        beat = 60 / 104 * found.rate_hz
        level = np.abs(found.loop).max(axis=1)
        for n in range(8):
            part = level[max(0, round(n * beat) - 400) : round(n * beat) + 2000]
            first = int(np.argmax(part > 0.3 * part.max())) - min(400, round(n * beat))
            self.assertLess(abs(first), 0.003 * found.rate_hz, n)
        rate = found.rate_hz
        gains = self.comparer.gains
        own, other = (loudness_lufs(a, rate) for a in (found.own_audio, found.other_audio))
        assert own is not None and other is not None
        self.assertAlmostEqual(own + gains.own_db, other + gains.other_db, delta=0.05)
        self.shell.do("switch")
        self.assertTrue(self.comparer.hearing)
        self.assertEqual(float(engine.monitor[0]["reference"]), 1.0)
        expected = 10 ** (gains.other_db / 20)
        self.assertAlmostEqual(float(engine.monitor[0]["reference_gain"]), expected, places=5)
        self.assertEqual(self.shell.pages.page("compare").own.text(), "the groove")
        self.assertIn("Press Space", self.told[-1])
        self.shell.do("switch")
        self.assertEqual(float(engine.monitor[0]["reference"]), 0.0)
        self.assertAlmostEqual(float(engine.monitor[0]["own_gain"]), 10 ** (gains.own_db / 20), 5)
        self.compared("dry")  # the groove is then as loud as it is
        self.assertEqual(float(engine.monitor[0]["own_gain"]), 1.0)

    def test_its_beats_can_be_told(self) -> None:
        self.shell.do("compare")
        self.comparer.shelf.add_files([self.loop(120.0, 8)])
        self.until(lambda: any(e.kind == "file" for e in self.comparer.shelf.entries))
        fields = self.shell.pages.page("compare").shelf.fields
        assert fields is not None
        fields.gauge("beats").moved.emit(0.0)
        self.assertEqual(self.entry("file").beats, 0)
        self.assertEqual(self.entry("file").about, "file")
        self.until(lambda: self.ready)
        found = self.comparer.result
        assert found is not None
        self.assertIsNone(found.loop)
        self.assertIn("beats a hit", self.session.history.undo_name or "")


class Listening(CompareTest):
    def test_mono_and_a_small_speaker_from_the_shore(self) -> None:
        self.session.player.open()
        engine = self.engine
        monitor = engine.monitor[0]
        QTest.mouseClick(self.shell.shore.transport.mono, LEFT)
        self.assertEqual((float(monitor["mono"]), float(monitor["speaker"])), (1.0, 0.0))
        self.shell.commands.by_id["small_speaker"].trigger()
        self.assertEqual((float(monitor["mono"]), float(monitor["speaker"])), (1.0, 1.0))
        self.assertTrue(self.shell.shore.transport.small.isChecked())
        QTest.mouseClick(self.shell.shore.transport.mono, LEFT)
        QTest.mouseClick(self.shell.shore.transport.small, LEFT)
        self.assertEqual((float(monitor["mono"]), float(monitor["speaker"])), (0.0, 0.0))
        self.assertFalse(self.shell.commands.by_id["mono"].isChecked())
