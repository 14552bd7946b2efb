"""A stage over a whole one-shot, on the grid of quanta."""

from puddle.kernels.compiling import (
    call_stage,
    carray,
    flush_denormals,
    kernel,
    pointer_to,
    restore_float_mode,
    types,
)
from puddle.kernels.keys import KEY_CELLS, lay_key
from puddle.kernels.quantum import QUANTUM

_f64_at = pointer_to(types.float64)


@kernel
def run_stage(entry, state, coefficients, audio):
    """Runs a stage's entry over float32 (frames, 2), in place, quantum by quantum."""
    mode = flush_denormals()
    frames = audio.shape[0]
    for start in range(0, frames, QUANTUM):
        count = min(QUANTUM, frames - start)
        call_stage(
            entry,
            state.ctypes.data,
            coefficients.ctypes.data,
            audio.ctypes.data + 8 * start,
            count,
        )
    restore_float_mode(mode)


@kernel
def run_watched(entry, state, coefficients, audio, places, keys, cell, seen):
    """The same, keyed and watched.

    `keys` is float32 (count, frames, 2): a row is laid into the state at `places` of it. `seen`
    is float32 (3, quanta): the peak of what comes in, the peak of what leaves, and the largest
    value of a cell, which begins at zero in each quantum; with `cell` below zero, nothing.
    """
    mode = flush_denormals()
    frames = audio.shape[0]
    for start in range(0, frames, QUANTUM):
        count = min(QUANTUM, frames - start)
        quantum = start // QUANTUM
        for k in range(places.shape[0]):
            cells = carray(_f64_at(state.ctypes.data + 8 * places[k]), (KEY_CELLS,))
            lay_key(cells, keys[k, start : start + count], count)
        seen[0, quantum] = _peak(audio, start, count)
        if cell >= 0:
            state[cell] = 0.0
        call_stage(
            entry,
            state.ctypes.data,
            coefficients.ctypes.data,
            audio.ctypes.data + 8 * start,
            count,
        )
        seen[1, quantum] = _peak(audio, start, count)
        if cell >= 0:
            seen[2, quantum] = state[cell]
    restore_float_mode(mode)


@kernel
def _peak(audio, start, count):
    highest = abs(audio[start, 0])
    for n in range(start, start + count):
        highest = max(highest, abs(audio[n, 0]), abs(audio[n, 1]))
    return highest
