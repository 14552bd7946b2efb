"""Voices of the compiled engine: struck, stolen, choked, let go, and mixed into their buses."""

import math

import numpy as np

from puddle.engine import layout
from puddle.engine.layout import FADING, FREE, SOUNDING
from puddle.engine.pointers import FRAME, f32_at, f64_at, i64_at, pads_at, voices_at
from puddle.kernels.compiling import carray, kernel
from puddle.kernels.gliding import add_between
from puddle.kernels.quantum import QUANTUM

_CHOKE_S = 0.005
STEAL_S = 0.003
_CROSS_S = 0.010


@kernel
def strike(engine, pad_index, velocity, offset):
    """Starts a voice, after choking its group and making room."""
    if pad_index < 0 or pad_index >= engine.pad_count:
        return
    pad = carray(pads_at(engine.pads), (engine.pad_count,))[pad_index]
    counts = carray(i64_at(engine.struck), (engine.pad_count,))
    strengths = carray(f64_at(engine.struck_velocity), (engine.pad_count,))
    counts[pad_index] += 1
    strengths[pad_index] = velocity
    if pad.takes == 0 or pad.silenced == 1:
        return
    take, frames = _take(pad, velocity, counts[pad_index] - 1)
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    if pad.chokes > 0:
        for n in range(engine.voice_count):
            if voices[n].group == pad.chokes:
                fade(voices[n], _CHOKE_S * engine.rate, offset)
    voice = voices[_free_voice(engine, voices, offset)]
    _start(voice, pad, velocity)
    voice.take = take
    voice.frames = frames
    voice.position = 0.0
    voice.delay = offset
    voice.fade = 1.0
    voice.fade_step = 0.0
    voice.fade_delay = 0
    voice.pad = pad_index
    voice.order = engine.order
    engine.order += 1
    voice.state = SOUNDING


@kernel
def _take(pad, velocity, count):
    """The address and length of what a strike plays."""
    step = min(pad.steps - 1, max(0, int((velocity - 1.0) * pad.steps / 127.0)))
    pairs = carray(i64_at(pad.takes), (pad.steps * pad.turns, 2))
    pair = pairs[step * pad.turns + count % pad.turns]
    return pair[0], pair[1]


@kernel
def _start(voice, pad, velocity):
    """How a pad's voice plays whatever it plays."""
    gain = (velocity / 127.0) ** pad.velocity_power if pad.velocity_power > 0.0 else 1.0
    voice.rate = pad.rate
    voice.left = pad.left * gain
    voice.right = pad.right * gain
    voice.bus = pad.bus
    voice.group = pad.group


@kernel
def cross(engine, pad_index, ahead):
    """A pad's voices go over to the take that it has now, at their place and some frames ahead.

    For what is compared while it rings: the old fades out while the new fades in.
    """
    if pad_index < 0 or pad_index >= engine.pad_count:
        return
    pad = carray(pads_at(engine.pads), (engine.pad_count,))[pad_index]
    if pad.takes == 0 or pad.silenced == 1:
        return
    counts = carray(i64_at(engine.struck), (engine.pad_count,))
    strengths = carray(f64_at(engine.struck_velocity), (engine.pad_count,))
    velocity = strengths[pad_index]
    take, frames = _take(pad, velocity, counts[pad_index] - 1)
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    steps = _CROSS_S * engine.rate
    for n in range(engine.voice_count):
        old = voices[n]
        if old.state != SOUNDING or old.pad != pad_index or old.take == take:
            continue
        position = max(0.0, old.position + ahead)
        fade(old, steps, 0)
        if position >= frames:
            continue
        place = _free_voice(engine, voices, 0)
        if place == n:
            continue
        new = voices[place]
        _start(new, pad, velocity)
        new.take = take
        new.frames = frames
        new.position = math.floor(position)
        new.delay = old.delay
        new.fade = 0.0
        new.fade_step = -1.0 / max(1.0, steps)
        new.fade_delay = 0
        new.pad = pad_index
        new.order = engine.order
        engine.order += 1
        new.state = FADING


@kernel
def _free_voice(engine, voices, offset):
    """A free voice; the oldest is let go when too many sound."""
    free = -1
    oldest = -1
    oldest_of_all = 0
    sounding = 0
    for n in range(engine.voice_count):
        if voices[n].state == FREE:
            if free < 0:
                free = n
            continue
        if voices[n].order < voices[oldest_of_all].order:
            oldest_of_all = n
        if voices[n].state == SOUNDING:
            sounding += 1
            if oldest < 0 or voices[n].order < voices[oldest].order:
                oldest = n
    if sounding >= layout.VOICES and oldest >= 0:
        fade(voices[oldest], STEAL_S * engine.rate, offset)
    return free if free >= 0 else oldest_of_all


@kernel
def fade(voice, frames, delay):
    """Lets a voice go within some frames, after some delay; one that comes in goes from there."""
    if voice.state == SOUNDING or (voice.state == FADING and voice.fade_step < 0.0):
        voice.state = FADING
        voice.fade_step = 1.0 / max(1.0, frames)
        voice.fade_delay = delay


@kernel
def release(engine, pad_index, offset):
    """Lets a gated pad's voices go."""
    if pad_index < 0 or pad_index >= engine.pad_count:
        return
    pad = carray(pads_at(engine.pads), (engine.pad_count,))[pad_index]
    if pad.gate == 0:
        return
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    for n in range(engine.voice_count):
        if voices[n].pad == pad_index:
            fade(voices[n], float(pad.release_frames), offset)


@kernel
def release_gates(engine):
    pads = carray(pads_at(engine.pads), (engine.pad_count,))
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    for n in range(engine.voice_count):
        if voices[n].state == SOUNDING and voices[n].pad < engine.pad_count:
            pad = pads[voices[n].pad]
            if pad.gate == 1:
                fade(voices[n], float(pad.release_frames), 0)


@kernel
def add_voice(voice, out):
    """Adds a voice's next quantum to its bus, and frees it when it has ended."""
    take = carray(f32_at(voice.take), (voice.frames, 2))
    first = voice.delay
    voice.delay = 0
    left, right = voice.left, voice.right
    if voice.rate == 1.0 and voice.state == SOUNDING:
        position = int(voice.position)
        count = min(QUANTUM - first, voice.frames - position)
        part = take[position : position + count]
        room = out[first : first + count]
        one, other = np.float32(left), np.float32(right)
        for n in range(count):
            room[n, 0] += part[n, 0] * one
            room[n, 1] += part[n, 1] * other
        voice.position += count
        if voice.position >= voice.frames:
            voice.state = FREE
        return
    count = QUANTUM - first
    inside = voice.position >= 1.0 and voice.position + count * voice.rate < voice.frames - 3
    if inside and voice.state == SOUNDING:
        _add_gliding(voice, out[first:QUANTUM], count)
        return
    for n in range(first, QUANTUM):
        if voice.position >= voice.frames:
            voice.state = FREE
            return
        whole = int(voice.position)
        part = voice.position - whole
        if voice.state == FADING:
            if voice.fade_delay > 0 and n < voice.fade_delay:
                pass
            else:
                voice.fade_delay = 0
                voice.fade -= voice.fade_step
                if voice.fade <= 0.0:
                    voice.state = FREE
                    return
                if voice.fade >= 1.0:  # it has come in
                    voice.fade = 1.0
                    voice.fade_step = 0.0
                    voice.state = SOUNDING
        if part == 0.0:
            a, b = float(take[whole, 0]), float(take[whole, 1])
        else:
            a = _hermite(take, whole, part, 0, voice.frames)
            b = _hermite(take, whole, part, 1, voice.frames)
        out[n, 0] += a * left * voice.fade
        out[n, 1] += b * right * voice.fade
        voice.position += voice.rate
    voice.fade_delay = 0


@kernel
def _add_gliding(voice, room, count):
    """The same for a voice well inside its take: no edge and no fade to look out for."""
    left, right = np.float32(voice.left), np.float32(voice.right)
    out = room.ctypes.data
    for n in range(count):
        position = voice.position + n * voice.rate
        whole = int(position)
        part = np.float32(position - whole)
        add_between(voice.take + FRAME * (whole - 1), part, left, right, out + FRAME * n)
    voice.position += count * voice.rate


@kernel
def _hermite(take, whole, part, channel, frames):
    """Four-point third-order Hermite interpolation between two frames."""
    x0 = take[whole - 1, channel] if whole > 0 else 0.0
    x1 = take[whole, channel]
    x2 = take[whole + 1, channel] if whole + 1 < frames else 0.0
    x3 = take[whole + 2, channel] if whole + 2 < frames else 0.0
    c1 = 0.5 * (x2 - x0)
    c2 = x0 - 2.5 * x1 + 2.0 * x2 - 0.5 * x3
    c3 = 0.5 * (x3 - x0) + 1.5 * (x1 - x2)
    return ((c3 * part + c2) * part + c1) * part + x1
