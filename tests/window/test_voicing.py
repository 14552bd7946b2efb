"""Voices in the window: chosen by ear, scattered, kept, and moved by velocity."""

from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton

from puddle.engine import offline
from puddle.formats.ownfile import VoiceFile
from puddle.home.own import folder, starting_points
from puddle.kit import edits
from puddle.kit.playing.velocity import even_lows, step_of
from puddle.parameter import changed, parameters
from puddle.voices import STARTING_POINTS, Kick, Tom
from puddle.window.editors.voice_lines import VoiceLines
from tests.support.windows import LEFT, NONE, WindowTest, drag, put


class Voices(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.session.selection.select_layer("layer1")
        self.properties = self.shell.pages.page("shape").properties

    @property
    def lines(self) -> VoiceLines:
        lines = self.properties.voice_lines
        assert lines is not None
        return lines

    def source(self) -> object:
        layer = self.session.layer
        assert layer is not None
        return layer.source

    def test_hats_say_whether_they_are_open(self) -> None:
        self.shell.do("add_voice")
        chooser = self.shell.incoming.chooser
        assert chooser is not None
        for typed, wanted in (("closed hat", "Drizzle"), ("open hat", "Downpour")):
            chooser.search.clear()
            QTest.keyClicks(chooser.search, typed)
            names = [chooser.points.item(n).text() for n in range(chooser.points.count())]
            self.assertTrue(any(name.startswith(wanted) for name in names), names)
            self.assertTrue(all(typed in name for name in names), names)
        chooser.reject()

    def test_a_voice_is_found_by_typing(self) -> None:
        """Part of a name, a role or a kind, in whichever role is shown; Up and Down go on."""
        self.shell.do("add_voice")
        chooser = self.shell.incoming.chooser
        assert chooser is not None
        self.assertEqual(chooser.roles.currentItem().text(), "kick")
        QTest.keyClicks(chooser.search, "slat snare")
        names = [chooser.points.item(n).text() for n in range(chooser.points.count())]
        self.assertTrue(names)
        self.assertTrue(all("slat" in name.lower() and "snare" in name for name in names), names)
        first = chooser.points.currentRow()
        chooser.search.clear()
        QTest.keyClick(chooser.search, Qt.Key.Key_Down)
        self.assertEqual(chooser.points.currentRow(), first + 1)
        QTest.keyClicks(chooser.search, "no such voice")
        self.assertEqual(chooser.points.count(), 0)
        self.assertIn("No voice is called no such voice", chooser.none.text())
        self.assertTrue(chooser.none.isVisible())
        self.assertFalse(chooser._ok.isEnabled())
        before = self.session.kit
        chooser.accept()  # nothing to take
        self.assertIs(self.session.kit, before)

    def test_a_voice_is_chosen_by_ear(self) -> None:
        self.session.player.open()
        self.until(lambda: self.engine.clock > 4800)
        self.shell.do("add_voice")
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

    def test_a_click_takes_it_and_files_are_offered_beside(self) -> None:
        drops, lanes = self.shell.shore.drops, self.shell.pages.page("shape").lanes
        put(self.session, "x", edits.remove_pad(self.session.kit, "pad3"))
        QTest.mouseClick(drops[2], LEFT, NONE, drops[2].rect().center())
        chooser = self.shell.incoming.chooser
        assert chooser is not None
        point = chooser.points.visualItemRect(chooser.points.item(2)).center()
        QTest.mouseClick(chooser.points.viewport(), LEFT, NONE, point)
        pad = self.session.pad
        assert pad is not None
        self.assertEqual((pad.place, len(pad.sound.layers)), (2, 1))
        self.assertFalse(chooser.isVisible())
        self.settle()
        lanes.add.click()
        chooser = self.shell.incoming.chooser
        assert chooser is not None
        files = next(b for b in chooser.findChildren(QPushButton) if b.text() == "Sound files …")
        with patch.object(QFileDialog, "exec", return_value=0) as asked:
            files.click()
        asked.assert_called_once()
        self.assertFalse(chooser.isVisible())

    def test_what_is_put_away_is_no_window_of_its_own(self) -> None:
        stages = self.shell.pages.page("shape").properties.stages
        self.shell.do("new")
        self.settle()
        for kept in (stages,):
            self.assertFalse(kept.isWindow())
            self.assertFalse(kept.isVisible())
        self.shell.incoming.ask_voice_for(0)
        chooser = self.shell.incoming.chooser
        assert chooser is not None
        chooser.accept()
        self.settle()
        self.assertFalse(stages.isWindow())

    def test_hovering_is_hearing(self) -> None:
        self.shell.do("add_voice")
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
        self.assertEqual((pad.place, pad.role), (26, "effect"))

    def test_every_voice_shows_its_gauges(self) -> None:
        for points in STARTING_POINTS.values():
            name, voice = next(iter(points.items()))
            with self.subTest(name):
                self.shell.incoming.add_voice(name, voice)
                fields = self.properties.fields
                assert fields is not None
                known = [p for p in parameters(type(voice)) if p.kind == "number"]
                for p in known:
                    self.assertEqual(fields.gauge(p.field).value, getattr(voice, p.field))
                self.shell.do("undo")
                self.session.selection.select_layer("layer1")

    def test_browsing_starting_points_is_one_step(self) -> None:
        before = self.session.kit
        for _ in range(3):
            self.lines.step(1)
        third = list(STARTING_POINTS[Kick].values())[2]
        self.assertEqual(self.source(), third)
        self.lines.step(-1)
        self.assertEqual(self.source(), list(STARTING_POINTS[Kick].values())[1])
        self.shell.do("undo")
        self.assertIs(self.session.kit, before)

    def test_scatter_is_undone_in_one_step(self) -> None:
        before, kit = self.source(), self.session.kit
        button = next(b for b in self.lines.findChildren(QPushButton) if b.text() == "Randomize")
        QTest.mouseClick(button, LEFT)
        after = self.source()
        assert isinstance(before, Kick) and isinstance(after, Kick)
        self.assertNotEqual(after, before)
        self.assertEqual(after.end_hz, before.end_hz)
        self.shell.do("undo")
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
        self.shell.do("undo")
        self.assertIs(self.session.kit, kit)
        self.assertEqual(self.lines.way.value, 0.0)


class OwnVoices(WindowTest):
    def test_settings_are_kept_shared_and_taken_in(self) -> None:
        self.demo()
        self.session.selection.select_layer("layer1")
        lines = self.shell.pages.page("shape").properties.voice_lines
        layer = self.session.layer
        assert lines is not None and layer is not None
        lines.keep("Larkmoor thud")
        self.assertEqual(starting_points()[Kick]["Larkmoor thud"], layer.source)
        self.assertEqual(lines.start.currentText(), "Larkmoor thud")
        lines.step(1)
        self.assertNotEqual(self.session.layer, layer)
        lines._start_from("Larkmoor thud")
        self.assertEqual(self.session.layer and self.session.layer.source, layer.source)
        kept = folder(VoiceFile) / "Larkmoor thud.puddle-voice"
        shared = folder(VoiceFile).parent / "shared.puddle-voice"
        kept.rename(shared)
        self.assertNotIn("Larkmoor thud", starting_points()[Kick])
        self.shell.incoming.drop([shared], "pad1", None)
        self.assertIn("Larkmoor thud", starting_points()[Kick])
        self.assertIn("Larkmoor thud", self.shell.notice.text())
        shared.write_text("{}")
        self.shell.incoming.drop([shared], "pad1", None)
        self.assertIn("shared.puddle-voice", self.shell.notice.text())
        kept.unlink()
        shared.unlink()


class Velocity(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.session.selection.select_layer("layer1")
        fields = self.shell.pages.page("shape").properties.fields
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
        self.shell.do("undo")
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
        self.assertLess(len(found[(0, 0, 0)]), len(found[(15, 0, 0)]))
        pad = self.session.pad
        assert pad is not None
        alone = changed(pad, level_db=0.0, pan=0.0, velocity_amount=0.0)
        soft = offline.strike(alone, self.session.renders.takes, 5.0)
        np.testing.assert_array_equal(soft, found[(0, 0, 0)][: len(soft)])

    def test_the_strength_that_is_played_is_rendered_while_the_hand_moves(self) -> None:
        """The rest that starts the other strengths never comes, and yet this one is there."""
        session = self.session
        session.edit(
            "x", lambda _: edits.set_reach(session.kit, "pad1", "layer1", "decay_ms", 80.0)
        )
        self.settle()
        session.playing.strike("pad1", 40.0)
        session.renders._rest.stop()
        with patch.object(session.renders._rest, "start"):
            session.edit(
                "x", lambda _: edits.set_source(session.kit, "pad1", "layer1", decay_ms=333.0)
            )
            before, step = session.renders.sets["pad1"], step_of(40.0, even_lows(16))
            self.until(lambda: session.renders.sets["pad1"] is not before)
            self.until(lambda: (step, 0, 0) in session.renders.sets["pad1"].ready)
            self.assertLessEqual(len(session.renders.sets["pad1"].ready), 2)
        pad = session.pad
        assert pad is not None
        alone = offline.strike(pad, session.renders.takes, 40.0)
        self.assertLess(len(alone), len(offline.strike(pad, session.renders.takes, 127.0)))

    def test_how_many_strengths_is_a_gauge_of_the_pad(self) -> None:
        session, properties = self.session, self.shell.pages.page("shape").properties
        session.edit(
            "x", lambda _: edits.set_reach(session.kit, "pad1", "layer1", "decay_ms", 80.0)
        )
        self.settle()
        session.selection.select_layer(None)
        properties.choose_tab("Pad")
        strikes = properties._strikes
        assert strikes is not None
        gauge = strikes.gauge("steps")
        gauge.setFocus()
        gauge.moved.emit(3.0)
        gauge.settled.emit()
        pad = session.pad
        assert pad is not None
        self.assertEqual(pad.sound.steps, 3)
        self.assertEqual(session.history.undo_name, "Keel: velocity steps 3")
        self.settle()
        self.until(lambda: len(session.renders.sets["pad1"].ready) == 3)
        session.undo()
        self.assertEqual(gauge.value, 16.0)


class PicturesMoved(WindowTest):
    """Handles of a voice's picture, under a real mouse."""

    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.session.selection.select_layer("layer1")
        lines = self.shell.pages.page("shape").properties.voice_lines
        assert lines is not None
        self.picture = lines.picture
        QApplication.processEvents()  # it takes its width

    def kick(self) -> Kick:
        layer = self.session.layer
        assert layer is not None and isinstance(layer.source, Kick)
        return layer.source

    def at(self, name: str) -> QPoint:
        found = next(h for h in self.picture._picture.handles if h.name == name)
        return self.picture.point(found.x, found.y).toPoint()

    def test_a_drag_is_one_step_and_follows_the_hand(self) -> None:
        before = self.session.kit
        start, fall = self.kick().start_hz, self.kick().fall_ms
        here = self.at("fall")
        wanted = self.picture.across.value(
            self.picture.across.place(fall) + 30 / self.picture._room().width()
        )
        drag(self.picture, here, here + QPoint(30, 12))
        self.assertAlmostEqual(self.kick().fall_ms, wanted, delta=0.02 * wanted)
        self.assertEqual(self.kick().start_hz, start)
        self.assertRegex(self.session.history.undo_name or "", r"body fall [\d.]+\sms")
        gauge = self.shell.pages.page("shape").properties.fields
        assert gauge is not None
        self.assertEqual(gauge.gauge("fall_ms").value, self.kick().fall_ms)
        self.session.undo()
        self.assertIs(self.session.kit, before)

    def test_the_axes_stay_while_a_handle_is_held(self) -> None:
        here = self.at("fall")
        axis = self.picture.across
        QTest.mousePress(self.picture, LEFT, NONE, here)
        QTest.mouseMove(self.picture, here + QPoint(40, 0))
        self.assertEqual(self.picture.across, axis)
        self.assertLess((self.at("fall") - here - QPoint(40, 0)).manhattanLength(), 3)
        QTest.mouseRelease(self.picture, LEFT, NONE, here + QPoint(40, 0))
        self.assertNotEqual(self.picture.across, axis)

    def test_beyond_the_range_it_stops(self) -> None:
        here = self.at("end")
        drag(self.picture, here, here + QPoint(0, 400))
        self.assertEqual(self.kick().end_hz, 20.0)

    def test_elsewhere_nothing_moves(self) -> None:
        before = self.session.kit
        drag(self.picture, QPoint(80, 8), QPoint(140, 30))
        self.assertIs(self.session.kit, before)

    def test_double_click_resets(self) -> None:
        drag(self.picture, self.at("end"), self.at("end") - QPoint(0, 14))
        self.assertNotEqual(self.kick().end_hz, Kick().end_hz)
        QTest.mouseDClick(self.picture, LEFT, NONE, self.at("end"))
        self.assertEqual(self.kick().end_hz, Kick().end_hz)
