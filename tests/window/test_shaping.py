"""Shape in the window: layers, gauges, stages and buses, by mouse and keys."""

import math
from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QInputDialog, QLineEdit

from puddle.formats.journal import new_journal
from puddle.home.settings import journal_root
from puddle.kit import edits
from puddle.kit.model.document import Layer, Sample
from puddle.parameter import changed
from puddle.voices import Kick
from puddle.window.editors.layer_menu import LayerMenu
from puddle.window.editors.pad_lines import BusLines, PadLines
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.strata import Canvas
from tests.support.windows import LEFT, NONE, DemoTest, WindowTest, drag, put


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


def place(canvas: Canvas, what: str) -> QPoint:
    return canvas.place(next(h for h in canvas.handles() if h.what == what)).toPoint()


class Shaping(DemoTest):
    def test_another_kits_waves_never_show_under_this_ones_names(self) -> None:
        """Until its own are rendered, lanes and spectrum are empty."""
        lanes, kit = self.page.lanes, self.session.kit
        self.assertGreater(float(np.abs(lanes.canvas("layer1")._mono).max()), 0.1)
        other = edits.set_layer(kit, "pad1", "layer1", name="Another", level_db=-3.0)
        self.session.start(other, None, new_journal(journal_root()), saved=True)
        for canvas in (lanes.whole, *(lanes.canvas(f"layer{n}") for n in (1, 2, 3))):
            self.assertEqual(float(np.abs(canvas._mono).max()), 0.0)
        self.settle()
        self.assertGreater(float(np.abs(lanes.canvas("layer1")._mono).max()), 0.1)

    def test_it_opens_on_keel_with_its_layers(self) -> None:
        pad = self.session.pad
        assert pad is not None
        self.assertEqual((pad.name, len(pad.sound.layers)), ("Keel", 3))
        self.assertIsNotNone(self.session.looks.view)
        self.until(lambda: self.session.looks.pitches is not None)
        hz = self.session.looks.pitches.whole.hz if self.session.looks.pitches else None
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
        self.shell.do("undo")
        self.assertEqual(self.layer().offset_ms, 0.6)
        self.assertIsNone(self.session.history.undo_name)

    def test_trimming_a_sample(self) -> None:
        self.session.selection.select_layer("layer2")
        canvas = self.page.lanes.canvas("layer2")
        self.settle()
        edge = place(canvas, "start")
        drag(canvas, edge, edge + QPoint(12, 0))
        source = self.layer().source
        assert isinstance(source, Sample)
        self.assertGreater(source.start_ms, 5.0)
        self.settle()
        edge = place(canvas, "end")
        drag(canvas, edge, edge + QPoint(-25, 0))
        source = self.layer().source
        assert isinstance(source, Sample)
        self.assertLess(source.end_ms, 490.0)
        self.shell.do("undo")
        self.shell.do("undo")
        self.assertIsNone(self.session.history.undo_name)

    def test_envelope_points_are_dragged(self) -> None:
        self.session.selection.select_layer("layer2")
        self.settle()
        canvas = self.page.lanes.canvas("layer2")
        point = place(canvas, "decay")
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
            self.shell.do("undo")
        self.assertEqual(len(names), 4)
        self.assertTrue(all(n.startswith("Hull sine: ") for n in names))

    def test_a_voice_gauge_is_heard_on_the_next_strike(self) -> None:
        self.session.selection.select_layer("layer1")
        before = self.session.renders.audio["pad1"]
        fields = self.page.properties.fields
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
        self.session.selection.select_layer("layer1")
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
        self.session.selection.select_layer("layer2")
        before = self.layer()
        properties = self.page.properties
        properties.swap.fill()
        kick = properties.swap.menu.actions()[0].menu()
        assert kick is not None
        kick.actions()[0].trigger()
        self.assertEqual(self.layer(), changed(before, source=Kick()))
        properties.choose_tab("Source")
        self.assertIsNotNone(properties.fields and properties.fields.gauge("end_hz"))
        properties.swap.fill()
        samples = properties.swap.menu.actions()[-1].menu()
        assert samples is not None and samples.isEnabled()
        samples.actions()[3].trigger()
        self.settle()
        self.assertIsInstance(self.layer().source, Sample)
        self.shell.do("undo")
        self.shell.do("undo")
        self.assertEqual(self.layer(), before)

    def test_samples_are_offered_only_by_a_kit_that_has_some(self) -> None:
        swap = self.page.properties.swap
        self.session.file.new()
        swap.fill()
        samples = swap.menu.actions()[-1].menu()
        assert samples is not None
        self.assertEqual((samples.title(), samples.actions()), ("Sample of this kit", []))
        self.assertFalse(samples.isEnabled(), "an empty menu that opens says nothing")

    def test_layers_are_copied_named_dyed_and_moved(self) -> None:
        before = self.session.kit
        self.session.selection.select_layer("layer2")
        self.shell.do("duplicate_layer")
        pad = self.session.pad
        assert pad is not None and self.session.layer is not None
        self.assertEqual(len(pad.sound.layers), 4)
        copy, own = self.session.layer, self.layer("layer2")
        self.assertEqual((copy.source, copy.stages), (own.source, own.stages))
        self.assertNotEqual((copy.id, copy.dye), (own.id, own.dye))
        menu = LayerMenu(self.session, own, self.shell)
        actions = {a.text(): a for a in menu.menu.actions()}
        dyes = actions["Dye"].menu()
        assert dyes is not None
        {a.text(): a for a in dyes.actions()}["slate"].trigger()
        self.assertEqual(self.layer("layer2").dye, "slate")
        self.assertEqual(self.session.history.undo_name, "Knock on oak: slate")
        others = actions["Copy to"].menu()
        assert others is not None
        {a.text(): a for a in others.actions()}["Plank"].trigger()
        plank = self.session.kit.pad("pad2")
        assert plank is not None
        self.assertEqual(plank.sound.layers[-1].source, own.source)
        with patch.object(QInputDialog, "getText", return_value=("Oak", True)):
            actions["Rename \u2026"].trigger()
        self.assertEqual(self.layer("layer2").name, "Oak")
        with patch.object(QInputDialog, "getItem", return_value=("Tarp", True)):
            self.shell.do("add_copy")
        tarp, pad = self.session.kit.pad("pad3"), self.session.pad
        assert tarp is not None and pad is not None
        self.assertEqual(pad.sound.layers[-1].source, tarp.sound.layers[-1].source)
        for _ in range(2):
            self.shell.do("undo")
        self.assertNotEqual(self.session.kit, before)

    def test_a_layers_band(self) -> None:
        properties = self.page.properties
        self.session.selection.select_layer("layer1")
        properties.choose_tab("Band")
        fields = properties.fields
        assert fields is not None
        audio = self.session.renders.audio["pad1"]
        QTest.mouseClick(fields.switch("low_on"), LEFT)
        fields.gauge("low_hz").moved.emit(400.0)
        fields.gauge("low_hz").settled.emit()
        self.assertEqual(self.layer("layer1").band.low_hz, 400.0)
        self.assertEqual(self.session.history.undo_name, "Hull sine: low cut frequency 400\u2009Hz")
        self.settle()
        after = self.session.renders.audio["pad1"]
        self.assertLess(np.abs(after).max(), np.abs(audio).max())

    def test_reductions_are_shown(self) -> None:
        cards = self.page.properties.stages.cards
        self.assertIn("dB", cards[1].reduction.text())
        self.assertEqual(cards[0].reduction.text(), "")

    def test_tuning_a_layer_to_a_note(self) -> None:
        self.session.selection.select_layer("layer1")
        self.page.properties.choose_tab("Tune")
        self.until(lambda: self.session.looks.pitches is not None)
        found = self.session.looks.pitches
        lines = self.page.properties.tune_lines
        assert lines is not None and found is not None
        self.until(lambda: "F1" in lines.pitch.text())
        lines.note.setText("A1")
        QTest.keyClick(lines.note, Qt.Key.Key_Return)
        self.until(lambda: "tuned to A1" in (self.session.history.undo_name or ""))
        self.settle()
        self.until(lambda: self.session.looks.pitches is not found)
        after = self.session.looks.pitches
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
        self.shell.do("zoom_all")
        self.assertGreater(axis.last_ms, 700.0)


class Buses(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.properties = self.shell.pages.page("shape").properties

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
            self.shell.do("undo")
        self.assertIs(self.session.kit, before)

    def test_undo_shows_in_the_lines_of_a_pad(self) -> None:
        from PyQt6.QtWidgets import QComboBox

        self.properties.choose_tab("Pad")
        kit = edits.set_pad(self.session.kit, "pad1", role="tom")
        put(self.session, "Keel: tom", kit)

        def role() -> str:
            QApplication.processEvents()
            boxes = [b for b in self.properties.findChildren(QComboBox, "Role") if b.isVisible()]
            return str(boxes[-1].currentText())

        self.assertEqual(role(), "tom")
        self.shell.do("undo")
        self.assertEqual(role(), "kick")
