"""Variations, heard while they are chosen: how far, and which of them."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from puddle.kit.edits import patterns
from puddle.kit.edits.variations import varied
from puddle.kit.model.document import Kit
from puddle.parameter import percent
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, label
from puddle.window.widgets.gauge import Gauge

_AMOUNT = percent(
    "amount",
    "How far",
    "How much of the lanes is changed: velocities, hits that go and come, rolls and flams.",
    35.0,
)


class Varying(QDialog):
    """Stands beside the grid while a variation is tried; one step is kept."""

    tried = pyqtSignal()  # another variation is heard

    def __init__(
        self, session: Session, pattern_id: str, pads: Callable[[], list[str]], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Vary the pattern")
        self._session, self._pattern, self._pads = session, pattern_id, pads
        self._seed = 1
        lines = QVBoxLayout(self)
        self.about = label("", "soft")
        lines.addWidget(self.about)
        self.amount = Gauge(_AMOUNT, _AMOUNT.default)
        self.amount.moved.connect(self._move)
        lines.addWidget(self.amount)
        row = QHBoxLayout()
        row.addWidget(button("Another", "Another variation, as far.", self.another))
        row.addWidget(button("The one before", "Back to the one before.", self.before))
        row.addStretch(1)
        row.addWidget(button("Cancel", "The pattern stays as it is.", self.reject))
        self.kept = button("Keep", "Keeps this variation, as one step.", self.accept)
        self.kept.setDefault(True)
        row.addWidget(self.kept)
        lines.addLayout(row)
        self.finished.connect(self._end)
        self._try()

    def _made(self, kit: Kit) -> Kit:
        amount, seed, pads = self.amount.value, self._seed, self._pads()
        return patterns.in_pattern(kit, self._pattern, lambda p: varied(kit, p, pads, amount, seed))

    def _try(self) -> None:
        count = len(self._pads())
        lanes = "1 lane" if count == 1 else f"{count} lanes"
        self.about.setText(f"Variation {self._seed} of {lanes}")
        self._session.playing.hear(self._made(self._session.kit), by=self)
        self.tried.emit()

    def _move(self, value: float) -> None:
        self.amount.set_value(value)
        self._try()

    def another(self) -> None:
        """The next seed."""
        self._seed += 1
        self._try()

    def before(self) -> None:
        """The seed before."""
        self._seed = max(1, self._seed - 1)
        self._try()

    def _end(self, result: int) -> None:
        session = self._session
        if session.playing.trial_by is self:
            session.playing.hear(None)
        if result == QDialog.DialogCode.Accepted:
            session.edit(f"Variation {self._seed} kept", self._made)
        self.tried.emit()
