"""The finder: everything in the window, by typing part of its name; and the bar it opens from."""

import unittest
from itertools import pairwise

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from puddle.kit import edits
from puddle.kit.edits.address import every_control, parameter_at, value_at
from puddle.kit.presets.templates import empty
from puddle.stages import Gain, Reverb
from puddle.views.search import Entry, fitting
from puddle.window.shell.finder import Finder
from puddle.window.shell.menus.table import COMMANDS
from puddle.window.shell.revealer import Revealer
from puddle.window.widgets.gauge import Gauge
from tests.support.windows import LEFT, DemoTest, put


def entry(title: str, where: str = "", rank: int = 0) -> Entry:
    return Entry(title, where, lambda: None, rank)


class Fitting(unittest.TestCase):
    def titles(self, typed: str, *entries: Entry) -> list[str]:
        return [e.title for e in fitting(entries, typed)]

    def test_every_word_has_to_begin_a_word(self) -> None:
        decay, level = entry("Body Decay", "Keel, thud"), entry("Level", "Keel, thud")
        self.assertEqual(self.titles("dec", decay, level), ["Body Decay"])
        self.assertEqual(self.titles("keel dec", decay, level), ["Body Decay"])
        self.assertEqual(self.titles("DEC keel", decay, level), ["Body Decay"])
        self.assertEqual(self.titles("keel release", decay, level), [])
        self.assertEqual(self.titles("  ", decay, level), [])

    def test_the_best_comes_first(self) -> None:
        """A title that begins so, then one with such a word, then its place, then its middle."""
        inside, where = entry("Undecayed"), entry("Level", "decay")
        word, begins = entry("Body Decay"), entry("Decay")
        found = self.titles("decay", inside, where, word, begins)
        self.assertEqual(found, ["Decay", "Body Decay", "Level", "Undecayed"])

    def test_pages_and_pads_before_gauges_that_fit_as_well(self) -> None:
        found = self.titles("map", entry("Map", "gauge", rank=4), entry("Map", "page", rank=0))
        self.assertEqual(found, ["Map", "Map"])
        self.assertEqual(fitting([entry("Map", "a", 4), entry("Map", "b", 0)], "map")[0].where, "b")


class Addresses(unittest.TestCase):
    def test_an_empty_kit_has_its_own_numbers(self) -> None:
        lies = {address.lies for address in every_control(empty())}
        self.assertIn("Master", lies)


class Finding(DemoTest):
    def type(self, text: str) -> None:
        QTest.keyClick(self.shell, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
        self.finder = self.shell.context.of(Finder)
        assert self.finder is not None
        self.assertTrue(self.finder.isVisible())
        QTest.keyClicks(self.finder.field, text)

    def enter(self) -> None:
        QTest.keyClick(self.finder.field, Qt.Key.Key_Return)
        QApplication.processEvents()
        self.assertFalse(self.finder.isVisible())

    def test_every_address_is_a_number_of_the_kit(self) -> None:
        kit, count = self.session.kit, 0
        for address in every_control(kit):
            target = address.address
            self.assertEqual(parameter_at(kit, target), address.known)
            value = value_at(kit, target)
            if target.field != "alternate":
                self.assertEqual(value, float(getattr(address.struct, target.field)))
            count += 1
        self.assertGreater(count, 2000)

    def test_a_pad_a_page_and_a_command_by_name(self) -> None:
        self.type("drizzle")
        self.enter()
        self.assertEqual(self.session.pad.name, "Drizzle")
        self.type("map")
        self.enter()
        self.assertIs(self.shell.pages.currentWidget(), self.shell.pages.page("map"))
        self.type("lantern")
        self.enter()
        self.assertEqual(self.session.pad.name, "Lantern")
        self.assertIs(
            self.shell.pages.currentWidget(), self.shell.pages.page("map"), "stays where it is"
        )
        self.type("snapshot")
        self.enter()
        self.until(lambda: self.session.history.edited)
        self.assertIn("kept", self.session.history.undo_name or "")

    def setUp(self) -> None:
        super().setUp()
        self.before = self.session.kit

    def test_a_gauge_is_shown_and_has_the_focus(self) -> None:
        self.shell.do("map")
        self.type("keel hull sine body decay")
        self.enter()
        self.assertIs(self.shell.pages.currentWidget(), self.page)
        focused = QApplication.focusWidget()
        self.assertIsInstance(focused, Gauge)
        self.assertIn("Decay", focused.accessibleName())
        QTest.keyClick(focused, Qt.Key.Key_Up)
        self.assertIn("Hull sine: body decay", self.session.history.undo_name or "")

    def test_every_gauge_of_a_kit_can_be_reached(self) -> None:
        """From the first pad, its layers and stages, a bus, the master: one of each struct."""
        seen: set[object] = set()
        for address in every_control(self.session.kit):
            target = address.address
            kind = (target.of, target.live, bool(target.branches), type(address.struct))
            if kind in seen or len(address.place.branches) > 1:
                continue
            seen.add(kind)
            with self.subTest(address.lies, field=target.field):
                made = self.shell.context.of(Revealer).show(target)
                self.assertIsNotNone(made)
                QApplication.processEvents()
                self.assertTrue(made.isVisible())
        self.assertGreater(len(seen), 20)

    def test_escape_leaves_and_nothing_found_says_so(self) -> None:
        self.type("no such thing at all")
        self.assertEqual(self.finder.list.count(), 0)
        self.assertIn("Nothing", self.finder._hint.text())
        QTest.keyClick(self.finder.field, Qt.Key.Key_Return)  # nothing to go to
        QTest.keyClick(self.finder.field, Qt.Key.Key_Escape)
        self.assertFalse(self.finder.isVisible())
        self.assertIs(self.session.kit, self.before)

    def test_commands_stand_before_stages(self) -> None:
        self.type("add")
        items = [self.finder.list.item(n) for n in range(self.finder.list.count())]
        titles = [item.data(Qt.ItemDataRole.UserRole).title for item in items]
        self.assertTrue(titles[0].startswith("Add a"), titles[:3])
        self.assertIn("Add gate", titles)
        self.finder.hide()

    def test_a_stage_is_added_to_the_row_that_is_shown(self) -> None:
        self.session.selection.select_layer("layer2")
        self.shell.pages.page("shape").properties.choose_tab("Source")
        before = len(self.session.layer.stages)
        self.type("add reverb metal")
        self.enter()
        self.assertEqual(self.shell.pages.page("shape").properties.tab, "Stages")
        made = self.session.layer.stages
        self.assertEqual(len(made), before + 1)
        self.assertEqual(made[-1].process, Reverb(kind="metal"))
        self.session.selection.select_layer(None)
        self.shell.pages.page("shape").properties.choose_tab("Live")
        self.type("add normalize peak")
        self.enter()
        self.assertEqual(self.session.pad.stages[-1].process, Gain(normalize="peak"))

    def test_up_and_down_choose_while_typing(self) -> None:
        self.type("bilge")
        first = self.finder.list.currentItem().text()
        QTest.keyClick(self.finder.field, Qt.Key.Key_Down)
        self.assertNotEqual(self.finder.list.currentItem(), self.finder.list.item(0))
        QTest.keyClick(self.finder.field, Qt.Key.Key_Up)
        self.assertEqual(self.finder.list.currentItem().text(), first)
        self.finder.close()


class Bar(DemoTest):
    def test_all_commands_are_in_the_one_menu(self) -> None:
        QTest.keyClick(self.shell, Qt.Key.Key_F10)
        menu = self.shell.top.menu
        self.assertTrue(menu.isVisible())
        offered = {a for group in menu.actions() for a in group.menu().actions()}
        for command in COMMANDS:
            self.assertIn(self.shell.commands.by_id[command.id], offered, command.id)
        menu.close()

    def test_tabs_stay_where_they_are_whatever_the_kit_is_called(self) -> None:
        tab = self.shell.top.tabs["shape"]
        at = tab.mapTo(self.shell, tab.rect().topLeft())
        for name in ("A", "A kit with a name that is much too long for the room that there is"):
            put(self.session, "name", edits.set_kit(self.session.kit, name=name))
            QApplication.processEvents()
            self.assertEqual(tab.mapTo(self.shell, tab.rect().topLeft()), at)

    def test_seven_pages_fit_at_every_width(self) -> None:
        """Nothing of the bar is cut from 1000 pixels on."""
        for width in (1000, 1140, 1280, 1920):
            self.shell.resize(width, 700)
            QApplication.processEvents()
            self.assertEqual(self.shell.width(), width)
            shown = [w for w in self.shell.top.findChildren(QPushButton) if w.isVisible()]
            self.assertEqual(len(shown), 7 + 5)
            for made in shown:
                self.assertGreaterEqual(made.width(), made.sizeHint().width(), made.text())
                right = made.mapTo(self.shell.top, made.rect().bottomRight()).x()
                self.assertLessEqual(right, width)
            edges = sorted(
                (w.mapTo(self.shell.top, w.rect().topLeft()).x(), w.width()) for w in shown
            )
            for (x, wide), (following, _) in pairwise(edges):
                self.assertLessEqual(x + wide, following)

    def test_the_menu_opens_by_a_click(self) -> None:
        QTest.mouseClick(self.shell.top.menu_button, LEFT)
        self.assertTrue(self.shell.top.menu.isVisible())
        self.shell.top.menu.close()
