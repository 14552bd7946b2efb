"""The top bar: the mark, the kit's name and whether it is saved, pages, menus, undo and redo."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QMenu, QMenuBar, QPushButton

from puddle.window import theme
from puddle.window.commands import COMMANDS
from puddle.window.pages.start import Mark
from puddle.window.parts.controls import button, label, restyle
from puddle.window.session import Session

_MENUS = ("Kit", "Edit", "Sound", "Play", "Compare", "View", "Help")


class TopBar(QFrame):
    """Shows the kit and its history; what its menus do is in the actions that it is given."""

    def __init__(
        self,
        session: Session,
        actions: Mapping[str, QAction],
        open_recent: Callable[[Path], None],
    ) -> None:
        super().__init__()
        self._session = session
        self._actions = actions
        self._open_recent = open_recent
        self.setObjectName("bar")
        self.setFixedHeight(46)
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 0, 14, 0)
        line.setSpacing(9)
        line.addWidget(Mark(27))
        mark = label("Puddle")
        mark.setFont(theme.text_font(16, bold=True))
        line.addWidget(mark)
        line.addSpacing(8)
        self._kit_name = label("", "title")
        line.addWidget(self._kit_name)
        self._state = label("", "soft")
        line.addWidget(self._state)
        line.addSpacing(14)
        self.shape_tab = QPushButton("Shape")
        self.shape_tab.setCheckable(True)
        self.shape_tab.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.shape_tab.setChecked(True)
        self.shape_tab.setToolTip("The layers and stages of the selected sound.")
        self.shape_tab.clicked.connect(lambda: actions["shape"].trigger())
        line.addWidget(self.shape_tab)
        self.map_tab = QPushButton("Map")
        self.map_tab.setCheckable(True)
        self.map_tab.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.map_tab.setToolTip("Keys, strengths and turns of the pads.")
        self.map_tab.clicked.connect(lambda: actions["map"].trigger())
        line.addWidget(self.map_tab)
        line.addStretch(1)
        line.addWidget(self._menu_bar())
        line.addSpacing(6)
        self.undo = button("↶ Undo", "", actions["undo"].trigger, name="Undo")
        self.redo = button("Redo ↷", "", actions["redo"].trigger, name="Redo")
        line.addWidget(self.undo)
        line.addWidget(self.redo)
        self.compare_tab = QPushButton("Compare")
        self.compare_tab.setCheckable(True)
        self.compare_tab.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.compare_tab.setToolTip("This sound beside another, or beside itself as it was (F8).")
        self.compare_tab.clicked.connect(lambda: actions["compare"].trigger())
        line.addWidget(self.compare_tab)

    def _menu_bar(self) -> QMenuBar:
        menus = QMenuBar()
        menus.setNativeMenuBar(False)
        made = {name: menus.addMenu(name) for name in _MENUS}
        for command in COMMANDS:
            menu = made[command.menu]
            if menu is None:
                continue
            if command.after_line:
                menu.addSeparator()
            menu.addAction(self._actions[command.id])
            if command.id == "open":
                self._recent = QMenu("Open recent", menu)
                self._recent.aboutToShow.connect(self.fill_recent)
                menu.addMenu(self._recent)
        return menus

    def fill_recent(self) -> None:
        """The kits that were open lately and are still there."""
        self._recent.clear()
        paths = [p for p in map(Path, self._session.settings.recent) if p.exists()]
        for path in paths:
            action = self._recent.addAction(path.stem)
            if action is not None:
                action.setToolTip(str(path))
                action.triggered.connect(lambda _, path=path: self._open_recent(path))
        if not paths:
            empty = self._recent.addAction("none yet")
            if empty is not None:
                empty.setEnabled(False)

    def show_kit(self) -> None:
        """The name, whether it is saved, and what can be undone."""
        session = self._session
        self._kit_name.setText(session.kit.name)
        edited = session.history.edited
        trouble = session.saving.trouble
        if session.saving.busy:
            state, says = "· saving …", "The kit is being written."
        elif trouble:
            state = "· not recoverable"
            says = f"{trouble} Puddle goes on trying; until then a crash would lose your edits."
        elif edited:
            state, says = "· edited", "There are edits that are not saved (Ctrl+S)."
        else:
            state = "· saved" if session.path else "· not saved"
            says = str(session.path) if session.path else "The kit lies in no file yet (Ctrl+S)."
        self._state.setText(state)
        self._state.setToolTip(says)
        restyle(self._state, "warning" if trouble and not session.saving.busy else "soft")
        for name, made, what in (
            ("undo", self.undo, session.history.undo_name),
            ("redo", self.redo, session.history.redo_name),
        ):
            made.setEnabled(what is not None)
            verb = name.capitalize()
            made.setToolTip(f"{verb}: {what}" if what else f"Nothing to {name}.")
            action = self._actions[name]
            action.setEnabled(what is not None)
            action.setText(f"{verb} {what}" if what else verb)
