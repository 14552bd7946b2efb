"""The play order: patterns one after the other, each so many times."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import msgspec
from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QSpinBox, QVBoxLayout, QWidget

from puddle.kit.edits import patterns
from puddle.kit.edits.items import moved
from puddle.kit.model.document import Play
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, clear, elided, label, toggle

replace = msgspec.structs.replace
Plays = tuple[Play, ...]


class Ordering(QDialog):
    """A short list with repeats; what is changed is heard from the start of the order."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Play order")
        self.setMinimumWidth(380)
        self._session = session
        lines = QVBoxLayout(self)
        self.empty = label("Add patterns: they play one after the other, then again.", "soft")
        lines.addWidget(self.empty)
        self._rows = QVBoxLayout()
        lines.addLayout(self._rows)
        row = QHBoxLayout()
        self.choice = QComboBox()
        self.choice.setAccessibleName("Pattern to add")
        row.addWidget(self.choice, 1)
        row.addWidget(button("Add", "Adds the pattern at the end.", self.add))
        lines.addLayout(row)
        foot = QHBoxLayout()
        self.play = toggle("Play in order", "The groove follows the order; else one loops.")
        self.play.clicked.connect(session.grooving.set_order)
        foot.addWidget(self.play)
        foot.addStretch(1)
        foot.addWidget(button("Close", "", self.accept))
        lines.addLayout(foot)
        session.kit_changed.connect(self.show_kit)
        self.show_kit()

    def show_kit(self) -> None:
        """The order, and the patterns that can be added."""
        kit = self._session.kit
        clear(self._rows)
        for n, play in enumerate(kit.order):
            self._rows.addLayout(self._row(n, play))
        self.empty.setVisible(not kit.order)
        now = self.choice.currentIndex()
        self.choice.clear()
        self.choice.addItems([p.name for p in kit.patterns])
        self.choice.setCurrentIndex(max(0, min(now, len(kit.patterns) - 1)))
        self.play.setEnabled(bool(kit.order))
        self.play.setChecked(self._session.grooving.follows_order)

    def _row(self, n: int, play: Play) -> QHBoxLayout:
        pattern = self._session.kit.pattern(play.pattern)
        name = pattern.name if pattern is not None else "–"
        row = QHBoxLayout()
        row.addWidget(elided(f"{n + 1}  {name}"), 1)
        times = QSpinBox()
        times.setRange(1, 64)
        times.setValue(play.times)
        times.setSuffix(" ×")
        times.setAccessibleName(f"How often {name} comes")
        times.valueChanged.connect(lambda value: self._set(n, value))
        row.addWidget(times)
        up = partial(self._move, n, n - 1)
        row.addWidget(button("↑", "Earlier.", up, flat=True, name=f"{name} earlier"))
        row.addWidget(
            button("↓", "Later.", partial(self._move, n, n + 1), flat=True, name=f"{name} later")
        )
        gone = partial(self._remove, n)
        row.addWidget(button("✕", "Takes it out of the order.", gone, flat=True, name=f"No {name}"))
        return row

    def _edit(self, said: str, change: Callable[[Plays], Plays]) -> None:
        self._session.edit(
            said, lambda kit: patterns.set_order(kit, change(kit.order)), ("order", said)
        )

    def add(self) -> None:
        """The chosen pattern at the end."""
        kit, n = self._session.kit, self.choice.currentIndex()
        if 0 <= n < len(kit.patterns):
            made = Play(pattern=kit.patterns[n].id)
            self._edit(f"{kit.patterns[n].name} in the play order", lambda o: (*o, made))
            self._session.settle()

    def _set(self, n: int, times: int) -> None:
        self._edit(
            "Play order: repeats",
            lambda o: tuple(replace(p, times=times) if k == n else p for k, p in enumerate(o)),
        )

    def _move(self, n: int, to: int) -> None:
        self._edit("Play order: moved", lambda order: moved(order, n, to))
        self._session.settle()

    def _remove(self, n: int) -> None:
        self._edit("Play order: one less", lambda o: tuple(p for k, p in enumerate(o) if k != n))
        self._session.settle()
