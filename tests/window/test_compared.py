"""Compare: its figures, grooves that are compared, and what is for the ear only."""

from pathlib import Path

import numpy as np
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from puddle.kit import edits
from puddle.measure.comparing import figures
from puddle.measure.levels import loudness_lufs
from puddle.units import THIN
from tests.support.compare_page import CompareTest
from tests.support.sounds import noise, write
from tests.support.windows import LEFT, put


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
