"""House rules: what must stay true of the project as a whole."""

import os
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from puddle.stages import PROCESSES
from puddle.voices import STARTING_POINTS
from tools.sound_pages import FOLDER, STAGES, name_of, pages
from tools.sound_plots import recipe, shown

ROOT = Path(__file__).parent.parent


class Rules(unittest.TestCase):
    def test_the_sound_pages_are_up_to_date(self) -> None:
        for path, text in pages().items():
            self.assertEqual(path.read_text(), text, "run python -m tools.sound_pages")

    def test_every_picture_is_linked(self) -> None:
        readme = (ROOT / "README.md").read_text()
        for path in (ROOT / "docs" / "screenshots").glob("*.png"):
            self.assertIn(path.name, readme)

    def test_tests_keep_one_application_object(self) -> None:
        """By `make_app`. Where the first is let go, a later window of the process may crash."""
        for path in (ROOT / "tests").rglob("*.py"):
            self.assertIsNone(re.search(r"QApplication\(\[", path.read_text()), path)

    def test_no_file_is_named_for_nothing(self) -> None:
        vague = {"utils", "helpers", "manager", "common", "misc"}
        for path in (ROOT / "puddle").rglob("*.py"):
            self.assertNotIn(path.stem, vague)

    def test_the_core_loads_with_qt_blocked(self) -> None:
        core = "kernels voices stages kit measure render formats engine demo"
        modules = [
            str(p.relative_to(ROOT).with_suffix("")).replace("/", ".")
            for room in core.split()
            for p in sorted((ROOT / "puddle" / room).glob("*.py"))
            if p.stem != "__init__"
        ]
        code = (
            "import sys\n"
            "sys.modules['PyQt6'] = None\n"
            "import importlib\n"
            f"for m in {modules!r}: importlib.import_module(m)\n"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stderr)

    def test_the_first_paint_loads_neither_numba_nor_the_engine(self) -> None:
        code = (
            "import gc, os, sys\n"
            "gc.disable()\n"  # as the command does
            "os.environ['QT_QPA_PLATFORM'] = 'offscreen'\n"
            "from puddle.window.app import make_shell, show_first\n"
            "from puddle.home.settings import Settings\n"
            "from PyQt6.QtWidgets import QApplication\n"
            "s = make_shell(Settings()); s.session.background.tasks.hold()\n"
            "s.session.file.open_demo()\n"
            "s.show(); s.grab()\n"
            "late = ('numba', 'scipy', 'sounddevice', 'puddle.engine.mixer', 'pyqtgraph')\n"
            "print(len(s.session.kit.pads), [m for m in late if m in sys.modules])\n"
            "print(repr(QApplication.instance().styleSheet()))\n"  # else widgets are polished twice
            "import puddle.window.pages.deliver.page\n"
            "print('ssl' in sys.modules)\n"  # half of what the page took to show first
            "show_first(s); QApplication.processEvents(); print(gc.isenabled())\n"
            "print(gc.get_freeze_count() > 30000)\n"  # else all of it is looked through at once
            "s.session.history.mark_saved(s.session.kit); s.close()\n"
        )
        with tempfile.TemporaryDirectory() as home:
            environment = {**os.environ, "XDG_STATE_HOME": home, "XDG_CONFIG_HOME": home}
            done = subprocess.run(
                [sys.executable, "-c", code], capture_output=True, text=True, env=environment
            )
        told = ["26 []", "''", "False", "True", "True"]
        self.assertEqual(done.stdout.split("\n")[:5], told, done.stderr)

    def test_types_of_recipes_are_no_text(self) -> None:
        """As text each annotation is compiled when a kit is first read: a tenth of the start."""
        for room in ("stages", "voices", "kit/model"):
            for path in sorted((ROOT / "puddle" / room).glob("*.py")):
                with self.subTest(path.name):
                    self.assertNotIn("from __future__ import annotations", path.read_text())

    def test_records_are_structs(self) -> None:
        """A dataclass compiles its methods in every process: a fifth of what the start loads."""
        for path in (ROOT / "puddle").rglob("*.py"):
            self.assertNotIn("from dataclasses", path.read_text(), path)

    def test_every_compiled_file_is_in_the_caches_hash(self) -> None:
        from puddle.kernels.cache import _COMPILED

        uses = re.compile(r"^@(kernel|entry)\b", re.MULTILINE)
        for path in (ROOT / "puddle").rglob("*.py"):
            if uses.search(path.read_text()):
                self.assertIn(path.parent.name, _COMPILED, path)

    def test_what_is_loaded_from_the_cache_prepares_no_compiling(self) -> None:
        """That took half of the time until the engine is there."""
        code = (
            "import sys, numpy as np\n"
            "import puddle.engine.engine\n"
            "from puddle.kernels.noise import white\n"
            "white(3, 4)\n"
            "names = ('numba.np.npyimpl', 'numba.typed.typeddict')\n"
            "print([name for name in names if name in sys.modules])\n"
        )
        for _ in range(2):  # the first may have to compile
            done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
            self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(done.stdout, "[]\n")

    def test_a_damaged_cache_heals(self) -> None:
        code = "from puddle.kernels.noise import white\nprint(float(white(3, 4)[0]))\n"
        with tempfile.TemporaryDirectory() as home:
            environment = {**os.environ, "XDG_CACHE_HOME": home}
            outs = []
            for damage in (False, True, False):
                if damage:
                    for path in Path(home).rglob("*.nb[ic]"):
                        path.write_bytes(path.read_bytes()[:40])
                done = subprocess.run(
                    [sys.executable, "-c", code], capture_output=True, text=True, env=environment
                )
                self.assertEqual(done.returncode, 0, done.stderr)
                outs.append(done.stdout)
            self.assertEqual(len(set(outs)), 1)

    def test_the_sound_pictures_are_of_what_is_now(self) -> None:
        """Their recipe is kept in a text chunk of the PNG (PNG 1.2, 11.3.4.3)."""
        wanted = {
            FOLDER / f"{kind.noun}.png": next(iter(points.values()))
            for kind, points in STARTING_POINTS.items()
        }
        wanted |= {STAGES / f"{name_of(kind)}.png": shown(kind) for kind in PROCESSES}
        for path, settings in wanted.items():
            told = b"tEXtRecipe\0" + recipe(settings).encode()
            self.assertIn(told, path.read_bytes(), f"run python -m tools.sound_plots {path.stem}")
