"""The menu key: what it opens is of the place that keys work on, and comes up there."""

from unittest import mock

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu

from puddle.kit.edits.hits import Spot
from puddle.views.streams import pad_place
from tests.support.groove_page import GrooveTest
from tests.support.mix_page import MixTest
from tests.support.windows import menu_key


class OnGroove(GrooveTest):
    def setUp(self) -> None:
        super().setUp()
        self.wanted: list[tuple[object, QPoint]] = []
        self.enterContext(mock.patch.object(QMenu, "popup"))

    def test_of_the_hit_under_the_cursor(self) -> None:
        self.click("pad1", 4)
        self.grid.menu_wanted.connect(lambda on, at: self.wanted.append((on, at)))
        self.grid.cell = Spot("pad1", 4)
        menu_key(self.grid)
        ((on, at),) = self.wanted
        self.assertEqual(on, Spot("pad1", 4))
        found = self.grid.drop_at(self.grid.mapFromGlobal(at).toPointF())
        assert found is not None
        self.assertEqual((found[0], found[1].at), (self.row("pad1"), 4))

    def test_of_the_pads_row_where_there_is_no_hit(self) -> None:
        self.grid.menu_wanted.connect(lambda on, _: self.wanted.append((on, QPoint())))
        self.grid.cell = Spot("pad2", 7)
        menu_key(self.grid)
        self.grid.cell = None
        self.session.selection.select_pad("pad1")
        menu_key(self.grid)
        self.assertEqual([on for on, _ in self.wanted], ["pad2", "pad1"])
        self.assertEqual(self.session.pad_id, "pad1")

    def test_of_a_selected_hit_without_a_cursor(self) -> None:
        self.click("pad2", 9)
        self.grid.cell = None
        self.grid.select(frozenset({Spot("pad2", 9)}))
        self.grid.menu_wanted.connect(lambda on, _: self.wanted.append((on, QPoint())))
        menu_key(self.grid)
        self.assertEqual([on for on, _ in self.wanted], [Spot("pad2", 9)])

    def test_of_the_cursor_though_it_is_out_of_sight(self) -> None:
        self.click("pad1", 4)
        self.grid.select(frozenset())
        self.grid.cell = Spot("pad1", 4)
        self.grid.first_beat, self.grid.shown_beats = 2.0, 2.0
        self.grid.menu_wanted.connect(lambda on, _: self.wanted.append((on, QPoint())))
        menu_key(self.grid)
        self.assertEqual([on for on, _ in self.wanted], [Spot("pad1", 4)])

    def test_of_the_pattern_that_is_shown(self) -> None:
        self.click("pad1", 4)
        self.page.patterns.duplicate()
        dots = self.page.bar.dots
        dots.menu_wanted.connect(lambda on, at: self.wanted.append((on, at)))
        menu_key(dots)
        ((on, at),) = self.wanted
        self.assertEqual(on, self.pattern().id)
        rooms = dict(dots.rects())
        self.assertTrue(rooms[self.pattern().id].contains(dots.mapFromGlobal(at).toPointF()))


class OnMix(MixTest):
    def test_of_the_place_that_is_selected_and_over_it(self) -> None:
        wanted: list[tuple[str, QPoint]] = []
        self.streams.menu_wanted.connect(lambda place, at: wanted.append((place, at)))
        keel = pad_place(self.pad("Keel").id)
        self.page.choose(keel)
        with mock.patch.object(QMenu, "popup"):
            menu_key(self.streams)
        ((place, at),) = wanted
        self.assertEqual(place, keel)
        self.assertTrue(self.streams.room(keel).contains(self.streams.mapFromGlobal(at).toPointF()))
