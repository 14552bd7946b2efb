"""A branch: what went in is kept, as late as the branch is, and added to what the branch made."""

from puddle.kernels.compiling import (
    STAGE_SIGNATURE,
    call_stage,
    carray,
    entry,
    kernel,
    pointer_to,
    types,
)
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


f64_at = pointer_to(types.float64)


@entry(STAGE_SIGNATURE)
def branch_entry(state, coefficients, audio, frames):
    """Stages in a row over a copy, and what went in beside it."""
    head = carray(coefficients, (BRANCH_HEAD,))
    own = BRANCH_FIXED + 2 * int(head[LATENCY])
    kept = carray(state, (own,))
    block = carray(audio, (frames, 2))
    fork(kept, head, block, frames)
    cells = kept.ctypes.data + 8 * own
    at = head.ctypes.data + 8 * BRANCH_HEAD
    for _ in range(int(head[COUNT])):
        stage = carray(f64_at(at), (STAGE_HEAD,))
        at += 8 * STAGE_HEAD
        call_stage(int(stage[0]), cells, at, block.ctypes.data, frames)
        cells += 8 * int(stage[1])
        at += 8 * int(stage[2])
    join(kept, head, block, frames)
