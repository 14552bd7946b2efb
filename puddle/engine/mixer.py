"""The compiled engine: one function makes the next quantum of 32 frames, live and offline alike.

It takes no lock, allocates nothing and never enters the interpreter. Commands are drained from
rings at the start of a quantum; strikes and releases carry the frame at which they fall and take
effect on that very frame.
"""

import math

import numpy as np

from puddle.engine import layout
from puddle.engine.layout import (
    FADING,
    FREE,
    GRAPH,
    MOST_BUSES,
    PADS,
    PATTERN,
    PENDING,
    PLAY,
    RELEASE,
    RING_SIZE,
    RINGS,
    SILENCE,
    SOUNDING,
    STOP,
    STRIKE,
    TEMPO,
)
from puddle.kernels.compiling import (
    call_stage,
    carray,
    entry,
    flush_denormals,
    from_dtype,
    kernel,
    load_acquire,
    pointer_to,
    restore_float_mode,
    store_release,
    types,
)
from puddle.kernels.gliding import add_between
from puddle.kernels.guard import sane
from puddle.kernels.quantum import QUANTUM

_engine_at = pointer_to(from_dtype(layout.ENGINE))
_voices_at = pointer_to(from_dtype(layout.VOICE))
_pads_at = pointer_to(from_dtype(layout.PAD))
_buses_at = pointer_to(from_dtype(layout.BUS))
_slots_at = pointer_to(from_dtype(layout.SLOT))
_events_at = pointer_to(from_dtype(layout.EVENT))
_rings_at = pointer_to(from_dtype(layout.RING))
_commands_at = pointer_to(from_dtype(layout.COMMAND))
_f64_at = pointer_to(types.float64)
_f32_at = pointer_to(types.float32)
_i64_at = pointer_to(types.int64)

FRAME = 8  # bytes of a stereo frame
_CHOKE_S = 0.005
_STEAL_S = 0.003
_SLEEP_S = 0.5
_QUIET = 1e-9
_RING_BYTES = layout.RING.itemsize


@kernel
def push(rings, ring, kind, a, b, x, frame):
    """Puts a command into a ring; False where it is full. One thread at a time for each ring."""
    header = carray(_rings_at(rings), (RINGS,))[ring]
    place = rings + ring * _RING_BYTES
    written = header.written
    if written - load_acquire(place + 8) >= RING_SIZE:
        return False
    command = carray(_commands_at(header.commands), (RING_SIZE,))[written % RING_SIZE]
    command.kind = kind
    command.a = a
    command.b = b
    command.x = x
    command.frame = frame
    store_release(place, written + 1)
    return True


@kernel
def _drain(engine):
    """Takes every command that has arrived."""
    for ring in range(RINGS):
        header = carray(_rings_at(engine.rings), (RINGS,))[ring]
        place = engine.rings + ring * _RING_BYTES
        written = load_acquire(place)
        read = header.read
        commands = carray(_commands_at(header.commands), (RING_SIZE,))
        while read < written:
            command = commands[read % RING_SIZE]
            if command.kind == STRIKE or command.kind == RELEASE:
                _defer(engine, command.kind, command.a, command.x, command.frame)
            else:
                _obey(engine, command.kind, command.a, command.b, command.x)
            read += 1
        store_release(place + 8, read)


@kernel
def _defer(engine, kind, pad, velocity, frame):
    """Puts a strike or release among those to come."""
    pending = carray(_commands_at(engine.pending), (PENDING,))
    if engine.pending_count >= PENDING:
        return
    event = pending[engine.pending_count]
    event.kind = kind
    event.a = pad
    event.x = velocity
    event.frame = frame
    engine.pending_count += 1


@kernel
def _obey(engine, kind, a, b, x):
    """Carries out a command that takes effect at the start of a quantum."""
    if kind == PADS:
        engine.pads = a
        engine.pad_count = np.int64(x)
        engine.pads_generation = b
    elif kind == GRAPH:
        _take_graph(engine, a, b)
    elif kind == PATTERN:
        header = carray(_i64_at(a), (2,))
        engine.event_count = header[0]
        engine.pattern_beats = x
        engine.pattern = header[1]
        engine.pattern_generation = b
        _find_place(engine)
    elif kind == PLAY:
        engine.playing = 1
        engine.base_frame = engine.clock
        engine.base_beat = 0.0
        engine.loop_beat = 0.0
        engine.cursor = 0
        engine.beat = 0.0
    elif kind == STOP:
        engine.playing = 0
        _release_gates(engine)
    elif kind == TEMPO:
        if engine.playing == 1:
            engine.base_beat = _beat_at(engine, engine.clock)
            engine.base_frame = engine.clock
        engine.bpm = x
    elif kind == SILENCE:
        engine.pending_count = 0
        voices = carray(_voices_at(engine.voices), (engine.voice_count,))
        for n in range(engine.voice_count):
            _fade(voices[n], _STEAL_S * engine.rate, 0)


@kernel
def _take_graph(engine, address, generation):
    """Buses and slots replaced by new tables; the header holds their addresses and numbers."""
    header = carray(_i64_at(address), (4,))
    if engine.bus_count > 0:
        before = carray(_buses_at(engine.buses), (engine.bus_count,))
        after = carray(_buses_at(header[0]), (header[1],))
        for b in range(header[1]):
            old = after[b].carries
            if 0 <= old < engine.bus_count:
                after[b].gain = before[old].gain
                after[b].asleep = before[old].asleep
                after[b].quiet = before[old].quiet
                if after[b].delay_line == before[old].delay_line:
                    after[b].delay_at = before[old].delay_at
    engine.buses = header[0]
    engine.bus_count = header[1]
    engine.slots = header[2]
    engine.slot_count = header[3]
    engine.graph_generation = generation


@kernel
def _beat_at(engine, frame):
    return engine.base_beat + (frame - engine.base_frame) * engine.bpm / (60.0 * engine.rate)


@kernel
def _frame_of(engine, beat):
    """The frame on which a beat falls."""
    beats = beat - engine.base_beat
    return engine.base_frame + np.int64(math.floor(beats * 60.0 * engine.rate / engine.bpm + 0.5))


@kernel
def _find_place(engine):
    """After the pattern has changed: the pass that is running, and the event that comes next."""
    engine.cursor = 0
    if engine.playing == 0 or engine.pattern_beats <= 0.0:
        return
    now = _beat_at(engine, engine.clock)
    while engine.loop_beat + engine.pattern_beats <= now:
        engine.loop_beat += engine.pattern_beats
    events = carray(_events_at(engine.pattern), (engine.event_count,))
    while (
        engine.cursor < engine.event_count
        and _frame_of(engine, engine.loop_beat + events[engine.cursor].beat) < engine.clock
    ):
        engine.cursor += 1


@kernel
def _fade(voice, frames, delay):
    """Lets a voice go within some frames, after some delay."""
    if voice.state == SOUNDING:
        voice.state = FADING
        voice.fade_step = 1.0 / max(1.0, frames)
        voice.fade_delay = delay


@kernel
def _release_gates(engine):
    pads = carray(_pads_at(engine.pads), (engine.pad_count,))
    voices = carray(_voices_at(engine.voices), (engine.voice_count,))
    for n in range(engine.voice_count):
        if voices[n].state == SOUNDING and voices[n].pad < engine.pad_count:
            pad = pads[voices[n].pad]
            if pad.gate == 1:
                _fade(voices[n], float(pad.release_frames), 0)


@kernel
def _gather(engine):
    """Moves what falls into the coming quantum to the due list, in order of time."""
    due = carray(_commands_at(engine.due), (PENDING,))
    pending = carray(_commands_at(engine.pending), (PENDING,))
    end = engine.clock + QUANTUM
    count = 0
    kept = 0
    for n in range(engine.pending_count):
        if pending[n].frame < end and count < PENDING:
            offset = max(0, pending[n].frame - engine.clock)
            count = _insert(due, count, pending[n].kind, pending[n].a, pending[n].x, offset)
        else:
            pending[kept] = pending[n]
            kept += 1
    engine.pending_count = kept
    if engine.playing == 1 and engine.pattern_beats > 0.0:
        events = carray(_events_at(engine.pattern), (engine.event_count,))
        while True:
            if engine.cursor >= engine.event_count:
                following = engine.loop_beat + engine.pattern_beats
                if _frame_of(engine, following) >= end:
                    break
                engine.loop_beat = following
                engine.cursor = 0
                if engine.event_count == 0:
                    continue
            event = events[engine.cursor]
            frame = _frame_of(engine, engine.loop_beat + event.beat)
            if frame >= end or count >= PENDING:
                break
            offset = max(0, frame - engine.clock)
            count = _insert(due, count, event.kind, event.pad, event.velocity, offset)
            engine.cursor += 1
        engine.beat = _beat_at(engine, end) - engine.loop_beat
    return count


@kernel
def _insert(due, count, kind, pad, velocity, offset):
    """Insertion by time; of two at one frame a release comes first."""
    place = count
    while place > 0 and (
        due[place - 1].frame > offset
        or (due[place - 1].frame == offset and kind == RELEASE and due[place - 1].kind == STRIKE)
    ):
        due[place] = due[place - 1]
        place -= 1
    due[place].kind = kind
    due[place].a = pad
    due[place].x = velocity
    due[place].frame = offset
    return count + 1


@kernel
def _strike(engine, pad_index, velocity, offset):
    """Starts a voice, after choking its group and making room."""
    if pad_index < 0 or pad_index >= engine.pad_count:
        return
    pad = carray(_pads_at(engine.pads), (engine.pad_count,))[pad_index]
    counts = carray(_i64_at(engine.struck), (engine.pad_count,))
    strengths = carray(_f64_at(engine.struck_velocity), (engine.pad_count,))
    counts[pad_index] += 1
    strengths[pad_index] = velocity
    if pad.take == 0 or pad.silenced == 1:
        return
    voices = carray(_voices_at(engine.voices), (engine.voice_count,))
    if pad.group > 0:
        for n in range(engine.voice_count):
            if voices[n].group == pad.group:
                _fade(voices[n], _CHOKE_S * engine.rate, offset)
    voice = voices[_free_voice(engine, voices, offset)]
    gain = (velocity / 127.0) ** pad.velocity_power if pad.velocity_power > 0.0 else 1.0
    voice.take = pad.take
    voice.frames = pad.frames
    voice.position = 0.0
    voice.rate = pad.rate
    voice.left = pad.left * gain
    voice.right = pad.right * gain
    voice.delay = offset
    voice.fade = 1.0
    voice.fade_step = 0.0
    voice.fade_delay = 0
    voice.pad = pad_index
    voice.bus = pad.bus
    voice.group = pad.group
    voice.order = engine.order
    engine.order += 1
    voice.state = SOUNDING


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
        _fade(voices[oldest], _STEAL_S * engine.rate, offset)
    return free if free >= 0 else oldest_of_all


@kernel
def _release(engine, pad_index, offset):
    """Lets a gated pad's voices go."""
    if pad_index < 0 or pad_index >= engine.pad_count:
        return
    pad = carray(_pads_at(engine.pads), (engine.pad_count,))[pad_index]
    if pad.gate == 0:
        return
    voices = carray(_voices_at(engine.voices), (engine.voice_count,))
    for n in range(engine.voice_count):
        if voices[n].pad == pad_index:
            _fade(voices[n], float(pad.release_frames), offset)


@kernel
def _add_voice(voice, out):
    """Adds a voice's next quantum to its bus, and frees it when it has ended."""
    take = carray(_f32_at(voice.take), (voice.frames, 2))
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


@kernel
def _run_slots(engine, bus, audio_address):
    """A bus's stages over its quantum, their coefficients on the way to what was asked for."""
    slots = carray(_slots_at(engine.slots), (engine.slot_count,))
    for s in range(bus.first_slot, bus.first_slot + bus.slots):
        slot = slots[s]
        if slot.ramp > 0:
            now = carray(_f64_at(slot.now), (slot.coefficients,))
            target = carray(_f64_at(slot.target), (slot.coefficients,))
            for k in range(slot.coefficients):
                if slot.ramp == 1:
                    now[k] = target[k]
                else:
                    now[k] += (target[k] - now[k]) / slot.ramp
            slot.ramp -= 1
        call_stage(slot.entry, slot.state, slot.now, audio_address, QUANTUM)


@kernel
def _reset_slots(engine, bus):
    """Stages' states back to zero: at rest, or after something was not a number."""
    slots = carray(_slots_at(engine.slots), (engine.slot_count,))
    for s in range(bus.first_slot, bus.first_slot + bus.slots):
        state = carray(_f64_at(slots[s].state), (slots[s].cells,))
        for k in range(slots[s].cells):
            state[k] = 0.0


@kernel
def _peak(audio):
    """The highest absolute value; -1 where something is not a number."""
    highest = np.float32(0.0)
    total = np.float32(0.0)
    for n in range(QUANTUM):
        highest = max(highest, abs(audio[n, 0]), abs(audio[n, 1]))
        total += abs(audio[n, 0]) + abs(audio[n, 1])
    if not sane(total):
        return np.float32(-1.0)
    return highest


@kernel
def _run_bus(engine, bus, audio, audio_address, meters):
    """Stages, level, guard, alignment and meter of one bus, in place; asleep when silent."""
    entering = _peak(audio)
    if entering < 0.0:
        entering = _poison(engine, bus, audio)
    if bus.asleep == 1:
        bus.gain = bus.gain_target  # nothing sounds: there is nothing to glide
        if entering == 0.0:
            return
        bus.asleep = 0
        bus.quiet = 0
    _run_slots(engine, bus, audio_address)
    step = 0.0
    if bus.gain != bus.gain_target:
        following = bus.gain + 0.1 * (bus.gain_target - bus.gain)
        if abs(following - bus.gain_target) < 1e-5:
            following = bus.gain_target
        step = (following - bus.gain) / QUANTUM
    for n in range(QUANTUM):
        gain = np.float32(bus.gain + step * (n + 1))
        audio[n, 0] *= gain
        audio[n, 1] *= gain
    if step != 0.0:
        bus.gain = bus.gain + step * QUANTUM
        if abs(bus.gain - bus.gain_target) < 1e-5:
            bus.gain = bus.gain_target
    leaving = _peak(audio)
    if leaving < 0.0:
        leaving = _poison(engine, bus, audio)
    if bus.delay > 0:
        _delay(bus, audio)
    left = right = np.float32(0.0)
    for n in range(QUANTUM):
        left = max(left, abs(audio[n, 0]))
        right = max(right, abs(audio[n, 1]))
    meters[0] = max(meters[0], left)
    meters[1] = max(meters[1], right)
    if entering < _QUIET and leaving < _QUIET:
        bus.quiet += 1
        if bus.quiet * QUANTUM > _SLEEP_S * engine.rate:
            bus.asleep = 1
            _reset_slots(engine, bus)
            _clear_delay(bus)
    else:
        bus.quiet = 0


@kernel
def _poison(engine, bus, audio):
    """Silences a quantum that holds something that is not a number, and heals the filters."""
    engine.poisoned += 1
    _reset_slots(engine, bus)
    for n in range(QUANTUM):
        audio[n, 0] = 0.0
        audio[n, 1] = 0.0
    return np.float32(0.0)


@kernel
def _delay(bus, audio):
    """Delays a quantum by the frames that align the bus with the latest one."""
    line = carray(_f32_at(bus.delay_line), (bus.delay, 2))
    at = bus.delay_at
    for n in range(QUANTUM):
        left, right = line[at, 0], line[at, 1]
        line[at, 0] = audio[n, 0]
        line[at, 1] = audio[n, 1]
        audio[n, 0] = left
        audio[n, 1] = right
        at += 1
        if at == bus.delay:
            at = 0
    bus.delay_at = at


@kernel
def _clear_delay(bus):
    line = carray(_f32_at(bus.delay_line), (bus.delay, 2))
    for n in range(bus.delay):
        line[n, 0] = 0.0
        line[n, 1] = 0.0
    bus.delay_at = 0


@kernel
def quantum(address):
    """Makes the next 32 frames: each bus's in its place, the master's in the last."""
    engine = carray(_engine_at(address), (1,))[0]
    _drain(engine)
    count = _gather(engine)
    due = carray(_commands_at(engine.due), (PENDING,))
    for n in range(count):
        if due[n].kind == STRIKE:
            _strike(engine, due[n].a, due[n].x, due[n].frame)
        else:
            _release(engine, due[n].a, due[n].frame)
    buses = carray(_buses_at(engine.buses), (engine.bus_count,))
    audio = carray(_f32_at(engine.audio), (MOST_BUSES, QUANTUM, 2))
    last = engine.bus_count - 1
    for b in range(engine.bus_count):
        for n in range(QUANTUM):
            audio[b, n, 0] = 0.0
            audio[b, n, 1] = 0.0
    voices = carray(_voices_at(engine.voices), (engine.voice_count,))
    sounding = 0
    for v in range(engine.voice_count):
        if voices[v].state != FREE:
            _add_voice(voices[v], audio[min(voices[v].bus, last)])
            sounding += 1
    engine.sounding = sounding
    meters = carray(_f64_at(engine.meters), (MOST_BUSES, 2))
    size = QUANTUM * FRAME
    for b in range(last):
        _run_bus(engine, buses[b], audio[b], engine.audio + b * size, meters[b])
        for n in range(QUANTUM):
            audio[last, n, 0] += audio[b, n, 0]
            audio[last, n, 1] += audio[b, n, 1]
    _run_bus(engine, buses[last], audio[last], engine.audio + last * size, meters[last])
    engine.clock += QUANTUM


@kernel
def advance(address, output, frames):
    """Fills `frames` frames of interleaved float32 stereo at an address, in quanta of 32."""
    mode = flush_denormals()
    engine = carray(_engine_at(address), (1,))[0]
    out = carray(_f32_at(output), (frames, 2))
    audio = carray(_f32_at(engine.audio), (MOST_BUSES, QUANTUM, 2))
    done = 0
    while done < frames:
        if engine.fifo_left == 0:
            quantum(address)
            engine.fifo_left = QUANTUM
        master = engine.bus_count - 1
        start = QUANTUM - engine.fifo_left
        count = min(engine.fifo_left, frames - done)
        for n in range(count):
            out[done + n, 0] = audio[master, start + n, 0]
            out[done + n, 1] = audio[master, start + n, 1]
        engine.fifo_left -= count
        done += count
    engine.callbacks += 1
    restore_float_mode(mode)


@kernel
def advance_tapped(address, output, taps, frames):
    """Like `advance` from a whole quantum on, with every bus's output in (buses, frames, 2)."""
    mode = flush_denormals()
    engine = carray(_engine_at(address), (1,))[0]
    audio = carray(_f32_at(engine.audio), (MOST_BUSES, QUANTUM, 2))
    for start in range(0, frames, QUANTUM):
        quantum(address)
        master = engine.bus_count - 1
        for n in range(min(QUANTUM, frames - start)):
            output[start + n, 0] = audio[master, n, 0]
            output[start + n, 1] = audio[master, n, 1]
            for b in range(taps.shape[0]):
                taps[b, start + n, 0] = audio[b, n, 0]
                taps[b, start + n, 1] = audio[b, n, 1]
    restore_float_mode(mode)


# Pointers are taken as integers: input, output, frames, time, flags, user data.
_CALLBACK = types.int32(*[types.int64] * 6)


@entry(_CALLBACK)
def callback(input_, output, frames, time_info, flags, user):
    """PortAudio's callback. User data: the engine's address, then a count of underflows."""
    cells = carray(_i64_at(user), (2,))
    if flags & 4:  # paOutputUnderflow
        cells[1] += 1
    advance(cells[0], output, frames)
    return 0
