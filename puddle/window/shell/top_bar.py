"""The top bar: the mark, the kit's name and state, pages, the menu, the finder, undo and redo."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QMenu, QPushButton, QWidget

from puddle.window import theme
from puddle.window.commands import Page
from puddle.window.session.session import Session
from puddle.window.shell.actions import Actions
from puddle.window.widgets.controls import button, label, restyle
from puddle.window.widgets.mark import Mark
from puddle.window.widgets.passing import submenu

_WIDE_PX = 1140  # from here there is room for the mark's word
_WORDS_PX = 1270  # and from here for those of undo and redo
_KIT_PX, _LEAST_KIT_PX = 212, 120  # of the kit's name and state: by the window's width alone
_AROUND_PX = 96  # margins, the mark


class TopBar(QFrame):
    """Shows the kit and its history; what its menu does is in the actions that it is given."""

    def __init__(
        self,
        session: Session,
        actions: Actions,
        pages: Sequence[Page],
        menus: Sequence[str],
        open_recent: Callable[[Path], None],
    ) -> None:
        super().__init__()
        self._session = session
        self._commands, self._actions = actions.commands, actions.by_id
        self._open_recent = open_recent
        self.setObjectName("bar")
        self.setFixedHeight(46)
        line = QHBoxLayout(self)
        line.setContentsMargins(12, 0, 12, 0)
        line.setSpacing(6)
        line.addWidget(Mark(27))
        self._mark = label("Puddle")
        self._mark.setFont(theme.text_font(16, bold=True))
        line.addWidget(self._mark)
        line.addSpacing(6)
        line.addWidget(self._kit_lines())
        self.tabs = {page.id: self._tab(page.id) for page in pages if page.tab}
        tabs = QHBoxLayout()
        tabs.setSpacing(2)
        for made in self.tabs.values():
            tabs.addWidget(made)
        line.addLayout(tabs)
        line.addStretch(1)
        self.menu = self._made_menu(menus)
        self.menu_button = button(
            "Menu", "Every command, by what it is about (F10).", self.open_menu, name="Menu"
        )
        self.finder = button("Find", self._tip("find"), self._actions["find"].trigger, name="Find")
        self.undo = button("", "", self._actions["undo"].trigger, name="Undo")
        self.redo = button("", "", self._actions["redo"].trigger, name="Redo")
        self._right = (self.menu_button, self.finder, self.undo, self.redo)
        for made in self._right:
            line.addWidget(made)
        self.compare = self._tab("compare")
        self.compare.setObjectName("")
        line.addWidget(self.compare)
        self._fit()

    def _kit_lines(self) -> QWidget:
        """The kit's name and its state in a room of one width: tabs stay where they are."""
        self._kit = QWidget()
        line = QHBoxLayout(self._kit)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(5)
        self._kit_name = label("", "title")
        self.state = label("", "soft")
        line.addWidget(self._kit_name)
        line.addWidget(self.state)
        line.addStretch(1)
        return self._kit

    def _tab(self, name: str) -> QPushButton:
        """The button of a page."""
        made = QPushButton(self._actions[name].text())
        made.setObjectName("page_tab")
        made.setCheckable(True)
        made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        made.setCursor(Qt.CursorShape.PointingHandCursor)
        made.setToolTip(self._tip(name))
        made.clicked.connect(lambda: self._actions[name].trigger())
        return made

    def _tip(self, name: str) -> str:
        action = self._actions[name]
        return f"{action.toolTip()} ({action.shortcut().toString()})"

    def show_page(self, name: str) -> None:
        """Marks the page that is shown: a command's id; empty for the start page."""
        for key, made in (*self.tabs.items(), ("compare", self.compare)):
            made.setChecked(key == name)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Words give way to signs where the window is narrow."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        wide = self.width()
        self._mark.setVisible(wide >= _WIDE_PX)
        for made, sign, word in ((self.undo, "\u21b6", "Undo"), (self.redo, "\u21b7", "Redo")):
            made.setText(f"{sign} {word}" if wide >= _WORDS_PX else sign)
        others = (*self.tabs.values(), *self._right, self.compare)
        taken = sum(made.sizeHint().width() + 6 for made in others) + _AROUND_PX
        taken += self._mark.sizeHint().width() if wide >= _WIDE_PX else 0
        self._kit.setFixedWidth(min(_KIT_PX, max(_LEAST_KIT_PX, wide - taken)))
        self._show_name()

    def _show_name(self) -> None:
        name, state = self._session.kit.name, self.state
        room = self._kit.width() - 5 - state.fontMetrics().horizontalAdvance(state.text())
        metrics = self._kit_name.fontMetrics()
        shown = metrics.elidedText(name, Qt.TextElideMode.ElideMiddle, max(24, room))
        self._kit_name.setText(shown)
        self._kit_name.setToolTip(name)

    def open_menu(self) -> None:
        """All commands, under the button."""
        self.menu.popup(self.menu_button.mapToGlobal(self.menu_button.rect().bottomLeft()))

    def _made_menu(self, menus: Sequence[str]) -> QMenu:
        menu = QMenu(self)
        made = {name: submenu(menu, name) for name in menus}
        for command in self._commands:
            group = made[command.menu]
            if command.after_line:
                group.addSeparator()
            group.addAction(self._actions[command.id])
            if command.id == "open":
                self._recent = submenu(group, "Open recent")
                self._recent.aboutToShow.connect(self.fill_recent)
        return menu

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
        edited = session.history.edited
        trouble = session.file.saving.trouble
        if session.file.saving.busy:
            state, says = "· saving …", "The kit is being written."
        elif trouble:
            state = "· not recoverable"
            says = f"{trouble} Puddle goes on trying; until then a crash would lose your edits."
        elif edited:
            state, says = "· edited", "There are edits that are not saved (Ctrl+S)."
        else:
            state = "· saved" if session.file.path else "· not saved"
            says = (
                str(session.file.path)
                if session.file.path
                else "The kit lies in no file yet (Ctrl+S)."
            )
        self.state.setText(state)
        self.state.setToolTip(says)
        self._show_name()
        restyle(self.state, "warning" if trouble and not session.file.saving.busy else "soft")
        for name, made, what in (
            ("undo", self.undo, session.history.undo_name),
            ("redo", self.redo, session.history.redo_name),
        ):
            made.setEnabled(what is not None)
            verb = name.capitalize()
            made.setToolTip(f"{verb}: {what}" if what else f"Nothing to {name}.")
            action = self._actions[name]
            action.setText(f"{verb} {what}" if what else verb)
