"""The rest of the track: a file's level, offset, tempo and loop, each under the groove."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from puddle.kit.model.document import Backing
from puddle.parameter import Parameter
from puddle.window.files.asking_files import ask_sounds
from puddle.window.session.session import Session
from puddle.window.session.under import UnderTheGroove
from puddle.window.widgets.controls import button, clear, column, elided, label, restyle
from puddle.window.widgets.fields import Fields


class UnderLines(QWidget):
    """Rows for each file, and a button for another one."""

    def __init__(self, session: Session, under: UnderTheGroove) -> None:
        super().__init__()
        self._session, self.under = session, under
        lines = column((0, 0, 0, 0), 4)
        about = label("The rest of the track: heard with the groove, never exported.", "soft")
        about.setWordWrap(True)
        lines.addWidget(about)
        self._rows = QVBoxLayout()
        lines.addLayout(self._rows)
        self.add = button("Add a file …", "A recording to hear the groove with.", self.ask)
        lines.addWidget(self.add)
        lines.addStretch(1)
        self.setLayout(lines)
        self._ids: tuple[str, ...] = ()
        self.fields: dict[str, Fields] = {}
        self._names: dict[str, Any] = {}
        under.changed.connect(self.show_kit)

    def ask(self) -> None:
        """Asks for sound files."""
        for path in ask_sounds(self, "Files under the groove", self._session.settings):
            self.under.add(path)

    def show_kit(self) -> None:
        """The files that the kit names; rows are made anew only where these are others."""
        backings = self._session.kit.backings
        ids = tuple(backing.id for backing in backings)
        if ids != self._ids:
            self._ids = ids
            clear(self._rows)
            self.fields, self._names = {}, {}
            for backing in backings:
                self._add(backing)
        for backing in backings:
            self.fields[backing.id].show_values(backing)
            error = self.under.error_of(backing)
            self._names[backing.id].setText(error or backing.name)
            restyle(self._names[backing.id], "warning" if error else "title")

    def _add(self, backing: Backing) -> None:
        head = QHBoxLayout()
        name = elided(backing.name, "title")
        self._names[backing.id] = name
        head.addWidget(name, 1)
        gone = partial(self.under.remove, backing.id)
        head.addWidget(button("Remove", "The file itself stays where it is.", gone, flat=True))
        self._rows.addLayout(head)
        made = Fields(backing, partial(self._change, backing.id), self._session.settle)
        self.fields[backing.id] = made
        self._rows.addWidget(made)

    def _change(self, backing_id: str, field: str, value: Any, known: Parameter) -> None:
        number = known.kind in ("number", "whole")
        text = known.text(value) if number else ("on" if value else "off")
        self.under.set(backing_id, f"{known.label.lower()} {text}", **{field: value})
