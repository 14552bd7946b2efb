"""Where compiled kernels are kept.

Numba does not notice when a function that is called from *another* file has changed, so its cache
goes into a folder named by a hash of all compiled sources and of the versions that matter. Cache
files are pickles: the folder must belong to this user and be closed to others. Where no folder
can be had, kernels are compiled anew in every process, never from a stale cache.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import stat
import sys
import tempfile
from functools import cache
from importlib.util import find_spec
from pathlib import Path

_PACKAGE = Path(__file__).resolve().parent.parent
_COMPILED = ("kernels", "engine", "voices", "stages")
_TOOLCHAIN = (
    ("numba", "_version.py"),
    ("llvmlite", "_version.py"),
    ("numpy", "version.py"),
)
_KEPT = 3


def fingerprint() -> str:
    """A hash over every source that holds or feeds compiled code, and over the toolchain."""
    digest = hashlib.sha256(sys.version.encode())
    for package, says in _TOOLCHAIN:
        digest.update(package.encode())
        digest.update(_version_of(package, says))
    for room in _COMPILED:
        for source in sorted((_PACKAGE / room).glob("*.py")):
            digest.update(source.name.encode())
            digest.update(source.read_bytes())
    return digest.hexdigest()[:16]


def _version_of(package: str, says: str) -> bytes:
    """The file in which a package says its version; to ask for its metadata takes 60 ms."""
    found = find_spec(package)
    if found is None or found.origin is None:
        return b""
    try:
        return (Path(found.origin).parent / says).read_bytes()
    except OSError:  # a package that says it elsewhere: when it was installed tells as much
        return str(os.stat(found.origin).st_mtime_ns).encode()


@cache
def folder() -> Path | None:
    """A private folder for what these sources compile to; None where nothing can be written.

    To find it takes 10 ms, which the start of the window does without.
    """
    name = fingerprint()
    for root in _roots():
        found = root / name
        if _usable(found):
            _forget_older(root, keep=name)
            return found
    return None


def _roots() -> list[Path]:
    from platformdirs import user_cache_path

    private = Path(tempfile.gettempdir()) / f"puddle-kernels-{os.getuid()}"
    return [user_cache_path("puddle") / "kernels", private]


def _usable(folder: Path) -> bool:
    try:
        folder.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        folder.mkdir(exist_ok=True, mode=0o700)
        for place in (folder.parent, folder):
            seen = os.lstat(place)
            if seen.st_uid != os.getuid() or not stat.S_ISDIR(seen.st_mode):
                return False
            if seen.st_mode & 0o022:
                os.chmod(place, 0o700)
        with tempfile.TemporaryFile(dir=folder) as probe:
            probe.write(b"writable")
    except OSError:
        return False
    return True


def _forget_older(root: Path, keep: str) -> None:
    """Keeps the newest few: two checkouts may run side by side."""
    try:
        folders = sorted(
            (f for f in root.iterdir() if f.is_dir()), key=lambda f: -f.stat().st_mtime
        )
    except OSError:
        return
    for folder in [f for f in folders if f.name != keep][_KEPT:]:
        shutil.rmtree(folder, ignore_errors=True)
