"""What comes and goes by itself lies over the page's upper edge: nothing under the hand moves."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

_MARGIN_PX = 12
_MOST_PX, _LEAST_PX = 860, 240
_AROUND_PX = 32


class Notice(QLabel):
    """A sentence for the person; a click puts it away."""

    def __init__(self) -> None:
        super().__init__()
        self.setWordWrap(True)
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setToolTip("Click to put it away.")
        self.hide()

    def line_px(self) -> int:
        """How wide it is in one line."""
        return self.fontMetrics().horizontalAdvance(self.text()) + _AROUND_PX

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.hide()


class Overlay(QWidget):
    """A column of strips over another widget, as wide as they want; gone while all are hidden."""

    def __init__(self, under: QWidget, top_px: int) -> None:
        super().__init__(under)
        self._under = under
        self._top = top_px
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(3)
        under.installEventFilter(self)
        self.hide()

    def add(self, strip: QWidget) -> None:
        """Another strip under the others."""
        strip.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._column.addWidget(strip)
        strip.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Follows the room that there is, and strips that come and go."""
        if event is not None and event.type() in (
            QEvent.Type.Resize,
            QEvent.Type.ShowToParent,
            QEvent.Type.HideToParent,
        ):
            self.place()
        return False

    def event(self, event: QEvent | None) -> bool:
        """A strip has another text."""
        if event is not None and event.type() == QEvent.Type.LayoutRequest:
            self.place()
        return super().event(event)

    def place(self) -> None:
        """Takes the room that its strips want."""
        strips = [self._column.itemAt(n) for n in range(self._column.count())]
        shown = [s.widget() for s in strips if s is not None]
        if all(strip is None or strip.isHidden() for strip in shown):
            self.hide()
            return
        room = self._under.width() - 2 * _MARGIN_PX
        lines = [s.line_px() for s in shown if isinstance(s, Notice) and not s.isHidden()]
        wide = max(_LEAST_PX, self._column.sizeHint().width(), *lines)
        wide = max(1, min(room, _MOST_PX, wide))
        tall = self._column.sizeHint().height()
        if self._column.hasHeightForWidth():
            tall = self._column.totalHeightForWidth(wide)
        self.setGeometry((self._under.width() - wide) // 2, self._top, wide, tall)
        self.show()
        self.raise_()
