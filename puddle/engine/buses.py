"""Buses of the compiled engine: their stages, levels, alignment, meters, and their sleep."""

import numpy as np

from puddle.engine.pointers import buses_at, f32_at, f64_at, i64_at, slots_at
from puddle.kernels.compiling import call_stage, carray, kernel
from puddle.kernels.guard import sane
from puddle.kernels.quantum import QUANTUM

_SLEEP_S = 0.5
_QUIET = 1e-9


@kernel
def take_graph(engine, address, generation):
    """Buses and slots replaced by new tables; the header holds their addresses and numbers."""
    header = carray(i64_at(address), (4,))
    if engine.bus_count > 0:
        before = carray(buses_at(engine.buses), (engine.bus_count,))
        after = carray(buses_at(header[0]), (header[1],))
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
def _run_slots(engine, bus, audio_address):
    """A bus's stages over its quantum, their coefficients on the way to what was asked for."""
    slots = carray(slots_at(engine.slots), (engine.slot_count,))
    for s in range(bus.first_slot, bus.first_slot + bus.slots):
        slot = slots[s]
        if slot.ramp > 0:
            now = carray(f64_at(slot.now), (slot.coefficients,))
            target = carray(f64_at(slot.target), (slot.coefficients,))
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
    slots = carray(slots_at(engine.slots), (engine.slot_count,))
    for s in range(bus.first_slot, bus.first_slot + bus.slots):
        state = carray(f64_at(slots[s].state), (slots[s].cells,))
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
def run_bus(engine, bus, audio, audio_address, meters):
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
    line = carray(f32_at(bus.delay_line), (bus.delay, 2))
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
    line = carray(f32_at(bus.delay_line), (bus.delay, 2))
    for n in range(bus.delay):
        line[n, 0] = 0.0
        line[n, 1] = 0.0
    bus.delay_at = 0
