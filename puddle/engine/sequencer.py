"""What falls when: commands from the rings, and the pattern's events, on the engine's clock."""

from puddle.engine import layout
from puddle.engine.buses import take_graph
from puddle.engine.card_clock import frame_of_stamp
from puddle.engine.layout import (
    CHOKE,
    CROSS,
    GRAPH,
    LEVEL,
    MOVE,
    NO_LOOP,
    NO_TURN,
    PACE,
    PADS,
    PATTERN,
    PENDING,
    PLAY,
    PUBLISHED,
    RELEASE,
    REPEAT,
    RING_SIZE,
    RINGS,
    SILENCE,
    STOP,
    STRIKE,
    TEMPO,
)
from puddle.engine.lookup import event_count, events_of, pattern_beats, tables_of
from puddle.engine.moved import move, move_as_played
from puddle.engine.pointers import commands_at, published_at, rings_at, voices_at
from puddle.engine.repeating import gather_repeat, take_repeat
from puddle.engine.strikes import STEAL_S, cross, fade, release_gates, take_pads
from puddle.engine.timeline import beat_at, frame_of, insert
from puddle.kernels.compiling import carray, kernel, load_acquire, store_release
from puddle.kernels.quantum import QUANTUM

_RING_BYTES = layout.RING.itemsize


@kernel
def push(rings, ring, kind, a, b, count, x, frame, stamp):
    """Puts a command into a ring; False where it is full. One thread at a time for each ring."""
    header = carray(rings_at(rings), (RINGS,))[ring]
    place = rings + ring * _RING_BYTES
    written = header.written
    if written - load_acquire(place + 8) >= RING_SIZE:
        return False
    command = carray(commands_at(rings + header.commands), (RING_SIZE,))[written % RING_SIZE]
    command.kind = kind
    command.a = a
    command.b = b
    command.count = count
    command.x = x
    command.frame = frame
    command.stamp = stamp
    store_release(place, written + 1)
    return True


@kernel
def drain(engine):
    """Takes every command that has arrived."""
    for ring in range(RINGS):
        header = carray(rings_at(engine.rings), (RINGS,))[ring]
        place = engine.rings + ring * _RING_BYTES
        written = load_acquire(place)
        read = header.read
        commands = carray(commands_at(engine.rings + header.commands), (RING_SIZE,))
        while read < written:
            command = commands[read % RING_SIZE]
            if command.kind == STRIKE or command.kind == RELEASE or command.kind == CHOKE:
                _defer(engine, command)
            elif command.kind == PUBLISHED:
                _take_tables(engine, command.a, command.count)
            else:
                _obey(engine, command.kind, command.a, command.x)
            read += 1
        store_release(place + 8, read)


@kernel
def _defer(engine, command):
    """Puts a strike or release among those to come."""
    pending = carray(commands_at(engine.pending), (PENDING,))
    if engine.pending_count >= PENDING:
        return
    pending[engine.pending_count] = command
    if command.stamp > 0.0:
        pending[engine.pending_count].frame = frame_of_stamp(engine, command.stamp)
    engine.pending_count += 1


@kernel
def _take_tables(engine, address, count):
    """Reads the tables of one change of the kit from now on, all of them; what depends follows."""
    coming = carray(published_at(address), (count,))
    flows = plays = False
    for n in range(count):
        _take_table(engine, coming[n])
        flows = flows or coming[n].table == GRAPH
        plays = plays or coming[n].table == PATTERN
    if plays:
        _find_place(engine)
    elif flows:
        move_as_played(engine, engine.cursor if engine.playing == 1 else 0)


@kernel
def _take_table(engine, coming):
    if coming.table == GRAPH:
        take_graph(engine, coming.address, coming.generation)
        return
    table = tables_of(engine)
    if coming.table == PATTERN and engine.playing == 1 and coming.value != table[PATTERN].value:
        engine.loop_origin = _loop_beat(engine) if coming.value != NO_LOOP else 0.0
        engine.passes = 0
    table[coming.table].address = coming.address
    table[coming.table].count = coming.count
    table[coming.table].generation = coming.generation
    table[coming.table].value = coming.value
    if coming.table == PADS:
        take_pads(engine)
    elif coming.table == TEMPO:
        _pace(engine, coming.value)
    elif coming.table == REPEAT:
        take_repeat(engine)


@kernel
def _pace(engine, bpm):
    """Another tempo from here on."""
    if engine.playing == 1:
        engine.base_beat = beat_at(engine, engine.clock)
        engine.base_frame = engine.clock
    engine.bpm = bpm


@kernel
def _obey(engine, kind, a, x):
    """Carries out a command that takes effect at the start of a quantum."""
    if kind == PLAY:
        engine.playing = 1
        engine.base_frame = engine.clock
        engine.base_beat = x
        engine.first_beat = x
        engine.loop_origin = 0.0
        engine.passes = 0
        engine.cursor = 0
        engine.beat = x
    elif kind == STOP:
        engine.playing = 0
        release_gates(engine)
        move_as_played(engine, 0)
    elif kind == CROSS:
        cross(engine, a, x)
    elif kind == PACE:
        _pace(engine, x)
    elif kind == SILENCE:
        engine.pending_count = 0
        voices = carray(voices_at(engine.voices), (engine.voice_count,))
        for n in range(engine.voice_count):
            fade(voices[n], STEAL_S * engine.rate, 0)


@kernel
def _loop_beat(engine):
    """The beat at which the pass that is running began."""
    return engine.loop_origin + engine.passes * pattern_beats(engine)


@kernel
def _find_place(engine):
    """After the pattern has changed: the pass that is running, and the event that comes next."""
    engine.cursor = 0
    if engine.playing == 0 or pattern_beats(engine) <= 0.0:
        move_as_played(engine, 0)
        return
    now = beat_at(engine, engine.clock)
    while _loop_beat(engine) + pattern_beats(engine) <= now:
        engine.passes += 1
    events = events_of(engine)
    while (
        engine.cursor < event_count(engine)
        and frame_of(engine, _loop_beat(engine) + events[engine.cursor].beat) < engine.clock
    ):
        engine.cursor += 1
    move_as_played(engine, engine.cursor)


@kernel
def gather(engine):
    """Moves what falls into the coming quantum to the due list, in order of time."""
    due = carray(commands_at(engine.due), (PENDING,))
    pending = carray(commands_at(engine.pending), (PENDING,))
    end = engine.clock + QUANTUM
    count = 0
    kept = 0
    for n in range(engine.pending_count):
        if pending[n].frame < end and count < PENDING:
            offset = max(0, pending[n].frame - engine.clock)
            event = pending[n]
            kind, pad = event.kind, event.a
            count = insert(due, count, kind, pad, event.b, NO_TURN, event.x, offset)
        else:
            pending[kept] = pending[n]
            kept += 1
    engine.pending_count = kept
    if engine.playing == 1 and pattern_beats(engine) > 0.0:
        events = events_of(engine)
        while True:
            if engine.cursor >= event_count(engine):
                following = engine.loop_origin + (engine.passes + 1) * pattern_beats(engine)
                if frame_of(engine, following) >= end:
                    break
                engine.passes += 1
                engine.cursor = 0
                if event_count(engine) == 0:
                    continue
            coming = events[engine.cursor]
            frame = frame_of(engine, _loop_beat(engine) + coming.beat)
            if frame >= end or count >= PENDING:
                break
            offset = max(0, frame - engine.clock)
            engine.cursor += 1
            if engine.passes < coming.since:
                continue
            if coming.kind == MOVE or coming.kind == LEVEL:
                move(engine, coming)
                continue
            turn = coming.turn + engine.passes * coming.turns
            kind, pad = coming.kind, coming.pad
            note = coming.note
            count = insert(due, count, kind, pad, note, turn, coming.velocity, offset)
        engine.beat = beat_at(engine, end)
    return gather_repeat(engine, due, count, end)
