"""A stage over a whole one-shot, on the grid of quanta."""

import numpy as np

from puddle.kernels.compiling import (
    call_stage,
    carray,
    flush_denormals,
    kernel,
    pointer_to,
    restore_float_mode,
    types,
)
from puddle.kernels.frames import peaks as quantum_peaks
from puddle.kernels.keys import KEY_CELLS, lay_key
from puddle.kernels.quantum import QUANTUM

_f64_at = pointer_to(types.float64)
_UNSIGNED = np.int32(0x7FFFFFFF)


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
    takes the value of a cell, which begins at zero in each quantum; with `cell` below zero, none.
    """
    mode = flush_denormals()
    frames = audio.shape[0]
    for start in range(0, frames, QUANTUM):
        count = min(QUANTUM, frames - start)
        quantum = start // QUANTUM
        for k in range(places.shape[0]):
            cells = carray(_f64_at(state.ctypes.data + 8 * places[k]), (KEY_CELLS,))
            lay_key(cells, keys[k, start : start + count], count)
        if cell >= 0:
            state[cell] = 0.0
        call_stage(
            entry,
            state.ctypes.data,
            coefficients.ctypes.data,
            audio.ctypes.data + 8 * start,
            count,
        )
        if cell >= 0:
            seen[quantum] = state[cell]
    restore_float_mode(mode)


@kernel
def peaks(audio, found):
    """The peak of each quantum of float32 (frames, 2), as the bits of a float32 in int32.

    Without its sign a float orders as its bits do. The last quantum may be a part of one.
    """
    whole = audio.shape[0] // QUANTUM
    for quantum in range(whole):
        left, right = quantum_peaks(audio.ctypes.data + 8 * QUANTUM * quantum)
        found[quantum] = max(np.float32(left).view(np.int32), np.float32(right).view(np.int32))
    rest = audio[whole * QUANTUM :].view(np.int32)
    if rest.shape[0]:
        highest = np.int32(0)
        for n in range(rest.shape[0]):
            highest = max(highest, rest[n, 0] & _UNSIGNED, rest[n, 1] & _UNSIGNED)
        found[whole] = highest
