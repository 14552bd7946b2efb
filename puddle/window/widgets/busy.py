"""A strip that shows work which takes longer than a blink, and stops it."""

from __future__ import annotations

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QWidget

from puddle.window.widgets.controls import button, label

_BLINK_MS = 250


class BusyStrip(QWidget):
    """A line of text, how much is done, and a button; hidden while there is nothing to show."""

    stopped = pyqtSignal(object)  # the work

    def __init__(self, text: str, stop_says: str) -> None:
        super().__init__()
        self._work: object = None
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 1, 8, 1)
        line.setSpacing(10)
        line.addWidget(label(text))
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(8)
        self.bar.setAccessibleName(text)
        line.addWidget(self.bar, 1)
        self.stop = button("Stop", stop_says, lambda: self.stopped.emit(self._work))
        line.addWidget(self.stop)
        self.hide()
        self._blink = QTimer(self)
        self._blink.setSingleShot(True)
        self._blink.setInterval(_BLINK_MS)
        self._blink.timeout.connect(self.show)

    def show_share(self, work: object, share: float) -> None:
        """How much of some work is done, 0 to 1; 1 hides the strip."""
        self._work = work
        self.bar.setValue(round(100.0 * share))
        if share >= 1.0:
            self._blink.stop()
            self.hide()
        elif not self.isVisible() and not self._blink.isActive():
            self._blink.start()
