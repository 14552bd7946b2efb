"""Groove's patterns as files: dropped, exported and dragged out."""

import tempfile
from pathlib import Path

import mido
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent

from puddle.formats.midi import left_out
from puddle.kit.edits.hits import Spot
from puddle.window.files.midi_files import MidiFiles
from tests.support.groove_page import GrooveTest
from tests.support.windows import LEFT, NONE

SHIFT, CONTROL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


class MidiTest(GrooveTest):
    """In and out as Standard MIDI Files."""

    def test_a_midi_file_that_is_dropped(self) -> None:
        file = mido.MidiFile(type=0, ticks_per_beat=96)
        track = file.add_track()
        for note, wait in ((36, 0), (38, 96), (1, 0)):
            track.append(mido.Message("note_on", note=note, velocity=90, time=wait))
            track.append(mido.Message("note_off", note=note, time=24))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "from elsewhere.mid"
            file.save(path)
            data = QMimeData()
            data.setUrls([QUrl.fromLocalFile(str(path))])
            told: list[str] = []
            self.session.told.connect(told.append)
            drop = QDropEvent(QPointF(9, 9), Qt.DropAction.CopyAction, data, LEFT, NONE)
            self.page.dropEvent(drop)
            self.until(lambda: bool(told))
        self.assertEqual(self.pattern().name, "from elsewhere")
        self.assertEqual((self.places("pad1"), self.places("pad2")), ([0], [5]))
        self.assertIn("left out", told[0])

    def test_a_midi_file_that_is_exported_tells_what_it_cannot_hold(self) -> None:
        self.session.file.open_demo()
        self.settle()
        told: list[str] = []
        self.session.told.connect(told.append)
        rich = next(p for p in self.session.kit.patterns if left_out(p))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "out.mid"
            self.shell.context.of(MidiFiles).export(path, rich)
            self.until(lambda: bool(told))
            self.assertGreater(path.stat().st_size, 60)
        self.assertIn("out.mid is written: a track for each lane.", told[0])
        self.assertIn(left_out(rich), told[0])

    def test_dragged_out_as_midi_and_as_sound(self) -> None:
        self.click("pad1", 0)
        self.click("pad2", 4)
        self.settle()
        for sound, suffix in ((False, ".mid"), (True, ".wav")):
            data = self.page.bar.midi.carried(sound)
            assert data is not None
            (url,) = data.urls()
            path = Path(url.toLocalFile())
            self.assertEqual(path.suffix, suffix)
            self.assertGreater(path.stat().st_size, 60)
        self.grid.select(frozenset({Spot("pad2", 4)}))
        data = self.page.bar.midi.carried(False)
        assert data is not None
        tracks = mido.MidiFile(data.urls()[0].toLocalFile(), charset="utf-8").tracks
        self.assertEqual(len(tracks), 2, "the tempo, and the one lane that is selected")
