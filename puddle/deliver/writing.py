"""A plan carried out: written aside on all cores, then put in place; nothing half-written stays."""

from __future__ import annotations

import contextlib
import os
import shutil
import uuid
import zipfile
from collections.abc import Callable, Iterable
from pathlib import Path, PurePosixPath
from typing import Literal

import msgspec

from puddle.deliver.plan import Plan, Planned
from puddle.errors import FileError
from puddle.files import aside_folder, shown, write_aside
from puddle.tasks import check_cancelled, in_parallel

There = Literal["keep both", "replace", "skip"]
THERE: tuple[There, ...] = ("keep both", "replace", "skip")
Progress = Callable[[int, int, Planned], object]  # files written, of how many, the one just written


class Delivered(msgspec.Struct, frozen=True):
    """What was written: paths below the folder, and their size."""

    folder: Path
    paths: tuple[str, ...]
    size: int  # bytes
    skipped: int = 0


def standing(plan: Plan, folder: Path) -> list[str]:
    """The files of a plan that are in a folder already."""
    return [one.path for one in plan.files if os.path.lexists(folder / one.path)]


def write_plan(
    plan: Plan,
    folder: Path,
    there: There = "keep both",
    progress: Progress = lambda done, of, one: None,
    jobs: int | None = None,
) -> Delivered:
    """Writes all files of a plan below a folder, or none.

    All are written aside, in the folder that the delivery goes to, and moved to their places when
    the last is there. Passes checkpoints; raises FileError. What is left half-way leaves nothing.
    """
    files = plan.files
    skipped = 0
    if there == "skip":
        files = [one for one in files if not os.path.lexists(folder / one.path)]
        skipped = len(plan.files) - len(files)
    target = _checked(folder)
    with aside_folder(target) as aside:
        sizes = _written(files, aside, progress, jobs)
        names = {one.path: one.path for one in files}
        if there == "keep both":
            names = _free_names(files, folder)
        _placed(files, aside, folder, names)
    return Delivered(folder, tuple(names[one.path] for one in files), sum(sizes), skipped)


def _checked(folder: Path) -> Path:
    """The nearest folder that is there, in which things are written aside. Raises FileError."""
    found = folder
    while not found.exists() and found != found.parent:
        found = found.parent
    if not found.is_dir():
        raise FileError(f"{shown(found)} is no folder: nothing can be written below it.")
    if not os.access(found, os.W_OK):
        raise FileError(f"{shown(found)} is a folder in which nothing may be written.")
    return found


def _written(files: list[Planned], aside: Path, progress: Progress, jobs: int | None) -> list[int]:
    """Makes and writes the files, those that come last after all others; their sizes."""
    sizes: list[int] = []
    first = sorted((one for one in files if not one.last), key=lambda one: one.turn)
    count = len(files)

    def work(one: Planned) -> tuple[Planned, int]:
        check_cancelled()
        data = one.make()
        return one, _put(aside, one.path, data)

    for one, size in in_parallel(work, first, jobs, "puddle-deliver"):
        sizes.append(size)
        progress(len(sizes), count, one)
    for one in files:
        if one.last:
            sizes.append(work(one)[1])
            progress(len(sizes), count, one)
    return sizes


def _put(aside: Path, path: str, data: bytes) -> int:
    place = aside / PurePosixPath(path)
    if not aside.is_dir():
        raise FileError(f"{shown(aside.parent)} is not there any more: nothing was delivered.")
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        with place.open("xb") as file:
            file.write(data)
    except OSError as error:
        raise FileError(f"{path} cannot be written: {error.strerror}.") from None
    return len(data)


def _free_names(files: list[Planned], folder: Path) -> dict[str, str]:
    """Where each file goes so that none takes another's place."""
    made: dict[str, str] = {}
    given: set[str] = set()
    for one in files:
        path = PurePosixPath(one.path)
        found, count = str(path), 1
        while os.path.lexists(folder / found) or found.casefold() in given:
            count += 1
            found = str(path.with_name(f"{path.stem} ({count}){path.suffix}"))
        given.add(found.casefold())
        made[one.path] = found
    return made


def _placed(files: list[Planned], aside: Path, folder: Path, names: dict[str, str]) -> None:
    """Moves what was written to its place; what was moved goes back where one cannot be."""
    moved: list[tuple[Path, Path, Path | None]] = []
    try:
        for one in files:
            place = folder / names[one.path]
            place.parent.mkdir(parents=True, exist_ok=True)
            kept = None
            if os.path.lexists(place):
                if place.is_dir():
                    raise FileError(f"{shown(place)} is a folder: no file can take its place.")
                kept = aside / f"kept-{uuid.uuid4().hex}"
                _keep(place, kept)
            moved.append((aside / one.path, place, kept))
            os.replace(aside / one.path, place)
    except (OSError, FileError) as error:
        for _, place, kept in reversed(moved):
            with contextlib.suppress(OSError):
                if kept is not None:
                    os.replace(kept, place)
                else:
                    place.unlink(missing_ok=True)
                    _leave_empty(place.parent, folder)
        if isinstance(error, FileError):
            raise
        raise FileError(f"{shown(folder)} cannot be written: {error.strerror}.") from None


def _keep(place: Path, kept: Path) -> None:
    """A second name for a file, so that no moment is without it; a copy where there is none."""
    try:
        os.link(place, kept, follow_symlinks=False)
    except OSError:
        shutil.copy2(place, kept, follow_symlinks=False)


def _leave_empty(place: Path, folder: Path) -> None:
    """Takes away the folders that were made for nothing, up to the delivery's own."""
    for one in (place, *place.parents):
        one.rmdir()  # raises, and ends here, where something is in it
        if one == folder:
            return


def write_zip(
    plan: Plan,
    path: Path,
    progress: Progress = lambda done, of, one: None,
    jobs: int | None = None,
) -> Delivered:
    """All files of a plan in one zip, with fixed dates: equal plans, equal bytes.

    Written aside; sounds are stored as they are, texts packed. Raises FileError.
    """
    with aside_folder(_checked(path.parent)) as aside:
        sizes = _written(plan.files, aside, progress, jobs)
        packed = aside / "whole.zip"
        try:
            with zipfile.ZipFile(packed, "w") as file:
                for one in sorted(plan.files, key=lambda one: one.path):
                    check_cancelled()
                    _pack(file, aside / one.path, f"{plan.name}/{one.path}")
                    (aside / one.path).unlink()
        except OSError as error:
            raise FileError(f"{shown(path)} cannot be written: {error.strerror}.") from None
        write_aside(path, _parts(packed))
    return Delivered(path.parent, (path.name,), sum(sizes))


def _pack(file: zipfile.ZipFile, source: Path, name: str) -> None:
    entry = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
    texts = source.suffix in (".txt", ".sfz", ".svg")
    entry.compress_type = zipfile.ZIP_DEFLATED if texts else zipfile.ZIP_STORED
    entry.external_attr = 0o644 << 16
    with source.open("rb") as data, file.open(entry, "w") as out:
        shutil.copyfileobj(data, out, 1 << 20)


def _parts(path: Path) -> Iterable[bytes]:
    with path.open("rb") as file:
        while part := file.read(1 << 20):
            yield part
