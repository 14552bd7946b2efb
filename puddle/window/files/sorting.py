"""Several recordings sorted into drums, shown and changed before they land as pads."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

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

from puddle.formats.sound import SUFFIXES
from puddle.kit.edits.landing import AS, Landing, told
from puddle.kit.model.document import Content, Sample
from puddle.kit.model.roles import ROLES, Role
from puddle.units import with_unit
from puddle.wanted import checkpoint
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, label

if TYPE_CHECKING:
    from puddle.measure.grouping import Likeness
    from puddle.measure.ordering import Strength

MOST_FILES = 512
_MOST_SEEN = 100_000
_MOST_EXPANDED = 64
_NAME, _TAKEN, _ROLE = range(3)


@dataclass(eq=False)
class Found:
    """A recording that was taken in, and what was measured of it."""

    content: Content
    role: str
    strength: Strength
    likeness: Likeness
    onset_ms: float = 0.0  # where its hit begins; 0 where it is taken whole


@dataclass(eq=False)
class Drum:
    """Recordings of one drum, as they are to land."""

    name: str
    found: list[Found] = field(default_factory=list)
    role: Role | None = None  # None for what most of its recordings are
    taken_as: str = AS[0]

    def landing(self) -> Landing:
        """What lands of it."""
        from puddle.measure.ordering import strengths_and_turns

        strengths = [one.strength for one in self.found]
        counts = Counter(one.role for one in self.found)
        role = self.role or next((r for r in ROLES if r == counts.most_common(1)[0][0]), None)
        return Landing(
            name=self.name,
            role=role or "percussion",
            contents=tuple(one.content for one in self.found),
            rungs=tuple(tuple(rung) for rung in strengths_and_turns(strengths)),
            levels=tuple(one.loudness_lufs for one in strengths),
            taken_as=next(a for a in AS if a == self.taken_as),
            onsets_ms=tuple(one.onset_ms for one in self.found),
        )


def sound_files(paths: list[Path]) -> list[Path]:
    """The files given, and the sound files in the folders given, in the order of their names.

    Of a folder no more than `_MOST_SEEN` files are looked at: a whole disk may have been dropped.
    """
    found: list[Path] = []
    for path in paths:
        found += sorted(_inside(path)) if path.is_dir() else [path]
    return found


def _inside(folder: Path) -> Iterator[Path]:
    seen = 0
    for place, _, names in os.walk(folder):  # links to folders are not followed
        for name in names:
            checkpoint()
            seen += 1
            if seen > _MOST_SEEN:
                return
            path = Path(place, name)
            if path.suffix.lower() in SUFFIXES and path.is_file():
                yield path


def sorted_drums(found: list[Found]) -> list[Drum]:
    """Recordings by drum, each drum named after what its files share."""
    from puddle.measure.grouping import grouped

    names = [one.content.name for one in found]
    groups = grouped(names, [one.likeness for one in found])
    drums = [_drum_of([found[n] for n in g]) for g in groups]
    used: Counter[str] = Counter()
    for drum in drums:
        used[drum.name] += 1
        if used[drum.name] > 1:
            drum.name = f"{drum.name} {used[drum.name]}"
    return drums


def _drum_of(found: list[Found]) -> Drum:
    """A drum called after the stem that most of its files share; else after its role."""
    from puddle.measure.grouping import stem

    names = [one.content.name for one in found]
    if len(names) == 1:
        name = names[0].rsplit(".", 1)[0] or names[0]
        return Drum((name[:1].upper() + name[1:])[:120], found)
    shared, count = Counter(stem(name) for name in names).most_common(1)[0]
    drum = Drum("", found)
    told = shared if count > len(names) / 2 and len(shared) > 1 else drum.landing().role
    drum.name = (told[:1].upper() + told[1:])[:120]
    return drum


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
        self.resize(760, 560)
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
        buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        ok = buttons.button(kinds.Ok)
        if ok is not None:
            ok.setText("Land")
            ok.setObjectName("primary")
        self.ok = ok
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
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
        head.setSizeHint(_NAME, QSize(0, 31))
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
            self.drums.append(_drum_of(chosen))
        self._fill()

    def join(self) -> None:
        """One pad of what is chosen."""
        chosen = self.chosen()
        if chosen:
            first = next(drum for drum in self.drums if chosen[0] in drum.found)
            self._take_out(chosen)
            first.found += chosen
            self._fill()

    def apart(self) -> None:
        """What is chosen on a pad of its own."""
        self._move(self.tree.selectedItems(), None)

    def each(self) -> None:
        """Every chosen recording on a pad of its own."""
        chosen = self.chosen()
        self._take_out(chosen)
        self.drums += [_drum_of([one]) for one in chosen]
        self._fill()

    def leave_out(self) -> None:
        """What is chosen does not land."""
        self._take_out(self.chosen())
        self._fill()

    def accept(self) -> None:
        """Lands."""
        super().accept()
        self._land(self.drums)
