"""Stage sets: whole rows of stages, put in, kept, copied and pasted."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import msgspec
from PyQt6.QtWidgets import QApplication, QMenu

from puddle.errors import PuddleError
from puddle.formats.ownfile import StagesFile, own_from_json
from puddle.home.own import keep, stage_sets
from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Stage
from puddle.window.editors.stage_cards import StageRow
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.passing import empty


class Shown(msgspec.Struct, frozen=True):
    """The row that is shown: where it stands, whose it is, and what is in it."""

    path: RowPath
    who: str
    stages: tuple[Stage, ...]


class StageSets:
    """The menu *Sets* of a row of stages."""

    def __init__(self, session: Session, row: StageRow, shown: Callable[[], Shown]) -> None:
        self._session = session
        self._row = row
        self._shown = shown

    def fill(self) -> None:
        """The sets that ship and one's own, and what can be done with this row."""
        menu = self._row.sets_menu
        empty(menu)
        for name, stages in stage_sets().items():
            self._offer(menu, name, partial(self.insert, name, stages))
        menu.addSeparator()
        copied = _copied()
        self._offer(menu, "Copy this row", self.copy, bool(self._row.cards))
        self._offer(menu, "Paste stages", self.paste, copied is not None)
        menu.addSeparator()
        self._offer(menu, "Keep this row as a set …", self._ask_name, bool(self._row.cards))

    def _offer(self, menu: QMenu, name: str, done: Callable[[], None], on: bool = True) -> None:
        action = menu.addAction(name)
        if action is not None:
            action.setEnabled(on)
            action.triggered.connect(lambda: done())

    def insert(self, name: str, stages: tuple[Stage, ...]) -> None:
        """Puts a set at the end of the row."""
        shown = self._shown()
        self._session.edit(
            f"{shown.who}: {name} in",
            lambda kit: rows.insert_stages(kit, shown.path, stages),
            large=True,
        )

    def _own(self, name: str) -> StagesFile:
        return StagesFile(name=name, stages=self._shown().stages)

    def copy(self) -> None:
        """The row to the clipboard, as text that another Puddle can read."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            text = msgspec.json.encode(self._own(f"{self._shown().who}'s stages"))
            clipboard.setText(text.decode())
            self._session.told.emit(f"{self._shown().who}'s stages can be pasted into another row.")

    def paste(self) -> None:
        """What was copied, at the end of the row."""
        copied = _copied()
        if copied is not None:
            self.insert(copied.name, copied.stages)

    def _ask_name(self) -> None:
        name = ask_name(
            self._row, "Keep as a set", "A name for this row of stages:", self._shown().who
        )
        if name is not None:
            self.keep(name)

    def keep(self, name: str) -> None:
        """Keeps the row under a name."""
        try:
            path = keep(self._own(name))
        except PuddleError as error:
            self._session.told.emit(str(error))
            return
        self._session.told.emit(f"{name} is a stage set now. To share it, copy {path}.")


def _copied() -> StagesFile | None:
    """The stages on the clipboard, if there are any."""
    clipboard = QApplication.clipboard()
    text = clipboard.text() if clipboard is not None else ""
    try:
        return own_from_json(text.encode(), StagesFile, "the clipboard")
    except PuddleError:
        return None
