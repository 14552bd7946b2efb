"""Second-order sections in series on stereo, four side by side in a vector.

A section waits for its own last output, so that one alone leaves most of the processor idle. Here
each section works one frame behind the section before it: eight lanes (four sections, two
channels) take one step together, and two such vectors fill each other's waits, so that a frame
costs little more than what one section's cost. Written out as vectors, because a compiler keeps
the lanes apart. A quantum is made float64 at once, before and after: number by number that took as
long as the sections.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

from puddle.kernels.guard import MOST
from puddle.kernels.quantum import QUANTUM

_INT32, _INT64 = ir.IntType(32), ir.IntType(64)
_DOUBLE, _SINGLE = ir.DoubleType(), ir.FloatType()
SIDE_BY_SIDE = 4  # sections of a vector
_LANES = 2 * SIDE_BY_SIDE
_VECTOR, _MASK_WORDS = ir.VectorType(_DOUBLE, _LANES), ir.VectorType(_INT64, _LANES)
_QUANTUM = ir.ArrayType(_DOUBLE, 2 * QUANTUM)
_ALIGNED = 64  # bytes
_CONTRACT = ("contract",)
_PASSING = (1.0, 0.0, 0.0, 0.0, 0.0)  # b0, b1, b2, a1, a2
_COEFFICIENTS, _CELLS = 5, 4


def _runner(vectors: int) -> Any:
    count = vectors * SIDE_BY_SIDE

    @intrinsic
    def run_at(typing_context, cells, sections, which, audio, frames):
        def generate(context, builder, signature, arguments):
            doubles = _DOUBLE.as_pointer()
            cells = builder.inttoptr(arguments[0], doubles)
            sections = builder.inttoptr(arguments[1], doubles)
            audio, frames = builder.inttoptr(arguments[3], _SINGLE.as_pointer()), arguments[4]
            rows, there = _lowest_bits(builder, arguments[2], count)
            groups = [
                (rows[k : k + SIDE_BY_SIDE], there[k : k + SIDE_BY_SIDE])
                for k in range(0, count, SIDE_BY_SIDE)
            ]
            coefficients = [
                [_coefficient(builder, sections, *group, c) for c in range(_COEFFICIENTS)]
                for group in groups
            ]
            state = [ir.Constant(_VECTOR, [0.0] * _LANES) for _ in groups]
            state += [_cell(builder, cells, *group, k) for k in (0, 1) for group in groups]
            quantum = cgutils.alloca_once(builder, _QUANTUM)
            quantum.align = _ALIGNED
            wide = builder.bitcast(quantum, doubles)
            _converted(builder, audio, wide, frames)
            run = _Run(builder, coefficients, wide, frames)
            late = _INT64(count - 1)
            full = builder.select(builder.icmp_signed(">", frames, late), frames, late)
            state = run.loop(_INT64(0), late, state, masked=True)
            state = run.loop(late, full, state, masked=False)
            state = run.loop(full, builder.add(frames, late), state, masked=True)
            _converted(builder, wide, audio, frames)
            for k in reversed(range(count)):  # what is not there lies on the first, which is last
                vector, lane = divmod(2 * k, _LANES)
                for cell in range(2):
                    held = state[(1 + cell) * vectors + vector]
                    for channel in range(2):
                        value = builder.extract_element(held, _INT32(lane + channel))
                        builder.store(value, _cell_at(builder, cells, rows[k], 2 * channel + cell))
            return _whole(builder, state[vectors:])

        i64 = types.int64
        return types.boolean(i64, i64, i64, i64, i64), generate

    return run_at


# Run so many of a cascade's sections, or fewer, over at most a quantum of stereo float32
# (frames, 2), in place. `cells` is the address of float64 (count, 4), two cells for each channel;
# `sections` that of (count, 5): b0, b1, b2, a1, a2. Of the rows whose bits are set in `which`, one
# at least, the lowest so many are run. Transposed direct form II:
# y = b0 x + s1, s1 = b1 x - a1 y + s2, s2 = b2 x - a2 y. False where a cell is no number any more.
run_four_at = _runner(1)
run_eight_at = _runner(2)


class _Run:
    """Loops over frames: what they share."""

    def __init__(self, builder, coefficients, audio, frames):
        self._builder = builder
        self._coefficients = coefficients
        self._audio = audio
        self._frames = frames
        self._late = SIDE_BY_SIDE * len(coefficients) - 1

    def loop(self, begin, end, state, masked):
        """Steps from `begin` to before `end`; `state` is what came out, and both cells, by vectors.

        Masked, a lane keeps its cells while its frame lies outside of the audio.
        """
        builder = self._builder
        before = builder.block
        head, body, after = (
            builder.append_basic_block(name) for name in ("head", "step", "stepped")
        )
        builder.branch(head)
        builder.position_at_end(head)
        n = builder.phi(_INT64)
        held = [builder.phi(_VECTOR) for _ in state]
        n.add_incoming(begin, before)
        for value, start in zip(held, state, strict=True):
            value.add_incoming(start, before)
        builder.cbranch(builder.icmp_signed("<", n, end), body, after)
        builder.position_at_end(body)
        stepped = self._step(n, held, masked)
        n.add_incoming(builder.add(n, _INT64(1)), builder.block)
        for value, new in zip(held, stepped, strict=True):
            value.add_incoming(new, builder.block)
        builder.branch(head)
        builder.position_at_end(after)
        return held

    def _step(self, n, state, masked):
        builder = self._builder
        vectors = len(self._coefficients)
        outs, firsts, seconds = (state[k * vectors : (k + 1) * vectors] for k in range(3))
        inputs = self._inputs(n, outs, masked)
        outs, new_firsts, new_seconds = [], [], []
        for vector, (b0, b1, b2, a1, a2) in enumerate(self._coefficients):
            x, first, second = inputs[vector], firsts[vector], seconds[vector]
            y = _sum(builder, _product(builder, b0, x), first)
            new_first = _sum(builder, _product(builder, b1, x), second)
            new_first = _difference(builder, new_first, _product(builder, a1, y))
            new_second = _difference(builder, _product(builder, b2, x), _product(builder, a2, y))
            if masked:
                inside = self._inside(n, vector)
                new_first = builder.select(inside, new_first, first)
                new_second = builder.select(inside, new_second, second)
            outs.append(y)
            new_firsts.append(new_first)
            new_seconds.append(new_second)
        if masked:
            with builder.if_then(builder.icmp_signed(">=", n, _INT64(self._late))):
                self._write(n, outs[-1])
        else:
            self._write(n, outs[-1])
        return [*outs, *new_firsts, *new_seconds]

    def _frame(self, n):
        place = self._builder.gep(self._audio, [self._builder.shl(n, _INT64(1))])
        return self._builder.bitcast(place, ir.VectorType(_DOUBLE, 2).as_pointer())

    def _inputs(self, n, outs, masked):
        """The frame for the first section, and for each other what the one before it gave."""
        builder = self._builder
        if masked:
            last = builder.sub(self._frames, _INT64(1))
            n = builder.select(builder.icmp_signed("<", n, last), n, last)
        fresh = builder.load(self._frame(n), align=16)
        wide = _picked(builder, fresh, fresh, [0, 1] * SIDE_BY_SIDE)
        order = [_LANES - 2, _LANES - 1, *range(_LANES, 2 * _LANES - 2)]
        before = [wide, *outs]
        return [_picked(builder, before[k], out, order) for k, out in enumerate(outs)]

    def _inside(self, n, vector):
        """Which lanes' frames are of the audio: 0 <= n - k < frames."""
        builder = self._builder
        sections = [SIDE_BY_SIDE * vector + lane // 2 for lane in range(_LANES)]
        frame = builder.sub(_all_lanes(builder, n), ir.Constant(_MASK_WORDS, sections))
        past = builder.icmp_signed(">=", frame, ir.Constant(_MASK_WORDS, [0] * _LANES))
        ends = _all_lanes(builder, self._frames)
        return builder.and_(past, builder.icmp_signed("<", frame, ends))

    def _write(self, n, y):
        """The last section's frame, which is as late as there are sections before it."""
        builder = self._builder
        frame = self._frame(builder.sub(n, _INT64(self._late)))
        builder.store(_picked(builder, y, y, [_LANES - 2, _LANES - 1]), frame, align=16)


def _whole(builder, cells):
    """Whether all cells are numbers, of a size that sound can have; see `guard.sane`."""
    most = ir.Constant(_VECTOR, [MOST] * _LANES)
    least = ir.Constant(_VECTOR, [-MOST] * _LANES)
    found = ir.Constant(ir.VectorType(ir.IntType(1), _LANES), [1] * _LANES)
    for cell in cells:
        found = builder.and_(found, builder.fcmp_ordered("<=", cell, most))
        found = builder.and_(found, builder.fcmp_ordered(">=", cell, least))
    mask = ir.IntType(_LANES)
    return builder.icmp_signed("==", builder.bitcast(found, mask), mask(-1))


def _converted(builder, source, target, frames):
    """Frames from an address to another as its numbers: four at a time, then one."""
    singles, doubles = (ir.VectorType(kind, _LANES) for kind in (_SINGLE, _DOUBLE))
    one = ir.VectorType(_SINGLE, 2), ir.VectorType(_DOUBLE, 2)
    fours = builder.ashr(frames, _INT64(2))
    _convert_run(builder, source, target, _INT64(0), fours, (singles, doubles))
    _convert_run(builder, source, target, builder.shl(fours, _INT64(2)), frames, one)


def _convert_run(builder, source, target, begin, end, kinds):
    narrow, wide = kinds
    widens = source.type.pointee == _SINGLE
    taken, made = (narrow, wide) if widens else (wide, narrow)
    cast = builder.fpext if widens else builder.fptrunc
    with cgutils.for_range_slice(builder, begin, end, _INT64(1)) as (index, _):
        place = builder.mul(index, _INT64(narrow.count))
        value = builder.load(_vector_at(builder, source, place, taken), align=4)
        builder.store(cast(value, made), _vector_at(builder, target, place, made), align=4)


def _vector_at(builder, base, place, kind):
    return builder.bitcast(builder.gep(base, [place]), kind.as_pointer())


def _picked(builder, a, b, lanes):
    mask = ir.Constant(ir.VectorType(_INT32, len(lanes)), lanes)
    return builder.shuffle_vector(a, b, mask)


def _lowest_bits(builder, bits, count):
    """The places of the lowest bits that are set, and whether there are so many."""
    places, there = [], []
    for _ in range(count):
        there.append(builder.icmp_signed("!=", bits, _INT64(0)))
        place = builder.cttz(bits, ir.Constant(ir.IntType(1), 0))
        places.append(builder.select(there[-1], place, places[0]) if places else place)
        bits = builder.and_(bits, builder.sub(bits, _INT64(1)))
    return places, there


def _coefficient(builder, sections, rows, there, which):
    """One coefficient of each section, in both channels' lanes."""
    vector = ir.Constant(_VECTOR, ir.Undefined)
    for k, row in enumerate(rows):
        place = builder.add(builder.mul(row, _INT64(_COEFFICIENTS)), _INT64(which))
        value = builder.load(builder.gep(sections, [place]))
        value = builder.select(there[k], value, _DOUBLE(_PASSING[which]))
        for lane in (2 * k, 2 * k + 1):
            vector = builder.insert_element(vector, value, _INT32(lane))
    return vector


def _cell(builder, cells, rows, there, which):
    """The first or the second cell of each section and channel."""
    vector = ir.Constant(_VECTOR, ir.Undefined)
    for k, row in enumerate(rows):
        for channel in range(2):
            value = builder.load(_cell_at(builder, cells, row, 2 * channel + which))
            value = builder.select(there[k], value, _DOUBLE(0.0))
            vector = builder.insert_element(vector, value, _INT32(2 * k + channel))
    return vector


def _cell_at(builder, cells, row, which):
    place = builder.add(builder.mul(row, _INT64(_CELLS)), _INT64(which))
    return builder.gep(cells, [place])


def _all_lanes(builder, value):
    nothing = ir.Constant(_MASK_WORDS, ir.Undefined)
    first = ir.Constant(ir.VectorType(_INT32, _LANES), [0] * _LANES)
    return builder.shuffle_vector(builder.insert_element(nothing, value, _INT32(0)), nothing, first)


def _product(builder, a, b):
    return builder.fmul(a, b, flags=_CONTRACT)


def _sum(builder, a, b):
    return builder.fadd(a, b, flags=_CONTRACT)


def _difference(builder, a, b):
    return builder.fsub(a, b, flags=_CONTRACT)
