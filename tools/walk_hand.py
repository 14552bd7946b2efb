"""A hand that does anything that can be done, by chance: clicks, drags, keys, menus, files."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QContextMenuEvent, QDropEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QLineEdit,
    QMenu,
    QWidget,
)

from puddle.window.shell.menus.table import COMMANDS
from puddle.window.shell.shell import Shell
from puddle.window.shore.pad_drop import PadDrop
from puddle.window.widgets.gauge import Gauge
from tools.walk_files import files_in

_LEFT = Qt.MouseButton.LeftButton
_NOT_WALKED = {"quit", "open_beside"}
_TYPED = ("3", "-6", "1.2k", "A#1", "18 ms", "50", "0", "", "x", "-12", "999999", "C4 +10", "30L")
_KEYS = "QWERTYUIASDFGHJK"
_MODIFIERS = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
)


class Hand:
    """A hand on a shell that is shown."""

    def __init__(
        self,
        shell: Shell,
        folder: Path,
        chance: random.Random,
        timed: Callable[[Callable[[], object]], None],
        record: Callable[[str], None],
    ) -> None:
        """`timed` carries out what is a turn of the window of its own, `record` notes a fault."""
        self.shell, self.folder, self.chance = shell, folder, chance
        self._timed, self._record = timed, record
        self.files = files_in(folder)
        self.doing = ""
        self.dropped = False  # whether the drag that is under way has let its pad go
        self.ways: list[tuple[int, str, Callable[[], None]]] = [
            (20, "command", self.command),
            (16, "button", self.button),
            (24, "gauge", self.gauge),
            (14, "canvas", self.canvas),
            (10, "strike", self.strike),
            (6, "menu", self.context_menu),
            (5, "key", self.key),
            (4, "box", self.box),
            (3, "drop", self.drop),
            (3, "file", self.file),
            (6, "undo", self.undo),
            (4, "dialog", self.leave_dialogs),
            (2, "kit", self.kit),
        ]

    def _room(self) -> QWidget:
        """Where the hand is: the dialog on top, else the window."""
        dialogs = [
            w for w in QApplication.topLevelWidgets() if isinstance(w, QDialog) and w.isVisible()
        ]
        return dialogs[-1] if dialogs else self.shell

    def visible(self, kind: type[QWidget]) -> list[Any]:
        """What of a kind can be reached where the hand is."""
        found = self._room().findChildren(kind)
        return [w for w in found if w.isVisible() and w.isEnabled() and w.width() > 2]

    def _one(self, kind: type[QWidget]) -> Any:
        found = self.visible(kind)
        return self.chance.choice(found) if found else None

    def _place(self, widget: QWidget) -> QPoint:
        return QPoint(
            self.chance.randrange(max(1, widget.width())),
            self.chance.randrange(max(1, widget.height())),
        )

    def command(self) -> None:
        """Any command that is enabled."""
        if self._room() is not self.shell:
            return
        able = [
            c.id
            for c in COMMANDS
            if c.id not in _NOT_WALKED and self.shell.commands.by_id[c.id].isEnabled()
        ]
        name = self.chance.choice(able)
        self.doing = f"command {name}"
        self.shell.commands.by_id[name].trigger()

    def button(self) -> None:
        """A click on any button."""
        made: QAbstractButton | None = self._one(QAbstractButton)
        if made is not None:
            self.doing = f"button {made.accessibleName() or made.text()}"
            QTest.mouseClick(made, _LEFT)

    def gauge(self) -> None:
        """Any gauge: dragged, typed into, turned by the wheel or keys, put back."""
        made: Gauge | None = self._one(Gauge)
        if made is None:
            return
        self.doing = f"gauge {made.accessibleName()}"
        way = self.chance.randrange(5)
        if way == 0:
            self._drag(made, self._place(made), self._place(made))
        elif way == 1:
            made.setFocus()
            for letter in self.chance.choice(_TYPED):
                QTest.keyClick(QApplication.focusWidget() or made, letter)
            QTest.keyClick(QApplication.focusWidget() or made, Qt.Key.Key_Return)
        elif way == 2:
            self._wheel(made)
        elif way == 3:
            keys = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)
            QTest.keyClick(made, self.chance.choice(keys))
        else:
            QTest.mouseDClick(made, _LEFT)

    def canvas(self) -> None:
        """A drag, click or wheel anywhere on anything that is painted."""
        painted = [
            w
            for w in self.visible(QWidget)
            if type(w).__module__.startswith("puddle") and "paintEvent" in type(w).__dict__
        ]
        if not painted:
            return
        made = self.chance.choice(painted)
        self.doing = f"canvas {type(made).__name__}"
        way = self.chance.randrange(4)
        modifier = self.chance.choice(_MODIFIERS)
        if way < 2:
            self._drag(made, self._place(made), self._place(made), modifier)
        elif way == 2:
            QTest.mouseClick(made, _LEFT, modifier, self._place(made))
        else:
            self._wheel(made)

    def _drag(
        self,
        made: QWidget,
        start: QPoint,
        end: QPoint,
        modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
    ) -> None:
        self.dropped = False
        QTest.mousePress(made, _LEFT, modifier, start)
        for n in range(1, 5):
            if sip.isdeleted(made):
                return
            QTest.mouseMove(made, start + (end - start) * n / 4)
            self._timed(QApplication.processEvents)
        if not sip.isdeleted(made):
            QTest.mouseRelease(made, _LEFT, modifier, end)

    def _wheel(self, made: QWidget) -> None:
        at = QPointF(self._place(made))
        turned = self.chance.choice((-240, -120, 120, 240))
        event = QWheelEvent(
            at, made.mapToGlobal(at), QPoint(), QPoint(0, turned), Qt.MouseButton.NoButton,
            self.chance.choice(_MODIFIERS), Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(made, event)

    def strike(self) -> None:
        """A pad, by a click or a letter."""
        if self.chance.random() < 0.5:
            made: PadDrop | None = self._one(PadDrop)
            if made is not None:
                QTest.mouseClick(made, _LEFT, self.chance.choice(_MODIFIERS), self._place(made))
        else:
            QTest.keyClick(self.shell, self.chance.choice(_KEYS))

    def context_menu(self) -> None:
        """A right click anywhere, and any entry of what opens."""
        made: QWidget | None = self._one(QWidget)
        if made is None:
            return
        self.doing = f"menu of {type(made).__name__}"
        at = self._place(made)
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, made.mapToGlobal(at))
        QApplication.sendEvent(made, event)
        self._timed(QApplication.processEvents)
        menu = QApplication.activePopupWidget()
        for _ in range(3):
            if not isinstance(menu, QMenu):
                break
            entries = [a for a in menu.actions() if a.isEnabled() and not a.isSeparator()]
            if not entries or self.chance.random() < 0.15:
                break
            entry = self.chance.choice(entries)
            inner = entry.menu()
            if inner is None:
                self.doing += f", {entry.text()}"
                if not any(entry is self.shell.commands.by_id[n] for n in _NOT_WALKED):
                    entry.trigger()
                break
            menu = inner
        self._close_popups()

    def _close_popups(self) -> None:
        for _ in range(20):
            popup = QApplication.activePopupWidget()
            if popup is None:
                return
            popup.close()
        self._record("a popup that does not close")

    def key(self) -> None:
        """Any key where the focus is."""
        target = QApplication.focusWidget() or self.shell
        keys = (
            Qt.Key.Key_Tab, Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Left,
            Qt.Key.Key_Right, Qt.Key.Key_Delete, Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_5,
            Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight,
        )  # fmt: skip
        key = self.chance.choice(keys)
        self.doing = f"key {key.name} on {type(target).__name__}"
        QTest.keyClick(target, key, self.chance.choice(_MODIFIERS))

    def box(self) -> None:
        """Another entry of any list, or a word typed into any field."""
        made: QComboBox | None = self._one(QComboBox)
        if made is not None and self.chance.random() < 0.7:
            self.doing = f"box {made.accessibleName()}"
            QTest.keyClick(made, self.chance.choice((Qt.Key.Key_Up, Qt.Key.Key_Down)))
            return
        line: QLineEdit | None = self._one(QLineEdit)
        if line is not None:
            self.doing = f"field {line.accessibleName()}"
            line.setFocus()
            line.insert(self.chance.choice(("−12 Ümlaut", *_TYPED)))  # QTest types ASCII only
            QTest.keyClick(line, self.chance.choice((Qt.Key.Key_Return, Qt.Key.Key_Escape)))

    def drop(self) -> None:
        """Files let go anywhere that takes them, or a pad from place to place."""
        if self._room() is not self.shell:
            return
        made = self.chance.choice([*self.visible(PadDrop), self.shell.pages.currentWidget()])
        paths = self.chance.choices(self.files, k=self.chance.choice((1, 1, 2, 5)))
        self.doing = f"drop of {paths[0].name} on {type(made).__name__}"
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
        if made.acceptDrops():
            event = QDropEvent(
                QPointF(self._place(made)), Qt.DropAction.CopyAction, data, _LEFT,
                Qt.KeyboardModifier.NoModifier,
            )  # fmt: skip
            made.dropEvent(event)

    def file(self) -> None:
        """A save, or another kit, whatever else is going on."""
        if self._room() is not self.shell:
            return
        place = self.folder / f"kit{self.chance.randrange(4)}.puddle"
        if self.chance.random() < 0.7 or not place.exists():
            self.doing = "save"
            self.shell.kits.save_to(place)
        else:
            self.doing = "open"
            self.shell.kits.open(place)

    def kit(self) -> None:
        """The demo anew, so that there is something to walk in."""
        if self._room() is self.shell and self.chance.random() < 0.3:
            self.doing = "the demo"
            self.shell.do("demo")

    def undo(self) -> None:
        """Steps back and forth."""
        session = self.shell.session
        for _ in range(self.chance.choice((1, 1, 3, 10))):
            # Each is a key of its own, and so a turn.
            self._timed(session.undo if self.chance.random() < 0.65 else session.redo)

    def leave_dialogs(self) -> None:
        """Closes what lies over the window."""
        for widget in QApplication.topLevelWidgets():
            if isinstance(widget, QDialog) and widget.isVisible():
                self.doing = f"leaving {type(widget).__name__}"
                if self.chance.random() < 0.5:
                    widget.reject()
                else:
                    widget.accept()
