"""A branch: what went in is kept, as late as the branch is, and added to what the branch made."""

from puddle.kernels.compiling import kernel
from puddle.kernels.inserting import keep
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.ramps import toward

# Coefficients before those of the stages: how many there are, levels, the stages' latency.
COUNT, LEVEL, THROUGH, LATENCY = range(4)
BRANCH_HEAD = 4
# Before each stage's coefficients: its entry, its cells, the number of its coefficients.
STAGE_HEAD = 3
_AT, _LEVEL_NOW, _THROUGH_NOW, _DRY = range(4)
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
    level, level_step = toward(state, _LEVEL_NOW, coefficients[LEVEL], frames)
    through, through_step = toward(state, _THROUGH_NOW, coefficients[THROUGH], frames)
    dry = state[_DRY : _DRY + 2 * QUANTUM]
    for n in range(frames):
        beside, made = through + through_step * (n + 1), level + level_step * (n + 1)
        audio[n, 0] = beside * dry[2 * n] + made * audio[n, 0]
        audio[n, 1] = beside * dry[2 * n + 1] + made * audio[n, 1]
