"""What every page's widget answers to the frame around it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSplitter, QVBoxLayout, QWidget


class PageView(QWidget):
    """A page. Those that override nothing have no splitters and do nothing when they are seen."""

    wants_view = False  # whether the selected sound is to be drawn and measured while it is seen

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")

    def side_by_side(
        self, parts: Sequence[QWidget], sizes: Sequence[int], growing: int
    ) -> QSplitter:
        """The whole page as panels that share its width; one of them takes what there is more."""
        whole = QSplitter(Qt.Orientation.Horizontal)
        for part in parts:
            whole.addWidget(part)
        whole.setSizes(sizes)
        whole.setStretchFactor(growing, 1)
        whole.setHandleWidth(12)
        whole.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 12, 12, 10)
        outer.addWidget(whole)
        return whole

    def splitters(self) -> dict[str, QSplitter]:
        """Those whose places are kept, by the names that they are kept under."""
        return {}

    def watch(self, seen: bool) -> None:
        """Tells whether the page is seen: what only its looks need goes on and off with that."""

    def end(self) -> None:
        """Called when the window closes: stops background work that the page started."""

    def dress(self) -> None:
        """Called after the theme has changed."""

    def entered(self) -> None:
        """Called when the page is shown."""
