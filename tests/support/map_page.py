"""Map in a window, the demo open."""

import tempfile
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from puddle.kit import edits
from puddle.kit.model.document import Pad
from puddle.window.pages.map.page import MapPage
from tests.support.windows import DemoTest


class MappedTest(DemoTest):
    """On the demo, with what is told and a folder for files."""

    opens_on = "map"

    def setUp(self) -> None:
        super().setUp()
        self.told: list[str] = []
        self.session.told.connect(self.told.append)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    @property
    def map(self) -> MapPage:
        return self.shell.pages.page("map")

    def show(self, pad_id: str, tab: str = "Pad") -> None:
        self.session.selection.select_pad(pad_id)
        self.shell.do("map")
        self.map.pad.choose_tab(tab)
        QApplication.processEvents()

    def pad(self, pad_id: str) -> Pad:
        return edits.pad_of(self.session.kit, pad_id)

    def press(self, name: str) -> None:
        self.shell.commands.by_id[name].trigger()
