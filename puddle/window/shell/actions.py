"""Commands as Qt's actions: for menus, shortcuts and buttons, enabled and checked as they say."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QAction, QActionGroup, QKeySequence
from PyQt6.QtWidgets import QWidget

from puddle.window.commands import Command, Context, always


class Actions(QObject):
    """An action for each command, by the command's id."""

    def __init__(self, commands: Sequence[Command], context: Context, window: QWidget) -> None:
        super().__init__(window)
        self.commands = tuple(commands)
        self._context = context
        self.by_id: dict[str, QAction] = {}
        self._can: dict[str, bool] = {}  # as it was shown last: every edit asks
        choices: dict[str, QActionGroup] = {}
        for command in self.commands:
            action = QAction(command.title, self)
            action.setCheckable(command.checked is not None)
            if command.keys:
                action.setShortcut(QKeySequence(command.keys))
            action.setToolTip(command.says)
            action.setStatusTip(command.says)
            action.triggered.connect(lambda _, name=command.id: self.do(name))
            if command.choices:
                choices.setdefault(command.choices, QActionGroup(self)).addAction(action)
            self.by_id[command.id] = action
            window.addAction(action)

    def do(self, name: str) -> None:
        """Carries a command out."""
        self.command(name).run(self._context)
        self.show_checked()

    def command(self, name: str) -> Command:
        """The record of a command."""
        return next(command for command in self.commands if command.id == name)

    def show_enabled(self) -> None:
        """What can do something now, and what is on."""
        for command in self.commands:
            can = command.when is always or command.when(self._context)
            if self._can.get(command.id) != can:
                self._can[command.id] = can
                self.by_id[command.id].setEnabled(can)
        self.show_checked()

    def show_checked(self) -> None:
        """What is on."""
        for command in self.commands:
            if command.checked is not None:
                self.by_id[command.id].setChecked(command.checked(self._context))
