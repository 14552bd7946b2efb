"""A stage over a whole one-shot, on the grid of quanta."""

from puddle.kernels.compiling import call_stage, flush_denormals, kernel, restore_float_mode
from puddle.kernels.quantum import QUANTUM


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
