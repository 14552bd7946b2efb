"""The compiled engine: one function makes the next quantum of 32 frames, live and offline alike.

It takes no lock, allocates nothing and never enters the interpreter. Commands are drained from
rings at the start of a quantum; strikes and releases carry the frame at which they fall and take
effect on that very frame.
"""

import numpy as np

from puddle.engine.buses import fill_tap, pass_crossings, passes_through, run_bus
from puddle.engine.card_clock import see_card
from puddle.engine.layout import CHOKE, FREE, MOST_BUSES, MOST_PAIRS, PENDING, STRIKE
from puddle.engine.lookup import bus_count, buses_of
from puddle.engine.monitor import listen
from puddle.engine.peaks import meter_voice
from puddle.engine.pointers import (
    FRAME,
    commands_at,
    engine_at,
    f32_at,
    f64_at,
    i64_at,
    voices_at,
)
from puddle.engine.scopes import keep_scopes
from puddle.engine.sequencer import drain, gather
from puddle.engine.shown import show
from puddle.engine.strikes import add_voice, choke, release, strike
from puddle.kernels.compiling import (
    carray,
    entry,
    flush_denormals,
    inlined,
    kernel,
    restore_float_mode,
    types,
)
from puddle.kernels.frames import add_frames, add_scaled, peaks, silence
from puddle.kernels.limiting import LIMITER_COEFFICIENTS, limit
from puddle.kernels.quantum import QUANTUM

_BYTES = QUANTUM * FRAME


@kernel
def quantum(address):
    """Makes the next 32 frames: each bus's in its place, the master's in the last."""
    engine = carray(engine_at(address), (1,))[0]
    drain(engine)
    count = gather(engine)
    due = carray(commands_at(engine.due), (PENDING,))
    for n in range(count):
        if due[n].kind == STRIKE:
            strike(engine, due[n].a, due[n].x, due[n].b, due[n].count, due[n].frame)
        elif due[n].kind == CHOKE:
            choke(engine, due[n].a, due[n].frame)
        else:
            release(engine, due[n].a, due[n].b, due[n].frame)
    buses = buses_of(engine)
    audio = carray(f32_at(engine.audio), (MOST_BUSES, QUANTUM, 2))
    last = bus_count(engine) - 1
    for b in range(bus_count(engine)):
        silence(engine.audio + b * _BYTES)
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    sounding = 0
    for v in range(engine.voice_count):
        if voices[v].state != FREE:
            if engine.metered == 1:
                meter_voice(engine, voices[v])
            add_voice(engine, voices[v], audio[min(voices[v].bus, last)])
            sounding += 1
    engine.sounding = sounding
    for b in range(last):
        fill_tap(buses[b], audio[b])  # a pad may be listened to by one that is run before it
    for b in range(last):
        if passes_through(buses[b]):
            continue
        run_bus(engine, buses[b], audio[b], engine.audio + b * _BYTES)
        if buses[b].asleep == 1:
            continue
        if buses[b].way_count == 0:
            if buses[b].into >= 0:  # else it leaves on outputs of its own
                _add(engine, b, buses[b].into)
        else:
            ways = carray(i64_at(buses[b].ways), (buses[b].way_count,))
            for k in range(buses[b].way_count):
                way = buses[ways[k]]
                if passes_through(way):
                    way.asleep = 0
                    _add_along(engine, b, way)
                else:
                    _add(engine, b, ways[k])
    run_bus(engine, buses[last], audio[last], engine.audio + last * _BYTES)
    keep_scopes(engine, audio, last + 1)
    pass_crossings(engine)
    engine.clock += QUANTUM


@inlined
def _add(engine, source, target):
    """What a bus gives, to another one."""
    add_frames(engine.audio + source * _BYTES, engine.audio + target * _BYTES)


@inlined
def _add_along(engine, source, way):
    """The same along a way whose level rests, and its meter."""
    given = engine.audio + source * _BYTES
    add_scaled(given, engine.audio + way.into * _BYTES, np.float32(way.gain))
    left, right = peaks(given)
    way.peak_left = max(way.peak_left, left * abs(way.gain))
    way.peak_right = max(way.peak_right, right * abs(way.gain))


@kernel
def refill(address, engine, audio):
    """Makes the next quantum, as it is listened to, where nothing of the last is left."""
    if engine.fifo_left == 0:
        quantum(address)
        listen(engine, audio[bus_count(engine) - 1])
        engine.fifo_left = QUANTUM


@kernel
def advance(address, output, frames):
    """Fills `frames` frames of interleaved float32 stereo at an address, in quanta of 32.

    This is what is listened to: the monitor comes last. What is written to files has none.
    """
    mode = flush_denormals()
    engine = carray(engine_at(address), (1,))[0]
    out = carray(f32_at(output), (frames, 2))
    audio = carray(f32_at(engine.audio), (MOST_BUSES, QUANTUM, 2))
    done = 0
    while done < frames:
        refill(address, engine, audio)
        master = bus_count(engine) - 1
        start = QUANTUM - engine.fifo_left
        count = min(engine.fifo_left, frames - done)
        for n in range(count):
            out[done + n, 0] = audio[master, start + n, 0]
            out[done + n, 1] = audio[master, start + n, 1]
        engine.fifo_left -= count
        done += count
    engine.callbacks += 1
    show(engine)
    restore_float_mode(mode)


@kernel
def advance_tapped(address, output, taps, places, first, frames):
    """Like `advance` from a whole quantum on, with the output of some buses: (places, frames, 2).

    `places` are those of the buses; what comes next stands from the frame `first` on.
    """
    mode = flush_denormals()
    engine = carray(engine_at(address), (1,))[0]
    audio = carray(f32_at(engine.audio), (MOST_BUSES, QUANTUM, 2))
    for start in range(first, first + frames, QUANTUM):
        quantum(address)
        master = bus_count(engine) - 1
        count = min(QUANTUM, first + frames - start)
        for n in range(count):
            output[start + n, 0] = audio[master, n, 0]
            output[start + n, 1] = audio[master, n, 1]
        for k in range(places.shape[0]):
            tapped = audio[places[k]]
            for n in range(count):
                taps[k, start + n, 0] = tapped[n, 0]
                taps[k, start + n, 1] = tapped[n, 1]
    restore_float_mode(mode)


@kernel
def deliver(address, output, frames):
    """Like `advance`, through the safety limiter: what a sound card is given.

    A kit without a limiter may sum to several times full scale, which an integer card may wrap.
    Below the ceiling every sample leaves as it came, `safety.latency_frames` later.
    """
    engine = carray(engine_at(address), (1,))[0]
    see_card(engine, frames)
    advance(address, output, frames)
    mode = flush_denormals()
    out = carray(f32_at(output), (frames, 2))
    state = carray(f64_at(engine.safety), (engine.safety_cells,))
    coefficients = carray(f64_at(engine.safety_coefficients), (LIMITER_COEFFICIENTS,))
    done = 0
    while done < frames:
        count = min(QUANTUM, frames - done)
        limit(state, coefficients, out[done : done + count], count)
        done += count
    restore_float_mode(mode)


@kernel
def advance_outputs(address, output, frames, channels):
    """Like `advance`, interleaved on more channels: buses on the outputs that they have."""
    mode = flush_denormals()
    engine = carray(engine_at(address), (1,))[0]
    out = carray(f32_at(output), (frames, channels))
    audio = carray(f32_at(engine.audio), (MOST_BUSES, QUANTUM, 2))
    done = 0
    while done < frames:
        refill(address, engine, audio)
        start = QUANTUM - engine.fifo_left
        count = min(engine.fifo_left, frames - done)
        for n in range(count):
            for channel in range(channels):
                out[done + n, channel] = 0.0
        buses = buses_of(engine)
        last = bus_count(engine) - 1
        for b in range(last + 1):
            pair = buses[b].output
            if (pair == 0 and b < last) or 2 * pair + 2 > channels:
                continue
            for n in range(count):
                out[done + n, 2 * pair] = audio[b, start + n, 0]
                out[done + n, 2 * pair + 1] = audio[b, start + n, 1]
        apart = carray(f32_at(engine.apart), (2, QUANTUM, 2))
        for which, pair in enumerate((engine.monitor_pair, engine.click_pair)):
            if 0 < pair <= channels // 2 - 1:
                for n in range(count):
                    out[done + n, 2 * pair] += apart[which, start + n, 0]
                    out[done + n, 2 * pair + 1] += apart[which, start + n, 1]
        engine.fifo_left -= count
        done += count
    engine.callbacks += 1
    show(engine)
    restore_float_mode(mode)


@kernel
def deliver_outputs(address, output, frames, channels):
    """Like `deliver`, on more channels: a limiter stands before each pair."""
    engine = carray(engine_at(address), (1,))[0]
    see_card(engine, frames)
    advance_outputs(address, output, frames, channels)
    mode = flush_denormals()
    out = carray(f32_at(output), (frames, channels))
    pair_audio = carray(f32_at(engine.pair), (QUANTUM, 2))
    coefficients = carray(f64_at(engine.safety_coefficients), (LIMITER_COEFFICIENTS,))
    for pair in range(min(MOST_PAIRS, channels // 2)):
        cells = engine.safety + 8 * engine.safety_cells * pair
        state = carray(f64_at(cells), (engine.safety_cells,))
        done = 0
        while done < frames:
            count = min(QUANTUM, frames - done)
            for n in range(count):
                pair_audio[n, 0] = out[done + n, 2 * pair]
                pair_audio[n, 1] = out[done + n, 2 * pair + 1]
            limit(state, coefficients, pair_audio[:count], count)
            for n in range(count):
                out[done + n, 2 * pair] = pair_audio[n, 0]
                out[done + n, 2 * pair + 1] = pair_audio[n, 1]
            done += count
    restore_float_mode(mode)


# Pointers are taken as integers: input, output, frames, time, flags, user data.
_CALLBACK = types.int32(*[types.int64] * 6)


@entry(_CALLBACK)
def callback(input_, output, frames, time_info, flags, user):
    """PortAudio's callback. User data: the engine's address, a count of underflows, channels."""
    cells = carray(i64_at(user), (3,))
    if flags & 4:  # paOutputUnderflow
        cells[1] += 1
    if cells[2] == 2:
        deliver(cells[0], output, frames)
    else:
        deliver_outputs(cells[0], output, frames, cells[2])
    return 0
