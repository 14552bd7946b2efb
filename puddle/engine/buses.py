"""Buses of the compiled engine: their stages, levels, alignment, meters, and their sleep."""

import math

import numpy as np

from puddle.engine import layout
from puddle.engine.layout import FREE, GRAPH, MOST_BUSES, RAMP_QUANTA
from puddle.engine.lookup import buses_of, tables_of
from puddle.engine.pointers import (
    FRAME,
    buses_at,
    f32_at,
    f64_at,
    feeds_at,
    i64_at,
    slots_at,
    voices_at,
)
from puddle.kernels.compiling import call_stage, carray, inlined, kernel
from puddle.kernels.frames import peaks
from puddle.kernels.guard import sane
from puddle.kernels.keys import KEY_CELLS, lay_key, take_key_away
from puddle.kernels.quantum import QUANTUM

_SLEEP_S = 0.5
_LEVEL_S = 0.005  # of each of the two poles that a level goes through
_ARRIVED = 1e-6
_QUIET = 1e-9
_BUS_BYTES = layout.BUS.itemsize


@kernel
def take_graph(engine, address, generation):
    """Buses replaced by a new table; the header holds its address, their number, the place of the
    bus of pads that go to none, and the latency of all.

    Buses go on where those that they carry were, and so do the voices that sound on them. Where
    the way through a bus is another, both are heard until the new one has taken over.
    """
    header = carray(i64_at(address), (4,))
    table = tables_of(engine)
    if table[GRAPH].count > 0:
        before = buses_of(engine)
        after = carray(buses_at(header[0]), (header[1],))
        for b in range(header[1]):
            old = after[b].carries
            if 0 <= old < table[GRAPH].count:
                _carry(after[b], before[old], table[GRAPH].address + old * _BUS_BYTES)
                engine.crossing = max(engine.crossing, after[b].cross)
        for b in range(header[1]):
            if after[b].asleep == 1:
                _open_ways(after, after[b])
        _move_voices(engine, after, header[2])
    table[GRAPH].address = header[0]
    table[GRAPH].count = header[1]
    engine.late = header[3]
    engine.graph_newest = generation
    if engine.crossing == 0:
        table[GRAPH].generation = generation


@kernel
def _carry(bus, before, address):
    bus.gain = before.gain
    bus.gain_between = before.gain_between
    bus.asleep = before.asleep
    bus.quiet = before.quiet
    bus.peak_left = before.peak_left
    bus.peak_right = before.peak_right
    if bus.delay_line == before.delay_line:
        bus.delay_at = before.delay_at
    if bus.crosses == 0:
        bus.cross = before.cross
        bus.before = before.before
        return
    slots = carray(slots_at(bus.slot_table), (bus.slots,))
    for s in range(bus.slots):
        if slots[s].inherits != 0:
            _copy(slots[s].inherits, slots[s].state, slots[s].cells)
            _copy(slots[s].inherits_now, slots[s].now, slots[s].coefficients)
    bus.before = address
    bus.cross = 0 if bus.asleep == 1 else bus.hold + RAMP_QUANTA


@kernel
def _open_ways(buses, bus):
    """New ways of a bus that is silent need not fade in."""
    ways = carray(i64_at(bus.ways), (bus.way_count,))
    for k in range(bus.way_count):
        way = buses[ways[k]]
        if way.carries < 0:
            way.gain = way.gain_between = way.gain_target
            way.asleep = 1


@kernel
def _copy(source, target, count):
    values = carray(f64_at(source), (count,))
    places = carray(f64_at(target), (count,))
    for n in range(count):
        places[n] = values[n]


@kernel
def _move_voices(engine, after, direct):
    """Voices stay on their bus, at its new place; those of a bus that is gone go direct."""
    voices = carray(voices_at(engine.voices), (engine.voice_count,))
    for v in range(engine.voice_count):
        if voices[v].state != FREE:
            place = direct
            for b in range(after.shape[0]):
                if after[b].carries == voices[v].bus:
                    place = b
            voices[v].bus = place


@kernel
def pass_crossings(engine):
    """After a quantum: once nothing of an older table is heard, it may go."""
    if engine.crossing > 0:
        engine.crossing -= 1
        if engine.crossing == 0:
            tables_of(engine)[GRAPH].generation = engine.graph_newest


@inlined
def fill_tap(bus, audio):
    """What enters a bus, where stages elsewhere listen to it."""
    if bus.tap != 0:
        tap = carray(f32_at(bus.tap), (QUANTUM, 2))
        for n in range(QUANTUM):
            tap[n, 0] = audio[n, 0]
            tap[n, 1] = audio[n, 1]


@kernel
def _feed(bus, spare):
    """Lays what a bus's stages listen to into their states, as late as what they work on."""
    feeds = carray(feeds_at(bus.feeds), (bus.feed_count,))
    for k in range(bus.feed_count):
        feed = feeds[k]
        cells = carray(f64_at(feed.cells), (KEY_CELLS,))
        if feed.tap == 0:
            take_key_away(cells)
            continue
        tap = carray(f32_at(feed.tap), (QUANTUM, 2))
        if feed.delay == 0:
            lay_key(cells, tap, QUANTUM)
            continue
        line = carray(f32_at(feed.line), (feed.delay + 1, 2))
        at = int(line[0, 0])  # under 2^24, so a float32 holds it
        for n in range(QUANTUM):
            spare[n, 0], spare[n, 1] = line[at + 1, 0], line[at + 1, 1]
            line[at + 1, 0], line[at + 1, 1] = tap[n, 0], tap[n, 1]
            at = at + 1 if at + 1 < feed.delay else 0
        line[0, 0] = at
        lay_key(cells, spare, QUANTUM)


@kernel
def _key_sounds(bus):
    """Whether anything that its stages listen to sounds."""
    feeds = carray(feeds_at(bus.feeds), (bus.feed_count,))
    for k in range(bus.feed_count):  # noqa: SIM110 - what is compiled knows no generators
        if feeds[k].tap != 0 and _peak(feeds[k].tap) != 0.0:
            return True
    return False


@inlined
def _run_slots(bus, audio_address):
    """A bus's stages over its quantum, their coefficients on the way to what was asked for."""
    slots = carray(slots_at(bus.slot_table), (bus.slots,))
    for s in range(bus.slots):
        slot = slots[s]
        if slot.ramp > 0:
            now = carray(f64_at(slot.now), (slot.coefficients,))
            target = carray(f64_at(slot.target), (slot.coefficients,))
            if slot.straight == 1:
                left = (slot.ramp - 1.0) / slot.ramp
            else:
                left = _left_of_way(slot.ramp - 1) / _left_of_way(slot.ramp)
            for k in range(slot.coefficients):
                now[k] = target[k] + left * (now[k] - target[k]) if slot.ramp > 1 else target[k]
            slot.ramp -= 1
        call_stage(slot.entry, slot.state, slot.now, audio_address, QUANTUM)


@kernel
def _left_of_way(quanta):
    """What is left of the way of coefficients with so many quanta to go: it begins and ends slowly.

    A way that begins at full speed is heard as a click of what it bends.
    """
    share = quanta / RAMP_QUANTA
    return share * share * (3.0 - 2.0 * share)


@kernel
def _reset_slots(bus):
    """Stages' states back to zero: at rest, or after something was not a number."""
    slots = carray(slots_at(bus.slot_table), (bus.slots,))
    for s in range(bus.slots):
        state = carray(f64_at(slots[s].state), (slots[s].cells,))
        for k in range(slots[s].cells):
            state[k] = 0.0


@inlined
def _peak(audio_address):
    """The highest absolute value of a quantum; -1 where something is not a number."""
    left, right = peaks(audio_address)
    if not (sane(left) and sane(right)):
        return np.float32(-1.0)
    return max(left, right)


@inlined
def passes_through(bus):
    """Whether a way need not be run: its level rests, and it is as late as it should be."""
    rests = bus.gain == bus.gain_target and bus.gain_between == bus.gain_target
    return bus.through == 1 and rests and bus.delay == 0 and bus.cross == 0


@kernel
def run_bus(engine, bus, audio, audio_address):
    """Stages, level, guard, alignment and meter of one bus, in place; asleep when silent."""
    entering = _peak(audio_address)
    if entering < 0.0:
        entering = _poison(engine, bus, audio)
    fill_tap(bus, audio)
    keyed = bus.feed_count > 0 and _key_sounds(bus)
    if bus.asleep == 1:
        bus.gain = bus.gain_between = bus.gain_target  # nothing sounds: there is nothing to glide
        if entering == 0.0 and not keyed:
            return
        bus.asleep = 0
        bus.quiet = 0
    if bus.cross > 0:
        leaving = _cross(engine, bus, audio, audio_address)
    elif bus.way_count > 0 and bus.slots == 0 and bus.feed_count == 0:
        leaving = entering  # all that it does is to give it on
    else:
        leaving = _pass(engine, bus, audio, audio_address)
    if bus.way_count == 0:  # else its ways have meters of their own
        left, right = peaks(audio_address)
        bus.peak_left = max(bus.peak_left, left)
        bus.peak_right = max(bus.peak_right, right)
    if entering < _QUIET and leaving < _QUIET and not keyed:
        bus.quiet += 1
        if bus.quiet * QUANTUM > _SLEEP_S * engine.rate:
            bus.asleep = 1
            bus.cross = 0
            _reset_slots(bus)
            _clear_delay(bus)
    else:
        bus.quiet = 0


@inlined
def _pass(engine, bus, audio, audio_address):
    """A quantum's way through a bus, in place; returns the highest value after its level."""
    if bus.feed_count > 0:
        _feed(bus, carray(f32_at(engine.audio + (MOST_BUSES + 1) * QUANTUM * FRAME), (QUANTUM, 2)))
    _run_slots(bus, audio_address)
    if bus.gain == bus.gain_target and bus.gain_between == bus.gain_target:
        gain = np.float32(bus.gain)
        if gain != np.float32(1.0):
            for n in range(QUANTUM):
                audio[n, 0] *= gain
                audio[n, 1] *= gain
    else:
        _glide_level(engine, bus, audio)
    leaving = _peak(audio_address)
    if leaving < 0.0:
        leaving = _poison(engine, bus, audio)
    if bus.delay > 0:
        _delay(bus, audio)
    return leaving


@kernel
def _glide_level(engine, bus, audio):
    """A level on its way: two one-poles in a row, so that it begins slowly too."""
    target, between, gain = bus.gain_target, bus.gain_between, bus.gain
    pole = math.exp(-1.0 / (_LEVEL_S * engine.rate))
    for n in range(QUANTUM):
        between = target + pole * (between - target)
        gain = between + pole * (gain - between)
        now = np.float32(gain)
        audio[n, 0] *= now
        audio[n, 1] *= now
    if abs(between - target) < _ARRIVED and abs(gain - target) < _ARRIVED:
        between = gain = target
    bus.gain_between, bus.gain = between, gain


@kernel
def _cross(engine, bus, audio, audio_address):
    """Both ways at once: the old one alone while the new one fills, then a smooth crossfade."""
    spare_address = engine.audio + MOST_BUSES * QUANTUM * FRAME
    spare = carray(f32_at(spare_address), (QUANTUM, 2))
    for n in range(QUANTUM):
        spare[n, 0] = audio[n, 0]
        spare[n, 1] = audio[n, 1]
    before = carray(buses_at(bus.before), (1,))[0]
    old = _pass(engine, before, spare, spare_address)
    new = _pass(engine, bus, audio, audio_address)
    ramp = max(0, RAMP_QUANTA - bus.cross)
    for n in range(QUANTUM):
        share = 0.0 if bus.cross > RAMP_QUANTA else (ramp + n / QUANTUM) / RAMP_QUANTA
        weight = np.float32(share * share * (3.0 - 2.0 * share))
        audio[n, 0] = spare[n, 0] + weight * (audio[n, 0] - spare[n, 0])
        audio[n, 1] = spare[n, 1] + weight * (audio[n, 1] - spare[n, 1])
    bus.cross -= 1
    return max(old, new)


@kernel
def _poison(engine, bus, audio):
    """Silences a quantum that holds something that is not a number, and heals the filters."""
    engine.poisoned += 1
    _reset_slots(bus)
    for n in range(QUANTUM):
        audio[n, 0] = 0.0
        audio[n, 1] = 0.0
    return np.float32(0.0)


@inlined
def _delay(bus, audio):
    """Delays a quantum by the frames that align the bus with the latest one."""
    line = carray(f32_at(bus.delay_line), (bus.delay, 2))
    at, done = bus.delay_at, 0
    while done < QUANTUM:
        count = min(QUANTUM - done, bus.delay - at)
        held, passed = line[at : at + count], audio[done : done + count]
        for n in range(count):
            left, right = held[n, 0], held[n, 1]
            held[n, 0] = passed[n, 0]
            held[n, 1] = passed[n, 1]
            passed[n, 0] = left
            passed[n, 1] = right
        done += count
        at = at + count if at + count < bus.delay else 0
    bus.delay_at = at


@kernel
def _clear_delay(bus):
    line = carray(f32_at(bus.delay_line), (bus.delay, 2))
    for n in range(bus.delay):
        line[n, 0] = 0.0
        line[n, 1] = 0.0
    bus.delay_at = 0
