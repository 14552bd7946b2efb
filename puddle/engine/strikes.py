"""Voices of the compiled engine: struck, stolen, choked, let go, and mixed into their buses."""

import math

import numpy as np

from puddle.engine import layout
from puddle.engine.layout import FADING, FALLING, FREE, NO_TURN, PLAIN, RISING, SLOTS, SOUNDING
from puddle.engine.lookup import pads_of, row_of
from puddle.engine.pointers import FRAME, f32_at, f64_at, i64_at, voices_at
from puddle.engine.reading import add_at, add_gliding, around, table_for
from puddle.kernels.compiling import carray, kernel
from puddle.kernels.polyphase import LONG
from puddle.kernels.quantum import QUANTUM

_CHOKE_S = 0.005
STEAL_S = 0.003
_CROSS_S = 0.010


@kernel
def strike(engine, slot, velocity, note, turn, offset):
    """Starts a voice of a slot, after choking its group and making room; none of one that went."""
    row = row_of(engine, slot)
    if row < 0:
        return
    pad = pads_of(engine)[row]
    owner = pad.owner
    index = owner % SLOTS
    counts = carray(i64_at(engine.struck), (SLOTS,))
    strengths = carray(f64_at(engine.struck_velocity), (SLOTS,))
    counts[index] += 1
    strengths[index] = velocity
    if turn == NO_TURN:
        by_hand = carray(i64_at(engine.by_hand), (SLOTS,))
        turn = by_hand[index]
        by_hand[index] += 1
    if pad.takes == 0 or pad.silenced == 1:
        return
    strength = _strength(pad, velocity)
    take, frames, rate, pitch = _take(pad, strength, note, turn)
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    if pad.chokes > 0:
        for n in range(engine.voice_count):
            if voices[n].group == pad.chokes:
                fade(voices[n], _CHOKE_S * engine.rate, offset)
    overlaps = pad.limit > 0 and _make_room(engine, voices, pad, owner, offset)
    voice = voices[_free_voice(engine, voices, offset)]
    _start(voice, pad, strength, rate)
    voice.velocity = velocity
    voice.turn = turn
    pitches = carray(f64_at(engine.last_pitch), (SLOTS,))
    if pad.glide == 1 or (pad.glide == 2 and overlaps):
        _glide(voice, pitches[index] - pitch, pad.glide_frames)
    pitches[index] = pitch
    voice.take = take
    voice.frames = frames
    voice.position = 0.0
    voice.delay = offset
    voice.fade = 1.0
    voice.fade_step = 0.0
    voice.fade_delay = 0
    voice.pad = owner
    voice.slot = slot
    voice.note = note
    voice.order = engine.order
    engine.order += 1
    voice.state = SOUNDING


@kernel
def _strength(pad, velocity):
    """What a velocity plays as on a pad: straight between whole ones."""
    if pad.response == 0:
        return velocity
    curve = carray(f64_at(pad.response), (128,))
    whole = min(126, max(0, int(velocity)))
    return curve[whole] + (velocity - whole) * (curve[whole + 1] - curve[whole])


@kernel
def _take(pad, strength, note, turn):
    """The address and length of what a strike plays, how fast, and at which pitch."""
    shift, zone = 0.0, 0
    if pad.keys != 0:
        keys = carray(f64_at(pad.keys), (129, 2))
        place = note if 0 <= note < 128 else 128
        shift, zone = keys[place, 0], int(keys[place, 1])
    step = min(pad.steps - 1, max(0, int((strength - 1.0) * pad.steps / 127.0)))
    entry = pad.takes + 24 * ((zone * pad.steps + step) * pad.turns + turn % pad.turns)
    found = carray(i64_at(entry), (2,))
    away = shift - carray(f64_at(entry + 16), (1,))[0]
    rate = pad.rate if away == 0.0 else pad.rate * 2.0 ** (away / 12.0)
    return found[0], found[1], rate, shift


@kernel
def _level(pad, strength):
    """The gain of a strength: by the pad's power, or of recordings that carry their own levels."""
    if pad.levels != 0:
        levels = carray(f64_at(pad.levels), (128,))
        return levels[min(127, max(0, int(strength)))]
    return (strength / 127.0) ** pad.velocity_power if pad.velocity_power > 0.0 else 1.0


@kernel
def _start(voice, pad, strength, rate):
    """Initializes gain, rate and envelope of a voice."""
    gain = _level(pad, strength)
    voice.rate = rate
    voice.rate_target = rate
    voice.rate_step = 1.0
    voice.gliding = 0
    voice.left = pad.left * gain
    voice.right = pad.right * gain
    voice.held = pad.gate
    _follow_pad(voice, pad)
    voice.shape = PLAIN
    voice.envelope = 1.0
    if pad.attack_step > 0.0:
        voice.shape, voice.envelope = RISING, 0.0
    elif pad.decay_factor > 0.0:
        voice.shape = FALLING
    voice.bus = pad.bus
    voice.group = pad.group


@kernel
def _follow_pad(voice, pad):
    """A gate's envelope as the pad has it: the voice keeps it when the pad goes."""
    voice.gate = pad.gate
    voice.release_frames = pad.release_frames
    voice.attack_step = pad.attack_step
    voice.decay_factor = pad.decay_factor
    voice.sustain = pad.sustain


@kernel
def take_pads(engine):
    """After the table of pads has changed: new tenants of slots count from zero, gates follow.

    A gate that is held rings on while its pad is there, though the own values that it was struck
    with are not; of a pad that has gone it is let go.
    """
    pads = pads_of(engine)
    tenants = carray(i64_at(engine.tenants), (SLOTS,))
    counts = carray(i64_at(engine.struck), (SLOTS,))
    by_hand = carray(i64_at(engine.by_hand), (SLOTS,))
    pitches = carray(f64_at(engine.last_pitch), (SLOTS,))
    meters = carray(f64_at(engine.pad_meters), (SLOTS,))
    for row in range(len(pads)):
        index = pads[row].slot % SLOTS
        if tenants[index] != pads[row].slot:
            tenants[index] = pads[row].slot
            counts[index] = 0
            by_hand[index] = 0
            pitches[index] = 0.0
            meters[index] = 0.0
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    for n in range(engine.voice_count):
        if voices[n].state == FREE:
            continue
        row = row_of(engine, voices[n].slot)
        if row >= 0:
            _follow_pad(voices[n], pads[row])
        elif voices[n].gate == 1 and row_of(engine, voices[n].pad) < 0:
            voices[n].held = 0
            fade(voices[n], float(voices[n].release_frames), 0)


@kernel
def _glide(voice, semitones, frames):
    """Starts away from where the pitch goes, by a factor of one size from frame to frame."""
    if semitones != 0.0:
        voice.gliding = int(frames)
        voice.rate = voice.rate_target * 2.0 ** (semitones / 12.0)
        voice.rate_step = 2.0 ** (-semitones / (12.0 * voice.gliding))


@kernel
def _make_room(engine, voices, pad, owner, offset):
    """Lets strikes of a pad go where one more would be too many; whether one still sounded."""
    overlaps = False
    while True:
        sounding = 0
        goes = -1
        for n in range(engine.voice_count):
            if voices[n].state != SOUNDING or voices[n].pad != owner:
                continue
            sounding += 1
            if goes < 0:
                goes = n
                continue
            softer = voices[n].velocity < voices[goes].velocity
            alike = voices[n].velocity == voices[goes].velocity
            older = voices[n].order < voices[goes].order
            if (softer or (alike and older)) if pad.steals_softest == 1 else older:
                goes = n
        overlaps = overlaps or sounding > 0
        if sounding < pad.limit or goes < 0:
            return overlaps
        fade(voices[goes], STEAL_S * engine.rate, offset)


@kernel
def cross(engine, slot, ahead):
    """A slot's voices go over to the take that it has now, at their place and some frames ahead.

    For what is compared while it rings: the old fades out while the new fades in.
    """
    row = row_of(engine, slot)
    if row < 0:
        return
    pad = pads_of(engine)[row]
    if pad.takes == 0 or pad.silenced == 1:
        return
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    steps = _CROSS_S * engine.rate
    for n in range(engine.voice_count):
        old = voices[n]
        if old.state != SOUNDING or old.slot != slot:
            continue
        strength = _strength(pad, old.velocity)
        take, frames, rate, _ = _take(pad, strength, old.note, old.turn)
        if old.take == take:
            continue
        # A take that is read faster has come further in the same time.
        position = max(0.0, old.position * (rate / old.rate_target) + ahead)
        fade(old, steps, 0)
        if position >= frames:
            continue
        place = _free_voice(engine, voices, 0)
        if place == n:
            continue
        new = voices[place]
        _start(new, pad, strength, rate)
        new.held, new.note = old.held, old.note
        new.velocity, new.turn = old.velocity, old.turn
        new.shape, new.envelope = old.shape, old.envelope
        new.take = take
        new.frames = frames
        new.position = math.floor(position)
        new.delay = old.delay
        new.fade = 0.0
        new.fade_step = -1.0 / max(1.0, steps)
        new.fade_delay = 0
        new.pad, new.slot = old.pad, slot
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
def release(engine, slot, note, offset):
    """Lets a gated pad's voices go: those of a note, or without one all of them."""
    row = row_of(engine, slot)
    owner = pads_of(engine)[row].owner if row >= 0 else slot
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    for n in range(engine.voice_count):
        if voices[n].gate == 0 or (note >= 0 and voices[n].note != note):
            continue
        if voices[n].pad == owner or voices[n].slot == slot:
            voices[n].held = 0
            fade(voices[n], float(voices[n].release_frames), offset)


@kernel
def choke(engine, slot, offset):
    """Cuts a pad's voices off, as a strike of its choke group does."""
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    for n in range(engine.voice_count):
        if voices[n].pad == slot:
            fade(voices[n], _CHOKE_S * engine.rate, offset)


@kernel
def release_gates(engine):
    """Lets every gated voice go."""
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    for n in range(engine.voice_count):
        if voices[n].state == SOUNDING and voices[n].gate == 1:
            fade(voices[n], float(voices[n].release_frames), 0)


@kernel
def add_voice(engine, voice, out):
    """Adds a voice's next quantum to its bus, and frees it when it has ended."""
    take = carray(f32_at(voice.take), (voice.frames, 2))
    first = voice.delay
    voice.delay = 0
    moves = voice.gliding > 0 or voice.shape != PLAIN
    position = int(voice.position)
    # A glide may end between two frames: then it goes on there.
    whole = voice.rate == 1.0 and voice.position == position
    if whole and voice.state == SOUNDING and not moves:
        count = min(QUANTUM - first, voice.frames - position)
        part = take[position : position + count]
        room = out[first : first + count]
        one = np.float32(voice.left * voice.envelope)
        other = np.float32(voice.right * voice.envelope)
        for n in range(count):
            room[n, 0] += part[n, 0] * one
            room[n, 1] += part[n, 1] * other
        voice.position += count
        if voice.position >= voice.frames:
            voice.state = FREE
        return
    count = QUANTUM - first
    last = voice.position + count * voice.rate
    inside = voice.position >= LONG // 2 and last < voice.frames - LONG // 2 - 1
    if inside and voice.state == SOUNDING and not moves:
        add_gliding(engine, voice, out[first:QUANTUM], count)
        return
    _add_moving(engine, voice, take, out, first)


@kernel
def _add_moving(engine, voice, take, out, first):
    """The same frame by frame: for what fades, glides, rises, falls, or comes to its end."""
    left, right = voice.left, voice.right
    table = table_for(engine, voice.rate)
    to = out.ctypes.data
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
        if voice.shape != PLAIN:
            _shape(voice)
        level = voice.fade * voice.envelope
        if part == 0.0 and voice.rate == 1.0:
            out[n, 0] += take[whole, 0] * (left * level)
            out[n, 1] += take[whole, 1] * (right * level)
        else:
            place = around(engine, voice, take, whole)
            one, other = np.float32(left * level), np.float32(right * level)
            add_at(engine, table, place, part, one, other, to + FRAME * n)
        voice.position += voice.rate
        if voice.gliding > 0:
            voice.gliding -= 1
            voice.rate = voice.rate * voice.rate_step if voice.gliding > 0 else voice.rate_target
    voice.fade_delay = 0


@kernel
def _shape(voice):
    """A gate's envelope, one frame on: up to full, then down to what is left while it is held."""
    if voice.shape == RISING:
        voice.envelope += voice.attack_step
        if voice.envelope > 1.0 - 1e-9 or voice.attack_step <= 0.0:
            voice.envelope = 1.0
            voice.shape = FALLING if voice.decay_factor > 0.0 else PLAIN
    else:
        over = (voice.envelope - voice.sustain) * voice.decay_factor
        voice.envelope = voice.sustain + over
        if abs(over) < 1e-4:
            voice.envelope = voice.sustain
            voice.shape = PLAIN
    if voice.state == FADING and voice.held == 0:
        voice.shape = PLAIN  # let go: it fades from where it is
