"""Folders are watched while the library is open: what changes in them is told, soon after."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable, Sequence

from watchdog.events import FileSystemEvent, FileSystemEventHandler
from watchdog.observers import Observer

_REST_S = 0.4  # after the last change, before it is told
_MOST = 40  # folders that are told one by one; more of them are told as the whole
_QUIET = ("opened", "closed_no_write")  # reading changes nothing


class Watch(FileSystemEventHandler):
    """Tells, on a thread of its own, in which root and which folders something changed."""

    def __init__(self, tell: Callable[[bytes, list[bytes]], None]) -> None:
        self._tell = tell
        self._observer = Observer()
        self._observer.daemon = True
        self._roots: list[bytes] = []
        self._changed: set[bytes] = set()
        self._timer: threading.Timer | None = None
        self._lock = threading.Lock()
        self._started = False

    def follow(self, roots: Sequence[bytes]) -> None:
        """Watches these roots from now on, and no others. Takes long where they are large."""
        with contextlib.suppress(OSError, RuntimeError):
            if not self._started:
                self._observer.start()
                self._started = True
            self._observer.unschedule_all()
        self._roots = [os.path.realpath(root) for root in roots]
        for root in self._roots:
            with contextlib.suppress(OSError, RuntimeError):  # away, or more than can be watched
                self._observer.schedule(self, os.fsdecode(root), recursive=True)

    @property
    def watching(self) -> bool:
        """Whether any folder is watched."""
        return bool(self._observer.emitters)

    def close(self) -> None:
        """Watches no more."""
        with self._lock:
            if self._timer is not None:
                self._timer.cancel()
        if self._started:
            self._observer.stop()
            self._observer.join(2.0)

    def on_any_event(self, event: FileSystemEvent) -> None:
        """Notes the folder of what changed."""
        if event.event_type in _QUIET:
            return
        paths = [os.fsencode(path) for path in (event.src_path, event.dest_path) if path]
        with self._lock:
            first = not self._changed
            self._changed |= {os.path.dirname(path) for path in paths}
            if self._timer is not None and not first:
                return  # it rings soon
            self._timer = threading.Timer(_REST_S, self._ring)
            self._timer.daemon = True
            self._timer.start()

    def _ring(self) -> None:
        with self._lock:
            changed, self._changed = self._changed, set()
            self._timer = None
        for root in self._roots:
            inside = sorted(f for f in changed if f == root or f.startswith(root + b"/"))
            if inside:
                self._tell(root, inside if len(inside) <= _MOST else [root])
