"""The first start on a machine: what takes a minute is said, once, with how far it is."""

import os
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

from puddle.kernels import cache, warmth
from puddle.window.session import player
from puddle.window.shell import preparing
from puddle.window.shell.preparing import Preparing
from tests.support.windows import WindowTest


class Warmth(unittest.TestCase):
    def test_a_mark_in_the_cache_says_that_all_is_compiled(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            with mock.patch.object(warmth, "folder", lambda: Path(folder)):
                self.assertFalse(warmth.is_warm())
                self.assertEqual(warmth.share_done(), 0.0)
                for n in range(20):
                    (Path(folder) / f"{n}.nbc").touch()
                self.assertTrue(0.0 < warmth.share_done() < 0.5)
                warmth.note_warm()
                self.assertTrue(warmth.is_warm())
            with mock.patch.object(warmth, "folder", lambda: None):
                self.assertTrue(warmth.is_warm(), "a warm-up that is not kept is for nothing")

    def test_set_up_leaves_the_mark_and_no_more_than_it_counts(self) -> None:
        self.assertTrue(warmth.is_warm())
        kept = cache.folder()
        assert kept is not None
        count = sum(1 for _ in kept.rglob("*.nbc"))
        self.assertGreater(count, 0.7 * warmth._ABOUT)

    def test_without_a_window_it_is_said_in_a_line(self) -> None:
        code = (
            "from unittest import mock\n"
            "from puddle.engine import warm\n"
            "with mock.patch.object(warm, 'is_warm', lambda: False), \\\n"
            "     mock.patch.object(warm, 'warm', lambda: None):\n"
            "    warm.warm_aloud()\n"
            "with mock.patch.object(warm, 'is_warm', lambda: True):\n"
            "    warm.warm_aloud()\n"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(done.stderr.count("once on this machine"), 1)


class Ended(unittest.TestCase):
    """The whole command ends at once, and well, while kernels are being compiled."""

    def end_of(self, compiles: str) -> subprocess.CompletedProcess[str]:
        """The demo's window, closed once a function that compiles for a minute has begun."""
        module, name = compiles.rsplit(".", 1)
        code = (
            "import atexit, importlib, sys, time\n"
            "from PyQt6.QtCore import QTimer\n"
            "from puddle.window import app\n"
            "from puddle.window.session import player\n"
            "from puddle.window.shell import preparing\n"
            "player.is_warm = preparing.is_warm = lambda: False\n"
            "atexit.register(print, 'it ended beneath a compilation', file=sys.stderr)\n"
            "begun = []\n"
            "def compile_long():\n"
            "    begun.append(True)\n"
            "    time.sleep(60.0)\n"
            f"setattr(importlib.import_module({module!r}), {name!r}, compile_long)\n"
            "show = app.show_first\n"
            "def show_first(shell):\n"
            "    def look():\n"
            "        if begun:\n"
            "            shell.session.history.mark_saved(shell.session.kit)\n"
            "            shell.close()\n"
            "    timer = QTimer(shell)\n"
            "    timer.timeout.connect(look)\n"
            "    timer.start(50)\n"
            "    show(shell)\n"
            "app.show_first = show_first\n"
            "sys.exit(app.run_demo())\n"
        )
        with tempfile.TemporaryDirectory() as home:
            own = {f"XDG_{kind}_HOME": home for kind in ("STATE", "CONFIG", "DATA")}
            environment = {**os.environ, **own, "QT_QPA_PLATFORM": "offscreen"}
            return subprocess.run(
                [sys.executable, "-c", code],
                capture_output=True,
                text=True,
                env=environment,
                timeout=45.0,
            )

    def test_what_the_engine_needs_or_the_rest(self) -> None:
        for compiles in ("puddle.engine.warm.warm_engine", "puddle.engine.warm.warm"):
            with self.subTest(compiles):
                done = self.end_of(compiles)
                self.assertEqual((done.returncode, done.stderr), (0, ""))


class Strip(WindowTest):
    def test_it_is_shown_while_it_lasts(self) -> None:
        """Cold: the strip comes, follows how far it is, and goes when the rest is compiled too."""
        self.enterContext(mock.patch.object(preparing, "is_warm", lambda: False))
        share = [0.25]
        self.enterContext(mock.patch.object(preparing, "share_done", lambda: share[0]))
        warmed = self.enterContext(mock.patch("puddle.engine.warm.warm"))
        made = Preparing(self.shell)
        self.shell.overlay.add(made.strip)
        made.begin()
        self.until(made.strip.isVisible)
        self.assertEqual(made.strip.bar.value(), 25)
        self.assertTrue(made.strip.stop.isHidden())
        share[0] = 0.5
        self.until(lambda: made.strip.bar.value() == 50)
        made.compile_rest()
        self.until(made.strip.isHidden)
        warmed.assert_called_once()

    def test_the_window_does_not_compile(self) -> None:
        """Cold, the card's thread compiles what handing a kit over needs, before it tells."""
        threads: list[str] = []

        def note() -> None:
            threads.append(threading.current_thread().name)
            self.assertIsNone(self.session.player.engine)

        self.enterContext(mock.patch.object(player, "is_warm", lambda: False))
        self.enterContext(mock.patch("puddle.engine.warm.warm_engine", note))
        self.session.player.open()
        self.until(lambda: self.session.player.engine is not None)
        self.assertEqual(len(threads), 1)
        self.assertTrue(threads[0].startswith("puddle-card"), threads)

    def test_closing_does_not_wait_for_it(self) -> None:
        compiling, may_end = threading.Event(), threading.Event()
        self.addCleanup(may_end.set)

        def compile_long() -> None:
            compiling.set()
            may_end.wait(60.0)

        self.enterContext(mock.patch.object(player, "is_warm", lambda: False))
        self.enterContext(mock.patch("puddle.engine.warm.warm_engine", compile_long))
        self.session.player.open()
        self.until(compiling.is_set)
        self.session.history.mark_saved(self.session.kit)
        start = time.monotonic()
        self.shell.close()
        self.assertLess(time.monotonic() - start, 5.0)
        self.assertTrue(self.session.player.busy, "who ends the process has to know")
        may_end.set()
        self.until(lambda: not self.session.player.busy)

    def test_where_all_was_compiled_before_nothing_is_said(self) -> None:
        self.shell.preparing.begin()
        self.assertFalse(self.shell.preparing._look.isActive())
        self.assertTrue(self.shell.preparing.strip.isHidden())
