"""A widget from which something is dragged out of the window."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QMimeData, QObject, QPointF, Qt
from PyQt6.QtGui import QDrag, QMouseEvent
from PyQt6.QtWidgets import QApplication, QWidget


class DragOut(QObject):
    """Begins a drag where the left button goes down on a widget and moves on."""

    def __init__(self, widget: QWidget, carried: Callable[[], QMimeData | None]) -> None:
        """`carried` gives what is dragged, once the hand has moved far enough."""
        super().__init__(widget)
        self._widget, self._carried = widget, carried
        self._from: QPointF | None = None
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """The widget has all its events too."""
        if isinstance(event, QMouseEvent):
            kind = event.type()
            if kind == QEvent.Type.MouseButtonPress and event.button() == Qt.MouseButton.LeftButton:
                self._from = event.position()
            elif kind == QEvent.Type.MouseButtonRelease:
                self._from = None
            elif kind == QEvent.Type.MouseMove:
                self._moved(event.position())
        return super().eventFilter(watched, event)

    def _moved(self, to: QPointF) -> None:
        if self._from is None:
            return
        if (to - self._from).manhattanLength() >= QApplication.startDragDistance():
            self._from = None
            self._begin()

    def _begin(self) -> None:
        data = self._carried()
        if data is not None:
            drag = QDrag(self._widget)
            drag.setMimeData(data)
            drag.exec(Qt.DropAction.CopyAction)
