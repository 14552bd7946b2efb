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
def run_keyed(entry, state, coefficients, audio, places, keys):
    """Runs a stage's entry over float32 (frames, 2), in place, quantum by quantum.

    `keys` is float32 (count, frames, 2); the key of a row is laid into the state at `places` of it.
    """
    mode = flush_denormals()
    frames = audio.shape[0]
    for start in range(0, frames, QUANTUM):
        count = min(QUANTUM, frames - start)
        for k in range(places.shape[0]):
            cells = carray(_f64_at(state.ctypes.data + 8 * places[k]), (KEY_CELLS,))
            lay_key(cells, keys[k, start : start + count], count)
        call_stage(
            entry,
            state.ctypes.data,
            coefficients.ctypes.data,
            audio.ctypes.data + 8 * start,
            count,
        )
    restore_float_mode(mode)
