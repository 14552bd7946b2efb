"""Cut by hand: groups sent, slices played otherwise, an input recorded, timing and files."""

from pathlib import Path
from unittest import mock

import soundfile
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog

from puddle.engine.inputs import SIMULATED_INPUT, InputInfo
from puddle.formats.kitfile import open_kit
from puddle.formats.midi import read_midi
from puddle.formats.store import SampleStore
from puddle.kit.edits import recordings
from puddle.kit.model.document import Sample
from puddle.window.files.record_dialog import RecordDialog
from puddle.window.pages.cut.groups_panel import NOT_SENT
from puddle.window.pages.cut.likes_row import HIT_MIME
from tests.support.cut_page import CutTest
from tests.support.windows import LEFT, NONE, drag


class Sent(CutTest):
    def test_groups_to_pads_with_strengths_and_back(self) -> None:
        self.open(self.session_file)
        count = len(self.starts)
        self.page.groups.rows[-1].isVisible()
        QTest.mouseClick(self.page.timing.send, LEFT)
        self.until(lambda: bool(self.session.kit.pads), 20.0)
        pads = self.session.kit.pads
        self.assertEqual(sum(len(p.sound.layers) for p in pads), count)
        self.assertEqual(len(self.session.kit.contents), 1)
        oak = max(pads, key=lambda p: len(p.sound.layers))
        self.assertGreater(len({(k.softest, k.hardest) for k in oak.sound.layers}), 2)
        self.session.undo()
        self.assertEqual(self.session.kit.pads, ())

    def test_to_a_pad_of_the_kit_and_not_at_all(self) -> None:
        self.open(self.session_file)
        for n in range(1, len(self.cutter.groups)):
            self.aim(n, NOT_SENT)
        self.page.sends.send()
        self.until(lambda: len(self.session.kit.pads) == 1, 20.0)
        pad = self.session.kit.pads[0]
        other = self.cutter.groups[1]
        self.aim(0, NOT_SENT)
        self.aim(1, pad.id)
        self.page.sends.send()
        self.until(lambda: self.session.kit.pads[0].sound is not pad.sound, 20.0)
        self.assertEqual(len(self.session.kit.pads[0].sound.layers), len(other.hits))
        self.assertEqual(self.session.kit.pads[0].name, pad.name)

    def aim(self, n: int, target: str) -> None:
        """Chooses where a group goes, in its row's list."""
        self.until(lambda: self.page.groups.rows[n].target.findData(target) >= 0)
        box = self.page.groups.rows[n].target
        box.setCurrentIndex(box.findData(target))
        box.activated.emit(box.currentIndex())
        self.found()

    def test_where_groups_go_is_undone_and_saved(self) -> None:
        self.open(self.session_file)
        before = self.session.kit
        self.aim(0, NOT_SENT)
        QTest.mouseClick(self.page.timing.whole, LEFT)
        path = self.folder / "aims.puddle"
        self.assertEqual(self.save(path), "")
        made = self.session.kit.recordings[0]
        store = SampleStore(self.folder / "store")
        self.addCleanup(store.close)
        self.assertEqual(open_kit(path, store).kit.recordings[0], made)
        self.assertEqual((made.groups[0].sent, made.keeps_whole), (False, False))
        self.session.undo()
        self.session.undo()
        self.assertEqual(self.session.kit, before)
        self.found()
        self.assertEqual(self.page.groups.rows[0].target.currentText(), "to a new pad")
        self.assertTrue(self.page.timing.whole.isChecked())

    def test_what_was_found_since_can_be_named(self) -> None:
        self.open(self.session_file)
        self.cutter.set("sensitivity", 20.0, "less")
        self.found()
        self.page.groups.renamed.emit(0, "first")
        self.found()
        self.cutter.set("sensitivity", 100.0, "more")
        self.found()
        last = len(self.cutter.groups) - 1
        self.assertEqual(self.cutter.groups[last].name, "Not grouped yet")
        self.page.groups.renamed.emit(last, "late")
        self.found()
        self.assertEqual(self.cutter.groups[last].name, "late")
        self.assertEqual(self.cutter.groups[0].name, "first")

    def test_only_each_hits_own_part(self) -> None:
        self.open(self.session_file)
        QTest.mouseClick(self.page.timing.whole, LEFT)
        at = self.starts[0]
        self.page.marks.send(at, "")
        self.until(lambda: bool(self.session.kit.pads), 20.0)
        content = self.session.kit.contents[0]
        self.assertLess(content.frames, 48000)
        source = self.session.kit.pads[0].sound.layers[0].source
        assert isinstance(source, Sample)
        self.assertAlmostEqual(source.start_ms, 49.0, delta=0.1)  # 50 ms before, and the lead

    def test_a_hit_as_a_layer_of_a_pad(self) -> None:
        self.open(self.session_file)
        self.page.marks.send(self.starts[0], "")
        self.until(lambda: bool(self.session.kit.pads), 20.0)
        pad = self.session.kit.pads[0]
        self.page.marks.send_layer(self.starts[1], pad.id)
        self.until(lambda: len(self.session.kit.pads[0].sound.layers) == 2, 20.0)
        self.session.undo()
        self.assertEqual(self.session.kit.pads[0].sound, pad.sound)

    def test_a_file_that_moved_is_found_and_looked_at_again(self) -> None:
        own = self.folder / "mine.wav"
        own.write_bytes(self.loop_file.read_bytes())
        self.open(own)
        count = len(self.starts)
        moved = self.folder / "elsewhere.wav"
        own.rename(moved)
        self.cutter.look_again()
        self.until(lambda: self.cutter.known is not None and bool(self.cutter.known.error))
        self.cutter.relocate(moved)
        self.found()
        self.assertEqual(len(self.starts), count)

    def test_in_order_it_plays_and_is_undone(self) -> None:
        self.open(self.loop_file)
        QTest.mouseClick(self.page.timing.order, LEFT)
        self.until(lambda: bool(self.session.kit.pads), 20.0)
        self.assertEqual(len(self.session.kit.pads), len(self.starts))
        pattern = self.session.pattern
        assert pattern is not None
        self.assertEqual(pattern.name, "boathouse loop")
        self.assertEqual(len(pattern.lanes), len(self.starts))
        self.session.undo()
        self.assertEqual(self.session.kit.pads, ())

    def test_slices_are_played_otherwise_and_undone(self) -> None:
        self.open(self.loop_file)
        QTest.mouseClick(self.page.timing.order, LEFT)
        self.until(lambda: bool(self.session.kit.pads), 20.0)
        panel = self.page.slots
        self.until(lambda: len(panel.strip.blocks) == len(self.starts))
        before = [block.name for block in panel.strip.blocks]
        rooms = panel.strip.rooms()
        drag(panel.strip, rooms[0].center().toPoint(), rooms[3].center().toPoint())
        names = [block.name for block in panel.strip.blocks]
        self.assertEqual(names[:4], [*before[1:4], before[0]])
        panel.shuffle()
        self.assertEqual(sorted(b.name for b in panel.strip.blocks), sorted(before))
        QTest.mouseClick(panel.strip, LEFT, NONE, panel.strip.rooms()[5].center().toPoint())
        QTest.keyClick(panel.strip, Qt.Key.Key_B)
        self.assertTrue(panel.strip.blocks[5].backwards)
        QTest.keyClick(panel.strip, Qt.Key.Key_Delete)
        self.assertEqual(len(panel.strip.blocks), len(before) - 1)
        for _ in range(4):
            self.session.undo()
        panel.show_kit()
        self.assertEqual([block.name for block in panel.strip.blocks], before)

    def test_hum_and_rumble_are_cut_with_a_stage(self) -> None:
        self.open(self.session_file)
        QTest.mouseClick(self.page.timing.cleans, LEFT)
        self.page.marks.send(self.starts[0], "")
        self.until(lambda: bool(self.session.kit.pads), 20.0)
        stage = self.session.kit.pads[0].sound.stages[0].process
        self.assertTrue(stage.low_cut_on)  # type: ignore[union-attr]

    def test_a_hit_in_another_group_keeps_groups_from_then_on(self) -> None:
        self.open(self.session_file)
        groups = self.cutter.groups
        hit = groups[0].hits[0]
        self.page.groups.hit_moved.emit(hit, 1)
        self.found()
        self.assertIn(hit, self.cutter.groups[1].hits)
        self.assertTrue(self.cutter.recording.groups)  # type: ignore[union-attr]
        self.page.groups.refound.emit()
        self.found()
        self.assertIn(hit, self.cutter.groups[0].hits)

    def test_a_dragged_hit_is_a_file_for_pads_and_the_desktop(self) -> None:
        self.open(self.session_file)
        hit = self.cutter.groups[0].hits[2]
        data = self.page.files.carried(hit)
        self.assertEqual(bytes(data.data(HIT_MIME).data()), str(hit).encode())
        (url,) = data.urls()
        audio, rate = soundfile.read(url.toLocalFile())
        place = self.cutter.cut.place_of(hit)  # type: ignore[union-attr]
        long = int(self.cutter.cut.ends[place]) - hit  # type: ignore[union-attr,index]
        self.assertEqual((len(audio), rate), (long + 48, 48000))
        drop = self.shell.shore.drops[5]
        event = QDropEvent(QPointF(20, 20), Qt.DropAction.CopyAction, data, LEFT, NONE)
        drop.dropEvent(event)
        self.until(lambda: len(self.session.kit.pads) == 1, 20.0)
        self.page.files.close()
        self.assertFalse(Path(url.toLocalFile()).exists())

    def test_from_gather_a_file_is_cut(self) -> None:
        self.shell.pages.show_page("gather")
        self.session.recording_wanted.emit(self.loop_file)
        self.found()
        self.assertIs(self.shell.pages.currentWidget(), self.page)
        self.assertEqual(self.cutter.recording.name, "boathouse loop")  # type: ignore[union-attr]

    def test_a_lift_is_heard_and_told_and_undone(self) -> None:
        self.open(self.loop_file)
        told: list[str] = []
        self.session.told.connect(told.append)
        with mock.patch.object(QInputDialog, "getInt", lambda *_: (100, True)):
            self.page.marks.ask_lift(self.starts[5])
        self.found()
        self.until(lambda: any("dB under the hit" in said for said in told), 20.0)
        mark = recordings.mark_at(self.cutter.recording, self.starts[5])  # type: ignore[arg-type]
        self.assertEqual(mark.lift, 100.0)  # type: ignore[union-attr]
        self.page.marks.send(self.starts[5], "")
        self.until(lambda: bool(self.session.kit.pads), 20.0)
        self.session.undo()
        self.session.undo()
        self.assertEqual(self.cutter.recording.marks, ())  # type: ignore[union-attr]


class Recorded(CutTest):
    def test_an_input_is_recorded_and_cut(self) -> None:
        folder = mock.patch(
            "puddle.window.files.record_dialog.recordings_folder", lambda: self.folder / "own"
        )
        alone = mock.patch(
            "puddle.window.files.record_dialog.inputs",
            lambda: [InputInfo(SIMULATED_INPUT, None, 2)],
        )
        with folder, alone:
            self.page.bringing.record()
            dialog = next(w for w in QApplication.topLevelWidgets() if isinstance(w, RecordDialog))
            QTest.mouseClick(dialog.record, LEFT)
            self.until(lambda: dialog._recorder.state().seconds > 1.9)  # type: ignore[union-attr]
            QTest.mouseClick(dialog.record, LEFT)
        self.found()
        self.assertEqual(len(self.starts), 3)
        self.assertTrue(next((self.folder / "own").iterdir()).name.startswith("recording"))


class Timed(CutTest):
    def test_half_double_pattern_and_feel(self) -> None:
        self.open(self.loop_file)
        bpm = self.cutter.tempo.bpm
        QTest.mouseClick(self.page.timing.half, LEFT)
        self.assertAlmostEqual(self.cutter.tempo.bpm, bpm / 2.0, places=1)
        self.session.undo()
        self.page.sends.send()
        self.until(lambda: bool(self.session.kit.pads), 20.0)
        self.page.sends.do("pattern")
        pattern = self.session.pattern
        assert pattern is not None
        self.assertEqual(sum(len(lane.hits) for lane in pattern.lanes), len(self.starts))
        self.page.sends.do("steps")
        stepped = self.session.pattern
        assert stepped is not None
        self.assertTrue(all(not lane.exact for lane in stepped.lanes))
        self.assertTrue(all(h.at == round(h.at) for k in stepped.lanes for h in k.hits))
        self.page.sending.keep_feel()
        self.assertEqual([f.name for f in self.session.kit.feels], ["boathouse loop"])
        QTest.mouseClick(self.page.timing.take, LEFT)
        self.assertAlmostEqual(self.session.kit.tempo_bpm, self.cutter.tempo.bpm, places=3)

    def test_the_downbeat_is_dragged(self) -> None:
        self.open(self.loop_file)
        wave = self.page.wave
        before = self.cutter.tempo.downbeat_s
        foot = self.at(before * 48000, wave.height() - 12)
        drag(wave, foot, foot + QPoint(60, 0))
        self.assertGreater(self.cutter.tempo.downbeat_s, before)

    def test_files_and_midi(self) -> None:
        self.open(self.loop_file)
        out = self.folder / "hits"
        out.mkdir()
        kinds = ("WAV files, and a copy of the recording with cue points", True)
        with (
            mock.patch.object(QInputDialog, "getItem", lambda *_: kinds),
            mock.patch.object(QFileDialog, "getExistingDirectory", lambda *_: str(out)),
        ):
            self.page.sends.ask_write()
        own = out / "boathouse loop hits"
        self.until(lambda: len(list(own.glob("*.wav"))) == len(self.starts) + 1, 20.0)
        self.assertEqual(soundfile.info(next(own.glob("*cue points.wav"))).samplerate, 48000)
        self.page.marks.leave_out(self.starts[0], True)
        self.found()
        # Written once more: into a folder of its own, without what is left out.
        self.page.sending.write_hits(out, "FLAC")
        again = out / "boathouse loop hits (2)"
        self.until(lambda: len(list(again.glob("*.flac"))) == len(self.starts) - 1, 20.0)
        path = self.folder / "t.mid"
        with mock.patch.object(QFileDialog, "getSaveFileName", lambda *_: (str(path), "")):
            self.page.sends.ask_midi()
        self.until(path.exists, 20.0)
        self.assertEqual(len(read_midi(path).notes), len(self.starts) - 1)

    def test_writing_is_stopped_and_takes_back_what_it_wrote(self) -> None:
        self.open(self.loop_file)
        out = self.folder / "out"
        out.mkdir()
        shares: list[float] = []

        def stop(key: object, share: float) -> None:
            shares.append(share)
            self.page.busy.show_share(key, share)
            self.page.busy.stop.click()

        self.page.sending.working.connect(stop)
        self.page.sending.write_hits(out, "WAV")
        self.until(lambda: bool(shares) and shares[-1] == 1.0, 20.0)
        self.assertLess(len(shares), len(self.starts))
        self.until(lambda: not list(out.iterdir()))
