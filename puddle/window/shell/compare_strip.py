"""The strip that says what is heard instead of the kit, wherever one is."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from puddle.units import with_unit
from puddle.window import theme
from puddle.window.session.comparer import Comparer
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, label


class CompareStrip(QWidget):
    """What is heard, at what gain, and how to go back; hidden while nothing is compared."""

    def __init__(self, session: Session, comparer: Comparer, look: Callable[[], None]) -> None:
        super().__init__()
        self._session = session
        self._comparer = comparer
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 1, 8, 1)
        line.setSpacing(8)
        self.says = label("")
        self.says.setFont(theme.text_font(13, bold=True))
        line.addWidget(self.says)
        line.addStretch(1)
        self.switch = button("Switch", "Hears the other one (F5).", comparer.switch)
        self.look = button("Look", "Both on one page (F8).", look)
        self.end = button("End", "Back to this sound as it is.", comparer.end)
        for one in (self.switch, self.look, self.end):
            line.addWidget(one)
        comparer.hearing_changed.connect(self.show_heard)
        comparer.compared.connect(self.show_heard)
        self.hide()

    def show_heard(self) -> None:
        """What is heard now."""
        comparer, pad, entry = self._comparer, self._session.pad, self._comparer.chosen
        shown = comparer.engaged and not comparer.watched and pad is not None
        shown = shown and entry is not None
        if shown and pad is not None and entry is not None:
            gains = comparer.gains
            own = "the groove" if entry.beats else pad.name
            name, gain = (entry.name, gains.other_db) if comparer.hearing else (own, gains.own_db)
            at = f", {with_unit(gain, 'dB', 1)} to match" if abs(gain) >= 0.05 else ""
            other = own if comparer.hearing else entry.name
            self.says.setText(f"Heard: {name}{at}")
            self.switch.setText(f"Switch to {other}")
        self.setVisible(shown)
