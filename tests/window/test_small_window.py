"""The smallest window: what is written can still be read."""

from itertools import pairwise

from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox

from puddle.kit.edits.mixes import keep_mix
from puddle.kit.model.document import PADS_PER_BANK
from puddle.views.streams import pad_place
from puddle.window.pages.mix.page import MixPage
from puddle.window.shell.menus.table import PAGES
from puddle.window.widgets.controls import Aside
from tests.support.windows import DemoTest

_ARROW_PX = 30  # of a list, with its frame


class Smallest(DemoTest):
    def setUp(self) -> None:
        super().setUp()
        self.shell.resize(self.shell.minimumSize())

    def show(self, page: str) -> None:
        self.shell.pages.show_page(page)
        self.settle()
        QApplication.processEvents()

    def test_no_button_and_no_list_is_cut(self) -> None:
        for _ in range(7):
            self.session.edit("The mix kept beside", keep_mix)
        for page in (record.id for record in PAGES):
            self.show(page)
            shown = self.shell.pages.page(page)
            for one in shown.findChildren(QAbstractButton):
                if one.isVisible() and one.text():
                    with self.subTest(page, button=one.text()):
                        self.assertGreaterEqual(one.width(), one.sizeHint().width())
            for one in shown.findChildren(QComboBox):
                if one.isVisible():
                    with self.subTest(page, list=one.accessibleName()):
                        text = one.fontMetrics().horizontalAdvance(one.currentText())
                        self.assertGreaterEqual(one.width(), text + _ARROW_PX)

    def test_a_remark_is_whole_or_not_there(self) -> None:
        self.show("mix")
        remark = next(r for r in self.shell.pages.page("mix").findChildren(Aside))
        self.assertEqual(remark.shown_text(), "")
        self.shell.resize(1280, 800)
        QApplication.processEvents()
        self.assertEqual(remark.shown_text(), "wide is loud")

    def test_names_before_streams_do_not_lie_over_one_another(self) -> None:
        """Some are left out, never the selected one's; with more room all are there."""
        self.show("mix")
        page = self.shell.pages.page("mix")
        assert isinstance(page, MixPage)
        streams = page.streams
        shown = [pad for pad in self.session.kit.pads if pad.place < PADS_PER_BANK]
        pads = [pad_place(pad.id) for pad in shown]
        self.session.selection.select_pad("pad2")
        left_out = streams.unnamed()
        self.assertIn(pad_place("pad1"), left_out)
        self.assertNotIn(pad_place("pad2"), left_out)
        middles = sorted(streams.room(name).center().y() for name in set(pads) - left_out)
        apart = [after - before for before, after in pairwise(middles)]
        self.assertGreaterEqual(min(apart), 11.0)
        self.assertGreaterEqual(middles[0], 5.0)
        self.shell.resize(1280, 800)
        QApplication.processEvents()
        self.assertEqual(streams.unnamed(), set())
