"""What a stage listens to: its own input, or one of those that its row can hear."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from puddle.window.widgets.controls import label

_OWN = "its own input"
_SAYS = (
    "What the stage follows: the level of what comes in, or of another. "
    "Keyed by a kick, a compressor makes room under each kick."
)


class KeyBox(QWidget):
    """A line with the choice of a key."""

    chosen = pyqtSignal(str)  # an id; empty for the stage's own input

    def __init__(self) -> None:
        super().__init__()
        self._keys: list[tuple[str, str]] = []
        line = QHBoxLayout(self)
        line.setContentsMargins(2, 2, 2, 2)
        line.addWidget(label("Keyed by", "soft"), 1)
        self.box = QComboBox()
        self.box.setToolTip(_SAYS)
        self.box.setAccessibleName("Keyed by")
        self.box.activated.connect(lambda n: self.chosen.emit(self._keys[n][0]))
        line.addWidget(self.box)

    def show_keys(self, keys: Sequence[tuple[str, str]], now: str) -> None:
        """Shows what can be chosen, as (id, name), and the id that is."""
        offered = [("", _OWN), *keys]
        if offered != self._keys:
            self._keys = offered
            self.box.clear()
            self.box.addItems([name for _, name in offered])
        ids = [key for key, _ in offered]
        self.box.setCurrentIndex(ids.index(now) if now in ids else 0)
