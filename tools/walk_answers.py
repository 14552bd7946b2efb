"""What is answered by chance wherever a person would be asked: dialogs, names of files, drags."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from typing import Any
from unittest import mock

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QDrag, QDropEvent
from PyQt6.QtWidgets import QDialog, QFileDialog, QInputDialog, QMessageBox

from puddle.window.shore.pad_drop import PadDrop
from tools.walk_hand import Hand

_LEFT = Qt.MouseButton.LeftButton


class Answers:
    """The answers of a person whose hand this is."""

    def __init__(self, hand: Hand) -> None:
        self._hand, self.chance = hand, hand.chance

    @contextmanager
    def given(self) -> Iterator[None]:
        """While these are what a person answers."""
        kinds = QMessageBox.StandardButton
        with ExitStack() as stack:

            def answer(kind: Any, name: str, made: Callable[..., Any]) -> None:
                stack.enter_context(mock.patch.object(kind, name, made))

            chance = self.chance
            answers = (kinds.Save, kinds.Discard, kinds.Discard, kinds.Cancel)
            answer(QMessageBox, "exec", lambda *_: chance.choice(answers))
            answer(QMessageBox, "question", lambda *_: chance.choice((kinds.Yes, kinds.Cancel)))
            answer(QFileDialog, "getSaveFileName", lambda *_, **__: (self._new_name(), ""))
            answer(QFileDialog, "getOpenFileName", lambda *_: (self._old_name(), ""))
            answer(QFileDialog, "getExistingDirectory", lambda *_: "")
            answer(QFileDialog, "exec", lambda *_: QDialog.DialogCode.Accepted)
            answer(QFileDialog, "selectedFiles", lambda *_: [str(chance.choice(self._hand.files))])
            answer(QInputDialog, "getText", lambda *_, **__: self._words())
            answer(QInputDialog, "getInt", self._number)
            answer(QInputDialog, "getDouble", self._number)
            answer(QInputDialog, "getItem", self._item)
            answer(QDrag, "exec", lambda drag, *_: self._let_go(drag))
            yield

    def _new_name(self) -> str:
        return self.chance.choice(("", str(self._hand.folder / f"out {self.chance.randrange(6)}")))

    def _old_name(self) -> str:
        return str(self.chance.choice(self._hand.files)) if self.chance.random() < 0.8 else ""

    def _words(self) -> tuple[str, bool]:
        names = ("Gale", "", "Ümlaut ✓", "x" * 300, "3 5 7", "  spaced  ")
        return self.chance.choice(names), self.chance.random() < 0.8

    def _number(self, *given: Any, **_: Any) -> tuple[Any, bool]:
        value, low, high = (given[n] for n in (3, 4, 5))
        made = type(value)(self.chance.uniform(low, min(high, low + 1000)))
        return made, self.chance.random() < 0.8

    def _item(self, *given: Any, **_: Any) -> tuple[str, bool]:
        return self.chance.choice(list(given[3])), self.chance.random() < 0.8

    def _let_go(self, drag: QDrag) -> Qt.DropAction:
        """A drag of a pad ends on another place at once."""
        drops = self._hand.visible(PadDrop)
        data = drag.mimeData()
        if drops and data is not None and not self._hand.dropped:
            self._hand.dropped = True
            event = QDropEvent(
                QPointF(10, 10), Qt.DropAction.MoveAction, data, _LEFT,
                Qt.KeyboardModifier.NoModifier,
            )  # fmt: skip
            self.chance.choice(drops).dropEvent(event)
        drag.deleteLater()  # as `exec` does
        return Qt.DropAction.MoveAction
