"""The files of a delivery, folder by folder, with their sizes; dragged out one by one."""

from __future__ import annotations

from collections import defaultdict

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDrag
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTreeWidget, QTreeWidgetItem

from puddle.deliver.plan import Plan, Planned
from puddle.window import theme
from puddle.window.session.deliverer import Deliverer
from puddle.window.widgets.promised_files import PromisedFiles, Writing

_MOST_SHOWN = 200  # in a folder
_PATH = Qt.ItemDataRole.UserRole
_OPEN = 12  # folders with fewer files stand open
_EMPTY = "Choose above what is to leave."


class FileList(QTreeWidget):
    """Folders with their files."""

    def __init__(self, deliverer: Deliverer) -> None:
        super().__init__()
        self._deliverer = deliverer
        self._plan: Plan | None = None
        self._writing: Writing | None = None
        self._folders: dict[str, list[Planned]] = {}
        self.itemExpanded.connect(self._fill)
        self.setHeaderHidden(True)
        self.setColumnCount(2)
        self.setIndentation(14)
        self.setAccessibleName("Files that leave")
        self.setToolTip("What will be written. Drag a file out to have it alone, as it is here.")
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setDragEnabled(True)
        heads = self.header()
        if heads is not None:
            heads.setStretchLastSection(False)
            heads.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
            heads.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)

    def show_plan(self, plan: Plan | None) -> None:
        """Another plan; an open folder stays open."""
        if plan is self._plan:
            return
        opened = self._opened()
        self._plan = plan
        self.clear()
        self._folders = {}
        if plan is None or not plan.files:
            if plan is not None:
                self.addTopLevelItem(QTreeWidgetItem([_EMPTY, ""]))
            return
        folders: dict[str, list[Planned]] = defaultdict(list)
        for one in plan.files:
            folder, _, _ = one.path.rpartition("/")
            folders[folder].append(one)
        for one in folders.pop("", []):
            self.addTopLevelItem(_item(one))
        for folder, files in folders.items():
            self._add_folder(folder, files, opened)

    def _opened(self) -> set[str]:
        found = set()
        for n in range(self.topLevelItemCount()):
            item = self.topLevelItem(n)
            if item is not None and item.isExpanded():
                found.add(str(item.data(1, _PATH)))
        return found

    def _add_folder(self, folder: str, files: list[Planned], opened: set[str]) -> None:
        size = sum(one.size for one in files)
        count = "1 file" if len(files) == 1 else f"{len(files):,} files"
        item = QTreeWidgetItem([f"{folder}/", f"{count}  {_size(size)}"])
        item.setData(1, _PATH, folder)
        item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        font = item.font(0)
        font.setBold(True)
        item.setFont(0, font)
        item.setChildIndicatorPolicy(QTreeWidgetItem.ChildIndicatorPolicy.ShowIndicator)
        self._folders[folder] = files
        self.addTopLevelItem(item)
        item.setExpanded(folder in opened or (not opened and len(files) < _OPEN))

    def _fill(self, item: QTreeWidgetItem) -> None:
        """The files of a folder, when it is first opened."""
        files = self._folders.get(str(item.data(1, _PATH)), [])
        if item.childCount() or not files:
            return
        item.addChildren([_item(one) for one in files[:_MOST_SHOWN]])
        if len(files) > _MOST_SHOWN:
            item.addChild(QTreeWidgetItem([f"… {len(files) - _MOST_SHOWN:,} more", ""]))

    def startDrag(self, actions: Qt.DropAction) -> None:
        """A file that is written as soon as another program takes it."""
        item = self.currentItem()
        path = item.data(0, _PATH) if item is not None else None
        if not path:
            return
        drag = QDrag(self)
        drag.setMimeData(self.carried(str(path)))
        drag.exec(Qt.DropAction.CopyAction)

    def carried(self, path: str) -> PromisedFiles:
        """What a drag of a file takes along; what the one before wrote goes."""
        self.close_last()
        self._writing = Writing(self._deliverer.one_file(path))
        return PromisedFiles(self._writing, [])

    def close_last(self) -> None:
        """Removes what the last drag wrote."""
        writing, self._writing = self._writing, None
        if writing is not None:
            writing.remove()


def _item(one: Planned) -> QTreeWidgetItem:
    name = one.path.rpartition("/")[2]
    item = QTreeWidgetItem([name, _size(one.size)])
    item.setToolTip(0, one.path)
    item.setForeground(0, theme.color("ink"))
    item.setForeground(1, theme.color("soft"))
    item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    flags = item.flags()
    if one.last:
        flags &= ~Qt.ItemFlag.ItemIsDragEnabled  # it speaks of the others, and goes with them only
    else:
        item.setData(0, _PATH, one.path)
    item.setFlags(flags)
    return item


def _size(count: int) -> str:
    return f"{count / 1e6:.1f} MB" if count >= 1_000_000 else f"{max(1, round(count / 1000))} kB"
