"""SFZ: text that says which samples play for which keys and velocities.

Read: headers `<control>`, `<global>`, `<master>`, `<group>`, `<region>`, comments, `#define` and
`#include` (SFZ 1, and what of later versions is common). Values of a header hold for the headers
below it until the next of its kind. Nothing outside the folder of the file is read.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from pathlib import Path

import msgspec

from puddle.errors import FileError
from puddle.files import read_regular, shown
from puddle.tasks import check_cancelled

MOST_BYTES = 32 << 20  # of all files together
MOST_REGIONS = 200_000
_MOST_FILES = 256
_DEEPEST = 16
_LEVELS = ("global", "master", "group", "region")
_TOKEN = re.compile(r"<([^<>\s]{1,32})>|([A-Za-z_][A-Za-z0-9_]*)=")
_LINE = re.compile(r"^[ \t]*#(include|define)\b(.*)$")
_DEFINED = re.compile(r"\$([A-Za-z0-9_]+)")
_PATHS = frozenset({"sample", "default_path"})

Opcodes = dict[str, str]


class Instrument(msgspec.Struct):
    """The regions of an instrument, each with all opcodes that hold for it."""

    regions: list[Opcodes] = msgspec.field(default_factory=list)
    # How often each that is not known stood.
    headers: dict[str, int] = msgspec.field(default_factory=dict)


class _Reading(msgspec.Struct):
    root: str  # the folder that nothing is read outside of
    left: int = MOST_BYTES
    files: int = 0
    defined: dict[str, str] = msgspec.field(default_factory=dict)


def read_sfz(path: Path) -> Instrument:
    """Raises FileError with one sentence where it is none, or asks for what is not allowed."""
    root = os.path.realpath(os.fsdecode(path.parent))
    lines = _lines(path, _Reading(root), ())
    found = _parsed(lines, shown(path))
    if not found.regions:
        raise FileError(f"{shown(path)} holds no region: it is no SFZ instrument.")
    return found


def _lines(path: Path, reading: _Reading, open_: tuple[str, ...]) -> Iterator[str]:
    """The text of a file, comments taken out, what it includes in its place."""
    name = shown(path)
    real = os.path.realpath(os.fsdecode(path))
    if real in open_:
        raise FileError(f"{name} includes itself.")
    reading.files += 1
    if len(open_) >= _DEEPEST or reading.files > _MOST_FILES:
        raise FileError(f"{name} is included too deeply, or too many files are.")
    data = read_regular(path, reading.left)
    reading.left -= len(data)
    if b"\0" in data:
        raise FileError(f"{name} is no text, so no SFZ instrument.")
    text = _uncommented(data.decode("utf-8-sig", "replace").replace("\r\n", "\n"))
    for line in text.replace("\r", "\n").split("\n"):
        found = _LINE.match(line)
        if found is None:
            yield _with_defined(line, reading.defined)
        elif found[1] == "define":
            words = found[2].split(None, 1)
            if len(words) == 2 and words[0].startswith("$"):
                reading.defined[words[0][1:]] = words[1].strip()[:1000]
        else:
            wanted = _with_defined(found[2], reading.defined).strip().strip('"')
            below = inside(path.parent, wanted, reading.root)
            if below is None:
                raise FileError(f"{name} includes {wanted}, which is not in its folder.")
            yield from _lines(below, reading, (*open_, real))


def _uncommented(text: str) -> str:
    """Without what stands behind `//`, or between `/*` and `*/`."""
    text = re.sub(r"/\*.*?(\*/|\Z)", " ", text, flags=re.DOTALL)
    return re.sub(r"(?m)//.*$", "", text)


def _with_defined(line: str, defined: dict[str, str]) -> str:
    if "$" not in line or not defined:
        return line

    def value(match: re.Match[str]) -> str:
        name = match[1]
        for length in range(len(name), 0, -1):  # the longest name that is defined
            if name[:length] in defined:
                return defined[name[:length]] + name[length:]
        return match[0]

    return _DEFINED.sub(value, line)[:100_000]


def _parsed(lines: Iterator[str], name: str) -> Instrument:
    found = Instrument()
    held: dict[str, Opcodes] = {level: {} for level in ("control", *_LEVELS)}
    now: Opcodes | None = None

    def close() -> None:
        if now is not None and now is held["region"]:
            whole: Opcodes = {}
            for level in _LEVELS:
                whole |= held[level]
            _place(whole, held["control"])
            found.regions.append(whole)
            if len(found.regions) > MOST_REGIONS:
                raise FileError(f"{name} has more than {MOST_REGIONS:,} regions.")

    for n, line in enumerate(lines):
        if n % 4096 == 0:
            check_cancelled()
        for header, opcode, value in _tokens(line):
            if header:
                close()
                now = _opened(header, held, found)
            elif now is not None:
                now[opcode] = value
    close()
    return found


def _opened(header: str, held: dict[str, Opcodes], found: Instrument) -> Opcodes:
    """Where the opcodes of a header go; those under it begin anew."""
    if header not in held:
        found.headers[header] = found.headers.get(header, 0) + 1
        return {}
    if header == "control":
        return held["control"]
    for level in _LEVELS[_LEVELS.index(header) :]:
        held[level] = {}
    return held[header]


def _place(region: Opcodes, control: Opcodes) -> None:
    """What `<control>` says of a region's sample and keys."""
    path = control.get("default_path", "")
    if path and "sample" in region and not region["sample"].startswith("*"):
        region["sample"] = path + region["sample"]
    for name in ("note_offset", "octave_offset"):
        if name in control:
            region[name] = control[name]


def _tokens(line: str) -> Iterator[tuple[str, str, str]]:
    """(header, opcode, value) in order; a value goes on to the next opcode or header."""
    found = list(_TOKEN.finditer(line))
    for n, match in enumerate(found):
        if match[1] is not None:
            yield match[1].lower(), "", ""
            continue
        end = found[n + 1].start() if n + 1 < len(found) else len(line)
        opcode = match[2].lower()
        value = line[match.end() : end].strip()
        yield "", opcode, value.replace("\\", "/") if opcode in _PATHS else value


def inside(folder: Path, wanted: str, root: str) -> Path | None:
    """A file named from a folder; None where it would lie outside of the root.

    Names that differ in upper and lower case only are found too, as other systems find them.
    """
    wanted = wanted.replace("\\", "/")
    if not wanted or "\0" in wanted or wanted.startswith("/") or re.match(r"^[A-Za-z]:", wanted):
        return None
    path = folder
    for part in wanted.split("/"):
        if part in ("", "."):
            continue
        path = path.parent if part == ".." else _spelled(path, part)
    real = os.path.realpath(os.fsdecode(path))
    return path if real.startswith(root.rstrip("/") + "/") else None


def _spelled(folder: Path, name: str) -> Path:
    path = folder / name
    if os.path.lexists(path):
        return path
    try:
        names = sorted(os.listdir(folder))
    except OSError:
        return path
    wanted = name.casefold()
    return next((folder / one for one in names if one.casefold() == wanted), path)
