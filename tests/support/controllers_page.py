"""The page of controllers, the demo open, the simulated controller there."""

import tempfile
from pathlib import Path
from unittest import mock

from PyQt6.QtTest import QTest

from puddle.home import controllers
from puddle.midi.ports import SIMULATED
from puddle.window.pages.controllers.page import ControllersPage
from puddle.window.pages.controllers.simulator import off, on
from tests.support.windows import LEFT, WindowTest


class ControllersPageTest(WindowTest):
    """On the page, the demo open, the simulated controller there."""

    opens_on = "controllers"

    def setUp(self) -> None:
        super().setUp()
        holder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(holder.cleanup)
        folder = mock.patch.object(controllers, "folder", lambda: Path(holder.name) / "maps")
        folder.start()
        self.addCleanup(folder.stop)
        self.demo()
        self.session.player.open()
        self.until(lambda: self.session.player.engine is not None)
        page = self.shell.pages.page("controllers")
        assert isinstance(page, ControllersPage)
        self.page, self.controlling = page, page.controlling
        QTest.mouseClick(page.ports.simulate, LEFT)
        self.until(lambda: self.controlling.read == (SIMULATED,), 30.0)
        self.did: list[str] = []
        self.controlling.came.connect(lambda _, did, __: self.did.append(did))

    def hit(self, place: int, velocity: int = 100) -> str:
        """Strikes the simulated controller; what that did."""
        count = len(self.did)
        self.controlling.play_simulated(on(place, velocity))
        self.controlling.play_simulated(off(place))
        self.until(lambda: len(self.did) > count)
        return self.did[-1]

    def send(self, *data: int) -> str:
        """A message of the simulated controller; what it did."""
        count = len(self.did)
        self.controlling.play_simulated(bytes(data))
        self.until(lambda: len(self.did) > count)
        return self.did[-1]
