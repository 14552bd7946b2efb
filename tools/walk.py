"""A random walk over everything a hand can reach: ``python -m tools.walk --minutes 60``.

Commands, buttons, gauges, canvases, menus, dialogs, keys, dropped files, saves and reopened kits,
in any order, offscreen, with the groove playing or not. It reports tracebacks, Qt's own warnings,
how long the window was held at most and by what, and how memory grew. A seed makes the same choices
again; what they meet depends on how fast renders are.
"""

from __future__ import annotations

import argparse
import ctypes
import gc
import logging
import os
import random
import sys
import tempfile
import threading
import time
import traceback
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any
from unittest import mock

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6 import sip
from PyQt6.QtCore import (
    QEvent,
    QMimeData,
    QPoint,
    QPointF,
    Qt,
    QTimer,
    QtMsgType,
    QUrl,
    qInstallMessageHandler,
)
from PyQt6.QtGui import QContextMenuEvent, QDrag, QDropEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QMenu,
    QMessageBox,
    QWidget,
)

from puddle.window.app import rest_of_start
from puddle.window.shell.menus.table import COMMANDS
from puddle.window.shell.shell import Shell
from puddle.window.shore.pad_drop import PadDrop
from puddle.window.widgets.gauge import Gauge
from tools.walk_files import files_in
from tools.walk_report import Report, slowness

_LEFT = Qt.MouseButton.LeftButton
_LONG_S = 0.1
_WAITING_S = 20.0
_LOOKED_AT_S = 0.3  # a menu, before it is left
_CACHE_BYTES = 64 << 20
_MEASURED_S = 0.4  # how often the machine's speed is measured: it changes within a second
_NOT_WALKED = {"quit", "open_beside"}
_EXPECTED = ("propagateSizeHints", "This plugin does not support", "raise()")
_TYPED = ("3", "-6", "1.2k", "A#1", "18 ms", "50", "0", "", "x", "-12", "999999", "C4 +10", "30L")
_KEYS = "QWERTYUIASDFGHJK"
_MODIFIERS = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
)


class Walk:
    """Walks a shell that is shown."""

    def __init__(self, shell: Shell, folder: Path, seed: int) -> None:
        self.shell = shell
        self.folder = folder
        self.chance = random.Random(seed)
        self.report = Report()
        self._doing = ""
        self._begun = time.monotonic()
        self._measured, self._slowness = 0.0, 1.0  # of the machine, just before
        self._dropped = False
        self._inside = (0.0, 0.0)
        self._files = files_in(folder)
        self._ways: list[tuple[int, str, Callable[[], None]]] = [
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

    def _import_ahead(self) -> None:
        """As the window does on a worker once its card is open, before a hand reaches a page."""
        self.shell.pages.import_ahead()
        end = time.monotonic() + 20.0
        while not self.shell.session.background.spare.wait(0.02) and time.monotonic() < end:
            QApplication.processEvents()
        rest_of_start()  # as the window does too: what is loaded is not collected in a turn

    def run(self, seconds: float) -> Report:
        """Walks for so long."""
        start = time.monotonic()
        noted = start - 10.0
        self._import_ahead()
        rescuer = QTimer()
        rescuer.timeout.connect(self._rescue)
        rescuer.start(500)
        with self._answered(), self._heard():
            while time.monotonic() - start < seconds:
                self.step()
                if time.monotonic() - noted >= min(10.0, seconds / 12.0):
                    noted = time.monotonic()
                    self._note_memory(noted - start)
            self.leave_dialogs()
            self._settle()
        return self.report

    def _rescue(self) -> None:
        """Leaves what waits for a hand in the middle of an action: it would wait for ever.

        The menu that Qt opens over a spin box waits so, and is left as by a click elsewhere.
        """
        popup = QApplication.activePopupWidget()
        if popup is not None and time.monotonic() - self._begun > _LOOKED_AT_S:
            popup.close()
            return
        waiting = QApplication.activeModalWidget()
        if waiting is not None and time.monotonic() - self._begun > _WAITING_S:
            self._record(f"waits inside {type(waiting).__name__} {waiting.windowTitle()}")
            waiting.close()

    def step(self) -> None:
        """One action, and what the window makes of it."""
        self._begun = time.monotonic()
        if self._begun - self._measured > _MEASURED_S:
            self._measured, self._slowness = self._begun, slowness()
        weights = [weight for weight, _, _ in self._ways]
        _, name, act = self.chance.choices(self._ways, weights)[0]
        self._doing = name
        self._timed(act)
        self.report.actions[name] += 1
        for _ in range(self.chance.randrange(1, 5)):
            self._timed(QApplication.processEvents)
            time.sleep(self.chance.choice((0.0, 0.002, 0.02)))
        if self._bare() or len(self.report.turns) > 200_000:
            self.report.turns = self.report.worst
        if self._doing != "undo" and self.chance.random() < 0.05:
            self._let_go_deferred()

    def _bare(self) -> bool:
        """Whether a kit is left that there is nothing to do with; then the demo comes back."""
        session = self.shell.session
        if len(session.kit.pads) >= 2 or self.chance.random() > 0.1:
            return False
        self._doing = "the demo"
        session.history.mark_saved(session.kit)
        self._timed(lambda: self.shell.do("demo"))
        return False

    def _timed(self, act: Callable[[], object]) -> None:
        """Notes how long it holds the window: without turns of the window inside of it."""
        outer, self._inside = self._inside, (0.0, 0.0)
        work, clock = time.thread_time(), time.perf_counter()
        try:
            act()
        except RuntimeError as error:
            if "has been deleted" not in str(error):  # it went while the hand was on its way
                self._record("".join(traceback.format_exception(error)))
        except Exception as error:
            self._record("".join(traceback.format_exception(error)))
        work, clock = time.thread_time() - work, time.perf_counter() - clock
        inside, self._inside = self._inside, (outer[0] + work, outer[1] + clock)
        work, clock = work - inside[0], clock - inside[1]
        if work > _LONG_S:  # the machine, shared, may run at a fifth of its speed just now
            work /= max(self._slowness, slowness())
        self.report.turns.append((work, clock, self._doing))

    def _record(self, text: str) -> None:
        self.report.tracebacks.append(f"{self._doing}: {text}")

    # What a hand does.

    def _room(self) -> QWidget:
        """Where the hand is: the dialog on top, else the window."""
        dialogs = [
            w for w in QApplication.topLevelWidgets() if isinstance(w, QDialog) and w.isVisible()
        ]
        return dialogs[-1] if dialogs else self.shell

    def _visible(self, kind: type[QWidget]) -> list[Any]:
        found = self._room().findChildren(kind)
        return [w for w in found if w.isVisible() and w.isEnabled() and w.width() > 2]

    def _one(self, kind: type[QWidget]) -> Any:
        found = self._visible(kind)
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
        self._doing = f"command {name}"
        self.shell.commands.by_id[name].trigger()

    def button(self) -> None:
        """A click on any button."""
        made: QAbstractButton | None = self._one(QAbstractButton)
        if made is not None:
            self._doing = f"button {made.accessibleName() or made.text()}"
            QTest.mouseClick(made, _LEFT)

    def gauge(self) -> None:
        """Any gauge: dragged, typed into, turned by the wheel or keys, put back."""
        made: Gauge | None = self._one(Gauge)
        if made is None:
            return
        self._doing = f"gauge {made.accessibleName()}"
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
            for w in self._visible(QWidget)
            if type(w).__module__.startswith("puddle") and "paintEvent" in type(w).__dict__
        ]
        if not painted:
            return
        made = self.chance.choice(painted)
        self._doing = f"canvas {type(made).__name__}"
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
        self._dropped = False
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
        self._doing = f"menu of {type(made).__name__}"
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
                self._doing += f", {entry.text()}"
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
        self._doing = f"key {key.name} on {type(target).__name__}"
        QTest.keyClick(target, key, self.chance.choice(_MODIFIERS))

    def box(self) -> None:
        """Another entry of any list, or a word typed into any field."""
        made: QComboBox | None = self._one(QComboBox)
        if made is not None and self.chance.random() < 0.7:
            self._doing = f"box {made.accessibleName()}"
            QTest.keyClick(made, self.chance.choice((Qt.Key.Key_Up, Qt.Key.Key_Down)))
            return
        line: QLineEdit | None = self._one(QLineEdit)
        if line is not None:
            self._doing = f"field {line.accessibleName()}"
            line.setFocus()
            line.insert(self.chance.choice(("−12 Ümlaut", *_TYPED)))  # QTest types ASCII only
            QTest.keyClick(line, self.chance.choice((Qt.Key.Key_Return, Qt.Key.Key_Escape)))

    def drop(self) -> None:
        """Files let go anywhere that takes them, or a pad from place to place."""
        if self._room() is not self.shell:
            return
        made = self.chance.choice([*self._visible(PadDrop), self.shell.pages.currentWidget()])
        paths = self.chance.choices(self._files, k=self.chance.choice((1, 1, 2, 5)))
        self._doing = f"drop of {paths[0].name} on {type(made).__name__}"
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
            self._doing = "save"
            self.shell.kits.save_to(place)
        else:
            self._doing = "open"
            self.shell.kits.open(place)

    def kit(self) -> None:
        """The demo anew, so that there is something to walk in."""
        if self._room() is self.shell and self.chance.random() < 0.3:
            self._doing = "the demo"
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
                self._doing = f"leaving {type(widget).__name__}"
                if self.chance.random() < 0.5:
                    widget.reject()
                else:
                    widget.accept()

    # What is answered where a person would be asked.

    @contextmanager
    def _answered(self) -> Iterator[None]:
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
            answer(QFileDialog, "selectedFiles", lambda *_: [self._old_name()])
            answer(QInputDialog, "getText", lambda *_, **__: self._words())
            answer(QInputDialog, "getInt", self._number)
            answer(QInputDialog, "getDouble", self._number)
            answer(QInputDialog, "getItem", self._item)
            answer(QDrag, "exec", lambda drag, *_: self._let_go(drag))
            yield

    def _new_name(self) -> str:
        return self.chance.choice(("", str(self.folder / f"out {self.chance.randrange(6)}")))

    def _old_name(self) -> str:
        return str(self.chance.choice(self._files)) if self.chance.random() < 0.8 else ""

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
        drops = self._visible(PadDrop)
        data = drag.mimeData()
        if drops and data is not None and not self._dropped:
            self._dropped = True
            event = QDropEvent(
                QPointF(10, 10), Qt.DropAction.MoveAction, data, _LEFT,
                Qt.KeyboardModifier.NoModifier,
            )  # fmt: skip
            self.chance.choice(drops).dropEvent(event)
        drag.deleteLater()  # as `exec` does
        return Qt.DropAction.MoveAction

    # What is noted.

    @contextmanager
    def _heard(self) -> Iterator[None]:
        report = self.report

        class Errors(logging.Handler):
            def emit(self, record: logging.LogRecord) -> None:
                report.tracebacks.append(self.format(record))

        def said(kind: QtMsgType, context: object, text: str | None) -> None:
            if kind == QtMsgType.QtFatalMsg:
                print(f"fatal, at {self._doing}: {text}", file=sys.stderr, flush=True)
            if kind != QtMsgType.QtDebugMsg and text and not any(e in text for e in _EXPECTED):
                report.warnings.append(f"{self._doing}: {text}")

        handler = Errors(logging.ERROR)
        logging.getLogger().addHandler(handler)
        hooks = sys.excepthook, threading.excepthook
        sys.excepthook = lambda *e: self._record("".join(traceback.format_exception(*e)))
        threading.excepthook = lambda e: self._record(f"{e.exc_type} {e.exc_value} in {e.thread}")
        before = qInstallMessageHandler(said)
        try:
            yield
        finally:
            qInstallMessageHandler(before)
            sys.excepthook, threading.excepthook = hooks
            logging.getLogger().removeHandler(handler)

    def _let_go_deferred(self) -> None:
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    def _settle(self) -> None:
        end = time.monotonic() + 10.0
        while time.monotonic() < end and self.shell.session.file.saving.busy:
            QApplication.processEvents()
            time.sleep(0.01)
        self._let_go_deferred()

    def _note_memory(self, at: float) -> None:
        self._let_go_deferred()
        gc.collect()
        # What the C library keeps of freed memory is no growth of ours.
        ctypes.CDLL(None).malloc_trim(0)
        resident = int(Path("/proc/self/statm").read_text().split()[1])
        page = os.sysconf("SC_PAGE_SIZE")
        self.report.memory.append((at, resident * page / (1 << 20)))
        self.report.widgets.append(len(QApplication.allWidgets()))


def _bound_caches() -> None:
    """Caches that are full within minutes, so that what grows later is none of theirs."""
    from puddle.formats.store import SampleStore
    from puddle.render.take import Takes

    for kind in (Takes, SampleStore):
        *others, _ = kind.__init__.__defaults__ or ()
        kind.__init__.__defaults__ = (*others, _CACHE_BYTES)  # type: ignore[misc]


def main() -> int:
    """Walks, and tells what came of it; 1 where anything was wrong."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=1.0)
    parser.add_argument("--seed", type=int, default=1)
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="walk-") as home:
        for name in ("CONFIG", "STATE", "DATA"):
            os.environ[f"XDG_{name}_HOME"] = str(Path(home) / name.lower())
        (Path(home) / "files").mkdir()
        from puddle.engine.devices import SIMULATED
        from puddle.home.settings import Settings
        from puddle.window.app import make_shell, settle

        _bound_caches()
        delivered = str(Path(home) / "delivered")
        shell = make_shell(Settings(device=SIMULATED, deliver_folder=delivered))
        shell.session.file.open_demo()
        shell.pages.show_page("shape")
        shell.show()
        shell.session.player.open()
        settle(shell)
        report = Walk(shell, Path(home) / "files", arguments.seed).run(60.0 * arguments.minutes)
        for line in report.lines():
            print(line)
        shell.session.history.mark_saved(shell.session.kit)
        shell.close()
    return 1 if report.tracebacks or report.warnings else 0


if __name__ == "__main__":
    sys.exit(main())
