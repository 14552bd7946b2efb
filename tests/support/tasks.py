"""Tasks without a window: what comes of them is handed over at once, on their threads."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from puddle.tasks import Task, Tasks


def direct(threads: int = 1, failed: Callable[[Exception], None] = lambda error: None) -> Tasks:
    """Tasks whose callbacks run where the work ran; `failed` gets what they raised."""
    return Tasks(lambda function: function(), lambda task, error: failed(error), threads)


def request(
    tasks: Tasks, key: object, work: Callable[[], Any], then: Callable[[Any], Any]
) -> Task[Any]:
    """Starts a task of a key."""
    return tasks.start(Task(work, then, key=key))  # type: ignore[arg-type]
