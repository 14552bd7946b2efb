"""How tests are run: some by their names, or every module on two cores.

One process works on each core. A third runs what mostly waits, for real time to pass: it is first
wherever it has something to do, so that its time is kept, and the others use what it leaves. Once
nothing waits any more it takes modules from the others' end.
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
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
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
    waiting, working = _Lane(home, "waiting", 1, 0), _Lane(home, "working", _CORES, _NICE)
    for path in modules():
        (waiting if path.stem in _WAITING else working).give(path)
    with waiting.pool, working.pool:
        while waiting.runs or working.runs:
            every = [*waiting.runs, *working.runs]
            for run in wait(every, return_when=FIRST_COMPLETED).done:
                outcome = (waiting if run in waiting.runs else working).outcome(run)
                total.add(outcome)
                print("." * outcome.passed, end="", flush=True)
                if outcome.said:
                    print(f"\n{outcome.said}", flush=True)
                if isinstance(run.exception(), BrokenProcessPool):
                    waiting.leave()
                    working.leave()
                    return total
            if not waiting.runs:
                waiting.help(working)
    print()
    return total


class _Lane:
    """Processes that run modules, and the runs that are not done."""

    def __init__(self, home: str, kind: str, processes: int, nice: int) -> None:
        self.runs: dict[Future[Outcome], Path] = {}
        self._under_way = Path(home) / kind
        self._under_way.mkdir()
        context = multiprocessing.get_context("spawn")
        self.pool = ProcessPoolExecutor(processes, context, set_up, (home, nice))

    def give(self, path: Path) -> None:
        """Puts a module behind what is to be run."""
        self.runs[self.pool.submit(run_module, _module(path), self._under_way)] = path

    def help(self, other: _Lane) -> None:
        """Takes over the last module that no process of another lane has begun, as nice as those.

        Nothing whose time is kept runs any more: the cores need not be left to it.
        """
        for run in reversed(other.runs):
            if run.cancel():
                self.pool.submit(os.setpriority, os.PRIO_PROCESS, 0, _NICE)
                self.give(other.runs.pop(run))
                return

    def outcome(self, run: Future[Outcome]) -> Outcome:
        """What came of a run that is done."""
        del self.runs[run]
        try:
            return run.result()
        except BrokenProcessPool:
            return _ended_early(self._under_way)

    def leave(self) -> None:
        """Begins no other module."""
        for run in self.runs:
            run.cancel()
