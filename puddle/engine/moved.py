"""What moves while a pattern plays: stages on their way to coefficients, buses to levels.

Moves are looked up by numbers, as the buses may be others since the pattern was sent; what is not
there any more is passed over. Coefficients are copied out of the pattern's memory when they are
aimed at: a graph reads only what it owns itself, also while it is crossed over from and the pattern
has gone.
"""

import numpy as np

from puddle.engine.layout import LEVEL, MOVE, RAMP_QUANTA
from puddle.engine.lookup import bus_count, buses_of, events_of
from puddle.engine.pointers import f64_at, slots_at
from puddle.kernels.compiling import carray, kernel


@kernel
def _bus_numbered(engine, number):
    """The place of the bus of a number, or -1."""
    buses = buses_of(engine)
    for b in range(bus_count(engine)):
        if buses[b].number == number:
            return b
    return -1


@kernel
def _stage_numbered(engine, number):
    """The place of the bus in which the stage of a number stands, and its own; or -1 and -1."""
    buses = buses_of(engine)
    for b in range(bus_count(engine)):
        slots = carray(slots_at(buses[b].slot_table), (buses[b].slots,))
        for s in range(buses[b].slots):
            if slots[s].number == number:
                return b, s
    return -1, -1


@kernel
def move(engine, event):
    """Sets a stage or level on its way to where an event has it."""
    buses = buses_of(engine)
    if event.kind == LEVEL:
        b = _bus_numbered(engine, event.pad)
        if b >= 0:
            buses[b].gain_target = event.velocity
        return
    b, s = _stage_numbered(engine, event.pad)
    if b >= 0:
        slots = carray(slots_at(buses[b].slot_table), (buses[b].slots,))
        _aim(slots[s], event.turn, event.note)


@kernel
def _aim(slot, row, quanta):
    """Sets a stage on its way to coefficients at an address, which may be freed afterwards."""
    if row == slot.rest:
        slot.target = slot.rest
    else:
        source = carray(f64_at(row), (slot.coefficients,))
        moved = carray(f64_at(slot.moved), (slot.coefficients,))
        for k in range(slot.coefficients):
            moved[k] = source[k]
        slot.target = slot.moved
    slot.straight = 1 if quanta > 0 else 0
    slot.ramp = quanta if quanta > 0 else RAMP_QUANTA


@kernel
def _aims_elsewhere(slot, row):
    """Whether a stage is on its way to other coefficients than those at an address."""
    target = carray(f64_at(slot.target), (slot.coefficients,))
    wanted = carray(f64_at(row), (slot.coefficients,))
    for k in range(slot.coefficients):  # noqa: SIM110 - what is compiled knows no generators
        if target[k] != wanted[k]:
            return True
    return False


@kernel
def move_as_played(engine, count):
    """Everything where the first events of the pattern have it, else where the kit has it.

    What is on its way there already is left alone.
    """
    buses = buses_of(engine)
    for b in range(bus_count(engine)):
        buses[b].gain_wanted = buses[b].gain_rest
        slots = carray(slots_at(buses[b].slot_table), (buses[b].slots,))
        for s in range(buses[b].slots):
            slots[s].wanted = slots[s].rest
    events = events_of(engine)
    for n in range(count):
        if events[n].kind == LEVEL or events[n].kind == MOVE:
            _want(engine, events[n])
    for b in range(bus_count(engine)):
        buses[b].gain_target = buses[b].gain_wanted
        slots = carray(slots_at(buses[b].slot_table), (buses[b].slots,))
        for s in range(buses[b].slots):
            if _aims_elsewhere(slots[s], slots[s].wanted):
                _aim(slots[s], slots[s].wanted, np.int64(0))


@kernel
def _want(engine, event):
    buses = buses_of(engine)
    if event.kind == LEVEL:
        b = _bus_numbered(engine, event.pad)
        if b >= 0:
            buses[b].gain_wanted = event.velocity
        return
    b, s = _stage_numbered(engine, event.pad)
    if b >= 0:
        slots = carray(slots_at(buses[b].slot_table), (buses[b].slots,))
        slots[s].wanted = event.turn
