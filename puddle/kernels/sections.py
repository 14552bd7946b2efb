"""Four second-order sections in series on stereo, side by side in one vector.

A section waits for its own last output, so that one alone leaves most of the processor idle. Here
each section works one frame behind the section before it: eight lanes (four sections, two
channels) take one step together, and a frame costs what one section's cost. Written out as
vectors, because a compiler keeps the lanes apart.
"""

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

_INT32, _INT64 = ir.IntType(32), ir.IntType(64)
_DOUBLE, _SINGLE = ir.DoubleType(), ir.FloatType()
SECTIONS = 4
_LANES = 2 * SECTIONS
_VECTOR, _MASK_WORDS = ir.VectorType(_DOUBLE, _LANES), ir.VectorType(_INT64, _LANES)
_CONTRACT = ("contract",)
_PASSING = (1.0, 0.0, 0.0, 0.0, 0.0)  # b0, b1, b2, a1, a2
_COEFFICIENTS, _CELLS = 5, 4


@intrinsic
def run_sections_at(typing_context, cells, sections, which, audio, frames):
    """Runs up to four of a cascade's sections over stereo float32 (frames, 2), in place.

    `cells` is the address of float64 (count, 4), two cells for each channel; `sections` that of
    (count, 5): b0, b1, b2, a1, a2. `which` are four rows of both, the first at least 0; those
    under 0 let everything pass. Transposed direct form II:
    y = b0 x + s1, s1 = b1 x - a1 y + s2, s2 = b2 x - a2 y.
    """

    def generate(context, builder, signature, arguments):
        doubles, singles = _DOUBLE.as_pointer(), _SINGLE.as_pointer()
        cells = builder.inttoptr(arguments[0], doubles)
        sections = builder.inttoptr(arguments[1], doubles)
        rows = [builder.extract_value(arguments[2], k) for k in range(SECTIONS)]
        there = [builder.icmp_signed(">=", row, _INT64(0)) for row in rows]
        rows = [builder.select(there[k], rows[k], rows[0]) for k in range(SECTIONS)]
        run = _Run(
            builder,
            [_coefficient(builder, sections, rows, there, c) for c in range(_COEFFICIENTS)],
            builder.inttoptr(arguments[3], singles),
            arguments[4],
        )
        state = (
            ir.Constant(_VECTOR, [0.0] * _LANES),
            _cell(builder, cells, rows, there, 0),
            _cell(builder, cells, rows, there, 1),
        )
        late = _INT64(SECTIONS - 1)
        full = builder.select(builder.icmp_signed(">", run.frames, late), run.frames, late)
        state = run.loop(_INT64(0), late, state, masked=True)
        state = run.loop(late, full, state, masked=False)
        state = run.loop(full, builder.add(run.frames, late), state, masked=True)
        for k in reversed(range(SECTIONS)):  # what is not there lies on the first, which is last
            for cell in range(2):
                for channel in range(2):
                    value = builder.extract_element(state[1 + cell], _INT32(2 * k + channel))
                    builder.store(value, _cell_at(builder, cells, rows[k], 2 * channel + cell))
        return context.get_dummy_value()

    four = types.UniTuple(types.int64, SECTIONS)
    return types.void(types.int64, types.int64, four, types.int64, types.int64), generate


class _Run:
    """Loops over frames: what they share."""

    def __init__(self, builder, coefficients, audio, frames):
        self._builder = builder
        self._coefficients = coefficients
        self._audio = audio
        self.frames = frames

    def loop(self, begin, end, state, masked):
        """Steps from `begin` to before `end`; `state` is what came out, and both cells.

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
        b0, b1, b2, a1, a2 = self._coefficients
        out, first, second = state
        x = self._inputs(n, out, masked)
        y = _sum(builder, _product(builder, b0, x), first)
        new_first = _sum(builder, _product(builder, b1, x), second)
        new_first = _difference(builder, new_first, _product(builder, a1, y))
        new_second = _difference(builder, _product(builder, b2, x), _product(builder, a2, y))
        if masked:
            inside = self._inside(n)
            new_first = builder.select(inside, new_first, first)
            new_second = builder.select(inside, new_second, second)
            leaves = builder.icmp_signed(">=", n, _INT64(SECTIONS - 1))
            with builder.if_then(leaves):
                self._write(n, y)
        else:
            self._write(n, y)
        return y, new_first, new_second

    def _inputs(self, n, out, masked):
        """The frame for the first section, and for each other what the one before it gave."""
        builder = self._builder
        if masked:
            last = builder.sub(self.frames, _INT64(1))
            n = builder.select(builder.icmp_signed("<", n, last), n, last)
        place = builder.shl(n, _INT64(1))
        fresh = ir.Constant(_VECTOR, ir.Undefined)
        for channel in range(2):
            at = builder.gep(self._audio, [builder.add(place, _INT64(channel))])
            wide = builder.fpext(builder.load(at), _DOUBLE)
            fresh = builder.insert_element(fresh, wide, _INT32(_LANES - 2 + channel))
        order = [_LANES - 2, _LANES - 1, *range(_LANES, 2 * _LANES - 2)]
        lanes = ir.Constant(ir.VectorType(_INT32, _LANES), order)
        return builder.shuffle_vector(fresh, out, lanes)

    def _inside(self, n):
        """Which lanes' frames are of the audio: 0 <= n - k < frames."""
        builder = self._builder
        behind = ir.Constant(_MASK_WORDS, [lane // 2 for lane in range(_LANES)])
        frame = builder.sub(_all_lanes(builder, n), behind)
        past = builder.icmp_signed(">=", frame, ir.Constant(_MASK_WORDS, [0] * _LANES))
        return builder.and_(past, builder.icmp_signed("<", frame, _all_lanes(builder, self.frames)))

    def _write(self, n, y):
        """The last section's frame, which is as late as there are sections before it."""
        builder = self._builder
        place = builder.shl(builder.sub(n, _INT64(SECTIONS - 1)), _INT64(1))
        for channel in range(2):
            value = builder.extract_element(y, _INT32(_LANES - 2 + channel))
            at = builder.gep(self._audio, [builder.add(place, _INT64(channel))])
            builder.store(builder.fptrunc(value, _SINGLE), at)


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
