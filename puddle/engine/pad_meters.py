"""How loud each pad is, from its voices: looked for only while somebody looks."""

from puddle.engine.layout import SOUNDING
from puddle.engine.lookup import pad_count
from puddle.engine.pointers import f32_at, f64_at
from puddle.kernels.compiling import carray, kernel
from puddle.kernels.quantum import QUANTUM

_STRIDE = 2  # frames: a meter misses no more than the very tip of a click


@kernel
def meter_voice(engine, voice):
    """Notes the peak of a voice's coming quantum under its pad."""
    if voice.state != SOUNDING or voice.pad >= pad_count(engine):
        return
    take = carray(f32_at(voice.take), (voice.frames, 2))
    first = max(0, int(voice.position))
    last = min(voice.frames, first + QUANTUM)
    left = right = 0.0
    for n in range(first, last, _STRIDE):
        left = max(left, abs(take[n, 0]))
        right = max(right, abs(take[n, 1]))
    meters = carray(f64_at(engine.pad_meters), (pad_count(engine),))
    peak = max(left * abs(voice.left), right * abs(voice.right)) * voice.envelope * voice.fade
    meters[voice.pad] = max(meters[voice.pad], peak)
