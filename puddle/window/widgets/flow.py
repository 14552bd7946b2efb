"""A layout that goes on in the next line where the room ends, as words do."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QWidget


class Flow(QLayout):
    """Items from left to right, line by line. One of them may take what a line has left."""

    def __init__(self, spacing: int = 6) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._greedy: QWidget | None = None
        self._heights: dict[int, int] = {}  # by width: asked for a dozen times in one layout
        self.setSpacing(spacing)
        self.setContentsMargins(0, 0, 0, 0)

    def add_greedy(self, widget: QWidget) -> None:
        """Adds a widget that grows as far as its line has room."""
        self._greedy = widget
        self.addWidget(widget)

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        found = self._heights.get(width)
        if found is None:
            found = self._heights[width] = self._arrange(QRect(0, 0, width, 0), move=False)
        return found

    def invalidate(self) -> None:
        """What was known of the items is no longer true."""
        self._heights.clear()
        super().invalidate()

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._arrange(rect, move=True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        return size

    def _lines(self, width: int) -> list[list[QLayoutItem]]:
        """The items by line; hidden ones are left out."""
        lines: list[list[QLayoutItem]] = [[]]
        used = 0
        for item in self._items:
            if item.isEmpty():
                continue
            wide = item.sizeHint().width() if item.widget() is not self._greedy else (
                item.minimumSize().width()
            )  # fmt: skip
            if lines[-1] and used + wide > width:
                lines.append([])
                used = 0
            lines[-1].append(item)
            used += wide + self.spacing()
        return lines

    def _arrange(self, rect: QRect, *, move: bool) -> int:
        """Lays the lines out; returns how high they are together."""
        top = rect.y()
        for line in self._lines(rect.width()):
            tall = max((item.sizeHint().height() for item in line), default=0)
            wides = [item.sizeHint().width() for item in line]
            for n, item in enumerate(line):
                if item.widget() is self._greedy:
                    others = sum(wides) - wides[n] + self.spacing() * (len(line) - 1)
                    wides[n] = max(item.minimumSize().width(), rect.width() - others)
            left = rect.x()
            for item, wide in zip(line, wides, strict=True):
                if move:
                    down = (tall - item.sizeHint().height()) // 2
                    size = QSize(wide, item.sizeHint().height())
                    item.setGeometry(QRect(QPoint(left, top + down), size))
                left += wide + self.spacing()
            top += tall + self.spacing()
        return max(0, top - self.spacing() - rect.y())
