"""Keys go where a hand expects them: letters and Space play, Enter presses, Escape leads back."""

import unittest
from typing import Any
from unittest import mock

from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QWidget

from puddle.errors import ParameterError
from puddle.kit import edits
from puddle.kit.history import History
from puddle.kit.model.layer import Layer
from puddle.kit.model.pad import Pad
from puddle.parameter import parameter, parameters
from puddle.voices import Kick
from puddle.window.shell.tab_order import tab_stops
from puddle.window.shore.pad_drop import PadDrop
from puddle.window.widgets.field import Field
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.strata import Canvas
from tests.support.engines import all_struck
from tests.support.sounds import small_kit
from tests.support.windows import LEFT, NONE, DemoTest

KEYS = Qt.Key


class FocusTest(DemoTest):
    def setUp(self) -> None:
        super().setUp()
        self.shell.activateWindow()
        self.until(self.shell.isActiveWindow)

    def shown(self, tab: str, kind: type[QWidget]) -> Any:
        """The first of a kind on a tab of the properties."""
        self.page.properties.choose_tab(tab)
        found: list[QWidget] = []
        self.until(lambda: bool(found) or self._look(kind, found))
        return found[0]

    def _look(self, kind: type[QWidget], found: list[QWidget]) -> bool:
        found += [w for w in self.page.properties.findChildren(kind) if w.isVisible()]
        return bool(found)


class Playing(FocusTest):
    def setUp(self) -> None:
        super().setUp()
        self.session.player.open()
        self.assertIsNotNone(self.engine)

    def strikes(self) -> int:
        return all_struck(self.engine)

    def test_space_plays_whatever_has_the_focus(self) -> None:
        flip = self.page.lanes.header("layer1").flip
        box = self.shown("Pad", QComboBox)
        for focused in (self.shell.top.tabs["shape"], flip, box, self.shell.shore.transport.play):
            focused.setFocus(Qt.FocusReason.TabFocusReason)
            QTest.keyClick(focused, KEYS.Key_Space)
            self.until(lambda: self.engine.playing)
            QTest.keyClick(focused, KEYS.Key_Space)
            self.until(lambda: not self.engine.playing)
        self.assertFalse(self.session.kit.pads[0].sound.layers[0].flip)

    def test_enter_presses_what_tab_reached(self) -> None:
        flip = self.page.lanes.header("layer1").flip
        flip.setFocus(Qt.FocusReason.TabFocusReason)
        QTest.keyClick(flip, KEYS.Key_Return)
        self.assertTrue(self.session.kit.pads[0].sound.layers[0].flip)
        self.assertFalse(self.engine.playing)

    def test_tab_goes_as_the_window_is_read_and_stops_once_at_the_pads(self) -> None:
        header = self.page.lanes.header("layer1")
        header.solo.setFocus(Qt.FocusReason.TabFocusReason)
        QTest.keyClick(header.solo, KEYS.Key_Tab)
        self.assertIs(QApplication.focusWidget(), header.flip)
        QTest.keyClick(header.flip, KEYS.Key_Backtab)
        self.assertIs(QApplication.focusWidget(), header.solo)
        stops = tab_stops(self.shell)
        self.assertEqual(len(stops), len(set(stops)))
        drops = [w for w in stops if isinstance(w, PadDrop)]
        self.assertEqual(drops, [self.shell.shore.drops[0]])
        second = self.page.lanes.header("layer2")
        order = [self.shell.top.tabs["shape"], header.on, header.flip, second.on, drops[0],
                 self.shell.shore.transport.play]  # fmt: skip
        self.assertEqual(sorted(order, key=stops.index), order)
        found = set()
        for _ in stops:
            QTest.keyClick(QApplication.focusWidget(), KEYS.Key_Tab)
            found.add(QApplication.focusWidget())
        # Of tabs that exclude each other Qt makes one stop, once it was reached; arrows move there.
        self.assertEqual(found, set(tab_stops(self.shell)), "Tab comes round, and reaches all")

    def test_arrows_go_from_pad_to_pad_and_strike_nothing(self) -> None:
        drops, before = self.shell.shore.drops, self.strikes()
        drops[0].setFocus(Qt.FocusReason.TabFocusReason)
        QTest.keyClick(drops[0], KEYS.Key_Right)
        self.assertIs(QApplication.focusWidget(), drops[1])
        self.assertEqual(self.session.pad_id, "pad2")
        QTest.keyClick(drops[1], KEYS.Key_Up)  # there is no row above
        self.shell.shore.set_rows(2)
        QTest.keyClick(drops[1], KEYS.Key_Down)
        self.assertIs(QApplication.focusWidget(), drops[9])
        QTest.keyClick(drops[9], KEYS.Key_Left)
        QTest.keyClick(drops[8], KEYS.Key_Left)  # nor one further left
        self.assertIs(QApplication.focusWidget(), drops[8])
        self.assertEqual(self.strikes(), before)
        self.assertIn(drops[8], tab_stops(self.shell))

    def test_letters_play_on_a_list_that_has_the_focus(self) -> None:
        box = self.shown("Pad", QComboBox)
        box.setFocus()
        before = self.strikes()
        QTest.keyClick(box, "q")
        self.until(lambda: self.strikes() > before)

    def test_escape_leads_back_to_playing(self) -> None:
        flip = self.page.lanes.header("layer1").flip
        flip.setFocus()
        self.assertTrue(flip.hasFocus())
        QTest.keyClick(flip, KEYS.Key_Escape)
        self.assertIs(QApplication.focusWidget(), self.shell)

    def test_no_button_takes_the_focus_when_the_window_is_activated(self) -> None:
        other = QWidget()
        other.show()
        for leaves in (lambda: None, lambda: self.leave_a_field()):
            leaves()
            other.activateWindow()
            self.until(other.isActiveWindow)
            self.shell.activateWindow()
            self.until(self.shell.isActiveWindow)
            self.assertIs(QApplication.focusWidget(), self.shell)
        other.close()

    def leave_a_field(self) -> None:
        """As typed by hand: into a field, then Enter."""
        field = self.shown("Tune", Field)
        field.setFocus()
        QTest.keyClick(field, KEYS.Key_Return)


class Fields(FocusTest):
    def note(self) -> Field:
        field: Field = self.shown("Tune", Field)
        QTest.mouseClick(field, LEFT)
        field.setFocus()
        return field

    def test_escape_puts_back_what_was_and_gives_the_focus_back(self) -> None:
        field = self.note()
        before = field.text()
        QTest.keyClicks(field, "xyz")
        QTest.keyClick(field, KEYS.Key_Escape)
        self.assertEqual(field.text(), before)
        self.assertFalse(field.hasFocus())

    def test_enter_gives_the_focus_back(self) -> None:
        field = self.note()
        QTest.keyClick(field, KEYS.Key_Return)
        self.assertFalse(field.hasFocus())

    def test_a_click_on_a_pad_takes_the_focus_out_of_it(self) -> None:
        self.note()
        drop = self.shell.shore.drops[3]
        QTest.mouseClick(drop, LEFT, NONE, drop.center().toPoint())
        self.assertFalse(isinstance(QApplication.focusWidget(), QLineEdit))


class Typed(FocusTest):
    def gauges(self) -> list[Gauge]:
        self.session.selection.select_layer("layer1")
        self.settle()
        source = edits.layer_of(self.session.kit, "pad1", "layer1").source
        shown = [g for g in self.page.properties.findChildren(Gauge) if g.isVisible()]
        return [g for g in shown if g.parameter.field in source.__struct_fields__]

    def test_a_click_elsewhere_takes_the_value_and_the_focus(self) -> None:
        first, second = self.gauges()[:2]
        name = first.parameter.field
        first.setFocus()
        low, high = first.parameter.low, first.parameter.high
        wanted = round((low + high) / 2.0)
        for letter in str(wanted):
            QTest.keyClick(QApplication.focusWidget() or first, letter)
        self.assertIsNotNone(first.editor)
        second.setFocus(Qt.FocusReason.MouseFocusReason)
        self.assertIsNone(first.editor)
        source = edits.layer_of(self.session.kit, "pad1", "layer1").source
        self.assertAlmostEqual(getattr(source, name), wanted, delta=0.01 * wanted)
        focused = QApplication.focusWidget()
        self.assertTrue(isinstance(focused, Gauge))
        self.assertIsNot(focused, first)
        QTest.keyClick(focused, "7")
        self.assertIsNone(first.editor)

    def test_escape_leaves_the_value_and_leads_back_to_playing(self) -> None:
        gauge = self.gauges()[0]
        kit = self.session.kit
        gauge.edit("3")
        QTest.keyClick(gauge.editor, KEYS.Key_Escape)
        self.assertIs(self.session.kit, kit)
        self.assertIsNone(gauge.editor)
        self.assertIs(QApplication.focusWidget(), self.shell)

    def test_enter_takes_the_value_and_the_gauge_has_the_focus(self) -> None:
        gauge = self.gauges()[0]
        value = round(gauge.parameter.at(0.4))
        gauge.edit(str(value))
        QTest.keyClick(gauge.editor, KEYS.Key_Return)
        self.assertAlmostEqual(gauge.value, value, delta=0.02 * value)
        self.assertIsInstance(QApplication.focusWidget(), Gauge)

    def test_what_is_out_of_range_stays_to_be_mended(self) -> None:
        gauge = self.gauges()[0]
        kit = self.session.kit
        gauge.edit("999999999")
        QTest.keyClick(gauge.editor, KEYS.Key_Return)
        self.assertIsNotNone(gauge.editor)
        self.assertIs(self.session.kit, kit)
        QTest.keyClick(gauge.editor, KEYS.Key_Escape)

    def test_opened_and_left_it_moves_nothing(self) -> None:
        gauge = self.gauges()[0]
        kit = self.session.kit
        gauge.edit()
        QTest.keyClick(gauge.editor, KEYS.Key_Return)
        self.assertIs(self.session.kit, kit)

    def test_a_second_field_takes_the_place_of_the_first(self) -> None:
        gauge = self.gauges()[0]
        gauge.edit("1")
        gauge.edit("2")
        self.assertEqual(len([e for e in gauge.findChildren(QLineEdit) if e.isVisible()]), 1)
        QTest.keyClick(gauge.editor, KEYS.Key_Escape)


class Cancelled(FocusTest):
    """Escape while something is dragged."""

    def drag(self, widget: QWidget, start: QPoint, by: QPoint) -> None:
        kit, undo = self.session.kit, self.session.history.undo_name
        QTest.mousePress(widget, LEFT, NONE, start)
        for n in range(1, 5):
            QTest.mouseMove(widget, start + by * n / 8)
            QApplication.processEvents()
        self.assertIsNot(self.session.kit, kit)
        for _ in range(2):  # pressed again it does no harm
            QTest.keyClick(self.shell, KEYS.Key_Escape)
            self.assertIs(self.session.kit, kit)
        for n in range(5, 9):
            QTest.mouseMove(widget, start + by * n / 8)
            QApplication.processEvents()
        QTest.mouseRelease(widget, LEFT, NONE, start + by)
        QApplication.processEvents()
        self.assertIs(self.session.kit, kit)
        self.assertEqual(self.session.history.undo_name, undo)
        self.assertIsNone(self.session.history.redo_name)

    def test_a_gauge_shows_what_was_and_can_be_dragged_again(self) -> None:
        self.session.selection.select_layer("layer1")
        self.settle()
        gauge = next(g for g in self.page.properties.findChildren(Gauge) if g.isVisible())
        before = gauge.value
        self.drag(gauge, QPoint(gauge.width() // 2, 10), QPoint(60, 0))
        gauge = next(g for g in self.page.properties.findChildren(Gauge) if g.isVisible())
        self.assertEqual(gauge.value, before)
        kit = self.session.kit
        QTest.mousePress(gauge, LEFT, NONE, QPoint(gauge.width() // 2, 10))
        QTest.mouseMove(gauge, QPoint(gauge.width() // 2 + 40, 10))
        QTest.mouseRelease(gauge, LEFT, NONE, QPoint(gauge.width() // 2 + 40, 10))
        self.assertIsNot(self.session.kit, kit)

    def test_a_lane(self) -> None:
        canvas = [c for c in self.page.lanes.findChildren(Canvas) if c.isVisible()][2]
        self.drag(canvas, QPoint(canvas.width() // 2, canvas.height() // 2), QPoint(60, 0))


class Values(unittest.TestCase):
    def test_a_bare_number_means_the_unit_that_is_shown(self) -> None:
        decay = parameter(Kick, "decay_ms")
        self.assertEqual(decay.parsed("3", 1200.0), 3000.0)
        self.assertEqual(decay.parsed("300", 1200.0), 300.0)  # 300 s is out of its range
        self.assertEqual(decay.parsed("300 ms", 1200.0), 300.0)
        self.assertEqual(decay.parsed("300", 180.0), 300.0)
        click = parameter(Kick, "click_hz")
        self.assertEqual(click.parsed("3", 4000.0), 3000.0)
        self.assertEqual(click.parsed("700", 4000.0), 700.0)
        self.assertEqual(click.parsed("3k", 700.0), 3000.0)

    def test_what_is_out_of_range_is_told_with_the_range(self) -> None:
        decay = parameter(Kick, "decay_ms")
        for text in ("0.01", "99 s", "-5"):
            with self.assertRaises(ParameterError) as caught:
                decay.parsed(text, 200.0)
            self.assertIn(decay.text(decay.low), str(caught.exception))
            self.assertIn(decay.text(decay.high), str(caught.exception))

    def test_what_is_shown_at_the_ends_can_be_typed(self) -> None:
        for struct in (Kick, Pad, Layer):
            for p in parameters(struct):
                if p.kind in ("number", "whole"):
                    for end in (p.low, p.high):
                        with self.subTest(p.label, end=end):
                            got = p.parsed(p.text(end), end)
                            self.assertAlmostEqual(p.position(got), p.position(end), delta=0.02)

    def test_sides_before_or_behind(self) -> None:
        pan = parameter(Pad, "pan")
        for text in ("30L", "L 30", "30 l", "l30", "-30"):
            self.assertEqual(pan.parsed(text), -30.0, text)
        for text in ("30R", "R 30", "r30", "30"):
            self.assertEqual(pan.parsed(text), 30.0, text)


class TakenBack(unittest.TestCase):
    def test_a_drag_and_all_that_still_comes_of_it(self) -> None:
        kit = small_kit()
        history = History(kit)
        moved = [edits.set_kit(kit, tempo_bpm=100.0 + n) for n in range(4)]
        self.assertFalse(history.cancel())
        history.push("a", moved[0], "drag")
        history.push("a", moved[1], "drag")
        self.assertTrue(history.cancel())
        self.assertIs(history.kit, kit)
        history.push("a", moved[2], "drag")
        self.assertIs(history.kit, kit)
        history.settle()
        history.push("a", moved[3], "drag")
        self.assertIs(history.kit, moved[3])
        self.assertEqual(history.undo_name, "a")

    def test_another_edit_ends_it(self) -> None:
        kit = small_kit()
        history = History(kit)
        history.push("a", edits.set_kit(kit, tempo_bpm=90.0), "drag")
        history.cancel()
        other = edits.set_kit(kit, tempo_bpm=91.0)
        history.push("b", other)
        self.assertIs(history.kit, other)


class _Stamped(QKeyEvent):
    """A key of one moment."""

    def timestamp(self) -> int:
        return 80258252


class Lists(FocusTest):
    def test_enter_chooses_in_an_open_list_and_closes_it(self) -> None:
        """A key that was meant for the list does not open it again once it has closed."""
        box: QComboBox = self.shown("Pad", QComboBox)
        box.setFocus()
        box.showPopup()
        self.until(lambda: QApplication.activePopupWidget() is not None)
        view = box.view()
        assert view is not None
        # As a desktop sends it: announced as a shortcut first, which closes the list.
        for kind in (QEvent.Type.ShortcutOverride, QEvent.Type.KeyPress):
            event = _Stamped(kind, Qt.Key.Key_Return, Qt.KeyboardModifier.NoModifier)
            with mock.patch.object(self.shell, "isActiveWindow", lambda: True):
                QApplication.sendEvent(view, event)
        self.assertIsNone(QApplication.activePopupWidget())
