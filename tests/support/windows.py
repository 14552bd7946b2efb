"""The base of window tests: a shell on a kit, offscreen, that must leave nothing behind."""

from __future__ import annotations

import logging
import os
import sys
import threading
import time
import unittest
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock

import msgspec

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import (
    QEvent,
    QMimeData,
    QPoint,
    QPointF,
    Qt,
    QtMsgType,
    QUrl,
    qInstallMessageHandler,
)
from PyQt6.QtGui import QContextMenuEvent, QDropEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMessageBox, QWidget

from puddle.engine.devices import SIMULATED
from puddle.engine.engine import Engine
from puddle.home.settings import Settings
from puddle.kit import edits
from puddle.kit.model.document import Kit, Layer, Sound
from puddle.measure.pitch import Pitch
from puddle.render.cache import RenderCache
from puddle.render.samples import Rendered, Samples
from puddle.render.take import Takes
from puddle.views.sound import Pitches, SoundView, pitches, sound_view
from puddle.window.app import make_shell, settle
from puddle.window.session import looks, renders
from puddle.window.session.saving import Saved
from puddle.window.session.session import Session
from puddle.window.shell.shell import Shell

DEADLINE_S = 10.0
_EXPECTED = ("propagateSizeHints", "This plugin does not support", "raise()")


LEFT = Qt.MouseButton.LeftButton
NONE = Qt.KeyboardModifier.NoModifier


def drag(
    widget: QWidget,
    start: QPoint,
    end: QPoint,
    modifiers: Qt.KeyboardModifier = NONE,
) -> None:
    """Presses, moves in steps, lets go."""
    QTest.mousePress(widget, LEFT, modifiers, start)
    for n in range(1, 6):
        QTest.mouseMove(widget, start + (end - start) * n / 5)
        QApplication.processEvents()
    QTest.mouseRelease(widget, LEFT, modifiers, end)
    QApplication.processEvents()


def turn_wheel(widget: QWidget, by: int) -> None:
    """A wheel turned over the middle of a widget: 120 is one notch away from the hand."""
    at = QPointF(widget.rect().center())
    event = QWheelEvent(
        at, widget.mapToGlobal(at), QPoint(), QPoint(0, by), Qt.MouseButton.NoButton, NONE,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def menu_key(widget: QWidget) -> None:
    """As Qt sends the key: at the middle of the widget, wherever its cursor is."""
    at = widget.rect().center()
    reason = QContextMenuEvent.Reason.Keyboard
    QApplication.sendEvent(widget, QContextMenuEvent(reason, at, widget.mapToGlobal(at)))


def dropped(widget: QWidget, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    event = QDropEvent(QPointF(20, 20), Qt.DropAction.CopyAction, data, LEFT, NONE)
    widget.dropEvent(event)


@contextmanager
def answering(*answers: QMessageBox.StandardButton) -> Iterator[list[str]]:
    """Answers the questions that come, in their order; gives what was asked, and its buttons."""
    left, asked = list(answers), []

    def answer(box: QMessageBox) -> QMessageBox.StandardButton:
        names = ", ".join(sorted(button.text() for button in box.buttons()))
        asked.append(f"{box.text()} [{names}]")
        return left.pop(0) if len(left) > 1 else left[0]

    with mock.patch.object(QMessageBox, "exec", answer):
        yield asked


def put(session: Session, name: str, kit: Kit, mark: object = None) -> None:
    """A kit that a test has made in the place of the one that is edited, as a step."""
    session.edit(name, lambda _: kit, mark)


class Failures(logging.Handler):
    """Errors that Puddle has logged; those that `assertLogs` expects of a module do not come."""

    def __init__(self) -> None:
        super().__init__(logging.ERROR)
        self.said: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        error = record.exc_info[1] if record.exc_info else None
        self.said.append(f"{record.name}: {record.getMessage()} ({error!r})")


class WindowTest(unittest.TestCase):
    """Fails on Qt's own warnings, on exceptions in slots and in work beside the window, and on
    threads left running."""

    shell: Shell
    shares_takes = True  # see SharedTakes
    opens_on = "shape"  # the page that the demo is opened on

    def setUp(self) -> None:
        if self.shares_takes:
            self.enterContext(mock.patch.object(renders, "Takes", SharedTakes))
            self.enterContext(mock.patch.object(looks, "sound_view", SharedViews.view))
            self.enterContext(mock.patch.object(looks, "pitches", SharedViews.pitches))
        self._said: list[str] = []
        qInstallMessageHandler(self._hear)
        self.addCleanup(qInstallMessageHandler, None)
        self._failed = Failures()
        log = logging.getLogger("puddle")
        log.addHandler(self._failed)
        self.addCleanup(log.removeHandler, self._failed)
        # Else a question that no test expects waits for ever.
        unexpected = AssertionError("a question that the test did not expect")
        self.enterContext(mock.patch.object(QMessageBox, "exec", side_effect=unexpected))
        self._threads = set(threading.enumerate())
        self.shell = make_shell(Settings(device=SIMULATED))
        self.addCleanup(self._end)
        self.session = self.shell.session
        self.shell.resize(1280, 800)
        self.shell.show()

    def _hear(self, kind: QtMsgType, context: object, text: str | None) -> None:
        if kind == QtMsgType.QtFatalMsg:
            print(text, file=sys.stderr)
        if kind != QtMsgType.QtDebugMsg and text and not any(e in text for e in _EXPECTED):
            self._said.append(text)

    def _end(self) -> None:
        if self.session.file.journal is not None:
            self.until(lambda: not self.session.file.saving.busy)  # closing would wait for it
            self.session.history.mark_saved(self.session.kit)
            self.shell.close()
        self.shell.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        QApplication.processEvents()
        self.assertEqual(self._said, [], "Qt complained")
        self.assertEqual(self._failed.said, [], "something failed beside the window")
        own = [t for t in set(threading.enumerate()) - self._threads if "puddle" in t.name]
        end = time.monotonic() + DEADLINE_S
        for thread in own:  # what was left ends at its next check_cancelled
            thread.join(max(0.0, end - time.monotonic()))
        left = [thread.name for thread in own if thread.is_alive()]
        self.assertEqual(left, [], "threads left running")

    def demo(self) -> None:
        """Opens the demo on a page and waits until it is rendered.

        Opening shows Shape. A test of another page does without: to make and draw it takes as long
        as all the rest.
        """
        pages = self.shell.pages
        show = pages.show_page
        with mock.patch.object(pages, "show_page", lambda _: show(self.opens_on)):
            self.session.file.open_demo()
        self.settle()

    def save(self, path: Path) -> str:
        """Saves the kit and waits for it; returns why it was not."""
        came: list[Saved] = []
        self.session.file.save(path, came.append)
        self.until(lambda: bool(came))
        return came[0].error or came[0].doubt

    @property
    def engine(self) -> Engine:
        """The engine, once it has been loaded."""
        self.until(lambda: self.session.player.engine is not None)
        assert self.session.player.engine is not None
        return self.session.player.engine

    def settle(self) -> None:
        settle(self.shell)

    def named(self, kind: type[QWidget], name: str) -> Any:
        """A widget that is shown, by what a screen reader calls it."""
        QApplication.processEvents()
        found = self.shell.findChildren(kind)
        return next(w for w in found if w.accessibleName() == name and w.isVisible())

    def until(self, done: Callable[[], bool], seconds: float = DEADLINE_S) -> None:
        """Runs the window until something is so."""
        end = time.monotonic() + seconds
        while not done():
            self.assertLess(time.monotonic(), end, "it never came")
            QApplication.processEvents()
            time.sleep(0.005)


class SharedTakes(Takes):
    """A render is a function of its recipe and rate: tests of the demo need not repeat it.

    What is missing in one test would be silent in another: only tests that have all samples share.
    """

    _shared: ClassVar[dict[float, RenderCache[Rendered]]] = {}

    def __init__(self, samples: Samples, rate_hz: float) -> None:
        super().__init__(samples, rate_hz)
        self._cache = self._shared.setdefault(rate_hz, self._cache)


class SharedViews:
    """What is drawn and measured of a sound is a function of its takes: so are these shared."""

    _views: ClassVar[RenderCache[SoundView]] = RenderCache(256, lambda _: 1)
    _pitches: ClassVar[RenderCache[Pitch]] = RenderCache(1024, lambda _: 1)

    @classmethod
    def view(cls, takes: Takes, sound: Sound, before: SoundView | None = None) -> SoundView:
        """As `sound_view`, of this very sound."""
        key = (takes.rate_hz, sound)
        found = cls._views.get(key, lambda: sound_view(takes, sound, before))
        return msgspec.structs.replace(found, sound=sound)

    @classmethod
    def pitches(cls, takes: Takes, view: SoundView, _: RenderCache[Pitch]) -> Pitches:
        """As `pitches`."""
        return pitches(takes, view, cls._pitches)


class DemoTest(WindowTest):
    """On Shape, with the demo open on its kick."""

    shares_takes = True

    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.page = self.shell.pages.page("shape")

    def layer(self, layer_id: str = "layer2") -> Layer:
        """A layer of the kick."""
        return edits.layer_of(self.session.kit, "pad1", layer_id)
