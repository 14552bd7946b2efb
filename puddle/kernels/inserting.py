"""An insert: a stage's loop with levels before and after it, and the dry hit blended back in."""

import math

from puddle.kernels.compiling import STAGE_SIGNATURE, call_stage, carray, entry, inlined
from puddle.kernels.guard import sane
from puddle.kernels.keys import in_a_row
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.ramps import toward

# Coefficients before those of the stage itself.
ENTRY, INPUT, OUTPUT, DRY, LATENCY, MATCH, AVERAGED = range(7)
INSERT_HEAD = 7
# Cells before those of the stage: the place in the ring, powers for matching, the gains that the
# last quantum ended with, the dry quantum; then the ring of `latency` frames.
_AT, _POWER_IN, _POWER_OUT, _MATCHED, _INPUT_NOW, _WET_NOW, _DRY_NOW = range(7)
_KEPT = 7
INSERT_FIXED = _KEPT + 2 * QUANTUM
_LEAST_POWER = 1e-9
_MOST_MATCH = 16.0


@inlined
def keep(dry, ring, at, audio, frames):
    """A quantum into `dry`, as late as the ring is long; returns the place in the ring."""
    flat, latency = in_a_row(audio, frames), ring.shape[0] // 2
    if latency == 0:
        for n in range(2 * frames):
            dry[n] = flat[n]
        return at
    n = 0
    while n < frames:  # in runs, until the ring begins anew
        count = min(frames - n, latency - at)
        late, fresh = dry[2 * n : 2 * (n + count)], flat[2 * n : 2 * (n + count)]
        kept = ring[2 * at : 2 * (at + count)]
        for k in range(2 * count):
            late[k] = kept[k]
        for k in range(2 * count):
            kept[k] = fresh[k] if sane(fresh[k]) else 0.0
        n, at = n + count, at + count
        at = at if at < latency else 0
    return at


@inlined
def take_dry(state, coefficients, audio, frames):
    """Keeps the quantum's input, delayed by the stage's latency, and applies the input level."""
    latency = int(coefficients[LATENCY])
    dry = state[_KEPT : _KEPT + 2 * QUANTUM]
    blends = coefficients[DRY] > 0.0 or state[_DRY_NOW] > 0.0
    if latency > 0 or blends or coefficients[MATCH] > 0.0:
        ring = state[INSERT_FIXED : INSERT_FIXED + 2 * latency]
        state[_AT] = keep(dry, ring, int(state[_AT]), audio, frames)
    gain, step = toward(state, _INPUT_NOW, coefficients[INPUT], frames)
    if gain != 1.0 or step != 0.0:
        for n in range(frames):
            now = gain + step * (n + 1)
            audio[n, 0] *= now
            audio[n, 1] *= now


@inlined
def blend_dry(state, coefficients, audio, frames):
    """What the stage made and what was kept: out = output * ((1 - dry) wet + dry kept)."""
    share, gain = coefficients[DRY], coefficients[OUTPUT]
    dry = state[_KEPT : _KEPT + 2 * QUANTUM]
    wet, wet_step = toward(state, _WET_NOW, gain * (1.0 - share), frames)
    kept, kept_step = toward(state, _DRY_NOW, gain * share, frames)
    if kept > 0.0 or kept_step != 0.0:
        for n in range(frames):
            made, beside = wet + wet_step * (n + 1), kept + kept_step * (n + 1)
            audio[n, 0] = made * audio[n, 0] + beside * dry[2 * n]
            audio[n, 1] = made * audio[n, 1] + beside * dry[2 * n + 1]
    elif wet != 1.0 or wet_step != 0.0:
        for n in range(frames):
            made = wet + wet_step * (n + 1)
            audio[n, 0] *= made
            audio[n, 1] *= made
    if coefficients[MATCH] > 0.0:
        _match(state, coefficients[AVERAGED], dry, audio, frames)


@inlined
def _match(state, averaged, dry, audio, frames):
    """Turns the output until it is as loud as what came in: running powers, a smooth gain."""
    entered = left = 0.0
    for n in range(frames):
        entered += dry[2 * n] * dry[2 * n] + dry[2 * n + 1] * dry[2 * n + 1]
        left += audio[n, 0] * audio[n, 0] + audio[n, 1] * audio[n, 1]
    if not sane(entered + left):
        return
    state[_POWER_IN] = averaged * state[_POWER_IN] + (1.0 - averaged) * entered
    state[_POWER_OUT] = averaged * state[_POWER_OUT] + (1.0 - averaged) * left
    before = state[_MATCHED] if state[_MATCHED] > 0.0 else 1.0
    wanted = before
    if state[_POWER_IN] > _LEAST_POWER and state[_POWER_OUT] > _LEAST_POWER:
        wanted = math.sqrt(state[_POWER_IN] / state[_POWER_OUT])
        wanted = min(_MOST_MATCH, max(1.0 / _MOST_MATCH, wanted))
    step = (wanted - before) / QUANTUM
    for n in range(frames):
        gain = before + step * (n + 1)
        audio[n, 0] *= gain
        audio[n, 1] *= gain
    state[_MATCHED] = before + step * frames


@entry(STAGE_SIGNATURE)
def insert_entry(state, coefficients, audio, frames):
    """Levels and dry blend around the stage whose entry the first coefficient is."""
    head = carray(coefficients, (INSERT_HEAD,))
    own = INSERT_FIXED + 2 * int(head[LATENCY])
    kept = carray(state, (own,))
    block = carray(audio, (frames, 2))
    take_dry(kept, head, block, frames)
    call_stage(
        int(head[ENTRY]),
        kept.ctypes.data + 8 * own,
        head.ctypes.data + 8 * INSERT_HEAD,
        block.ctypes.data,
        frames,
    )
    blend_dry(kept, head, block, frames)
