"""The engine's tables, as compiled code reads them."""

from puddle.engine.layout import GRAPH, PADS, PATTERN, SLOTS, TABLES
from puddle.engine.pointers import buses_at, events_at, i64_at, pads_at, tables_at
from puddle.kernels.compiling import carray, kernel

_FOR_EVER = 1e12


@kernel
def tables_of(engine):
    """Every table: address, count, generation, value."""
    return carray(tables_at(engine.tables), (TABLES,))


@kernel
def pads_of(engine):
    """Rows of the pads; they follow the row numbers by slot index (`tables.PadRows`)."""
    found = tables_of(engine)[PADS]
    return carray(pads_at(found.address + 8 * SLOTS), (found.count,))


@kernel
def row_of(engine, slot):
    """The row of the pad that has a slot, or -1 where that pad has gone."""
    found = tables_of(engine)[PADS]
    if slot < 0 or found.count == 0:
        return -1
    row = carray(i64_at(found.address), (SLOTS,))[slot % SLOTS]
    return row if row >= 0 and pads_of(engine)[row].slot == slot else -1


@kernel
def bus_count(engine):
    """How many buses there are, the master included."""
    return tables_of(engine)[GRAPH].count


@kernel
def buses_of(engine):
    """The buses, each before the one that it flows into."""
    found = tables_of(engine)
    return carray(buses_at(found[GRAPH].address), (found[GRAPH].count,))


@kernel
def event_count(engine):
    """How many events a pass of the pattern has."""
    return tables_of(engine)[PATTERN].count


@kernel
def events_of(engine):
    """The pattern's events, in order of time."""
    found = tables_of(engine)
    return carray(events_at(found[PATTERN].address), (found[PATTERN].count,))


@kernel
def pattern_beats(engine):
    """How long a pass of the pattern is; for ever where its events are at beats of the groove."""
    value = tables_of(engine)[PATTERN].value
    return value if value >= 0.0 else _FOR_EVER
