"""Hits that sound alike: a row for each group, with the pad that it goes to."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QMimeData, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from puddle.kit.model.document import Likes, Pad
from puddle.kit.model.roles import DYES, ROLES, Role
from puddle.library.hit_groups import soft_to_hard
from puddle.library.marked import Marked
from puddle.units import db_from_gain
from puddle.window.pages.cut.likes_row import (
    HIT_MIME,
    LikesDrops,
    dropped_hit,
    hit_alone,
)
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.controls import label, scrolled
from puddle.window.widgets.dot import Dot
from puddle.window.widgets.passing import popup_once, submenu

NOT_SENT = "not sent"
_NEW = "to a new pad"


class _Row(QWidget):
    """One group."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(2, 0, 6, 0)
        row.setSpacing(8)
        self.mark = Dot("slate")
        row.addWidget(self.mark)
        self.name = QPushButton()
        self.name.setObjectName("flat")
        self.name.setCursor(Qt.CursorShape.PointingHandCursor)
        self.name.setFixedWidth(124)
        self.name.setStyleSheet("text-align: left; font-weight: bold;")
        row.addWidget(self.name)
        self.about = label("", "soft")
        self.about.setFixedWidth(138)
        row.addWidget(self.about)
        self.drops = LikesDrops()
        row.addWidget(self.drops, 1)
        self.target = QComboBox()
        self.target.setFixedWidth(140)
        row.addWidget(self.target)


class GroupsPanel(QWidget):
    """Rows of groups; a hit that is dropped under them makes a group of its own."""

    hit_chosen = pyqtSignal(int)
    hit_moved = pyqtSignal(int, object)  # a hit's frame, to a group's place or None for a new one
    hit_menu = pyqtSignal(object, int)
    renamed = pyqtSignal(int, str)
    role_chosen = pyqtSignal(int, str)
    aimed = pyqtSignal(int, str, bool)  # a pad's id or "" for a new one, and whether it is sent
    refound = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[_Row] = []
        self._groups: Sequence[Likes] = ()
        self._pads: tuple[tuple[str, str], ...] = ()
        self.carried: Callable[[int], QMimeData] = hit_alone
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 2, 8, 8)
        outer.setSpacing(4)
        head = QHBoxLayout()
        self.said = label("", "soft")
        head.addWidget(self.said, 1)
        self.again = QPushButton("Find anew")
        self.again.setObjectName("flat")
        self.again.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.again.setToolTip("Groups as they are found by likeness; what a hand moved is dropped.")
        self.again.clicked.connect(self.refound)
        head.addWidget(self.again)
        outer.addLayout(head)
        self._lines = QVBoxLayout()
        self._lines.setContentsMargins(0, 0, 0, 0)
        self._lines.setSpacing(1)
        self._lines.addStretch(1)
        outer.addWidget(scrolled(self._lines), 1)
        self.setAcceptDrops(True)

    # Showing.

    def show_groups(
        self,
        groups: Sequence[Likes],
        cut: Marked | None,
        pads: Sequence[Pad],
        left_out: frozenset[int],
        chosen: int,
        *,
        busy: bool,
        kept: bool,
    ) -> None:
        """All rows, as they stand."""
        self._groups = groups if cut is not None else ()
        self.said.setText("finding which sound alike …" if busy else "")
        self.again.setVisible(kept)
        while len(self.rows) < len(self._groups):
            self._add_row()
        known = tuple((p.id, p.name) for p in pads)
        for n, row in enumerate(self.rows):
            row.setVisible(n < len(self._groups))
            if n < len(self._groups) and cut is not None:
                self._show_row(n, row, self._groups[n], cut, left_out, chosen)
                self._show_targets(row, self._groups[n], known)

    def _show_row(
        self, n: int, row: _Row, group: Likes, cut: Marked, out: frozenset[int], chosen: int
    ) -> None:
        hits = [h for h in soft_to_hard(cut, group.hits) if cut.place_of(h) is not None]
        places = [cut.place_of(h) or 0 for h in hits]
        db = [db_from_gain(float(cut.peaks[p])) for p in places]
        row.mark.set_dye(dye_of(n))
        row.name.setText(group.name)
        row.name.setAccessibleName(f"Group {group.name}")
        row.name.setToolTip("Its name and role.")
        count = f"{len(hits)} hit{'' if len(hits) == 1 else 's'}"
        span = f", {max(db) - min(db):.0f} dB apart" if len(db) > 1 else ""
        row.about.setText(f"{group.role}, {count}")
        row.about.setToolTip(f"{group.role}, {count}{span}")
        row.drops.setAccessibleName(f"Hits of {group.name}, soft to hard")
        row.drops.show_hits(hits, db, [cut.doubts[p] for p in places], dye_of(n), out, chosen)

    def _show_targets(self, row: _Row, group: Likes, pads: tuple[tuple[str, str], ...]) -> None:
        box = row.target
        words = (_NEW, NOT_SENT, *(f"to {name}" for _, name in pads))
        if tuple(box.itemText(n) for n in range(box.count())) != words:
            box.blockSignals(True)
            box.clear()
            box.addItem(_NEW, "")
            box.addItem(NOT_SENT, NOT_SENT)
            for pad_id, name in pads:
                box.addItem(f"to {name}", pad_id)
            box.blockSignals(False)
        box.setAccessibleName(f"Where {group.name} goes")
        box.setToolTip(
            "A new pad, or the layers of one of the kit's: its stages and all else stay."
        )
        at = box.findData(group.pad if group.sent else NOT_SENT)
        box.setCurrentIndex(max(0, at))

    def _add_row(self) -> None:
        n, row = len(self.rows), _Row()
        row.drops.carried = lambda hit: self.carried(hit)
        row.drops.chosen.connect(self.hit_chosen)
        row.drops.menu_wanted.connect(self.hit_menu)
        row.drops.dropped.connect(lambda hit, place=n: self.hit_moved.emit(hit, place))
        row.name.clicked.connect(lambda: self._open_menu(n))
        row.target.activated.connect(lambda _: self._aim(n))
        self.rows.append(row)
        self._lines.insertWidget(n, row)

    def _aim(self, n: int) -> None:
        target = str(self.rows[n].target.currentData() or "")
        self.aimed.emit(n, "" if target == NOT_SENT else target, target != NOT_SENT)

    def _open_menu(self, n: int) -> None:
        group, row = self._groups[n], self.rows[n]
        menu = QMenu(self)
        menu.addAction("Rename …", lambda: self._ask_name(n))
        roles = submenu(menu, "Role")
        for role in ROLES:
            act = roles.addAction(role, lambda r=role: self.role_chosen.emit(n, r))
            assert act is not None
            act.setCheckable(True)
            act.setChecked(role == group.role)
        popup_once(menu, row.name.mapToGlobal(QPoint(0, row.name.height())))

    def _ask_name(self, n: int) -> None:
        old = self._groups[n].name
        name = ask_name(self, "Group", "A name for these hits:", old)
        if name and name != old:
            self.renamed.emit(n, name)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasFormat(HIT_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Let go beside the rows: a group of its own."""
        hit = dropped_hit(event)
        if hit is not None:
            self.hit_moved.emit(hit, None)


def dye_of(place: int) -> str:
    """The color of a group by its place: those next to each other differ."""
    order = ("walnut", "logwood", "madder", "indigo", "verdigris", "weld", "cochineal", "slate")
    assert set(order) == set(DYES)
    return order[place % len(order)]


def role_named(text: str) -> Role:
    """The role of that name."""
    return next(role for role in ROLES if role == text)
