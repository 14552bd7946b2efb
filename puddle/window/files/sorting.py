"""Several recordings sorted into drums, shown and changed before they land as pads."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from puddle.kit.edits.landing import AS, told
from puddle.kit.model.document import Sample
from puddle.kit.model.roles import ROLES
from puddle.library.intake import Drum, Found, drum_of
from puddle.units import with_unit
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, label
from puddle.window.widgets.passing import answer_buttons

_MOST_EXPANDED = 64
_NAME, _TAKEN, _ROLE = range(3)
_HEAD_PX, _ROW_PX = 31, 20  # a pad with its lists; of a recording more are in sight


class _Tree(QTreeWidget):
    """Drums with their recordings, which are dragged from one to another."""

    def __init__(self, moved: Callable[[list[QTreeWidgetItem], QTreeWidgetItem | None], None]):
        super().__init__()
        self._moved = moved
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setHeaderLabels(["Pad", "Taken as", "Role"])
        self.setAccessibleName("Drums and their recordings")
        self.setToolTip(
            "Each line is a pad to be. Drag recordings from one to another, or beside them for a "
            "pad of their own; F2 gives another name; a click plays."
        )

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is None:
            return
        target = self.itemAt(event.position().toPoint())
        self._moved(self.selectedItems(), target)
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()


class Sorting(QDialog):
    """The drums that were found, to be changed before they land."""

    def __init__(
        self,
        session: Session,
        drums: list[Drum],
        land: Callable[[list[Drum]], None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._session = session
        self._land = land
        self.drums = drums
        self.setWindowTitle("Recordings sorted into pads")
        self.resize(760, 620)
        column = QVBoxLayout(self)
        self.says = label("", "title")
        column.addWidget(self.says)
        hint = label(
            "Sorted by likeness and by name. Nothing has landed yet: drag recordings where they "
            "belong.",
            "soft",
        )
        hint.setWordWrap(True)
        column.addWidget(hint)
        self.tree = _Tree(self._move)
        self.tree.setColumnWidth(_NAME, 330)
        self.tree.setColumnWidth(_TAKEN, 240)
        self.tree.itemChanged.connect(self._renamed)
        self.tree.itemClicked.connect(self._audition)
        column.addWidget(self.tree, 1)
        line = QHBoxLayout()
        for name, says, done in (
            ("Join", "Makes one pad of the chosen ones.", self.join),
            ("Apart", "Gives the chosen recordings a pad of their own.", self.apart),
            ("Each its own", "Gives every chosen recording a pad of its own.", self.each),
            ("Leave out", "The chosen recordings do not land.", self.leave_out),
        ):
            line.addWidget(button(name, says, done))
        line.addStretch(1)
        column.addLayout(line)
        kinds = QDialogButtonBox.StandardButton
        buttons = answer_buttons(self, kinds.Ok | kinds.Cancel)
        ok = buttons.button(kinds.Ok)
        if ok is not None:
            ok.setText("Land")
            ok.setObjectName("primary")
        self.ok = ok
        column.addWidget(buttons)
        self._fill()

    # Showing.

    def _fill(self) -> None:
        self.drums = [drum for drum in self.drums if drum.found]
        self.tree.blockSignals(True)
        self.tree.clear()
        for drum in self.drums:
            self._add(drum)
        if sum(len(drum.found) for drum in self.drums) <= _MOST_EXPANDED:
            self.tree.expandAll()
        self.tree.blockSignals(False)
        count = sum(len(drum.found) for drum in self.drums)
        pads = f"{len(self.drums)} pad{'' if len(self.drums) == 1 else 's'}"
        self.says.setText(f"{count} recordings on {pads}")
        if self.ok is not None:
            self.ok.setEnabled(count > 0)

    def _add(self, drum: Drum) -> None:
        head = QTreeWidgetItem([drum.name])
        head.setFlags(head.flags() | Qt.ItemFlag.ItemIsEditable)
        head.setSizeHint(_NAME, QSize(0, _HEAD_PX))
        head.setData(0, Qt.ItemDataRole.UserRole, drum)
        self.tree.addTopLevelItem(head)
        landing = drum.landing()
        loud = {n: rung for rung, places in enumerate(landing.rungs) for n in places}
        order = sorted(range(len(drum.found)), key=lambda n: (loud.get(n, 0), n))
        for n in order:
            one = drum.found[n]
            about = with_unit(one.strength.loudness_lufs, "LUFS", 1)
            if len(landing.rungs) > 1 and drum.taken_as == AS[0]:
                about = f"velocity {loud[n] + 1}, {about}"
            row = QTreeWidgetItem([one.content.name, about])
            for column in (_NAME, _TAKEN, _ROLE):
                row.setSizeHint(column, QSize(0, _ROW_PX))
            row.setData(0, Qt.ItemDataRole.UserRole, one)
            row.setFlags(row.flags() & ~Qt.ItemFlag.ItemIsDropEnabled)
            head.addChild(row)
        taken = QComboBox()
        taken.addItems([told(landing) if a == drum.taken_as else a for a in AS])
        taken.setCurrentIndex(AS.index(landing.taken_as))
        taken.setAccessibleName(f"How {drum.name} is taken")
        taken.setToolTip("Whether its recordings are velocities, a round robin, or all at once.")
        taken.activated.connect(lambda n, drum=drum: self._take(drum, AS[n]))
        self.tree.setItemWidget(head, _TAKEN, taken)
        role = QComboBox()
        role.addItems(list(ROLES))
        role.setCurrentText(landing.role)
        role.setAccessibleName(f"Role of {drum.name}")
        role.setToolTip("What kind of drum it is: gives the pad its notes and its dye.")
        role.textActivated.connect(lambda text, drum=drum: self._give_role(drum, text))
        self.tree.setItemWidget(head, _ROLE, role)

    # Changing.

    def _take(self, drum: Drum, taken_as: str) -> None:
        drum.taken_as = taken_as
        self._fill()

    def _give_role(self, drum: Drum, role: str) -> None:
        drum.role = next(r for r in ROLES if r == role)

    def _renamed(self, item: QTreeWidgetItem, column: int) -> None:
        drum = item.data(0, Qt.ItemDataRole.UserRole)
        name = item.text(0).strip()[:120]
        if isinstance(drum, Drum) and name:
            drum.name = name

    def _audition(self, item: QTreeWidgetItem, column: int) -> None:
        one: Any = item.data(0, Qt.ItemDataRole.UserRole)
        if isinstance(one, Drum):
            one = one.found[0]
        content = one.content
        self._session.renders.audition(Sample(content=content.hash, end_ms=content.length_ms))

    def chosen(self) -> list[Found]:
        """The recordings that are chosen, by themselves or with their drum."""
        found: list[Found] = []
        for item in self.tree.selectedItems():
            one = item.data(0, Qt.ItemDataRole.UserRole)
            found += one.found if isinstance(one, Drum) else [one]
        return list(dict.fromkeys(found))

    def _take_out(self, chosen: list[Found]) -> None:
        for drum in self.drums:
            drum.found = [one for one in drum.found if one not in chosen]

    def _move(self, items: list[QTreeWidgetItem], target: QTreeWidgetItem | None) -> None:
        """Recordings dropped on a drum, on one of its recordings, or beside them all."""
        chosen = self.chosen()
        head = target if target is None or target.parent() is None else target.parent()
        drum = head.data(0, Qt.ItemDataRole.UserRole) if head is not None else None
        if not chosen:
            return
        self._take_out(chosen)
        if isinstance(drum, Drum):
            drum.found += chosen
        else:
            self.drums.append(drum_of(chosen))
        self._fill()

    def join(self) -> None:
        """Merges the selected recordings into one drum."""
        chosen = self.chosen()
        if chosen:
            first = next(drum for drum in self.drums if chosen[0] in drum.found)
            self._take_out(chosen)
            first.found += chosen
            self._fill()

    def apart(self) -> None:
        """Moves the selected recordings to a drum of their own."""
        self._move(self.tree.selectedItems(), None)

    def each(self) -> None:
        """Every chosen recording on a pad of its own."""
        chosen = self.chosen()
        self._take_out(chosen)
        self.drums += [drum_of([one]) for one in chosen]
        self._fill()

    def leave_out(self) -> None:
        """Removes the selected recordings from the import."""
        self._take_out(self.chosen())
        self._fill()

    def accept(self) -> None:
        """Accepts: creates pads from the drums as they are shown."""
        super().accept()
        self._land(self.drums)
