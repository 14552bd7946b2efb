"""Gains that are moved while something sounds: straight from one quantum's to the next."""

from puddle.kernels.compiling import kernel

_OFF = -1.0  # what a cell holds for a gain of 0; a cell at rest holds 0


@kernel
def toward(cells, at, target, frames):
    """The gain that a quantum starts from, and its step from frame to frame; frame n has
    start + (n + 1) step.

    The gain, not under 0, is kept in the cell `at`. A state at rest starts from what is wanted, and
    a gain that stays as it is has a step of exactly 0.
    """
    kept = cells[at]
    cells[at] = target if target > 0.0 else _OFF
    if kept == 0.0 or kept == cells[at]:
        return target, 0.0
    start = max(0.0, kept)
    return start, (target - start) / frames
