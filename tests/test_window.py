"""The window, driven as by hand: every action of Shape, the shore, files, keys."""

import math
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest.mock import patch

import numpy as np
import soundfile
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton, QWidget

from puddle.engine import offline
from puddle.kit import edits
from puddle.kit.document import Layer, Sample
from puddle.parameter import parameters
from puddle.stages import Compressor, Equalizer, Limiter
from puddle.voices import STARTING_POINTS, Kick, Tom
from puddle.window import theme
from puddle.window.commands import COMMANDS
from puddle.window.ownvoices import folder, own_voices
from puddle.window.pages.padtab import BusLines, PadLines
from puddle.window.pages.voicelines import VoiceLines
from puddle.window.parts.gauge import Gauge
from tests.sounds import noise, write
from tests.windows import WindowTest

LEFT = Qt.MouseButton.LeftButton
NONE = Qt.KeyboardModifier.NoModifier


def drag(widget: QWidget, start: QPoint, end: QPoint) -> None:
    """Presses, moves in steps, lets go."""
    QTest.mousePress(widget, LEFT, NONE, start)
    for n in range(1, 6):
        QTest.mouseMove(widget, start + (end - start) * n / 5)
        QApplication.processEvents()
    QTest.mouseRelease(widget, LEFT, NONE, end)
    QApplication.processEvents()


def dropped(widget: QWidget, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    event = QDropEvent(QPointF(20, 20), Qt.DropAction.CopyAction, data, LEFT, NONE)
    widget.dropEvent(event)


class Gauges(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        from puddle.parameter import parameter

        self.gauge = Gauge(parameter(Layer, "level_db"), -6.0, self.shell)
        self.gauge.resize(300, 25)
        self.gauge.show()
        self.heard: list[float] = []
        self.settled = 0
        self.gauge.moved.connect(self.heard.append)
        self.gauge.settled.connect(self._count)

    def _count(self) -> None:
        self.settled += 1

    def test_drag_anywhere_on_the_row(self) -> None:
        drag(self.gauge, QPoint(20, 12), QPoint(60, 12))
        self.assertGreater(self.gauge.value, -6.0)
        self.assertEqual(self.settled, 1)
        drag(self.gauge, QPoint(60, 12), QPoint(-4000, 12))
        self.assertEqual(self.gauge.value, -60.0)

    def test_shift_is_fine(self) -> None:
        QTest.mousePress(self.gauge, LEFT, NONE, QPoint(100, 12))
        QTest.mouseMove(self.gauge, QPoint(110, 12))
        QApplication.processEvents()
        coarse = self.gauge.value + 6.0
        QTest.mouseRelease(self.gauge, LEFT, NONE, QPoint(110, 12))
        self.assertGreater(coarse, 1.0)

    def test_keys(self) -> None:
        self.gauge.setFocus()
        before = self.gauge.value
        QTest.keyClick(self.gauge, Qt.Key.Key_Up)
        self.assertGreater(self.gauge.value, before)
        QTest.keyClick(self.gauge, Qt.Key.Key_PageDown)
        self.assertLess(self.gauge.value, before)

    def test_typing_a_value(self) -> None:
        self.gauge.setFocus()
        QTest.keyClick(self.gauge, Qt.Key.Key_Minus)
        editor = self.gauge.findChild(QLineEdit)
        assert editor is not None
        QTest.keyClicks(editor, "12.5 dB")
        QTest.keyClick(editor, Qt.Key.Key_Return)
        self.assertEqual(self.gauge.value, -12.5)
        self.assertEqual(self.settled, 1)

    def test_typing_nonsense_changes_nothing(self) -> None:
        self.gauge.edit("loud")
        editor = self.gauge.findChild(QLineEdit)
        assert editor is not None
        QTest.keyClick(editor, Qt.Key.Key_Return)
        QTest.keyClick(editor, Qt.Key.Key_Escape)
        self.assertEqual((self.gauge.value, self.heard), (-6.0, []))

    def test_double_click_resets(self) -> None:
        QTest.mouseDClick(self.gauge, LEFT, NONE, QPoint(100, 12))
        self.assertEqual(self.gauge.value, 0.0)

    def test_it_tells_its_name_and_value(self) -> None:
        self.assertEqual(self.gauge.accessibleName(), "Level")
        self.assertIn("dB", self.gauge.accessibleDescription())
        self.assertIn("How loud", self.gauge.toolTip())


class Shaping(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.page = self.shell.page

    def layer(self, layer_id: str = "layer2") -> Layer:
        return edits.layer_of(self.session.kit, "pad1", layer_id)

    def test_it_opens_on_keel_with_its_layers(self) -> None:
        pad = self.session.pad
        assert pad is not None
        self.assertEqual((pad.name, len(pad.sound.layers)), ("Keel", 3))
        self.assertIsNotNone(self.session.renders.view)
        self.until(lambda: self.session.renders.pitches is not None)
        hz = self.session.renders.pitches.whole.hz if self.session.renders.pitches else None
        self.assertAlmostEqual(hz or 0.0, 43.65, delta=0.2)

    def test_dragging_a_layer_in_time_is_one_step(self) -> None:
        canvas = self.page.lanes.canvas("layer2")
        axis = self.page.lanes.axis
        x = round(axis.x(0.6, canvas.width()))
        by = 40
        drag(canvas, QPoint(x + 30, 40), QPoint(x + 30 + by, 40))
        wanted = 0.6 + by / canvas.width() * (axis.last_ms - axis.first_ms)
        self.assertAlmostEqual(self.layer().offset_ms, wanted, delta=0.1)
        self.assertIn("Knock on oak: offset", self.session.history.undo_name or "")
        self.shell.do_undo()
        self.assertEqual(self.layer().offset_ms, 0.6)
        self.assertIsNone(self.session.history.undo_name)

    def test_trimming_a_sample(self) -> None:
        self.session.select_layer("layer2")
        canvas = self.page.lanes.canvas("layer2")
        self.settle()
        edge = next(h for h in canvas.handles() if h.what == "start").at.toPoint()
        drag(canvas, edge, edge + QPoint(12, 0))
        source = self.layer().source
        assert isinstance(source, Sample)
        self.assertGreater(source.start_ms, 5.0)
        self.settle()
        edge = next(h for h in canvas.handles() if h.what == "end").at.toPoint()
        drag(canvas, edge, edge + QPoint(-25, 0))
        source = self.layer().source
        assert isinstance(source, Sample)
        self.assertLess(source.end_ms, 490.0)
        self.shell.do_undo()
        self.shell.do_undo()
        self.assertIsNone(self.session.history.undo_name)

    def test_envelope_points_are_dragged(self) -> None:
        self.session.select_layer("layer2")
        self.settle()
        canvas = self.page.lanes.canvas("layer2")
        point = next(h for h in canvas.handles() if h.what == "decay").at.toPoint()
        drag(canvas, point, point + QPoint(60, 0))
        self.assertGreater(self.layer().envelope.decay_ms, 150.0)

    def test_switches_and_level_of_a_layer(self) -> None:
        header = self.page.lanes.header("layer1")
        for pill, field in ((header.flip, "flip"), (header.solo, "solo"), (header.on, "on")):
            before = getattr(self.layer("layer1"), field)
            QTest.mouseClick(pill, LEFT)
            self.assertEqual(getattr(self.layer("layer1"), field), not before)
        drag(header.level, QPoint(60, 12), QPoint(20, 12))
        self.assertLess(self.layer("layer1").level_db, -1.5)
        names = []
        while self.session.history.undo_name:
            names.append(self.session.history.undo_name)
            self.shell.do_undo()
        self.assertEqual(len(names), 4)
        self.assertTrue(all(n.startswith("Hull sine: ") for n in names))

    def test_a_voice_gauge_is_heard_on_the_next_strike(self) -> None:
        self.session.select_layer("layer1")
        before = self.session.renders.audio["pad1"]
        fields = self.page.properties._fields
        assert fields is not None
        gauge = fields.gauge("decay_ms")
        drag(gauge, QPoint(150, 12), QPoint(200, 12))
        source = self.layer("layer1").source
        assert isinstance(source, Kick)
        self.assertGreater(source.decay_ms, 430.0)
        self.assertIn("Hull sine: body decay", self.session.history.undo_name or "")
        self.settle()
        self.assertIsNot(self.session.renders.audio["pad1"], before)
        self.assertGreater(len(self.session.renders.audio["pad1"]), len(before))

    def test_a_starting_point_is_one_step(self) -> None:
        self.session.select_layer("layer1")
        box = next(
            b
            for b in self.page.properties.findChildren(QComboBox)
            if b.accessibleName() == "Starting point"
        )
        box.textActivated.emit("Long harbor")
        source = self.layer("layer1").source
        assert isinstance(source, Kick)
        self.assertEqual(source.end_hz, 38.0)
        self.assertEqual(self.session.history.undo_name, "Hull sine: from Long harbor")

    def test_another_source_keeps_everything_else(self) -> None:
        self.session.select_layer("layer2")
        before = self.layer()
        properties = self.page.properties
        properties.fill_swap_menu()
        kick = properties.swap_menu.actions()[0].menu()
        assert kick is not None
        kick.actions()[0].trigger()
        self.assertEqual(self.layer(), edits.changed(before, source=Kick()))
        properties.choose_tab("Source")
        self.assertIsNotNone(properties._fields and properties._fields.gauge("end_hz"))
        properties.fill_swap_menu()
        samples = properties.swap_menu.actions()[-1].menu()
        assert samples is not None
        samples.actions()[3].trigger()
        self.settle()
        self.assertIsInstance(self.layer().source, Sample)
        self.shell.do_undo()
        self.shell.do_undo()
        self.assertEqual(self.layer(), before)

    def test_stages_come_move_and_go(self) -> None:
        row = self.page.properties.stages
        self.session.select_layer("layer1")
        self.page.properties.choose_tab("Stages")
        for index in range(3):
            row.add_menu.actions()[index].trigger()
        kinds = [type(s.process) for s in self.layer("layer1").stages]
        self.assertEqual(kinds, [Equalizer, Compressor, Limiter])
        buttons = {b.accessibleName(): b for b in row.findChildren(QPushButton)}
        QTest.mouseClick(buttons["Limiter 3 up"], LEFT)
        QApplication.processEvents()
        buttons = {b.accessibleName(): b for b in row.findChildren(QPushButton) if b.isVisible()}
        QTest.mouseClick(buttons["Remove Compressor 3"], LEFT)
        QApplication.processEvents()
        kinds = [type(s.process) for s in self.layer("layer1").stages]
        self.assertEqual(kinds, [Equalizer, Limiter])
        buttons = {b.accessibleName(): b for b in row.findChildren(QPushButton) if b.isVisible()}
        QTest.mouseClick(buttons["Limiter 2 on"], LEFT)
        self.assertFalse(self.layer("layer1").stages[1].on)
        for _ in range(6):
            self.shell.do_undo()
        self.assertEqual(self.layer("layer1").stages, ())

    def test_stages_of_bus_and_master(self) -> None:
        properties = self.page.properties
        properties.choose_tab("Bus")
        properties.stages.add_menu.actions()[2].trigger()
        self.assertEqual(len(self.session.kit.buses[0].stages), 3)
        properties.choose_tab("Master")
        properties.stages.add_menu.actions()[0].trigger()
        self.assertEqual(len(self.session.kit.master.stages), 3)
        self.assertEqual(self.session.history.undo_name, "Master: equalizer in")

    def test_an_equalizer_handle_on_the_spectrum(self) -> None:
        spectrum = self.page.spectrum
        stage = self.page.properties.row.equalizer_stage
        from puddle.window.parts.spectrum import BANDS

        bell = BANDS[3]
        at = spectrum._handle(bell).toPoint()
        drag(spectrum, at, at + QPoint(60, -25))
        after = self.page.properties.row.equalizer_stage.process
        self.assertGreater(after.bell2_hz, stage.process.bell2_hz * 1.5)
        self.assertGreater(after.bell2_db, stage.process.bell2_db + 3.0)
        self.assertEqual(self.session.history.undo_name, "Keel: equalizer bell 2")
        place = spectrum._handle(bell)
        wheel = QWheelEvent(
            place,
            spectrum.mapToGlobal(place),
            QPoint(),
            QPoint(0, 240),
            Qt.MouseButton.NoButton,
            NONE,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        spectrum.wheelEvent(wheel)
        self.assertAlmostEqual(
            self.page.properties.row.equalizer_stage.process.bell2_q, 1.12**2, places=6
        )
        QTest.mouseDClick(spectrum, LEFT, NONE, place.toPoint())
        self.assertEqual(self.page.properties.row.equalizer_stage.process.bell2_db, 0.0)

    def test_reductions_are_shown(self) -> None:
        cards = self.page.properties.stages.cards
        self.assertIn("dB", cards[1]._reduction.text())
        self.assertEqual(cards[0]._reduction.text(), "")

    def test_tuning_a_layer_to_a_note(self) -> None:
        self.session.select_layer("layer1")
        self.page.properties.choose_tab("Tune")
        self.until(lambda: self.session.renders.pitches is not None)
        found = self.session.renders.pitches
        hz = found.layers["layer1"].hz if found else None
        assert hz is not None
        self.page.properties.tune_layer(self.layer("layer1"), hz, "A1")
        self.settle()
        self.until(lambda: self.session.renders.pitches is not found)
        after = self.session.renders.pitches
        tuned = after.layers["layer1"].hz if after else None
        self.assertLess(abs(1200 * math.log2((tuned or 1.0) / 55.0)), 5.0)

    def test_zoom_stays_around_the_pointer(self) -> None:
        canvas, axis = self.page.lanes.whole, self.page.lanes.axis
        place = QPointF(300, 40)
        before = axis.ms(300, canvas.width())
        wheel = QWheelEvent(
            place,
            canvas.mapToGlobal(place),
            QPoint(),
            QPoint(0, 360),
            Qt.MouseButton.NoButton,
            NONE,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        canvas.wheelEvent(wheel)
        self.assertAlmostEqual(axis.ms(300, canvas.width()), before, places=6)
        self.assertLess(axis.last_ms - axis.first_ms, 500.0)
        self.shell.do_zoom_all()
        self.assertGreater(axis.last_ms, 700.0)


class Voices(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.session.select_layer("layer1")
        self.properties = self.shell.page.properties

    @property
    def lines(self) -> VoiceLines:
        lines = self.properties._voice_lines
        assert lines is not None
        return lines

    def source(self) -> object:
        layer = self.session.layer
        assert layer is not None
        return layer.source

    def test_a_voice_is_chosen_by_ear(self) -> None:
        self.session.player.open()
        self.until(lambda: self.engine.clock > 4800)
        self.shell.do_add_voice()
        chooser = self.shell.incoming.chooser
        assert chooser is not None
        self.assertEqual(chooser.roles.currentItem().text(), "kick")  # as the pad's
        before = self.session.kit
        self.engine.master_peaks()
        QTest.keyClick(chooser.points, Qt.Key.Key_Down)
        self.until(lambda: max(self.engine.master_peaks()) > 0.01)
        self.assertIs(self.session.kit, before)  # hearing is no edit
        chooser.roles.setCurrentItem(chooser.roles.findItems("tom", Qt.MatchFlag.MatchExactly)[0])
        chooser.points.setCurrentRow(2)
        chooser.accept()
        self.assertIsInstance(self.source(), Tom)
        self.assertEqual(self.session.history.undo_name, "Keel: High keg as a layer")

    def test_hovering_is_hearing(self) -> None:
        self.shell.do_add_voice()
        chooser = self.shell.incoming.chooser
        assert chooser is not None
        heard: list[object] = []
        with patch.object(self.session.renders, "audition", heard.append):
            chooser.points.itemEntered.emit(chooser.points.item(3))
            self.until(lambda: len(heard) == 1)
        self.assertEqual(chooser.points.currentRow(), 3)
        chooser.reject()

    def test_a_voice_for_an_empty_place(self) -> None:
        self.shell.incoming.ask_voice_for(20)
        chooser = self.shell.incoming.chooser
        assert chooser is not None
        chooser.roles.setCurrentItem(
            chooser.roles.findItems("effect", Qt.MatchFlag.MatchExactly)[0]
        )
        chooser.accept()
        pad = self.session.pad
        assert pad is not None
        self.assertEqual((pad.place, pad.role), (20, "effect"))

    def test_every_voice_shows_its_gauges(self) -> None:
        for points in STARTING_POINTS.values():
            name, voice = next(iter(points.items()))
            with self.subTest(name):
                self.shell.incoming.add_voice(name, voice)
                fields = self.properties._fields
                assert fields is not None
                known = [p for p in parameters(type(voice)) if p.kind == "number"]
                for p in known:
                    self.assertEqual(fields.gauge(p.field).value, getattr(voice, p.field))
                self.shell.do_undo()
                self.session.select_layer("layer1")

    def test_browsing_starting_points_is_one_step(self) -> None:
        before = self.session.kit
        for _ in range(3):
            self.lines.step(1)
        third = list(STARTING_POINTS[Kick].values())[2]
        self.assertEqual(self.source(), third)
        self.lines.step(-1)
        self.assertEqual(self.source(), list(STARTING_POINTS[Kick].values())[1])
        self.shell.do_undo()
        self.assertIs(self.session.kit, before)

    def test_scatter_is_undone_in_one_step(self) -> None:
        before, kit = self.source(), self.session.kit
        button = next(b for b in self.lines.findChildren(QPushButton) if b.text() == "Scatter")
        QTest.mouseClick(button, LEFT)
        after = self.source()
        assert isinstance(before, Kick) and isinstance(after, Kick)
        self.assertNotEqual(after, before)
        self.assertEqual(after.end_hz, before.end_hz)
        self.shell.do_undo()
        self.assertIs(self.session.kit, kit)

    def test_between_goes_from_here_to_there(self) -> None:
        before, kit = self.source(), self.session.kit
        lines = self.lines
        lines.other.setCurrentText("Long harbor")
        lines.other.textActivated.emit("Long harbor")
        for percent in (20.0, 60.0, 100.0):
            lines.way.moved.emit(percent)
        self.assertEqual(self.source(), STARTING_POINTS[Kick]["Long harbor"])
        lines.way.moved.emit(0.0)
        self.assertEqual(self.source(), before)
        lines.way.moved.emit(50.0)
        lines.way.settled.emit()
        self.shell.do_undo()
        self.assertIs(self.session.kit, kit)
        self.assertEqual(self.lines.way.value, 0.0)


class OwnVoices(WindowTest):
    def test_settings_are_kept_shared_and_taken_in(self) -> None:
        self.demo()
        self.session.select_layer("layer1")
        lines = self.shell.page.properties._voice_lines
        layer = self.session.layer
        assert lines is not None and layer is not None
        lines.keep("Larkmoor thud")
        self.assertEqual(own_voices()["Larkmoor thud"], layer.source)
        self.assertEqual(lines.start.currentText(), "Larkmoor thud")
        lines.step(1)
        self.assertNotEqual(self.session.layer, layer)
        lines._start_from("Larkmoor thud")
        self.assertEqual(self.session.layer and self.session.layer.source, layer.source)
        kept = folder() / "Larkmoor thud.puddle-voice"
        shared = folder().parent / "shared.puddle-voice"
        kept.rename(shared)
        self.assertNotIn("Larkmoor thud", own_voices())
        self.shell.incoming.drop([shared], "pad1", None)
        self.assertIn("Larkmoor thud", own_voices())
        self.assertIn("Larkmoor thud", self.shell._notice.text())
        shared.write_text("{}")
        self.shell.incoming.drop([shared], "pad1", None)
        self.assertIn("shared.puddle-voice", self.shell._notice.text())
        kept.unlink()
        shared.unlink()


class Velocity(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.session.select_layer("layer1")
        fields = self.shell.page.properties._fields
        assert fields is not None
        self.gauge = fields.gauge("decay_ms")

    def reaches(self) -> dict[str, float]:
        layer = self.session.layer
        assert layer is not None
        return {reach.field: reach.amount for reach in layer.reaches}

    def test_ctrl_and_drag_sets_how_far_velocity_moves_a_gauge(self) -> None:
        before, value = self.session.kit, self.gauge.value
        bar = self.gauge._bar()
        start = QPoint(int(bar.right()) - 5, 12)
        control = Qt.KeyboardModifier.ControlModifier
        QTest.mousePress(self.gauge, LEFT, control, start)
        for x in (20, 40, 60):
            QTest.mouseMove(self.gauge, start - QPoint(x, 0))
        QTest.mouseRelease(self.gauge, LEFT, control, start - QPoint(60, 0))
        self.assertAlmostEqual(self.reaches()["decay_ms"], 100 * 60 / bar.width(), delta=1.0)
        self.assertEqual(self.gauge.value, value)
        self.assertIn("velocity", self.gauge.accessibleDescription())
        self.assertIn("velocity moves body decay", self.session.history.undo_name or "")
        self.shell.do_undo()
        self.assertIs(self.session.kit, before)
        self.assertEqual(self.gauge.reach, 0.0)

    def test_by_keys(self) -> None:
        self.gauge.setFocus()
        for _ in range(2):
            QTest.keyClick(self.gauge, Qt.Key.Key_PageDown, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.reaches(), {"decay_ms": 20.0})
        QTest.keyClick(self.gauge, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.reaches(), {"decay_ms": 19.0})

    def test_softer_takes_come_when_the_hand_rests_and_are_heard(self) -> None:
        self.gauge._let_reach(60.0)
        key = self.session.pad_id
        self.until(lambda: len(self.session.renders.sets[key].ready) == 16, 20.0)
        found = self.session.renders.sets[key].ready
        self.assertLess(len(found[(0, 0)]), len(found[(15, 0)]))
        pad = self.session.pad
        assert pad is not None
        alone = edits.changed(pad, level_db=0.0, pan=0.0, velocity_amount=0.0)
        soft = offline.strike(alone, self.session.renders.takes, 5.0)
        np.testing.assert_array_equal(soft, found[(0, 0)][: len(soft)])


class Buses(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.properties = self.shell.page.properties

    def test_a_pad_is_sent_through_a_new_bus_renamed_and_taken_out(self) -> None:
        from PyQt6.QtWidgets import QComboBox, QInputDialog

        before = self.session.kit
        self.properties.choose_tab("Pad")
        lines = self.properties.findChild(PadLines)
        assert lines is not None
        box = lines.findChild(QComboBox, "Goes to")
        assert box is not None
        with patch.object(QInputDialog, "getText", return_value=("Low end", True)):
            box.setCurrentIndex(box.count() - 1)
            box.textActivated.emit(box.currentText())
        bus = self.session.kit.buses[-1]
        self.assertEqual((bus.name, self.session.pad and self.session.pad.bus), ("Low end", bus.id))
        self.assertEqual(self.session.history.undo_name, "Keel: goes to the new bus Low end")
        self.properties.choose_tab("Bus")
        self.properties.stages.add_menu.actions()[0].trigger()
        self.assertEqual(len(self.session.kit.buses[-1].stages), 1)
        shown = self.properties.findChild(BusLines)
        assert shown is not None
        shown.rename("Deep end")
        self.assertEqual(self.session.kit.buses[-1].name, "Deep end")
        shown = self.properties.findChildren(BusLines)[-1]
        shown.remove()
        self.assertEqual(len(self.session.kit.buses), len(before.buses))
        self.assertEqual(self.session.pad and self.session.pad.bus, "")
        for _ in range(4):
            self.shell.do_undo()
        self.assertIs(self.session.kit, before)

    def test_undo_shows_in_the_lines_of_a_pad(self) -> None:
        from PyQt6.QtWidgets import QComboBox

        self.properties.choose_tab("Pad")
        kit = edits.set_pad(self.session.kit, "pad1", role="tom")
        self.session.edit("Keel: tom", kit)

        def role() -> str:
            QApplication.processEvents()
            boxes = [b for b in self.properties.findChildren(QComboBox, "Role") if b.isVisible()]
            return str(boxes[-1].currentText())

        self.assertEqual(role(), "tom")
        self.shell.do_undo()
        self.assertEqual(role(), "kick")


class Files(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def test_save_close_open_is_as_it_was(self) -> None:
        self.demo()
        kit = edits.set_layer(self.session.kit, "pad1", "layer2", offset_ms=3.3)
        self.session.edit("Knock on oak: offset", kit)
        path = self.folder / "storm.puddle"
        self.assertTrue(self.shell.kits.save_to(path))
        self.assertFalse(self.session.history.edited)
        self.shell.do_new()
        self.assertEqual(self.session.kit.pads, ())
        self.shell.kits.open(path)
        self.until(lambda: self.session.kit.pads != ())
        self.assertEqual(self.session.kit, edits.without_unused_contents(kit))
        self.settle()
        self.assertTrue(self.session.renders.ready(self.session.kit))
        self.assertEqual(self.session.settings.recent[0], str(path))

    def test_saving_while_one_works_on(self) -> None:
        self.demo()
        path = self.folder / "storm.puddle"
        self.session.path = path
        self.session.edit("a", edits.set_kit(self.session.kit, tempo_bpm=90.0))
        self.shell.do_save()
        later = edits.set_kit(self.session.kit, tempo_bpm=91.0)
        self.session.edit("b", later)
        self.until(lambda: "Saved" in self.shell._notice.text())
        self.assertTrue(self.session.history.edited)
        self.shell.do_undo()
        self.assertFalse(self.session.history.edited)
        self.shell.do_save()
        self.session.path = self.folder / "nowhere" / "x.puddle"
        self.shell.do_save()
        self.until(lambda: "cannot be written" in self.shell._notice.text())

    def test_a_save_is_whole_whatever_comes_next(self) -> None:
        self.demo()
        kit = self.session.kit
        path = self.folder / "storm.puddle"
        self.session.save_soon(path)
        self.session.new()  # the samples' folder goes, but not before they are saved
        self.shell.kits.open(path)
        self.until(lambda: self.session.kit.pads != ())
        self.assertEqual(self.session.kit, kit)
        self.settle()
        journal = self.session.journal
        assert journal is not None
        self.assertTrue(all(journal.store.decoded(c.hash) for c in kit.contents))

    def test_a_sample_that_cannot_be_read_stops_the_save(self) -> None:
        self.demo()
        self.shell.incoming.drop([write(self.folder / "storm.wav", noise(0.2))], "pad1", None)
        self.until(lambda: len(self.session.kit.contents) == 7)
        journal = self.session.journal
        assert journal is not None
        (journal.store.folder / f"{self.session.kit.contents[-1].hash}.wav").unlink()
        path = self.folder / "storm.puddle"
        self.assertFalse(self.shell.kits.save_to(path))
        self.assertIn("storm.wav", self.shell._notice.text())
        self.assertFalse(path.exists())

    def test_an_emptied_kit_asks_before_it_goes(self) -> None:
        from PyQt6.QtWidgets import QMessageBox

        self.demo()
        empty = self.session.kit
        for pad in empty.pads:
            empty = edits.remove_pad(empty, pad.id)
        self.session.edit("all out", empty)
        cancel = QMessageBox.StandardButton.Cancel
        with patch.object(QMessageBox, "exec", return_value=cancel) as asked:
            self.shell.do_new()
        asked.assert_called_once()
        self.assertIs(self.session.kit, empty)

    def test_what_was_undone_is_not_recovered(self) -> None:
        self.demo()
        journal = self.session.journal
        assert journal is not None
        self.session.edit("a", edits.set_kit(self.session.kit, tempo_bpm=90.0))
        self.session._write_journal()
        self.session.background.workers.wait()
        self.assertTrue((journal.folder / "kit.json").exists())
        self.shell.do_undo()
        self.session._write_journal()
        self.session.background.workers.wait()
        self.assertFalse((journal.folder / "kit.json").exists())

    def test_a_bad_kit_leaves_the_open_one(self) -> None:
        self.demo()
        kit = self.session.kit
        bad = self.folder / "bad.puddle"
        bad.write_bytes(b"rubbish")
        self.shell.kits.open(bad)
        self.until(lambda: "bad.puddle" in self.shell._notice.text())
        self.assertIs(self.session.kit, kit)

    def test_a_kit_that_is_edited_while_another_opens_stays(self) -> None:
        self.demo()
        path = self.folder / "storm.puddle"
        self.session.save(path)
        self.shell.kits.open(path)
        edited = edits.set_kit(self.session.kit, tempo_bpm=77.0)
        self.session.edit("Tempo 77 bpm", edited)
        self.until(lambda: "was edited meanwhile" in self.shell._notice.text())
        self.assertIs(self.session.kit, edited)

    def test_a_damaged_sample_is_told_after_the_kit_has_opened(self) -> None:
        self.demo()
        path = self.folder / "storm.puddle"
        self.session.save(path)
        raw = bytearray(path.read_bytes())
        with zipfile.ZipFile(path) as file:
            entry = next(i for i in file.infolist() if i.filename.startswith("samples/"))
        at = entry.header_offset + len(entry.filename) + 2000
        raw[at : at + 64] = bytes(64)
        path.write_bytes(raw)
        self.shell.kits.open(path)
        self.until(lambda: "is damaged" in self.shell._notice.text())
        self.assertEqual(len(self.session.kit.pads), 16)
        self.settle()
        self.assertTrue(self.session.renders.ready(self.session.kit))

    def test_a_wav_dropped_on_an_empty_place_becomes_a_pad(self) -> None:
        path = write(self.folder / "knock.wav", noise(0.2))
        dropped(self.shell.shore.drops[5], path)
        self.until(lambda: len(self.session.kit.pads) == 1)
        pad = self.session.kit.pads[0]
        self.assertEqual((pad.name, pad.place), ("knock", 5))
        self.settle()
        self.assertTrue(
            np.array_equal(self.session.renders.audio[pad.id][:9000], noise(0.2)[:9000])
        )

    def test_a_wav_dropped_on_a_pad_or_the_strata_becomes_a_layer(self) -> None:
        self.demo()
        path = write(self.folder / "rope.wav", noise(0.2))
        dropped(self.shell.shore.drops[1], path)
        self.until(lambda: len(self.session.kit.pads[1].sound.layers) == 4)
        self.assertEqual(self.session.pad_id, "pad2")
        dropped(self.shell.page, path)
        self.until(lambda: len(self.session.kit.pads[1].sound.layers) == 5)
        self.assertEqual(self.session.history.undo_name, "rope.wav dropped")
        self.shell.do_undo()
        self.shell.do_undo()
        self.assertEqual(len(self.session.kit.pads[1].sound.layers), 3)

    def test_what_is_no_sound_is_named_and_the_rest_lands(self) -> None:
        good = write(self.folder / "good.wav", noise(0.1))
        text = self.folder / "text.wav"
        text.write_text("hello")
        self.shell.incoming.drop([text, good], "", 0)
        self.until(lambda: len(self.session.kit.pads) == 1)
        self.assertIn("text.wav", self.shell._notice.text())
        self.assertEqual(self.session.kit.pads[0].name, "good")

    def test_exports_are_what_is_heard(self) -> None:
        self.demo()
        path = self.folder / "keel.wav"
        self.shell.exports.sound(path, "32f")
        self.until(path.exists)
        self.until(lambda: not self.shell.exports.working.isVisible())
        audio, _ = soundfile.read(path, dtype="float32")
        self.assertTrue(np.array_equal(audio, self.session.renders.audio["pad1"]))
        groove = self.folder / "groove.wav"
        self.shell.exports.groove(groove, "32f")
        self.until(groove.exists, 30.0)
        self.until(lambda: not self.shell.exports.working.isVisible())
        audio, _ = soundfile.read(groove, dtype="float32")
        pattern = self.session.pattern
        assert pattern is not None
        wanted = offline.bounce(self.session.kit, pattern, 2, self.session.renders.takes).master
        self.assertTrue(np.array_equal(audio, wanted))

    def test_recovery_after_a_kill(self) -> None:
        from puddle.formats.journal import lost_journals
        from puddle.window.settings import journal_root

        self.demo()
        kit = edits.set_kit(self.session.kit, tempo_bpm=77.0)
        self.session.edit("Tempo", kit)
        self.session._write_journal()
        self.session.background.workers.wait()
        journal = self.session.journal
        assert journal is not None
        self.assertLessEqual(self.session._autosave.interval(), 10000)
        (journal.folder / "pid").write_text("1 0")  # as if its process had died
        self.session.journal = None
        lost = lost_journals(journal_root())
        self.assertEqual(lost[0].name, "Rain Gauge")
        self.shell.kits.recover(lost[0])
        self.assertEqual(self.session.kit, kit)
        self.assertTrue(self.session.history.edited)
        self.settle()
        self.assertTrue(self.session.renders.ready(self.session.kit))

    def test_the_start_page(self) -> None:
        self.shell.do_start()
        start = self.shell.start_page
        self.assertIs(self.shell.pages.currentWidget(), start)
        QTest.mouseClick(start.demo, LEFT)
        self.until(lambda: self.session.kit.name == "Rain Gauge")
        self.assertIs(self.shell.pages.currentWidget(), self.shell.page)
        self.assertEqual(self.session.kit.name, "Rain Gauge")


class Striking(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.session.player.open()
        self.until(lambda: self.engine.clock > 4800)

    def struck(self, pad: int) -> int:
        return int(self.engine.strikes()[0][pad])

    def test_keys_and_the_mouse_strike_pads(self) -> None:
        page = self.shell.page
        QTest.keyClick(page, Qt.Key.Key_W)
        self.until(lambda: self.struck(1) == 1)
        self.assertEqual(self.session.pad_id, "pad2")
        QTest.keyClick(page, Qt.Key.Key_K)
        self.until(lambda: self.struck(15) == 1)
        drop = self.shell.shore.drops[0]
        QTest.mouseClick(drop, LEFT, NONE, drop._center().toPoint())
        self.until(lambda: self.struck(0) == 1)
        self.assertGreater(float(self.engine.strikes()[1][0]), 120.0)
        rim = drop._center().toPoint() + QPoint(round(drop._radius()) - 1, 0)
        QTest.mouseClick(drop, LEFT, NONE, rim)
        self.until(lambda: self.struck(0) == 2)
        self.assertLess(float(self.engine.strikes()[1][0]), 40.0)

    def test_brackets_set_the_strength_and_shift_is_an_accent(self) -> None:
        page = self.shell.page
        for _ in range(3):
            QTest.keyClick(page, Qt.Key.Key_BracketLeft)
        QTest.keyClick(page, Qt.Key.Key_Q)
        self.until(lambda: self.struck(0) == 1)
        self.assertEqual(float(self.engine.strikes()[1][0]), 76.0)
        QTest.keyClick(page, Qt.Key.Key_Q, Qt.KeyboardModifier.ShiftModifier)
        self.until(lambda: self.struck(0) == 2)
        self.assertEqual(float(self.engine.strikes()[1][0]), 127.0)

    def test_typing_strikes_nothing(self) -> None:
        self.session.select_layer(None)
        self.shell.page.properties.choose_tab("Pad")
        field = next(
            f
            for f in self.shell.page.properties.findChildren(QLineEdit)
            if f.accessibleName() == "Plays on notes"
        )
        field.setFocus()
        QTest.keyClicks(field, "qwe")
        QTest.qWait(50)
        self.assertEqual([self.struck(n) for n in range(3)], [0, 0, 0])

    def test_the_groove_plays_and_stops(self) -> None:
        QTest.mouseClick(self.shell.shore.play, LEFT)
        self.until(lambda: self.struck(0) > 0 and self.struck(3) > 1)
        self.shell.shore.tick()
        self.assertIn("pattern A", self.shell.shore.position.text())
        self.assertTrue(self.shell.shore.play.playing)
        self.until(lambda: max(self.engine.master_peaks()) > 0.01)
        QTest.keyClick(self.shell, Qt.Key.Key_Space)
        self.until(lambda: not self.engine.playing)

    def test_space_presses_a_button_that_has_the_focus(self) -> None:
        pill = self.shell.page.lanes.header("layer1").flip
        pill.setFocus(Qt.FocusReason.TabFocusReason)
        QTest.keyClick(pill, Qt.Key.Key_Space)
        QTest.qWait(60)
        self.assertTrue(self.session.kit.pads[0].sound.layers[0].flip)
        self.assertFalse(self.engine.playing)

    def test_repeat_strikes_on_the_beat(self) -> None:
        self.shell.do_repeat()
        self.until(lambda: self.struck(0) >= 2, 5.0)
        self.shell.do_repeat()

    def test_mute_and_solo_by_modified_clicks(self) -> None:
        drop = self.shell.shore.drops[2]
        center = drop._center().toPoint()
        QTest.mouseClick(drop, LEFT, Qt.KeyboardModifier.ControlModifier, center)
        self.assertTrue(self.session.kit.pads[2].mute)
        QTest.mouseClick(drop, LEFT, Qt.KeyboardModifier.AltModifier, center)
        self.assertTrue(self.session.kit.pads[2].solo)
        self.assertEqual(self.session.history.undo_name, "Tarp: solo")

    def test_banks_and_layouts(self) -> None:
        shore = self.shell.shore
        shore.show_bank(1)
        self.assertEqual(shore.dots.banks, 2)
        self.assertIn("empty", shore.drops[0].accessibleName())
        shore.show_bank(0)
        for rows in (2, 4, 1):
            shore._next_layout()
            self.assertEqual(shore.rows, rows)

    def test_another_rate_renders_anew(self) -> None:
        self.session.settings.rate_hz = 44100
        self.session.player.open()
        self.settle()
        self.assertEqual(self.engine.rate_hz, 44100.0)
        self.assertTrue(self.session.renders.ready(self.session.kit))


class CommandsAndThemes(WindowTest):
    def test_every_command_has_its_menu_and_its_method(self) -> None:
        for command in COMMANDS:
            action = self.shell.actions_by_id[command.id]
            self.assertTrue(callable(getattr(self.shell, f"do_{command.id}")))
            self.assertTrue(command.says.endswith("."), command.id)
            if command.keys:
                self.assertEqual(action.shortcut().toString(), command.keys, command.id)
        keys = [c.keys for c in COMMANDS if c.keys]
        self.assertEqual(len(keys), len(set(keys)))
        bare = [k for k in keys if len(k) == 1 and k.isalpha()]
        self.assertEqual(bare, [], "bare letters strike pads")

    def test_undo_says_what_it_would_undo(self) -> None:
        self.demo()
        self.session.edit("Tempo 90.0 bpm", edits.set_kit(self.session.kit, tempo_bpm=90.0))
        self.assertEqual(self.shell.top.undo.toolTip(), "Undo: Tempo 90.0 bpm")
        self.shell.do_undo()
        self.assertEqual(self.shell.top.redo.toolTip(), "Redo: Tempo 90.0 bpm")
        self.assertFalse(self.shell.top.undo.isEnabled())

    def test_every_control_has_a_name(self) -> None:
        self.demo()
        for tab in ("Stages", "Pad", "Bus", "Master"):
            self.shell.page.properties.choose_tab(tab)
            for kind in (QPushButton, Gauge, QComboBox):
                for control in self.shell.findChildren(kind):
                    if control.isVisible():
                        named = control.accessibleName() or getattr(control, "text", str)()
                        self.assertTrue(named, control)

    def test_both_themes_keep_their_contrast(self) -> None:
        def light(color: str) -> float:
            parts = [int(color[n : n + 2], 16) / 255 for n in (1, 3, 5)]
            linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
            return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

        def contrast(a: str, b: str) -> float:
            first, second = sorted((light(a), light(b)), reverse=True)
            return (first + 0.05) / (second + 0.05)

        for colors in (theme.DAY, theme.NIGHT):
            for ink in (colors.ink, colors.soft, colors.coral):
                for ground in (colors.paper, colors.panel):
                    self.assertGreaterEqual(contrast(ink, ground), 4.5, (ink, ground))
            self.assertGreaterEqual(contrast(colors.panel, colors.water), 4.5)
            self.assertGreaterEqual(contrast(colors.ink, colors.inset), 4.5)

    def test_themes_change_at_once(self) -> None:
        self.demo()
        day = self.shell.grab().toImage().pixelColor(5, 300).name()
        self.shell.do_night()
        QApplication.processEvents()
        night = self.shell.grab().toImage().pixelColor(5, 300).name()
        self.assertEqual((day, night), ("#f3efe7", "#16232b"))
        self.shell.do_day()

    def test_preferences(self) -> None:
        self.shell.do_preferences()
        box = self.shell.preferences
        box.rate.setCurrentIndex(box.rate.findData(44100))
        box.block.setCurrentIndex(box.block.findData(512))
        box.accept()
        self.assertEqual(self.engine.rate_hz, 44100.0)
        self.assertEqual(self.session.player.device.block if self.session.player.device else 0, 512)

    def test_shortcuts_are_listed(self) -> None:
        self.shell.do_shortcuts()
        self.assertTrue(self.shell.shortcuts.isVisible())
        self.shell.shortcuts.reject()


if __name__ == "__main__":
    unittest.main()
