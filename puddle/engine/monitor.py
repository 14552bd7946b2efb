"""What comes after the master for the ear alone: a reference loop, mono, a small speaker.

None of it is in a render or a bounce. Everything is crossed over in 10 ms, so that switching leaves
no gap and no click. With all of it off, nothing is touched.
"""

import math

import numpy as np

from puddle.engine.layout import LOOP
from puddle.engine.lookup import tables_of
from puddle.engine.metronome import add_clicks
from puddle.engine.pointers import FRAME, f32_at, f64_at, monitors_at
from puddle.engine.under import add_under
from puddle.kernels.compiling import carray, kernel
from puddle.kernels.guard import sane
from puddle.kernels.quantum import QUANTUM

_CROSS_S = 0.010


@kernel
def listen(engine, master):
    """The master's quantum as it is listened to: in place, or beside it on outputs of its own."""
    if engine.monitor_pair == 0:
        _monitored(engine, master)
        return
    heard = carray(f32_at(engine.apart), (QUANTUM, 2))
    for n in range(QUANTUM):
        heard[n, 0] = master[n, 0]
        heard[n, 1] = master[n, 1]
    _monitored(engine, heard)


@kernel
def _monitored(engine, audio):
    monitor = carray(monitors_at(engine.monitor), (1,))[0]
    ran = monitor.ran
    monitor.ran = engine.playing
    _listened(engine, monitor, audio, ran)
    add_under(engine, monitor, audio)
    clicks = audio
    if engine.click_pair > 0:
        clicks = carray(f32_at(engine.apart + QUANTUM * FRAME), (QUANTUM, 2))
        clicks[:] = np.float32(0.0)
    if monitor.click_on > 0.0 or monitor.click_left > 0:
        add_clicks(engine, monitor, clicks, ran)


@kernel
def _listened(engine, monitor, audio, ran):
    if _idle(monitor):
        return
    step = QUANTUM / (_CROSS_S * engine.rate)
    _add_reference(engine, monitor, audio, step, ran)
    if monitor.mono > 0.0 or monitor.mono_now > 0.0:
        _fold(monitor, audio, step)
    if monitor.speaker > 0.0 or monitor.speaker_now > 0.0:
        _play_small(monitor, audio, step)
    else:
        states = carray(f64_at(monitor.states), (2 * monitor.section_count,))
        for n in range(states.shape[0]):
            states[n] = 0.0


@kernel
def _idle(monitor):
    return (
        monitor.reference == 0.0
        and monitor.reference_now == 0.0
        and monitor.own_gain == 1.0
        and monitor.own_gain_now == 1.0
        and monitor.mono == 0.0
        and monitor.mono_now == 0.0
        and monitor.speaker == 0.0
        and monitor.speaker_now == 0.0
    )


@kernel
def _nearer(now, target, step):
    """A value a step nearer to where it is to be."""
    if now < target:
        return min(target, now + step)
    return max(target, now - step)


@kernel
def _add_reference(engine, monitor, audio, step, ran):
    """The master, the reference loop, or what is between them on the way from one to the other."""
    share = monitor.reference_now
    own = monitor.own_gain_now
    gain = monitor.reference_gain_now
    wanted = monitor.reference_gain if engine.playing == 1 else 0.0
    if engine.playing == 1:
        per_beat = 60.0 * engine.rate / engine.bpm
        zero = engine.base_frame - math.floor(engine.base_beat * per_beat + 0.5)
        monitor.at = engine.clock - QUANTUM - engine.late - int(zero)
        if ran == 0 or share == 0.0:
            gain = wanted  # its first hit comes in whole, and nothing glides that is not heard
    next_share = _nearer(share, monitor.reference, step)
    next_own = _nearer(own, monitor.own_gain, step)
    next_gain = _nearer(gain, wanted, step * max(1.0, wanted))
    at = monitor.at
    table = tables_of(engine)
    length, frames = table[LOOP].value, table[LOOP].count
    loop = carray(f32_at(table[LOOP].address), (max(1, frames), 2))
    heard = frames > 0 and length >= 1.0 and (share > 0.0 or next_share > 0.0)
    turn = math.floor(at / length) if heard else 0.0
    first = math.floor(turn * length + 0.5)
    if heard and first > at:
        turn -= 1.0
        first = math.floor(turn * length + 0.5)
    following = math.floor((turn + 1.0) * length + 0.5)
    for n in range(QUANTUM):
        part = (n + 1.0) / QUANTUM
        now = share + (next_share - share) * part
        level = (own + (next_own - own) * part) * (1.0 - now)
        left, right = audio[n, 0] * level, audio[n, 1] * level
        if heard and at + n >= 0:
            if at + n >= following:
                turn += 1.0
                first = following
                following = math.floor((turn + 1.0) * length + 0.5)
            place = at + n - first
            if place < frames:
                other = (gain + (next_gain - gain) * part) * now
                left += loop[place, 0] * other
                right += loop[place, 1] * other
        audio[n, 0] = left
        audio[n, 1] = right
    monitor.reference_now = next_share
    monitor.own_gain_now = next_own
    monitor.reference_gain_now = next_gain
    monitor.at = at + QUANTUM


@kernel
def _fold(monitor, audio, step):
    """Both sides as their mean."""
    start = monitor.mono_now
    end = _nearer(start, monitor.mono, step)
    for n in range(QUANTUM):
        share = start + (end - start) * (n + 1.0) / QUANTUM
        middle = 0.5 * (audio[n, 0] + audio[n, 1])
        audio[n, 0] += (middle - audio[n, 0]) * share
        audio[n, 1] += (middle - audio[n, 1]) * share
    monitor.mono_now = end


@kernel
def _play_small(monitor, audio, step):
    """The mean of both sides through the speaker's curve (biquads, transposed form II)."""
    start = monitor.speaker_now
    end = _nearer(start, monitor.speaker, step)
    count = monitor.section_count
    sections = carray(f64_at(monitor.sections), (count, 5))
    states = carray(f64_at(monitor.states), (count, 2))
    for n in range(QUANTUM):
        x = 0.5 * (float(audio[n, 0]) + float(audio[n, 1]))
        for k in range(count):
            y = sections[k, 0] * x + states[k, 0]
            states[k, 0] = sections[k, 1] * x - sections[k, 3] * y + states[k, 1]
            states[k, 1] = sections[k, 2] * x - sections[k, 4] * y
            x = y
        if not sane(x):
            x = 0.0
            for k in range(count):
                states[k, 0] = 0.0
                states[k, 1] = 0.0
        share = start + (end - start) * (n + 1.0) / QUANTUM
        audio[n, 0] += (x - audio[n, 0]) * share
        audio[n, 1] += (x - audio[n, 1]) * share
    monitor.speaker_now = end
