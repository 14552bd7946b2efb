"""The pad's and the bus's own lines under Shape: role, way to the master, notes, name."""

from __future__ import annotations

import re
from collections.abc import Callable

from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from puddle.kit import edits
from puddle.kit.edits.several import in_role, set_pads
from puddle.kit.model.document import Bus, Kit, Pad
from puddle.kit.model.roles import ROLES, with_article
from puddle.units import note_name, parsed_note
from puddle.window.session.leveling import level_by_role
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_name, ask_other_name, short
from puddle.window.widgets.controls import button, label
from puddle.window.widgets.field import Field

_STRAIGHT = "straight to the master"
_NEW = "a new bus …"
_TO = "–"
_RANGE = re.compile(r"(?<=\d)\s*[-–]\s*(?=[A-Ga-g\d])")


class PadLines(QWidget):
    """Role, destination and notes of a pad."""

    def __init__(self, session: Session, pad: Pad) -> None:
        super().__init__()
        self._session = session
        self._pad = pad
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(
            _choice(
                "Role",
                "What kind of drum it is; gives the pad its dye.",
                list(ROLES),
                pad.role,
                self._set_role,
            )
        )
        self._buses = {_STRAIGHT: "", **{bus.name: bus.id for bus in session.kit.buses}}
        now = next(name for name, bus in self._buses.items() if bus == pad.bus)
        column.addLayout(
            _choice(
                "Goes to",
                "The bus that the pad's sound flows through.",
                [*self._buses, _NEW],
                now,
                self._send,
            )
        )
        column.addLayout(self._notes_line())
        others = [
            p.name for p in session.kit.pads if p.id != pad.id and set(p.notes) & set(pad.notes)
        ]
        self.shared = label(
            f"These notes strike {', '.join(others)} too." if others else "", "marked"
        )
        self.shared.setWordWrap(True)
        self.shared.setVisible(bool(others))
        column.addWidget(self.shared)
        self.raise_button = button(
            f"Level as {with_article(pad.role)}",
            "Sets the pad's level so that its sound is as loud as Puddle's own of this role are; "
            "where that is not enough, its layers' too, all alike.",
            self.raise_to_role,
        )
        column.addWidget(self.raise_button)

    def raise_to_role(self) -> None:
        """Brings every selected pad to its own role's level."""
        kit = self._session.kit
        pads = [pad for key in self._session.selection.pads if (pad := kit.pad(key)) is not None]
        level_by_role(self._session, pads)

    def _set_role(self, role: str) -> None:
        known = next(r for r in ROLES if r == role)
        self._session.edit(
            f"{self._session.selection.who}: {role}",
            lambda kit: in_role(kit, self._session.selection.pads, known),
        )

    def _send(self, name: str) -> None:
        if name == _NEW:
            self._ask_bus()
            return
        self._session.edit(
            f"{self._session.selection.who}: goes to {name}",
            lambda kit: set_pads(kit, self._session.selection.pads, bus=self._buses[name]),
        )

    def _ask_bus(self) -> None:
        taken = {bus.name for bus in self._session.kit.buses}
        free = next(f"Bus {n}" for n in range(1, 1000) if f"Bus {n}" not in taken)
        who = short(self._session.selection.who)
        name = ask_name(self, "A new bus", f"{who} goes to a new bus, called:", free)
        if name is not None:
            self.send_to_new(name)
        else:
            box = self.findChild(QComboBox, "Goes to")
            if box is not None:
                box.setCurrentText(
                    next(n for n, bus in self._buses.items() if bus == self._pad.bus)
                )

    def send_to_new(self, name: str) -> None:
        """Makes a bus and sends the pad through it, as one step."""

        def send(kit: Kit) -> Kit:
            kit, bus = edits.add_bus(kit, name)
            return set_pads(kit, self._session.selection.pads, bus=bus.id)

        self._session.edit(f"{self._session.selection.who}: goes to the new bus {name}", send)

    def _notes_line(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.addWidget(label("Plays on", "soft"), 1)
        field = Field(notes_text(self._pad.notes))
        field.setToolTip(
            "The notes it answers to, such as C1, 38 or C2 - E2, with commas between them."
        )
        field.setAccessibleName("Plays on notes")
        field.setMaximumWidth(150)
        field.editingFinished.connect(lambda: self._set_notes(field))
        line.addWidget(field)
        return line

    def _set_notes(self, field: Field) -> None:
        text = field.text()
        notes, pad = notes_of(text), self._pad
        if notes is None:
            field.setText(notes_text(pad.notes))
            self._session.told.emit(
                f"“{text[:40]}” is no note: type C1, 38 or C2 - E2, with commas between them."
            )
        elif notes != pad.notes:
            self._session.edit(
                f"{pad.name}: plays on {text}", lambda kit: edits.set_pad(kit, pad.id, notes=notes)
            )


class BusLines(QWidget):
    """A bus's name, who goes to it, and its end."""

    def __init__(self, session: Session, bus: Bus) -> None:
        super().__init__()
        self._session = session
        self._bus = bus
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        names = [pad.name for pad in session.kit.pads if pad.bus == bus.id]
        who = label(f"{bus.name}: {', '.join(names)}.")
        who.setToolTip("Every pad that goes to this bus runs through its stages.")
        who.setWordWrap(True)
        column.addWidget(who)
        line = QHBoxLayout()
        line.addWidget(button("Rename bus", "Gives the bus another name.", self._ask_name))
        line.addWidget(
            button(
                "Remove bus",
                "Takes the bus and its stages out; its pads go straight to the master.",
                self.remove,
            )
        )
        line.addStretch(1)
        column.addLayout(line)

    def _ask_name(self) -> None:
        name = ask_other_name(self, self._bus.name)
        if name is not None:
            self.rename(name)

    def rename(self, name: str) -> None:
        """Another name for the bus."""
        bus = self._bus
        self._session.edit(
            f"{bus.name}: called {name}", lambda kit: edits.set_bus(kit, bus.id, name=name)
        )

    def remove(self) -> None:
        """Takes the bus out."""
        bus = self._bus
        self._session.edit(f"{bus.name} out", lambda kit: edits.remove_bus(kit, bus.id))


def _choice(
    name: str, says: str, offers: list[str], now: str, done: Callable[[str], None]
) -> QHBoxLayout:
    line = QHBoxLayout()
    line.addWidget(label(name, "soft"), 1)
    box = QComboBox()
    box.setObjectName(name)
    box.addItems(offers)
    box.setCurrentText(now)
    box.setToolTip(says)
    box.setAccessibleName(name)
    box.textActivated.connect(done)
    line.addWidget(box)
    return line


def notes_of(text: str) -> tuple[int, ...] | None:
    """The notes in a typed list of notes, numbers and ranges of them; None where one is wrong."""
    found: set[int] = set()
    for word in _RANGE.sub(_TO, text).replace(",", " ").split():
        ends = [_note(part) for part in word.split(_TO, 1)]
        if any(note is None for note in ends):
            return None
        low, high = sorted((ends[0] or 0, ends[-1] or 0))
        found |= set(range(low, high + 1))
    return tuple(sorted(found))


def _note(text: str) -> int | None:
    """A note from 0 to 127, by name or number."""
    number = float(text) if text.isdigit() else parsed_note(text)
    if number is None or number != round(number) or not 0 <= number <= 127:
        return None
    return round(number)


def notes_text(notes: tuple[int, ...]) -> str:
    """Notes as they are typed: three and more in a row as a range."""
    words: list[str] = []
    left = list(notes)
    while left:
        count = 1
        while count < len(left) and left[count] == left[0] + count:
            count += 1
        if count >= 3:
            words.append(f"{note_name(left[0])} - {note_name(left[count - 1])}")
        else:
            words += [note_name(n) for n in left[:count]]
        left = left[count:]
    return ", ".join(words)
