"""Timers that ring once."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer


def once_after(parent: QObject, ms: int, done: Callable[[], None]) -> QTimer:
    """A timer that, each time it is started, calls `done` once after so long."""
    timer = QTimer(parent)
    timer.setSingleShot(True)
    timer.setInterval(ms)
    timer.timeout.connect(done)
    return timer


def repeated(parent: QObject, milliseconds: int, then: Callable[[], object]) -> QTimer:
    """A timer that calls something again and again while it runs."""
    timer = QTimer(parent)
    timer.setInterval(milliseconds)
    timer.timeout.connect(then)
    return timer
