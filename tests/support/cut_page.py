"""Tests on Cut: an empty kit, and the demo's recordings in a folder."""

import tempfile
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QApplication

from puddle.window.pages.cut.page import CutPage
from puddle.window.session import cutter, recording_looks
from tests.support.made_recordings import HeardOnce, boathouse, looked_at_once
from tests.support.windows import WindowTest, dropped


class CutTest(WindowTest):
    """On Cut, an empty kit open, with the demo's recordings in a folder."""

    def setUp(self) -> None:
        for module, name, other in (
            (recording_looks, "looked_at", looked_at_once),
            (recording_looks, "HeardHits", HeardOnce),
            (cutter, "_GROUP_MS", 20),
        ):
            patch = mock.patch.object(module, name, other)
            patch.start()
            self.addCleanup(patch.stop)
        super().setUp()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.session_file, self.loop_file = boathouse()
        self.session.file.new()
        self.session.player.open()
        self.shell.pages.show_page("cut")
        self.page: CutPage = self.shell.pages.page("cut")
        self.cutter = self.page.cutter
        self.until(lambda: self.session.file.journal is not None)

    def open(self, path: Path) -> None:
        dropped(self.page, path)
        self.found()

    def found(self) -> None:
        """Waits until hits and groups are those of the kit as it is."""
        self.until(
            lambda: (
                self.cutter.cut is not None
                and self.cutter._cut is not None
                and self.cutter._cut[0] is self.cutter.recording
                and not self.cutter.grouping
                and not self.cutter._grouping.isActive()
            ),
            60.0,
        )
        QApplication.processEvents()

    @property
    def starts(self) -> list[int]:
        cut = self.cutter.cut
        assert cut is not None
        return [int(n) for n in cut.starts]

    def at(self, frame: float, y: int) -> QPoint:
        """A place on the wave."""
        return QPoint(round(self.page.span.x_of(frame, self.page.wave.width())), y)
