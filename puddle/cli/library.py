"""Verbs of the library: scan and find."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from puddle.cli.told import print_figures
from puddle.errors import PuddleError

if TYPE_CHECKING:
    from puddle.library.measuring import Cluster, Processes
    from puddle.library.scanner import Progress

_RANGES = {  # an option, the measure's field, and its unit
    "length": ("length_ms", "MS"),
    "pitch": ("pitch_hz", "HZ"),
    "brightness": ("brightness_hz", "HZ"),
    "loudness": ("loudness_lufs", "LUFS"),
}
_MOST = 50


def add_verbs(verbs: Any) -> None:
    """Adds both to a parser's verbs."""
    scan = verbs.add_parser("scan", help="measures what is new in folders into the library")
    scan.add_argument("folders", nargs="+", metavar="FOLDER")
    scan.add_argument("--index", metavar="DIR", help="a library of its own, instead of yours")
    scan.add_argument("--jobs", type=int, help="processes; all cores if left out")
    scan.add_argument("--cluster", metavar="ADDRESS", help="measures on a Dask cluster")
    scan.add_argument("--json", action="store_true", help="a JSON object of counts")
    scan.set_defaults(run=_scan)

    find = verbs.add_parser("find", help="sounds of the library that fit")
    find.add_argument("--index", metavar="DIR", help="a library of its own, instead of yours")
    find.add_argument("--words", default="", help="parts of names, folders and tags")
    find.add_argument("--role", action="append", default=[], help="may be given several times")
    for option, (_, unit) in _RANGES.items():
        find.add_argument(f"--{option}", metavar=f"{unit}..{unit}")
    find.add_argument("--like", metavar="FILE", help="nearest to this sound first")
    find.add_argument("--most", type=int, default=_MOST)
    find.add_argument("--json", action="store_true", help="a JSON list")
    find.set_defaults(run=_find)


def _folder(arguments: argparse.Namespace) -> Path:
    from puddle.library.library import default_folder

    return Path(arguments.index) if arguments.index else default_folder()


def _scan(arguments: argparse.Namespace) -> int:
    """Scans folders; those that are none are named."""
    from puddle.library.library import Library
    from puddle.library.scanner import scan

    folders = []
    for name in arguments.folders:
        if not os.path.isdir(name):
            raise PuddleError(f"{name} is no folder.")
        folders.append(os.fsencode(os.path.realpath(name)))
    measurer = _measurer(arguments)
    library = Library(_folder(arguments))
    try:
        if not library.index.writes:
            raise PuddleError("Another Puddle keeps this library; close it first.")
        if library.index.rebuilt:
            print(
                "The index was damaged, or of another version, and is made anew.", file=sys.stderr
            )
        counts = scan(library.index, folders, measurer, _told())
        library.refresh_marks()
    finally:
        library.close()
        measurer.close()
    figures = {
        "entries": counts.entries,
        "new": counts.new,
        "changed": counts.changed,
        "moved": counts.moved,
        "unreadable": counts.unreadable,
        "seconds": counts.seconds,
    }
    if arguments.json:
        print_figures(figures, as_json=True)
    else:
        print(", ".join(f"{value} {key}" for key, value in figures.items()))
    return 0


def _measurer(arguments: argparse.Namespace) -> Processes | Cluster:
    from puddle.library.measuring import Cluster, Processes, all_cores

    if arguments.cluster:
        return Cluster(arguments.cluster)
    jobs = all_cores() if arguments.jobs is None else arguments.jobs
    if not 1 <= jobs <= 256:
        raise PuddleError(f"--jobs {jobs} is outside 1 to 256.")
    return Processes(jobs)


def _told() -> Callable[[Progress], None]:
    if not sys.stderr.isatty():
        return lambda _: None

    def show(now: Progress) -> None:
        end = "\n" if now.done >= now.of else ""
        text = f"\r{now.done} of {now.of} files, {now.per_second:.0f} a second"
        print(text, end=end, file=sys.stderr, flush=True)

    return show


def _find(arguments: argparse.Namespace) -> int:
    from puddle.files import shown
    from puddle.kit.model.roles import ROLES
    from puddle.library.library import Library
    from puddle.library.search import Query

    for role in arguments.role:
        if role not in ROLES:
            raise PuddleError(f"--role {role} is none of {', '.join(ROLES)}.")
    if not 1 <= arguments.most <= 1_000_000:
        raise PuddleError(f"--most {arguments.most} is outside 1 to 1000000.")
    ranges = {
        field: _range(option, getattr(arguments, option))
        for option, (field, _) in _RANGES.items()
        if getattr(arguments, option)
    }
    query = Query(words=arguments.words, roles=tuple(arguments.role), ranges=ranges)
    library = Library(_existing(_folder(arguments)))
    try:
        ids = library.sieved(query).ids
        if arguments.like:
            ids, apart = library.nearest(_row_of(arguments.like), ids, arguments.most)
            far: list[float | None] = [round(float(d), 3) for d in apart]
        else:
            ids = library.ordered(ids, "name")[: arguments.most]
            far = [None] * len(ids)
        found = [
            {
                "file": shown(entry.path),
                "role": entry.role,
                "role_confidence": round(entry.sure, 3),
                "length_ms": entry.measured.get("length_ms"),
                "distance": distance,
            }
            for entry, distance in zip(library.entries(ids), far, strict=True)
        ]
    finally:
        library.close()
    if arguments.json:
        print(json.dumps(found, indent=1))
    else:
        for row in found:
            print(f"{row['role']:11} {row['length_ms'] or 0:8.0f} ms  {row['file']}")
    return 0


def _existing(folder: Path) -> Path:
    if not (folder / "index.sqlite").exists():
        raise PuddleError(f"There is no library in {folder}; puddle scan FOLDER makes one.")
    return folder


def _range(option: str, text: str) -> tuple[float, float]:
    """Both ends of "100..2000"; either may be left out."""
    low, dots, high = text.partition("..")
    try:
        ends = (float(low) if low else float("-inf"), float(high) if high else float("inf"))
    except ValueError:
        ends = (1.0, 0.0)
    if not dots or not ends[0] <= ends[1]:
        raise PuddleError(f"--{option} {text} is no range such as 100..2000.")
    return ends


def _row_of(name: str) -> Any:
    """The likeness row of a sound file."""
    from puddle.formats.sound import read_sound
    from puddle.measure.likeness import likeness_row
    from puddle.measure.pitch import fundamental

    sound = read_sound(name)
    pitch = fundamental(sound.audio, sound.rate_hz)
    return likeness_row(sound.audio, sound.rate_hz, pitch.hz)
