"""Mix in a window, the demo open."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from puddle.kit.model.document import Bus, Pad
from puddle.window.pages.mix.page import MixPage
from tests.support.windows import LEFT, NONE, WindowTest


class MixTest(WindowTest):
    """On the page, the demo open."""

    opens_on = "mix"

    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.session.player.open()
        self.until(lambda: self.session.player.engine is not None)
        page = self.shell.pages.page("mix")
        assert isinstance(page, MixPage)
        self.page, self.streams, self.plan = page, page.streams, page.plan
        QApplication.processEvents()

    def pad(self, name: str) -> Pad:
        return next(p for p in self.session.kit.pads if p.name == name)

    def bus(self, name: str) -> Bus:
        return next(b for b in self.session.kit.buses if b.name == name)

    def drag(self, source: str, target: str | None, modifier: Qt.KeyboardModifier = NONE) -> None:
        """From one place to another; to none it is dropped beside all."""
        start = self.streams.room(source).center().toPoint()
        end = QPoint(3, 3) if target is None else self.streams.room(target).center().toPoint()
        QTest.mousePress(self.streams, LEFT, modifier, start)
        QTest.mouseMove(self.streams, start + QPoint(12, 0))
        QTest.mouseMove(self.streams, end)
        QTest.mouseRelease(self.streams, LEFT, modifier, end)
