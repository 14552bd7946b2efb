"""What JACK calls once a period to be given MIDI events: each leaves on its very frame.

Compiled, so that no interpreter holds up the server. The memory is int64: what it needs to call the
library, how many events were written and read, then places of three, frame, bytes and length.
"""

from puddle.kernels.calling import c_function
from puddle.kernels.compiling import carray, entry, kernel, load_acquire, store_release, types

CLIENT, PORT, BUFFER_OF, CLEAR, WRITE, TIME, WRITTEN, READ, EVENTS = range(9)
PLACES = 1024
MEMORY = EVENTS + 3 * PLACES

_i32, _i64 = types.int32, types.int64
_buffer_of = c_function(_i64, _i64, _i32)  # jack_port_get_buffer(port, frames)
_clear = c_function(_i32, _i64)  # jack_midi_clear_buffer(buffer)
_write = c_function(_i32, _i64, _i32, _i64, _i64)  # jack_midi_event_write(buffer, at, data, size)
_time = c_function(_i32, _i64)  # jack_last_frame_time(client)


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


@entry(types.int32(types.int32, types.CPointer(types.int64)))
def give_events(frames, memory):
    """The events that are due within a period; 0 for JACK, that all is well."""
    cells = carray(memory, (MEMORY,))
    buffer = _buffer_of(cells[BUFFER_OF], cells[PORT], frames)
    _clear(cells[CLEAR], buffer)
    now = _time(cells[TIME], cells[CLIENT])
    written = load_acquire(cells.ctypes.data + 8 * WRITTEN)
    read, last = cells[READ], 0
    while read < written:
        place = EVENTS + 3 * (read % PLACES)
        ahead = types.int32(cells[place] - now)  # frames are counted in 32 bits
        if ahead >= frames:
            break
        last = max(last, ahead)  # in order
        _write(
            cells[WRITE],
            buffer,
            types.int32(last),
            cells.ctypes.data + 8 * (place + 1),
            cells[place + 2],
        )
        read += 1
    store_release(cells.ctypes.data + 8 * READ, read)
    return 0
