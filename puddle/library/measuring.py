"""Many files measured at once: by processes of this machine, or by a cluster that sees them too."""

from __future__ import annotations

import contextlib
import os
import queue
import subprocess
import sys
import threading
from collections.abc import Iterable, Iterator
from typing import Any, Protocol

from puddle.errors import FileError
from puddle.files import shown
from puddle.library.record import Unreadable
from puddle.library.walking import Seen
from puddle.library.worker import Found, Request, found_in, received_reply, send
from puddle.tasks import check_cancelled

Task = tuple[Seen, tuple[str, ...]]  # a file, and what it may be a copy of
Done = tuple[Seen, Found]
_LOOK_S = 0.1


class Measurer(Protocol):
    """Measures files, in any order."""

    def measured(self, tasks: Iterable[Task]) -> Iterator[Done]:
        """Each file with what was found. Ended early, it leaves the rest."""
        ...


def all_cores() -> int:
    """All cores that this process may use."""
    return len(os.sched_getaffinity(0))


def spare_cores() -> int:
    """All cores but one, and at least one."""
    return max(1, all_cores() - 1)


class Processes:
    """Processes of this machine, at the lowest priority."""

    def __init__(self, jobs: int) -> None:
        self.jobs = max(1, jobs)
        self.going = threading.Event()  # cleared, they rest after the file at hand
        self.going.set()

    def rest_while_paused(self) -> None:
        """Waits until it goes on. Raises Cancelled where it is left meanwhile."""
        check_cancelled()
        while not self.going.wait(_LOOK_S):
            check_cancelled()

    def measured(self, tasks: Iterable[Task]) -> Iterator[Done]:
        """As `Measurer` says; the processes end with it."""
        waiting: queue.SimpleQueue[Task] = queue.SimpleQueue()
        count = 0
        for task in tasks:
            waiting.put(task)
            count += 1
        done: queue.SimpleQueue[Done] = queue.SimpleQueue()
        ended = threading.Event()
        workers = [_Worker(waiting, done, self.going, ended) for _ in range(min(self.jobs, count))]
        try:
            while count:
                check_cancelled()
                try:
                    found = done.get(timeout=_LOOK_S)
                except queue.Empty:
                    if not any(worker.is_alive() for worker in workers) and done.empty():
                        raise FileError("Measuring has ended by itself.") from None
                    continue
                count -= 1
                yield found
        finally:
            ended.set()
            for worker in workers:
                worker.end()

    def close(self) -> None:
        """Nothing is left: processes end with what they measure."""


class _Worker(threading.Thread):
    """A thread with a process: hands it one file after the other."""

    def __init__(
        self,
        waiting: queue.SimpleQueue[Task],
        done: queue.SimpleQueue[Done],
        going: threading.Event,
        ended: threading.Event,
    ) -> None:
        super().__init__(name="measuring", daemon=True)
        self._waiting, self._done = waiting, done
        self._going, self._ended = going, ended
        self._process: subprocess.Popen[bytes] | None = None
        self._lock = threading.Lock()
        self.start()

    def run(self) -> None:
        while not self._ended.is_set():
            if not self._going.wait(_LOOK_S):
                continue
            try:
                task = self._waiting.get_nowait()
            except queue.Empty:
                break
            self._done.put((task[0], self._answer(task)))
        self.end()

    def _answer(self, task: Task) -> Found:
        seen, known = task
        process = self._reader()
        if process is None or process.stdin is None or process.stdout is None:
            return Unreadable("Measuring was ended.")
        try:
            send(process.stdin, Request(seen.path, known))  # type: ignore[arg-type]
            return received_reply(process.stdout)  # type: ignore[arg-type]
        except (EOFError, OSError, ValueError):
            self._kill()
            return Unreadable(f"{shown(seen.path)} brought down what was to measure it.")

    def _reader(self) -> subprocess.Popen[bytes] | None:
        with self._lock:
            if self._process is None and not self._ended.is_set():
                self._process = subprocess.Popen(
                    [sys.executable, "-m", "puddle.library.worker"],
                    stdin=subprocess.PIPE,
                    stdout=subprocess.PIPE,
                )
            return self._process

    def _kill(self) -> None:
        with self._lock:
            process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.wait()
            for pipe in (process.stdin, process.stdout):
                if pipe is not None:
                    with contextlib.suppress(OSError):
                        pipe.close()

    def end(self) -> None:
        """Ends the process, whatever it is at."""
        self._kill()
        if threading.current_thread() is not self:
            self.join(5.0)


class Cluster:
    """A Dask cluster whose workers see the same files under the same paths."""

    timeout_s = 10.0

    def __init__(self, address: str) -> None:
        """Raises FileError where none answers there."""
        try:
            from distributed import Client
        except ImportError:
            raise FileError("A cluster needs Dask: pip install 'puddle[cluster]'.") from None
        try:
            self._client: Any = Client(address, timeout=self.timeout_s)
        except (OSError, ValueError, TimeoutError) as error:
            raise FileError(f"No cluster answers at {address} ({error}).") from None

    def measured(self, tasks: Iterable[Task]) -> Iterator[Done]:
        """As `Measurer` says."""
        from distributed import as_completed

        futures = {
            self._client.submit(found_in, seen.path, frozenset(known), pure=False): seen
            for seen, known in tasks
        }
        try:
            for future in as_completed(list(futures)):
                check_cancelled()
                seen = futures.pop(future)
                if future.status == "finished":
                    yield seen, future.result()
                else:
                    yield seen, Unreadable(f"{shown(seen.path)} was not measured by the cluster.")
        finally:
            self._client.cancel(list(futures))

    def close(self) -> None:
        """Leaves the cluster."""
        self._client.close()
