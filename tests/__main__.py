"""Runs every test and prints `N passed, N failed` last: ``python -m tests [NAME …]``.

All of them run on two cores, a module at a time in each of two processes, and what mostly waits in
a third; those that are named in one process.
"""

from __future__ import annotations

import sys
import tempfile
import time

from tests.running import run, run_all, set_up


def main() -> int:
    """Runs what is named, or all; 1 where anything failed."""
    names = sys.argv[1:]
    started = time.monotonic()
    with tempfile.TemporaryDirectory(prefix="puddle-tests-", ignore_cleanup_errors=True) as home:
        if names:
            set_up(home)
            total = run(names, sys.stderr)  # type: ignore[arg-type]
        else:
            total = run_all(home)
    for seconds, name in sorted(total.times, reverse=True)[:5]:
        print(f"{seconds:6.1f} s  {name}")
    skipped = f", {total.skipped} skipped" if total.skipped else ""
    print(f"{time.monotonic() - started:.0f} s")
    print(f"{total.passed} passed, {total.failed} failed{skipped}", flush=True)
    return 1 if total.failed else 0


if __name__ == "__main__":
    sys.exit(main())
