"""Whether every kernel has been compiled on this machine, and how far that is."""

from __future__ import annotations

from puddle.kernels.cache import folder

_MARK = "warm"
_ABOUT = 221  # compiled functions that a whole warm-up leaves in the cache


def is_warm() -> bool:
    """Whether a whole warm-up has been carried out for these sources and this toolchain.

    Where nothing can be kept that is never so, and a warm-up would be for nothing: then True.
    """
    found = folder()
    return found is None or (found / _MARK).exists()


def note_warm() -> None:
    """Remembers that a warm-up is complete."""
    found = folder()
    if found is not None:
        try:
            (found / _MARK).touch()
        except OSError:
            return


def share_done() -> float:
    """How much of a warm-up lies in the cache, 0 to 1."""
    found = folder()
    if found is None:
        return 1.0
    return min(0.99, sum(1 for _ in found.rglob("*.nbc")) / _ABOUT)
