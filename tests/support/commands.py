"""Commands, run in this process or in one of their own."""

from __future__ import annotations

import contextlib
import io
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from puddle.cli import main


def puddle(*words: object, **environment: str) -> subprocess.CompletedProcess[bytes]:
    return subprocess.run(
        [sys.executable, "-m", "puddle", *[os.fsencode(str(w)) for w in words]],
        capture_output=True,
        env={**os.environ, **environment},
        timeout=120,
    )


class CommandsTest(unittest.TestCase):
    """Has the demo, written to a folder."""

    folder: Path
    kit: Path

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        done = puddle("demo", "--write", cls.folder / "demo")
        assert done.returncode == 0, done.stderr
        cls.kit = cls.folder / "demo" / "Rain Gauge.puddle"

    def done(self, *words: object) -> str:
        """Exit 0; what is said on stderr. In this process, which is ten times quicker."""
        said = io.StringIO()
        with contextlib.redirect_stderr(said), contextlib.redirect_stdout(io.StringIO()):
            code = main([str(word) for word in words])
        self.assertEqual(code, 0, said.getvalue())
        return said.getvalue()

    def refused(self, *words: object) -> str:
        """Exit 2, one line on stderr, no stack trace; in this process, which is ten times quicker.

        What a process of its own returns is tested with the first of them.
        """
        said = io.StringIO()
        with contextlib.redirect_stderr(said), contextlib.redirect_stdout(io.StringIO()):
            try:
                code = main([str(word) for word in words])
            except SystemExit as left:  # the parser's own way out
                code = int(left.code or 0)
        text = said.getvalue()
        self.assertEqual(code, 2, text)
        self.assertEqual(len(text.strip().splitlines()), 1, text)
        self.assertNotIn("Traceback", text)
        return text
