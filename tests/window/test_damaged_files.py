"""Files that are damaged, and what is asked before anything is replaced."""

import tempfile
import zipfile
from pathlib import Path
from unittest.mock import patch

import msgspec
import numpy as np
import soundfile
from PyQt6.QtWidgets import QFileDialog, QMessageBox

from puddle.engine import offline
from puddle.kit import edits
from tests.support.sounds import noise, write
from tests.support.windows import WindowTest, answering, put


class Damaged(WindowTest):
    """Samples that are gone or broken: silence that is kept for no other test."""

    shares_takes = False

    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_a_sample_that_cannot_be_read_stops_the_save(self) -> None:
        self.demo()
        self.shell.incoming.drop([write(self.folder / "storm.wav", noise(0.2))], "pad1", None)
        self.until(lambda: len(self.session.kit.contents) == 8)
        journal = self.session.file.journal
        assert journal is not None
        (journal.store.folder / f"{self.session.kit.contents[-1].hash}.wav").unlink()
        path = self.folder / "storm.puddle"
        self.shell.kits.save_to(path)
        self.until(lambda: "storm.wav" in self.shell.notice.text())
        self.assertFalse(path.exists())

    def test_a_damaged_sample_is_told_after_the_kit_has_opened(self) -> None:
        self.demo()
        path = self.folder / "storm.puddle"
        self.save(path)
        raw = bytearray(path.read_bytes())
        with zipfile.ZipFile(path) as file:
            entry = next(i for i in file.infolist() if i.filename.startswith("samples/"))
        at = entry.header_offset + len(entry.filename) + 2000
        raw[at : at + 64] = bytes(64)
        path.write_bytes(raw)
        told: list[str] = []
        self.session.told.connect(told.append)
        self.shell.kits.open(path)
        self.until(lambda: any("is damaged" in said for said in told))
        self.assertEqual(len(self.session.kit.pads), 26)
        self.settle()
        self.assertTrue(self.session.renders.ready(self.session.kit))


class Asked(WindowTest):
    """Files whose names a person gives in a dialog."""

    def setUp(self) -> None:
        super().setUp()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.demo()

    def test_a_kit_is_saved_and_opened_by_name(self) -> None:
        chosen = str(self.folder / "night storm")
        with patch.object(QFileDialog, "getSaveFileName", return_value=(chosen, "")) as asked:
            self.shell.do("save_as")
        self.assertIn("Rain Gauge.puddle", asked.call_args.args[2])
        path = self.folder / "night storm.puddle"
        self.until(path.exists)
        self.until(lambda: self.session.file.path == path)
        self.assertEqual(self.session.kit.name, "night storm")  # that of its file
        self.shell.do("new")
        with patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")) as asked:
            self.shell.do("open")
        self.assertEqual(asked.call_args.args[2], str(self.folder))
        self.until(lambda: len(self.session.kit.pads) == 26)

    def test_an_unnamed_kit_takes_its_files_name(self) -> None:
        self.shell.do("new")
        put(self.session, "x", edits.set_kit(self.session.kit, tempo_bpm=77.0))
        chosen = str(self.folder / "tide.puddle")
        with patch.object(QFileDialog, "getSaveFileName", return_value=(chosen, "")):
            self.shell.do("save")
        self.until(lambda: self.session.file.path is not None)
        self.assertEqual(self.session.kit.name, "tide")

    def test_dialogs_that_are_left_change_nothing(self) -> None:
        before = self.session.kit
        none = {"return_value": ("", "")}
        with (
            patch.object(QFileDialog, "getSaveFileName", **none),
            patch.object(QFileDialog, "getOpenFileName", **none),
            patch.object(QFileDialog, "exec", return_value=0),
        ):
            self.shell.do("save_as")
            self.shell.do("open")
            for ask in ("export_sound", "export_groove"):
                self.shell.do(ask)
                asking = self.shell.exports.asking
                assert asking is not None
                asking._browse()
                asking.reject()
            self.shell.do("add_sample")
        self.assertIs(self.session.kit, before)
        self.assertIsNone(self.session.file.path)
        self.assertIsNone(self.shell.exports.working)

    def test_edits_are_asked_about_before_another_kit(self) -> None:
        edited = edits.set_kit(self.session.kit, tempo_bpm=77.0)
        kinds = QMessageBox.StandardButton
        path = self.folder / "kept.puddle"
        for answer, stays, saved in (
            (kinds.Cancel, True, False),
            (kinds.Save, False, True),
            (kinds.Discard, False, False),
        ):
            with self.subTest(answer):
                path.unlink(missing_ok=True)
                self.session.file.open(None)
                put(self.session, "slower", edited)
                self.session.file.path = path
                with patch.object(QMessageBox, "exec", return_value=answer):
                    self.shell.do("new")
                    self.until(lambda: not self.session.file.saving.busy)
                self.assertEqual(self.session.kit is edited, stays)
                self.assertEqual(path.exists(), saved)

    def test_an_export_over_a_file_is_asked_about(self) -> None:
        path = self.folder / "there.wav"
        path.write_bytes(b"a person's own")
        kinds = QMessageBox.StandardButton
        self.shell.do("export_sound")
        asking = self.shell.exports.asking
        assert asking is not None
        asking.place.setText(str(path))
        with answering(kinds.Cancel) as asked:
            asking.accept()
        self.assertEqual(asked, ["there.wav is there already. Replace it? [Cancel, Replace]"])
        self.assertTrue(asking.isVisible())
        self.assertEqual(path.read_bytes(), b"a person's own")
        with answering(kinds.Yes):
            asking.accept()
        self.until(lambda: path.stat().st_size > 1000)
        self.until(lambda: self.shell.exports.working is None)
        self.shell.do("export_sound")
        asking = self.shell.exports.asking
        assert asking is not None
        self.assertEqual(asking.path.parent, self.folder, "it remembers the folder")
        asking.place.setText("a name alone")
        self.assertEqual(asking.path, self.folder / "a name alone.wav", "wherever it was started")
        asking.place.setText("  ")
        asking.accept()
        self.assertTrue(asking.isVisible(), "not without a name")
        asking.reject()

    def test_a_sound_in_the_width_that_is_chosen(self) -> None:
        for bits, subtype in (("16", "PCM_16"), ("24", "PCM_24"), ("32f", "FLOAT")):
            path = self.folder / f"{subtype}.wav"
            self.shell.do("export_sound")
            asking = self.shell.exports.asking
            assert asking is not None
            with patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
                asking._browse()
            self.assertEqual(asking.path, path)
            asking.place.setText(str(path.with_suffix("")))
            asking.bit_depth.setCurrentIndex(asking.bit_depth.findData(bits))
            asking.accept()
            self.assertEqual(self.session.settings.export_bits, bits)
            self.until(lambda path=path: str(path) in self.shell.notice.text())
            self.assertEqual(soundfile.info(path).subtype, subtype)
            read, rate = soundfile.read(path, dtype="float32")
            pad = self.session.pad
            assert pad is not None
            own = offline.strike(pad, self.session.renders.takes, 127.0)
            step = {"PCM_16": 2.0**-14, "PCM_24": 2.0**-22, "FLOAT": 0.0}[subtype]
            self.assertEqual(rate, 48000)
            self.assertLessEqual(float(np.abs(read - own).max()), step)

    def test_the_groove_can_be_cancelled(self) -> None:
        path = self.folder / "long.wav"
        long = msgspec.structs.replace(self.session.kit.patterns[0], length=64)
        kit = edits.set_kit(self.session.kit, patterns=(long,), tempo_bpm=30.0)
        put(self.session, "slow", kit)
        self.shell.exports.groove(path, "24")
        working = self.shell.exports.working
        assert working is not None
        working.reject()
        self.until(lambda: self.shell.exports.working is None)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_place_that_cannot_be_written_is_told(self) -> None:
        self.shell.exports.sound(self.folder / "nowhere" / "x.wav", "24")
        self.until(lambda: "x.wav" in self.shell.notice.text())
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_recent_kits_that_are_still_there(self) -> None:
        bar = self.shell.top
        bar.fill_recent()
        self.assertEqual([a.text() for a in bar._recent.actions()], ["none yet"])
        for name in ("one", "two"):
            self.save(self.folder / f"{name}.puddle")
        (self.folder / "one.puddle").unlink()
        bar.fill_recent()
        entries = bar._recent.actions()
        self.assertEqual([a.text() for a in entries], ["two"])
        self.session.file.new()
        entries[0].trigger()
        self.until(lambda: len(self.session.kit.pads) == 26)
