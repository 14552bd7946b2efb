"""What every verb says in one way: refusals, folders, progress, JSON."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from puddle.errors import PuddleError


def refused(reason: str) -> int:
    """Prints a reason on stderr in one line; returns the exit code."""
    line = " ".join(reason.split())
    print(line.encode("utf-8", "backslashreplace").decode(), file=sys.stderr)
    return 2


def folder_at(name: str) -> Path:
    """A folder, made where there is none. Raises PuddleError."""
    folder = Path(name)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise PuddleError(f"{name} cannot be made: {error.strerror}.") from None
    return folder


def print_figures(figures: Mapping[str, Any], *, as_json: bool) -> None:
    """Prints an object as JSON, or a line for each of its values."""
    if as_json:
        print(json.dumps(figures, indent=1))
    else:
        print("\n".join(f"{key:18} {value}" for key, value in figures.items()))


def progress(noun: str) -> Callable[[float], None]:
    """Shows a share of some work on a terminal; nothing where stderr is none."""

    def show(share: float) -> None:
        if not sys.stderr.isatty():
            return
        end = "\n" if share >= 1.0 else ""
        print(f"\r{noun} {100.0 * share:3.0f} %", end=end, file=sys.stderr, flush=True)

    return show
