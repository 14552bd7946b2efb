"""What a stage listens to: its own input, or a key that was laid into its state.

The state of a stage that can be keyed begins with a flag and a quantum of stereo. Whoever runs the
stage lays the key there before each quantum; where none was laid the stage hears its own input.
"""

from puddle.kernels.compiling import carray, inlined, kernel, pointer_to, types
from puddle.kernels.guard import sane
from puddle.kernels.quantum import QUANTUM

_f32_at = pointer_to(types.float32)

KEY_CELLS = 1 + 2 * QUANTUM
_KEYED = 0


@inlined
def in_a_row(audio, frames):
    """Float32 (frames, 2) as (2 frames,), left and right in turn: one loop over all of it."""
    return carray(_f32_at(audio.ctypes.data), (2 * frames,))


@inlined
def heard(state, audio, frames):
    """The quantum that the stage's level is taken from, as left and right in turn."""
    key = state[1:KEY_CELLS]
    if state[_KEYED] == 0.0:
        flat = in_a_row(audio, frames)
        for n in range(2 * frames):
            key[n] = flat[n]
    return key


@kernel
def lay_key(cells, key, frames):
    """Lays a quantum of a key, float32 (frames, 2), into the state that begins at `cells`."""
    cells[_KEYED] = 1.0
    for n in range(frames):
        left, right = key[n, 0], key[n, 1]
        whole = sane(left + right)
        cells[1 + 2 * n] = left if whole else 0.0
        cells[2 + 2 * n] = right if whole else 0.0


@kernel
def take_key_away(cells):
    """From now on the stage hears its own input."""
    cells[_KEYED] = 0.0
