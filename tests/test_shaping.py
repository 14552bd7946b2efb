"""Shape in the window: layers, gauges, stages and buses, by mouse and keys."""

import math
from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QInputDialog, QLineEdit, QPushButton

from puddle.formats.ownfile import StagesFile
from puddle.kit import edits
from puddle.kit.document import Layer, Sample
from puddle.stages import Branch, Compressor, Equalizer, Limiter
from puddle.voices import Kick
from puddle.window.layermenu import LayerMenu
from puddle.window.own import folder, stage_sets
from puddle.window.pages.padtab import BusLines, PadLines
from puddle.window.parts.gauge import Gauge
from tests.windows import LEFT, NONE, WindowTest, drag


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
        offered = {action.text(): action for action in row.add_menu.actions()}
        for name in ("Equalizer", "Compressor", "Limiter"):
            offered[name].trigger()
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

    def test_every_stage_opens_and_is_moved(self) -> None:
        """Added from the menu, its picture and gauges there; a gauge moved is in the take."""
        row = self.page.properties.stages
        self.session.select_layer("layer1")
        self.page.properties.choose_tab("Stages")
        before = self.session.kit
        for action in row.add_menu.actions():
            with self.subTest(action.text()):
                action.trigger()
                card = row.cards[-1]
                self.assertIsNotNone(card.fields)
                is_equalizer = isinstance(card.stage.process, Equalizer)
                self.assertEqual(card.picture is None, is_equalizer)
                stage = self.layer("layer1").stages[-1]
                self.assertEqual(stage.dry, stage.process.starts_dry)
                self.settle()
                audio = self.session.renders.audio["pad1"]
                assert card.levels is not None
                card.levels.gauge("output_db").moved.emit(-7.0)
                card.levels.gauge("output_db").settled.emit()
                self.assertIn("output \u22127.0", self.session.history.undo_name or "")
                self.settle()
                self.assertIsNot(self.session.renders.audio["pad1"], audio)
                self.shell.do_undo()
                self.shell.do_undo()
                self.assertEqual(self.session.kit, before)

    def test_a_stages_picture_is_moved_by_hand(self) -> None:
        row = self.page.properties.stages
        self.session.select_layer("layer1")
        self.page.properties.choose_tab("Stages")
        {action.text(): action for action in row.add_menu.actions()}["Compressor"].trigger()
        QApplication.processEvents()
        picture = row.cards[-1].picture
        assert picture is not None
        before = self.layer("layer1").stages[-1].process
        assert isinstance(before, Compressor)
        at = picture.point(before.threshold_db, before.gain_db(before.threshold_db)).toPoint()
        drag(picture, at, at - QPoint(40, 0))
        after = self.layer("layer1").stages[-1].process
        assert isinstance(after, Compressor)
        self.assertLess(after.threshold_db, before.threshold_db - 4.0)
        self.assertRegex(self.session.history.undo_name or "", r"compressor threshold")
        self.shell.do_undo()
        self.assertEqual(self.layer("layer1").stages[-1].process, before)

    def test_layers_are_copied_named_dyed_and_moved(self) -> None:
        before = self.session.kit
        self.session.select_layer("layer2")
        self.shell.do_duplicate_layer()
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
            self.shell.do_add_copy()
        tarp, pad = self.session.kit.pad("pad3"), self.session.pad
        assert tarp is not None and pad is not None
        self.assertEqual(pad.sound.layers[-1].source, tarp.sound.layers[-1].source)
        for _ in range(2):
            self.shell.do_undo()
        self.assertNotEqual(self.session.kit, before)

    def test_a_branch_is_entered_filled_and_left(self) -> None:
        row = self.page.properties.stages
        self.session.select_layer("layer1")
        self.page.properties.choose_tab("Stages")
        before = self.session.kit
        offered = {action.text(): action for action in row.add_menu.actions()}
        offered["Branch"].trigger()
        audio = self.session.renders.audio["pad1"]
        inside = row.cards[-1].inside
        assert inside is not None
        self.assertIn("none yet", inside.text())
        QTest.mouseClick(inside, LEFT)
        self.assertEqual(row.cards, [])
        self.assertTrue(row.back.isVisible())
        offered["Crusher"].trigger()
        offered["Clipper"].trigger()
        self.assertEqual(self.session.history.undo_name, "Hull sine: clipper in")
        branch = self.layer("layer1").stages[-1].process
        assert isinstance(branch, Branch)
        self.assertEqual([s.process.noun for s in branch.stages], ["crusher", "clipper"])
        fields = row.cards[0].fields
        row.open(row.cards[0].stage.id)
        fields = row.cards[0].fields
        assert fields is not None
        fields.gauge("bits").moved.emit(3.0)
        fields.gauge("bits").settled.emit()
        self.settle()
        self.assertFalse(np.array_equal(self.session.renders.audio["pad1"], audio))
        QTest.mouseClick(row.back, LEFT)
        inside = row.cards[-1].inside
        assert inside is not None
        self.assertIn("crusher, clipper", inside.text())
        QTest.mouseClick(inside, LEFT)
        for _ in range(4):
            self.shell.do_undo()
        self.assertIs(self.session.kit, before)  # the branch is gone, and its row with it
        self.assertFalse(row.back.isVisible())
        self.assertEqual(row.cards, [])

    def test_a_layers_band(self) -> None:
        properties = self.page.properties
        self.session.select_layer("layer1")
        properties.choose_tab("Band")
        fields = properties._fields
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

    def test_sets_are_put_in_kept_copied_and_shared(self) -> None:
        row, editor = self.page.properties.stages, self.page.properties.row
        self.session.select_layer("layer1")
        self.page.properties.choose_tab("Stages")
        before = self.session.kit

        def choose(name: str) -> None:
            editor.fill_sets()
            {a.text(): a for a in row.sets_menu.actions()}[name].trigger()

        choose("Keel and chain")
        made = self.layer("layer1").stages
        self.assertEqual([s.process.noun for s in made], ["sub", "saturator", "stereo"])
        self.assertEqual(self.session.history.undo_name, "Hull sine: Keel and chain in")
        choose("Copy this row")
        self.session.select_layer("layer2")
        count = len(self.layer("layer2").stages)
        choose("Paste stages")
        pasted = self.layer("layer2").stages
        self.assertEqual([s.process for s in pasted[count:]], [s.process for s in made])
        self.assertEqual(len({s.id for s in pasted}), len(pasted))
        editor.keep("Larkmoor chain")
        self.addCleanup((folder(StagesFile) / "Larkmoor chain.puddle-stages").unlink)
        self.assertEqual(len(stage_sets()["Larkmoor chain"]), len(pasted))
        self.page.properties.choose_tab("Stages")
        self.session.select_layer(None)
        self.page.properties.choose_tab("Master")
        choose("Larkmoor chain")
        self.assertEqual(len(self.session.kit.master.stages), 2 + len(pasted))
        self.settle()
        for _ in range(3):
            self.shell.do_undo()
        self.assertIs(self.session.kit, before)
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        clipboard.setText("a line of text")
        editor.fill_sets()
        paste = next(a for a in row.sets_menu.actions() if a.text() == "Paste stages")
        self.assertFalse(paste.isEnabled())

    def test_stages_of_bus_and_master(self) -> None:
        properties = self.page.properties
        properties.choose_tab("Bus")
        properties.stages.add_menu.actions()[2].trigger()
        self.assertEqual(len(self.session.kit.buses[0].stages), 3)
        properties.choose_tab("Master")
        properties.stages.add_menu.actions()[0].trigger()
        self.assertEqual(len(self.session.kit.master.stages), 3)
        self.assertEqual(self.session.history.undo_name, "Master: equalizer in")

    def test_what_is_ugly_is_searched_by_ear_and_cut(self) -> None:
        """While the right button is held a boost is heard; only Enter makes an edit of it."""
        spectrum, session = self.page.spectrum, self.session
        before, renders = session.kit, session.renders
        own = renders.audio["pad1"]

        def loudness_at(hz: float) -> float:
            audio = renders.audio["pad1"]
            spectrum = np.abs(np.fft.rfft(audio[:, 0], 1 << 17))
            return float(20 * np.log10(spectrum[round(hz * (1 << 17) / 48000)]))

        level = loudness_at(430.0)
        at = QPoint(round(spectrum._x(430.0)), 40)
        right = Qt.MouseButton.RightButton
        QTest.mousePress(spectrum, right, NONE, at)
        self.until(lambda: renders.audio["pad1"] is not own)
        self.assertGreater(loudness_at(430.0), level + 8.0)
        self.assertIs(session.kit, before)
        QTest.mouseRelease(spectrum, right, NONE, at)
        self.until(lambda: np.array_equal(renders.audio["pad1"], own))
        self.assertIs(session.kit, before)
        QTest.mousePress(spectrum, right, NONE, at)
        QTest.keyClick(spectrum, Qt.Key.Key_Return)
        QTest.mouseRelease(spectrum, right, NONE, at)
        self.settle()
        self.assertLess(loudness_at(430.0), level - 3.0)
        self.assertIn("equalizer bell", session.history.undo_name or "")
        self.shell.do_undo()
        self.assertIs(session.kit, before)

    def test_searching_by_keys(self) -> None:
        spectrum = self.page.spectrum
        before = self.session.kit
        spectrum.setFocus()
        alt = Qt.KeyboardModifier.AltModifier
        for _ in range(3):
            QTest.keyClick(spectrum, Qt.Key.Key_Right, alt)
        self.assertAlmostEqual(spectrum._search or 0.0, 400 * 1.03**3, places=6)
        QTest.keyClick(spectrum, Qt.Key.Key_Escape)
        self.assertIsNone(spectrum._search)
        self.assertIs(self.session.kit, before)

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
