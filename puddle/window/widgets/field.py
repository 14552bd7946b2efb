"""A line to type into that gives the focus back: Enter takes what was typed, Escape leaves it."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QLineEdit


class Field(QLineEdit):
    """For pages, where letters and Space play wherever the focus is but here."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self._before = text
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Remembers what stood there."""
        self._before = self.text()
        super().focusInEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter and Escape lead back to playing."""
        key = event.key() if event is not None else None
        if key == Qt.Key.Key_Escape:
            self.setText(self._before)
            self._leave()
            return
        super().keyPressEvent(event)
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._leave()

    def _leave(self) -> None:
        window = self.window()
        if window is not None:
            window.setFocus()
