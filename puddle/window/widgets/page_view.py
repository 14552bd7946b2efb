"""What every page's widget answers to the frame around it."""

from __future__ import annotations

from PyQt6.QtWidgets import QSplitter, QWidget


class PageView(QWidget):
    """A page. Those that override nothing have no splitters and do nothing when they are seen."""

    wants_view = False  # whether the selected sound is to be drawn and measured while it is seen

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")

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
