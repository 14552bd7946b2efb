"""What JACK calls once a period: MIDI events leave on their very frames, others are taken.

Compiled, so that no interpreter holds up the server. The memory is int64: what it needs to call the
library, how many events were written and read, then the events' places of three cells: frame, bytes
and length of those that leave; bytes, length and time of those that come. jack.h, midiport.h and
transport.h say what is called.
"""

from collections.abc import Iterator

import numpy as np

from puddle.kernels.calling import c_function
from puddle.kernels.compiling import (
    carray,
    entry,
    from_dtype,
    inlined,
    kernel,
    load_acquire,
    monotonic_ns,
    pointer_to,
    store_release,
    types,
)

CLIENT, PORT, BUFFER_OF, CLEAR, WRITE, TIME, WRITTEN, READ = range(8)
NOW_US, PERIOD, EVENTS = range(8, 11)
COUNT_OF, GET, POST, CAME = CLIENT, CLEAR, WRITE, TIME  # of those that come
PLACES = 1024
_EVENT = EVENTS + 3 * PLACES  # a jack_midi_event_t: when in the period, how many bytes, where
# Of those that come: what tells the time of a period, and when period 0 began, in ns: the earliest
# of the last half second, for a period is called late now and then and never early.
SERVER, LAST_FRAME, RATE, _TIMESPEC = _EVENT + 3, _EVENT + 4, _EVENT + 5, _EVENT + 6
_SINCE, _LEAST, _BEFORE = _EVENT + 8, _EVENT + 9, _EVENT + 10
MEMORY = _EVENT + 11
_WINDOW_NS = 250_000_000
_NS = 1_000_000_000
_PERIODS = 4  # what lies further ahead, or behind, was written while the server stood still
_NOTE_ON, _TOO_LATE = 0x90, 4096  # frames: from then on a stroke is none of this moment
_LOW_31, _LOW_32 = (1 << 31) - 1, (1 << 32) - 1
_LONGEST = 8  # bytes: longer ones are exclusive, which nobody here reads

# jack_position_t, up to its tempo.
POSITION = np.dtype(
    [
        ("unique", np.uint64),
        ("usecs", np.uint64),
        ("frame_rate", np.uint32),
        ("frame", np.uint32),
        ("valid", np.uint32),
        ("bar", np.int32),
        ("beat", np.int32),
        ("tick", np.int32),
        ("bar_start_tick", np.float64),
        ("beats_per_bar", np.float32),
        ("beat_type", np.float32),
        ("ticks_per_beat", np.float64),
        ("beats_per_minute", np.float64),
    ]
)
_BAR_AND_BEAT = 0x10  # JackPositionBBT
_BEATS_PER_BAR, _TICKS = 4.0, 1920.0

_i32, _i64 = types.int32, types.int64
_buffer_of = c_function(_i64, _i64, _i32)  # jack_port_get_buffer(port, frames)
_clear = c_function(_i32, _i64)  # jack_midi_clear_buffer(buffer)
_write = c_function(_i32, _i64, _i32, _i64, _i64)  # jack_midi_event_write(buffer, at, data, size)
_time = c_function(_i32, _i64)  # jack_last_frame_time(client)
_now_us = c_function(_i64)  # jack_get_time()
_count_of = c_function(_i32, _i64)  # jack_midi_get_event_count(buffer)
_get = c_function(_i32, _i64, _i64, _i32)  # jack_midi_event_get(event, buffer, n)
_post = c_function(_i32, _i64)  # sem_post(semaphore)
_bytes_at = pointer_to(types.uint8)
_position_at = pointer_to(from_dtype(POSITION))


@kernel
def put_event(memory, frame, data, size):
    """Writes an event of up to 8 bytes for a frame; False where there is no place for it."""
    written = memory[WRITTEN]
    if written - load_acquire(memory.ctypes.data + 8 * READ) >= PLACES:
        return False
    place = EVENTS + 3 * (written % PLACES)
    memory[place], memory[place + 1], memory[place + 2] = frame, data, size
    store_release(memory.ctypes.data + 8 * WRITTEN, written + 1)
    return True


def frame_now(period, now_us, rate_hz):
    """The frame that the server is at, by the period that runs; both count on in 31 and 32 bits."""
    since_us = (now_us - (period >> 32)) & _LOW_31
    return (period & _LOW_32) + since_us * rate_hz // 1_000_000


@inlined
def _is_stroke(data):
    """Whether a message begins a note: of velocity 0 it ends one."""
    return data & 0xF0 == _NOTE_ON and data >> 16 & 0x7F > 0


@entry(types.int32(types.int32, types.CPointer(types.int64)))
def give_events(frames, memory):
    """The events that are due within a period; 0 for JACK, that all is well.

    What was put far ahead, while the server stood still, leaves at once when it goes on, and holds
    up nothing behind it; but for strokes, which would all sound in one heap.
    """
    cells = carray(memory, (MEMORY,))
    buffer = _buffer_of(cells[BUFFER_OF], cells[PORT], frames)
    _clear(cells[CLEAR], buffer)
    now = _time(cells[TIME], cells[CLIENT])
    began = (_now_us(cells[NOW_US]) & _LOW_31) << 32 | types.int64(now) & _LOW_32
    store_release(cells.ctypes.data + 8 * PERIOD, began)  # one cell: never half of it is seen
    written = load_acquire(cells.ctypes.data + 8 * WRITTEN)
    read, last = cells[READ], 0
    while read < written:
        place = EVENTS + 3 * (read % PLACES)
        ahead = types.int32(cells[place] - now)  # frames are counted in 32 bits
        if frames <= ahead < _PERIODS * frames:
            break
        read += 1
        if abs(ahead) >= max(_PERIODS * frames, _TOO_LATE) and _is_stroke(cells[place + 1]):
            continue
        if 0 <= ahead < frames:
            last = max(last, ahead)  # in order
        _write(
            cells[WRITE],
            buffer,
            types.int32(last),
            cells.ctypes.data + 8 * (place + 1),
            cells[place + 2],
        )
    store_release(cells.ctypes.data + 8 * READ, read)
    return 0


@inlined
def _period_began(cells):
    """When the period that runs began, in ns of the monotonic clock."""
    now = monotonic_ns(cells.ctypes.data + 8 * _TIMESPEC)
    frame = types.int64(_time(cells[LAST_FRAME], cells[SERVER])) & _LOW_32
    behind = frame * _NS // cells[RATE]
    first = now - behind
    if now - cells[_SINCE] > _WINDOW_NS:
        fresh = now - cells[_SINCE] < 2 * _WINDOW_NS
        cells[_BEFORE] = cells[_LEAST] if fresh else first
        cells[_LEAST], cells[_SINCE] = first, now
    cells[_LEAST] = min(cells[_LEAST], first)
    began = min(cells[_LEAST], cells[_BEFORE]) + behind
    # Frames that have begun anew at 2^32, or a server that stood still: then it is now.
    return began if 0 <= now - began < _WINDOW_NS else now


@entry(types.int32(types.int32, types.CPointer(types.int64)))
def take_events(frames, memory):
    """Takes the events that came in a period, and wakes who reads them; 0 for JACK.

    What finds no place is lost, as over a cable."""
    cells = carray(memory, (MEMORY,))
    buffer = _buffer_of(cells[BUFFER_OF], cells[PORT], frames)
    event = cells.ctypes.data + 8 * _EVENT
    written = cells[WRITTEN]
    began = _period_began(cells)
    for n in range(_count_of(cells[COUNT_OF], buffer)):
        if _get(cells[GET], event, buffer, types.int32(n)) != 0:
            continue
        size = cells[_EVENT + 1]
        full = written - load_acquire(cells.ctypes.data + 8 * READ) >= PLACES
        if full or size < 1 or size > _LONGEST:
            continue
        data = carray(_bytes_at(cells[_EVENT + 2]), (_LONGEST,))
        packed = types.int64(0)
        for k in range(size):
            packed |= types.int64(data[k]) << (8 * k)
        place = EVENTS + 3 * (written % PLACES)
        cells[place], cells[place + 1] = packed, size
        cells[place + 2] = began + (cells[_EVENT] & _LOW_32) * _NS // cells[RATE]
        written += 1
    if written != cells[WRITTEN]:
        store_release(cells.ctypes.data + 8 * WRITTEN, written)
        _post(cells[POST], cells[CAME])
    return 0


def taken(cells: np.ndarray) -> Iterator[tuple[float, bytes]]:
    """What has come since the last time, in order, and when, in s of the monotonic clock.

    On the one thread that reads.
    """
    while int(cells[READ]) < int(cells[WRITTEN]):
        place = EVENTS + 3 * (int(cells[READ]) % PLACES)
        data, size, at_ns = cells[place : place + 3].tolist()
        cells[READ] += 1
        yield at_ns * 1e-9, (data % (1 << 64)).to_bytes(8, "little")[:size]


@entry(
    types.void(types.int32, types.uint32, types.int64, types.int32, types.CPointer(types.float64))
)
def give_position(state, frames, position, is_new, memory):
    """Bar, beat and tempo of a frame for JACK, in quarters of four to the bar.

    The memory is the tempo in beats a minute."""
    place = carray(_position_at(position), (1,))[0]
    bpm = carray(memory, (1,))[0]
    beats = place.frame / place.frame_rate * bpm / 60.0
    bar = int(beats // _BEATS_PER_BAR)
    in_bar = beats - bar * _BEATS_PER_BAR
    place.bar, place.beat = bar + 1, int(in_bar) + 1
    place.tick = int((in_bar % 1.0) * _TICKS)
    place.bar_start_tick = bar * _BEATS_PER_BAR * _TICKS
    place.beats_per_bar, place.beat_type = _BEATS_PER_BAR, 4.0
    place.ticks_per_beat, place.beats_per_minute = _TICKS, bpm
    place.valid = _BAR_AND_BEAT
