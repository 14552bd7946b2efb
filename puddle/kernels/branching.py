"""A branch: what went in is kept, as late as the branch is, and added to what the branch made."""

from puddle.kernels.compiling import kernel
from puddle.kernels.inserting import keep
from puddle.kernels.quantum import QUANTUM

# Coefficients before those of the stages: how many there are, levels, the stages' latency.
COUNT, LEVEL, THROUGH, LATENCY = range(4)
BRANCH_HEAD = 4
# Before each stage's coefficients: its entry, its cells, the number of its coefficients.
STAGE_HEAD = 3
_AT = 0
_DRY = 1
BRANCH_FIXED = _DRY + 2 * QUANTUM


@kernel
def fork(state, coefficients, audio, frames):
    """Keeps the quantum that went in, delayed by the branch's latency."""
    dry = state[_DRY : _DRY + 2 * QUANTUM]
    ring = state[BRANCH_FIXED : BRANCH_FIXED + 2 * int(coefficients[LATENCY])]
    state[_AT] = keep(dry, ring, int(state[_AT]), audio, frames)


@kernel
def join(state, coefficients, audio, frames):
    """through * what went in + level * what the branch made."""
    level, through = coefficients[LEVEL], coefficients[THROUGH]
    dry = state[_DRY : _DRY + 2 * QUANTUM]
    for n in range(frames):
        audio[n, 0] = through * dry[2 * n] + level * audio[n, 0]
        audio[n, 1] = through * dry[2 * n + 1] + level * audio[n, 1]
