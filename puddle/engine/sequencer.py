"""What falls when: commands from the rings, and the pattern's events, on the engine's clock."""

import math

import numpy as np

from puddle.engine import layout
from puddle.engine.buses import take_graph
from puddle.engine.layout import (
    CHOKE,
    CROSS,
    GRAPH,
    LEVEL,
    MOVE,
    NO_LOOP,
    NO_TURN,
    PACE,
    PATTERN,
    PENDING,
    PLAY,
    RELEASE,
    RING_SIZE,
    RINGS,
    SILENCE,
    STOP,
    STRIKE,
    TABLE_SENT,
    TEMPO,
)
from puddle.engine.lookup import event_count, events_of, pattern_beats, tables_of
from puddle.engine.moved import move, move_as_played
from puddle.engine.pointers import commands_at, rings_at, voices_at
from puddle.engine.strikes import STEAL_S, choke, cross, fade, release_gates
from puddle.kernels.compiling import carray, kernel, load_acquire, store_release
from puddle.kernels.quantum import QUANTUM

_RING_BYTES = layout.RING.itemsize


@kernel
def push(rings, ring, kind, a, b, count, table, x, frame):
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
    command.table = table
    command.x = x
    command.frame = frame
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
            if command.kind == STRIKE or command.kind == RELEASE:
                _defer(engine, command)
            elif command.kind == TABLE_SENT:
                _take_table(engine, command)
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
    engine.pending_count += 1


@kernel
def _take_table(engine, command):
    """Reads another table from now on; what depends on one follows."""
    which = command.table
    if which == GRAPH:
        take_graph(engine, command.a, command.b)
        move_as_played(engine, engine.cursor if engine.playing == 1 else 0)
        return
    table = tables_of(engine)
    if which == PATTERN and engine.playing == 1 and command.x != table[PATTERN].value:
        engine.loop_origin = _loop_beat(engine) if command.x != NO_LOOP else 0.0
        engine.passes = 0
    table[which].address = command.a
    table[which].count = command.count
    table[which].generation = command.b
    table[which].value = command.x
    if which == PATTERN:
        _find_place(engine)
    elif which == TEMPO:
        _pace(engine, command.x)


@kernel
def _pace(engine, bpm):
    """Another tempo from here on."""
    if engine.playing == 1:
        engine.base_beat = _beat_at(engine, engine.clock)
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
    elif kind == CHOKE:
        choke(engine, a)
    elif kind == PACE:
        _pace(engine, x)
    elif kind == SILENCE:
        engine.pending_count = 0
        voices = carray(voices_at(engine.voices), (engine.voice_count,))
        for n in range(engine.voice_count):
            fade(voices[n], STEAL_S * engine.rate, 0)


@kernel
def _beat_at(engine, frame):
    return engine.base_beat + (frame - engine.base_frame) * engine.bpm / (60.0 * engine.rate)


@kernel
def _frame_of(engine, beat):
    """The frame on which a beat falls."""
    beats = beat - engine.base_beat
    return engine.base_frame + np.int64(math.floor(beats * 60.0 * engine.rate / engine.bpm + 0.5))


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
    now = _beat_at(engine, engine.clock)
    while _loop_beat(engine) + pattern_beats(engine) <= now:
        engine.passes += 1
    events = events_of(engine)
    while (
        engine.cursor < event_count(engine)
        and _frame_of(engine, _loop_beat(engine) + events[engine.cursor].beat) < engine.clock
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
            count = _insert(due, count, kind, pad, event.b, NO_TURN, event.x, offset)
        else:
            pending[kept] = pending[n]
            kept += 1
    engine.pending_count = kept
    if engine.playing == 1 and pattern_beats(engine) > 0.0:
        events = events_of(engine)
        while True:
            if engine.cursor >= event_count(engine):
                following = engine.loop_origin + (engine.passes + 1) * pattern_beats(engine)
                if _frame_of(engine, following) >= end:
                    break
                engine.passes += 1
                engine.cursor = 0
                if event_count(engine) == 0:
                    continue
            coming = events[engine.cursor]
            frame = _frame_of(engine, _loop_beat(engine) + coming.beat)
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
            count = _insert(due, count, kind, pad, note, turn, coming.velocity, offset)
        engine.beat = _beat_at(engine, end)
    return count


@kernel
def _insert(due, count, kind, pad, note, turn, velocity, offset):
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
    due[place].b = note
    due[place].count = turn
    due[place].x = velocity
    due[place].frame = offset
    return count + 1
