"""Runs every test and prints `N passed, N failed` last: ``python -m tests [NAME …]``."""

from __future__ import annotations

import faulthandler
import os
import sys
import tempfile
import time
import unittest
import warnings
from pathlib import Path


class Result(unittest.TextTestResult):
    """Counts what passed, and which tests were slow."""

    def __init__(self, *args: object, **kept: object) -> None:
        super().__init__(*args, **kept)  # type: ignore[arg-type]
        self.passed = 0
        self.times: list[tuple[float, str]] = []
        self._started = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        self._started = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        self.times.append((time.monotonic() - self._started, test.id()))
        super().stopTest(test)

    def addSuccess(self, test: unittest.TestCase) -> None:
        self.passed += 1
        super().addSuccess(test)


def main() -> int:
    faulthandler.enable()
    faulthandler.dump_traceback_later(900, exit=True)
    warnings.simplefilter("error")
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    names = sys.argv[1:]
    loader = unittest.TestLoader()
    with tempfile.TemporaryDirectory(prefix="puddle-tests-") as home:
        # Nothing of this machine's own settings is read or written.
        for folder in ("CONFIG", "STATE", "DATA"):
            os.environ[f"XDG_{folder}_HOME"] = str(Path(home) / folder.lower())
        if names:
            suite = loader.loadTestsFromNames([f"tests.{n}" for n in names])
        else:
            suite = loader.discover("tests", top_level_dir=str(Path(__file__).parent.parent))
        runner = unittest.TextTestRunner(resultclass=Result, verbosity=1, warnings="error")
        result = runner.run(suite)
    for seconds, name in sorted(result.times, reverse=True)[:5]:
        print(f"{seconds:6.1f} s  {name}")
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = f", {len(result.skipped)} skipped" if result.skipped else ""
    print(f"{result.passed} passed, {failed} failed{skipped}", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
