"""Stages in the window: added, opened, moved by gauge and picture, searched, in sets, branches."""

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from puddle.formats.ownfile import StagesFile
from puddle.home.own import folder, stage_sets
from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Stage
from puddle.stages import Branch, Compressor, Equalizer, Limiter
from tests.support.windows import LEFT, NONE, DemoTest, drag, put


class Staging(DemoTest):
    def test_stages_come_move_and_go(self) -> None:
        row = self.page.properties.stages
        self.session.selection.select_layer("layer1")
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
            self.shell.do("undo")
        self.assertEqual(self.layer("layer1").stages, ())

    def test_a_stage_for_a_pad_that_has_gone_is_refused_with_a_sentence(self) -> None:
        row = self.page.properties.stages
        self.session.selection.select_layer("layer1")
        self.page.properties.choose_tab("Stages")
        for _ in self.session.kit.pads:
            self.shell.do("remove_pad")  # a menu may still be open
        before, told = self.session.kit, []
        self.session.told.connect(told.append)
        row.add_menu.actions()[0].trigger()
        self.assertEqual(self.session.kit, before)
        self.assertEqual(len(told), 1)
        self.assertIn("no pad", told[0])

    def test_every_stage_opens_and_is_moved(self) -> None:
        """Added from the menu, its picture and gauges there; a gauge moved is in the take."""
        row = self.page.properties.stages
        self.session.selection.select_layer("layer1")
        self.page.properties.choose_tab("Stages")
        before = self.session.kit
        entries = row.add_menu.actions()
        leaves = [k for e in entries for k in (e.menu().actions() if e.menu() else [e])]
        for action in leaves:
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
                self.shell.do("undo")
                self.shell.do("undo")
                self.assertEqual(self.session.kit, before)

    def test_a_stages_picture_is_moved_by_hand(self) -> None:
        row = self.page.properties.stages
        self.session.selection.select_layer("layer1")
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
        self.shell.do("undo")
        self.assertEqual(self.layer("layer1").stages[-1].process, before)

    def test_a_branch_is_entered_filled_and_left(self) -> None:
        row = self.page.properties.stages
        self.session.selection.select_layer("layer1")
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
            self.shell.do("undo")
        self.assertIs(self.session.kit, before)  # the branch is gone, and its row with it
        self.assertFalse(row.back.isVisible())
        self.assertEqual(row.cards, [])

    def test_a_compressor_inside_a_branch_shows_what_it_does(self) -> None:
        """Its reduction and its picture over the hit, and a heading that says where it is."""
        session, row = self.session, self.page.properties.stages
        self.page.properties.choose_tab("Stages")
        squash = Compressor(threshold_db=-40.0, ratio=8.0)
        branch = Branch(stages=(Stage(id="inner", process=squash),))
        kit, made = rows.add_stage(session.kit, RowPath(pad="pad1"), branch)
        put(session, "a branch", kit)
        self.settle()
        inside = next(card for card in row.cards if card.stage.id == made.id)
        row.open(made.id)
        assert inside.inside is not None
        QTest.mouseClick(inside.inside, LEFT)
        self.assertIn("branch 4 of Keel", row.inside.text())
        card = row.cards[0]
        self.until(lambda: "dB" in card.reduction.text())
        assert card.hit is not None
        self.assertTrue(card.hit.isVisible())
        self.until(lambda: "turned down by up to" in card.hit.accessibleDescription())
        deepest = session.renders.takes.overs_in(session.pad.sound, None, (made.id,))["inner"]
        self.assertIn(f"{deepest.deepest_db:.1f}", card.reduction.text())
        self.assertGreater(deepest.deepest_db, 6.0)
        QTest.mouseClick(row.back, LEFT)
        self.assertTrue(row.inside.isHidden())

    def test_sets_are_put_in_kept_copied_and_shared(self) -> None:
        row, editor = self.page.properties.stages, self.page.properties.row
        self.session.selection.select_layer("layer1")
        self.page.properties.choose_tab("Stages")
        before = self.session.kit

        def choose(name: str) -> None:
            editor.sets.fill()
            {a.text(): a for a in row.sets_menu.actions()}[name].trigger()

        choose("Keel and chain")
        made = self.layer("layer1").stages
        self.assertEqual([s.process.noun for s in made], ["sub", "saturator", "stereo"])
        self.assertEqual(self.session.history.undo_name, "Hull sine: Keel and chain in")
        choose("Copy this row")
        self.session.selection.select_layer("layer2")
        count = len(self.layer("layer2").stages)
        choose("Paste stages")
        pasted = self.layer("layer2").stages
        self.assertEqual([s.process for s in pasted[count:]], [s.process for s in made])
        self.assertEqual(len({s.id for s in pasted}), len(pasted))
        editor.sets.keep("Larkmoor chain")
        self.addCleanup((folder(StagesFile) / "Larkmoor chain.puddle-stages").unlink)
        self.assertEqual(len(stage_sets()["Larkmoor chain"]), len(pasted))
        self.page.properties.choose_tab("Stages")
        self.session.selection.select_layer(None)
        self.page.properties.choose_tab("Master")
        choose("Larkmoor chain")
        self.assertEqual(len(self.session.kit.master.stages), 2 + len(pasted))
        self.settle()
        for _ in range(3):
            self.shell.do("undo")
        self.assertIs(self.session.kit, before)
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        clipboard.setText("a line of text")
        editor.sets.fill()
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
        at = QPoint(round(spectrum.backdrop.x_of(430.0)), 40)
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
        self.shell.do("undo")
        self.assertIs(session.kit, before)

    def test_a_search_takes_a_bell_that_is_free(self) -> None:
        """The demo's first bell lifts 58 Hz: it stays, and the next flat one cuts."""
        session, told = self.session, []
        session.told.connect(told.append)
        self.page.properties.choose_tab("Stages")
        before = session.pad.sound.stages[0].process
        self.assertNotEqual(before.bell1_db, 0.0)
        flat = next(n for n in range(1, 5) if getattr(before, f"bell{n}_db") == 0.0)
        self.page.properties.row.cut_at(482.0)
        after = session.pad.sound.stages[0].process
        self.assertEqual((after.bell1_hz, after.bell1_db), (before.bell1_hz, before.bell1_db))
        self.assertEqual(getattr(after, f"bell{flat}_hz"), 482.0)
        self.assertLess(getattr(after, f"bell{flat}_db"), 0.0)
        for n in range(4):
            self.page.properties.row.cut_at(500.0 + n)
        full = session.kit
        self.page.properties.row.cut_at(900.0)
        self.page.properties.row.search(900.0)
        self.assertIs(session.kit, full)
        self.assertFalse(session.playing.trying)
        self.assertIn("All four bells are in use", told[-1])

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
        from puddle.window.widgets.spectrum import BANDS

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
