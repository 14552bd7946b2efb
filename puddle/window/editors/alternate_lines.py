"""A pad's alternates, under Map: chosen, added, named, taken out."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QKeyEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from puddle.kit.edits import alternates
from puddle.kit.edits.address import ALTERNATE
from puddle.kit.model.address import Address
from puddle.kit.model.document import Pad, Sound
from puddle.window.editors.assigner import Assigner
from puddle.window.editors.swap import Swap
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_other_name
from puddle.window.widgets.controls import button, label
from puddle.window.widgets.file_drops import files_of, welcome_files
from puddle.window.widgets.passing import empty, submenu

_EMPTY = (
    "This pad has one sound. Add others to step through while the groove plays: drop files here, "
    "or take another pad's."
)
_ROW_PX, _MOST_ROWS = 29, 12


class _List(QListWidget):
    """Files dropped on it become alternates."""

    def __init__(self, owner: AlternateLines) -> None:
        super().__init__()
        self._owner = owner
        self.setAcceptDrops(True)
        self.setAccessibleName("Alternates")
        self.setToolTip("Whole sounds of this pad: a click plays another in its place.")

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        welcome_files(event)

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        if event is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        files = files_of(event)
        if files:
            self._owner.add_files(files)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._owner.remove()
        else:
            super().keyPressEvent(event)


class Sources(msgspec.Struct, frozen=True):
    """Where alternates come from."""

    ask_files: Callable[[], None]
    ask_voice: Callable[[], None]
    take_files: Callable[[list[Path]], None]


class AlternateLines(QWidget):
    """The list and its buttons."""

    def __init__(self, session: Session, sources: Sources) -> None:
        super().__init__()
        self._session = session
        self._sources = sources
        self._assigner = Assigner(session, self)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self._says = label(_EMPTY, "soft")
        self._says.setWordWrap(True)
        column.addWidget(self._says)
        self.list = _List(self)
        self.list.itemClicked.connect(lambda item: self.choose(self.list.row(item)))
        self.list.itemActivated.connect(lambda item: self.choose(self.list.row(item)))
        column.addWidget(self.list)
        steps = QHBoxLayout()
        self.previous = button(
            "‹ Previous", "The alternate before (Ctrl+Page Up).", lambda: self.step(-1)
        )
        self.next = button("Next ›", "The next alternate (Ctrl+Page Down).", lambda: self.step(1))
        self.swap = Swap(session)
        self.swap.button.setText("Swap source")
        self.to_gauge = button(
            "Kit gauge …", "Lets a kit gauge step through the alternates.", self._ask_gauge
        )
        self.gauge_menu = QMenu(self.to_gauge)
        for made in (self.previous, self.next, self.swap.button):
            steps.addWidget(made)
        steps.addStretch(1)
        column.addLayout(steps)
        line = QHBoxLayout()
        self.add = button("Add …", "Another whole sound for this pad.", self._ask_add)
        self.menu = QMenu(self.add)
        self.menu.aboutToShow.connect(self.fill)
        self.rename_button = button("Rename", "Another name for the chosen one.", self._ask_name)
        self.remove_button = button("Remove", "Takes the chosen one out.", self.remove)
        for made in (self.add, self.rename_button, self.remove_button, self.to_gauge):
            line.addWidget(made)
        line.addStretch(1)
        column.addLayout(line)
        column.addStretch(1)

    def show_pad(self, pad: Pad | None) -> None:
        """A pad's alternates, the one that plays marked."""
        found = alternates.alternates_of(pad) if pad is not None else ()
        self._says.setVisible(not found)
        names = [f"{'●' if n == pad.alternate else '○'}  {a.name}" for n, a in enumerate(found)] \
            if pad is not None else []  # fmt: skip
        if [self._text(n) for n in range(self.list.count())] != names:
            self.list.clear()
            for name in names:
                self.list.addItem(QListWidgetItem(name))
        self.list.setFixedHeight(_ROW_PX * min(_MOST_ROWS, max(2, len(names))) + 8)
        if pad is not None and found:
            self.list.setCurrentRow(pad.alternate)
        for made in (self.previous, self.next, self.rename_button, self.remove_button):
            made.setEnabled(bool(found))
        self.to_gauge.setEnabled(len(found) > 1)
        self.add.setEnabled(pad is not None)

    def _text(self, n: int) -> str:
        item = self.list.item(n)
        return item.text() if item is not None else ""

    def fill_gauges(self) -> None:
        """The kit gauges that can step through them, as every gauge offers them."""
        empty(self.gauge_menu)
        address = Address(of="pad", pad=self._session.pad_id, field=ALTERNATE)
        self._assigner.fill(self.gauge_menu, address)

    def _ask_gauge(self) -> None:
        self.fill_gauges()
        self.gauge_menu.popup(self.to_gauge.mapToGlobal(self.to_gauge.rect().bottomLeft()))

    # Edits.

    def choose(self, index: int) -> None:
        """Plays another alternate."""
        session, pad = self._session, self._session.pad
        if pad is not None and 0 <= index < len(pad.alternates) and index != pad.alternate:
            session.edit(
                f"{pad.name} plays {pad.alternates[index].name}",
                lambda kit: alternates.choose_alternate(kit, pad.id, index),
            )
            session.selection.select_layer(None)

    def step(self, by: int) -> None:
        """The next one, or the one before."""
        session, pad = self._session, self._session.pad
        if pad is not None:
            session.edit(
                f"{pad.name}: another alternate",
                lambda kit: alternates.step_alternate(kit, pad.id, by),
                ("alternate", pad.id),
            )

    def remove(self) -> None:
        """Takes the one that plays out; its neighbor plays."""
        session, pad = self._session, self._session.pad
        if pad is not None and pad.alternates:
            index = pad.alternate
            session.edit(
                f"{pad.alternates[index].name} out of {pad.name}",
                lambda kit: alternates.remove_alternate(kit, pad.id, index),
            )

    def _ask_name(self) -> None:
        pad = self._session.pad
        if pad is None or not pad.alternates:
            return
        name = ask_other_name(self, pad.alternates[pad.alternate].name)
        if name is not None:
            self.rename(name)

    def rename(self, name: str) -> None:
        """Another name for the one that plays."""
        session, pad = self._session, self._session.pad
        if pad is not None:
            index = pad.alternate
            session.edit(
                f"{pad.name}: an alternate called {name}",
                lambda kit: alternates.rename_alternate(kit, pad.id, index, name),
            )

    def _ask_add(self) -> None:
        self.menu.popup(self.add.mapToGlobal(self.add.rect().bottomLeft()))

    def fill(self) -> None:
        """What can become an alternate."""
        empty(self.menu)
        pad, kit = self._session.pad, self._session.kit
        if pad is None:
            return
        for name, done in (
            ("This sound again, to change it", partial(self.add_sound, pad.name, pad.sound)),
            ("Sound files …", self._sources.ask_files),
            ("A voice …", self._sources.ask_voice),
        ):
            action = self.menu.addAction(name)
            if action is not None:
                action.triggered.connect(lambda _, done=done: done())
        others = submenu(self.menu, "Another pad's sound")
        snapshots = submenu(self.menu, "A snapshot")
        for other in kit.pads:
            if other.id != pad.id:
                self._offer(others, other.name, other.sound)
        for snapshot in pad.snapshots:
            self._offer(snapshots, snapshot.name, snapshot.sound)
        others.setEnabled(len(kit.pads) > 1)
        snapshots.setEnabled(bool(pad.snapshots))

    def _offer(self, menu: QMenu, name: str, sound: Sound) -> None:
        action = menu.addAction(name)
        if action is not None:
            action.triggered.connect(partial(self._add, name, sound))

    def _add(self, name: str, sound: Sound, *_: object) -> None:
        self.add_sound(name, sound)

    def add_sound(self, name: str, sound: Sound) -> None:
        """Another sound, which plays from now on."""
        session, pad = self._session, self._session.pad
        if pad is not None:
            session.edit(
                f"{name} as an alternate of {pad.name}",
                lambda kit: alternates.add_alternate(kit, pad.id, name, sound),
            )

    def add_files(self, files: list[Path]) -> None:
        """Each file as an alternate."""
        self._sources.take_files(files)
