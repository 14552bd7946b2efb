"""Threads of their own for what must reach the disk: saves in order, and the journal.

Renders may keep all workers busy for as long as they like: neither waits for them.
"""

from __future__ import annotations

import logging
import threading
from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import Any

from puddle.errors import PuddleError
from puddle.files import Stamp
from puddle.formats.journal import Journal
from puddle.kit.model.document import Kit

log = logging.getLogger(__name__)

RETRY_S = 2.0


class Writer:
    """One thread that does all it is asked to, one thing after another, in the order asked.

    Nothing takes the place of anything else, and closing waits for the last of it.
    """

    def __init__(self, name: str = "puddle-writer") -> None:
        self._changed = threading.Condition()
        self._jobs: deque[tuple[Callable[[], Any], Callable[[Any], None]]] = deque()
        self._working = self._closed = False
        self._thread = threading.Thread(target=self._run, name=name)
        self._thread.start()

    def ask(self, work: Callable[[], Any], done: Callable[[Any], None] = lambda _: None) -> None:
        """Runs `work`, then `done` with what came of it: its result, or the exception it raised.

        Both run on the thread. Raises RuntimeError once it is closed.
        """
        with self._changed:
            if self._closed:
                raise RuntimeError("this writer is closed")
            self._jobs.append((work, done))
            self._changed.notify_all()

    @property
    def busy(self) -> bool:
        """Whether anything is still to be done."""
        with self._changed:
            return self._working or bool(self._jobs)

    def wait(self, timeout_s: float | None = None) -> bool:
        """Until all is done; False when that took too long."""
        with self._changed:
            return self._changed.wait_for(lambda: not (self._working or self._jobs), timeout_s)

    def close(self) -> None:
        """Takes nothing more, and returns once all is done."""
        with self._changed:
            self._closed = True
            self._changed.notify_all()
        self._thread.join()

    def _run(self) -> None:
        while True:
            with self._changed:
                self._changed.wait_for(lambda: self._jobs or self._closed)
                if not self._jobs:
                    return
                work, done = self._jobs.popleft()
                self._working = True
            try:
                result: Any = work()
            except Exception as error:
                if not isinstance(error, PuddleError):
                    log.exception("a write failed")
                result = error
            try:
                done(result)
            except Exception:
                log.exception("what came of a write could not be told")
            finally:
                with self._changed:
                    self._working = False
                    self._changed.notify_all()


class Autosave:
    """Keeps the newest state of the open kit in its journal: tried until the disk takes it."""

    def __init__(self, told: Callable[[str], None], retry_s: float = RETRY_S) -> None:
        """`told` is called on the thread when writing begins to fail, with why, and with "" when
        it works again."""
        self._told = told
        self._retry_s = retry_s
        self._changed = threading.Condition()
        self._wanted: Callable[[], None] | None = None
        self._kit = 0  # counts kits: what fails for one that was left is neither told nor retried
        self._working = self._closed = False
        self._trouble = ""
        self._thread = threading.Thread(target=self._run, name="puddle-journal")
        self._thread.start()

    def keep(self, journal: Journal, kit: Kit, path: Path | None, stamp: Stamp | None) -> None:
        """Writes the kit, in place of an older one that still waits."""

        def work() -> None:
            with journal.in_use():
                if not journal.closing:
                    journal.write(kit, path, stamp)

        self._ask(work)

    def forget(self, journal: Journal) -> None:
        """Nothing of the kit is to be recovered: it is saved, or undone to what is."""
        self._ask(journal.forget_edits)

    def drop(self) -> None:
        """Leaves what waits: the kit was closed."""
        with self._changed:
            self._wanted = None
            self._kit += 1
            self._changed.notify_all()
        self._say("")

    def _ask(self, work: Callable[[], None]) -> None:
        with self._changed:
            self._wanted = work
            self._changed.notify_all()

    def wait(self, timeout_s: float | None = None) -> bool:
        """Until the newest is written; False when that took too long."""
        with self._changed:
            return self._changed.wait_for(
                lambda: self._wanted is None and not self._working, timeout_s
            )

    def close(self) -> None:
        """Leaves what waits, and ends the thread."""
        with self._changed:
            self._closed, self._wanted = True, None
            self._changed.notify_all()
        self._thread.join()

    def _run(self) -> None:
        while True:
            with self._changed:
                self._changed.wait_for(lambda: self._wanted is not None or self._closed)
                if self._closed:
                    return
                work, self._wanted, self._working = self._wanted, None, True
                kit = self._kit
            assert work is not None
            trouble = _tried(work)
            if kit != self._kit:
                trouble = ""
            self._say(trouble)
            with self._changed:
                self._working = False
                if trouble and self._wanted is None and not self._closed:
                    self._wanted = work
                self._changed.notify_all()
                if trouble and not self._closed:
                    self._changed.wait_for(self._something_else(work), self._retry_s)

    def _something_else(self, work: Callable[[], None]) -> Callable[[], bool]:
        return lambda: self._closed or self._wanted is not work

    def _say(self, trouble: str) -> None:
        with self._changed:
            before, self._trouble = self._trouble, trouble
        if trouble != before:
            self._told(trouble)


def _tried(work: Callable[[], None]) -> str:
    """Why some work failed; "" where it did not."""
    try:
        work()
    except PuddleError as error:
        return str(error)
    except Exception as error:
        log.exception("the journal could not be written")
        return f"The journal cannot be written: {error}."
    return ""
