"""How tests are run: some by their names, or every module on two cores.

One process works on each core. A third runs what mostly waits, for real time to pass: it is first
wherever it has something to do, so that its time is kept, and the others use what it leaves.
"""

from __future__ import annotations

import faulthandler
import gc
import io
import multiprocessing
import os
import tempfile
import time
import unittest
import warnings
from concurrent.futures import Future, ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from contextlib import ExitStack
from dataclasses import dataclass, field
from pathlib import Path

_HERE = Path(__file__).parent
_CORES = 2
_LONGEST_S = 300  # of one module: the longest takes a third of it in a slow hour
_LONGEST = ("test_walk", "test_journeys", "test_cli", "test_files", "test_window", "test_found")
_WAITING = (
    "test_journeys",
    "test_jack",
    "test_jack_servers",
    "test_keeping_time",
    "test_recorder",
    "test_groove_played",
    "test_in_time",
    "test_frames",
    "test_deliver",
)
_NICE = 10  # of the processes that work: they leave the processor to the one that waits


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


@dataclass
class Outcome:
    """What came of some tests."""

    passed: int = 0
    failed: int = 0
    skipped: int = 0
    times: list[tuple[float, str]] = field(default_factory=list)
    said: str = ""

    def add(self, other: Outcome) -> None:
        """Adds what came of others."""
        self.passed += other.passed
        self.failed += other.failed
        self.skipped += other.skipped
        self.times += other.times


def set_up(home: str, nice: int = 0) -> None:
    """Nothing of this machine's own settings is read or written, nor of a process beside it."""
    os.nice(nice)
    faulthandler.enable()
    warnings.simplefilter("error")
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    own = tempfile.mkdtemp(dir=home)
    for folder in ("CONFIG", "STATE", "DATA"):
        os.environ[f"XDG_{folder}_HOME"] = str(Path(own) / folder.lower())


def modules() -> list[Path]:
    """Every file of tests, what takes longest first: so both cores end at once."""

    def order(path: Path) -> tuple[int, int]:
        long = _LONGEST.index(path.stem) if path.stem in _LONGEST else len(_LONGEST)
        return long, -path.stat().st_size

    return sorted(_HERE.rglob("test_*.py"), key=order)


def _dotted(name: str) -> str:
    """A test's full name, of one that may begin with its file's: "test_kit.Reading"."""
    first = name.partition(".")[0]
    if first == _HERE.name:
        return name
    for path in modules():
        if path.stem == first:
            folders = path.parent.relative_to(_HERE.parent).parts
            return ".".join([*folders, name])
    return f"tests.{name}"


def _module(path: Path) -> str:
    """A file's full name as a module: two folders may have files of one name."""
    return ".".join(path.relative_to(_HERE.parent).with_suffix("").parts)


def _leave_out_of_collections() -> None:
    """What is loaded by now stays: to go over it again and again took a twentieth of window tests.

    The application does the same once it has started.
    """
    gc.collect()
    gc.freeze()


def run(names: list[str], stream: io.TextIOBase | None = None) -> Outcome:
    """Runs tests by their names."""
    text = stream or io.StringIO()
    suite = unittest.TestLoader().loadTestsFromNames([_dotted(name) for name in names])
    _leave_out_of_collections()
    runner = unittest.TextTestRunner(text, resultclass=Result, verbosity=1, warnings="error")  # type: ignore[arg-type]
    result = runner.run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    said = text.getvalue() if failed and isinstance(text, io.StringIO) else ""
    return Outcome(result.passed, failed, len(result.skipped), result.times, said)


def run_module(name: str, under_way: Path) -> Outcome:
    """Runs one module, its text kept; one that hangs ends its process and tells where.

    Its name stands in a file in the folder ``under_way`` for as long as it runs, and where each
    thread is once it has run too long.
    """
    note = under_way / name
    with note.open("w") as trace:
        faulthandler.dump_traceback_later(_LONGEST_S, exit=True, file=trace)
        outcome = run([name])
        faulthandler.cancel_dump_traceback_later()
    note.unlink()
    return outcome


def _ended_early(under_way: Path) -> Outcome:
    """The modules whose process ended under them, with where the one that hung was."""
    notes = sorted(under_way.iterdir())
    # A trace ends with the main thread's: the last lines are those that tell.
    told = [f"{note.name} did not end\n" + note.read_text()[-6000:] for note in notes]
    return Outcome(failed=max(1, len(notes)), said="\n".join(told))


def run_all(home: str) -> Outcome:
    """Every module, the largest first."""
    total = Outcome()
    with ExitStack() as lanes:
        runs = _started(home, "waiting", lanes) | _started(home, "working", lanes)
        for done in as_completed(runs):
            try:
                outcome = done.result()
            except BrokenProcessPool:
                outcome = _ended_early(runs[done])
            total.add(outcome)
            print("." * outcome.passed, end="", flush=True)
            if outcome.said:
                print(f"\n{outcome.said}", flush=True)
            if isinstance(done.exception(), BrokenProcessPool):
                for other in runs:
                    other.cancel()
                break
    print()
    return total


def _started(home: str, kind: str, lanes: ExitStack) -> dict[Future[Outcome], Path]:
    """Runs of the modules that mostly wait, or of those that work, and where each is noted."""
    waits = kind == "waiting"
    paths = [path for path in modules() if (path.stem in _WAITING) == waits]
    under_way = Path(home) / kind
    under_way.mkdir()
    given = home, 0 if waits else _NICE
    context = multiprocessing.get_context("spawn")
    pool = ProcessPoolExecutor(1 if waits else _CORES, context, set_up, given)
    lanes.enter_context(pool)
    return {pool.submit(run_module, _module(path), under_way): under_way for path in paths}
