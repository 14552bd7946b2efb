"""Tests on Groove."""

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from puddle.kit.model.document import Hit, Pattern
from puddle.window.pages.groove.page import GroovePage
from tests.support.sounds import small_kit
from tests.support.windows import LEFT, NONE, WindowTest, put


class GrooveTest(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.session.file.new()
        put(self.session, "a kit", small_kit())
        self.session.selection.select_pad("pad1")
        self.settle()
        self.shell.do("groove")
        page = self.shell.pages.page("groove")
        assert isinstance(page, GroovePage)
        self.page, self.grid = page, page.grid

    def open_card(self) -> None:
        """The simulated card, which plays in real time."""
        self.session.player.open()
        self.assertIsNotNone(self.engine)

    def pattern(self) -> Pattern:
        found = self.session.pattern
        assert found is not None
        return found

    def hits(self, pad_id: str = "pad1") -> list[Hit]:
        shown = self.session.pattern
        lane = shown.lane(pad_id) if shown is not None else None
        return list(lane.hits) if lane is not None else []

    def row(self, pad_id: str) -> int:
        return [row.pad_id for row in self.grid.view.rows].index(pad_id)

    def cell(self, pad_id: str, step: float) -> QPoint:
        """The middle of a step's cell."""
        n = self.row(pad_id)
        wide = self.grid.view.rows[n].step * self.grid.per_beat
        x = self.grid.x_of(step * self.grid.view.rows[n].step) + wide / 2.0
        return QPointF(x, self.grid.row_rect(n).center().y()).toPoint()

    def click(self, pad_id: str, step: float, modifiers: Qt.KeyboardModifier = NONE) -> None:
        QTest.mouseClick(self.grid, LEFT, modifiers, self.cell(pad_id, step))

    def places(self, pad_id: str = "pad1") -> list[float]:
        return [hit.at for hit in self.hits(pad_id)]
