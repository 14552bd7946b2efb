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
from contextlib import contextmanager
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QEvent, QTimer, QtMsgType, qInstallMessageHandler
from PyQt6.QtWidgets import QApplication

from puddle.window.app import leave_out_of_collections
from puddle.window.shell.shell import Shell
from tools.slowness import slowness
from tools.walk_answers import Answers
from tools.walk_hand import Hand
from tools.walk_report import Report

_LONG_S = 0.1
_WAITING_S = 20.0
_LOOKED_AT_S = 0.3  # a menu, before it is left
_CACHE_BYTES = 64 << 20
_MEASURED_S = 0.4  # how often the machine's speed is measured: it changes within a second
_EXPECTED = ("propagateSizeHints", "This plugin does not support", "raise()")


class Walk:
    """Walks a shell that is shown."""

    def __init__(self, shell: Shell, folder: Path, seed: int) -> None:
        self.shell = shell
        self.chance = random.Random(seed)
        self.report = Report()
        self._begun = time.monotonic()
        self._measured, self._slowness = 0.0, 1.0  # of the machine, just before
        self._inside = (0.0, 0.0)
        self._hand = Hand(shell, folder, self.chance, self._timed, self._record)

    def _import_ahead(self) -> None:
        """As the window does on a worker once its card is open, before a hand reaches a page."""
        self.shell.pages.import_ahead()
        end = time.monotonic() + 20.0
        while not self.shell.session.background.tasks.wait(0.02, "low") and time.monotonic() < end:
            QApplication.processEvents()
        leave_out_of_collections()

    def run(self, seconds: float, least: int = 0) -> Report:
        """Walks for so long, and on a slow machine until so many actions: four times as long."""
        start = time.monotonic()
        noted = start - 10.0
        self._import_ahead()
        rescuer = QTimer()
        rescuer.timeout.connect(self._rescue)
        rescuer.start(500)
        with Answers(self._hand).given(), self._heard():
            while (took := time.monotonic() - start) < seconds or (
                self.report.actions.total() < least and took < 4.0 * seconds
            ):
                self.step()
                if time.monotonic() - noted >= min(10.0, seconds / 12.0):
                    noted = time.monotonic()
                    self._note_memory(noted - start)
            self._hand.leave_dialogs()
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
        weights = [weight for weight, _, _ in self._hand.ways]
        _, name, act = self.chance.choices(self._hand.ways, weights)[0]
        self._hand.doing = name
        self._timed(act)
        self.report.actions[name] += 1
        for _ in range(self.chance.randrange(1, 5)):
            self._timed(QApplication.processEvents)
            time.sleep(self.chance.choice((0.0, 0.002, 0.02)))
        if self._bare() or len(self.report.turns) > 200_000:
            self.report.turns = self.report.worst
        if self._hand.doing != "undo" and self.chance.random() < 0.05:
            self._let_go_deferred()

    def _bare(self) -> bool:
        """Whether a kit is left that there is nothing to do with; then the demo comes back."""
        session = self.shell.session
        if len(session.kit.pads) >= 2 or self.chance.random() > 0.1:
            return False
        self._hand.doing = "the demo"
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
        self.report.turns.append((work, clock, self._hand.doing))

    def _record(self, text: str) -> None:
        self.report.tracebacks.append(f"{self._hand.doing}: {text}")

    # What is noted.

    @contextmanager
    def _heard(self) -> Iterator[None]:
        report = self.report

        class Errors(logging.Handler):
            def emit(self, record: logging.LogRecord) -> None:
                report.tracebacks.append(self.format(record))

        def said(kind: QtMsgType, context: object, text: str | None) -> None:
            if kind == QtMsgType.QtFatalMsg:
                print(f"fatal, at {self._hand.doing}: {text}", file=sys.stderr, flush=True)
            if kind != QtMsgType.QtDebugMsg and text and not any(e in text for e in _EXPECTED):
                report.warnings.append(f"{self._hand.doing}: {text}")

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


def _strikes(minutes: float, seed: int) -> int:
    """Compares every strike's pad and bus with the kits of that moment."""
    from tests.support.between import met

    edits, sounded, complaints = met(60.0 * minutes, seed)
    print(f"{edits} edits, {sounded} strikes, {len(complaints)} of them wrong")
    for complaint in sorted(set(complaints)):
        print(complaint)
    return 1 if complaints else 0


def main() -> int:
    """Walks, and tells what came of it; 1 where anything was wrong."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=1.0)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument(
        "--strikes",
        type=float,
        help="minutes of edits at random while keys strike",
    )
    arguments = parser.parse_args()
    if arguments.strikes:
        return _strikes(arguments.strikes, arguments.seed)
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
