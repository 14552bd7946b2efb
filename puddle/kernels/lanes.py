"""A quantum in registers: what a compiler does not make of a loop by itself.

Given a loop over taps inside one over samples, LLVM keeps neither in registers for long; in a loop
over many rows it does not look whether they overlap, and goes sample by sample. Written out as
vectors as wide as a quantum, both run twice as fast.
"""

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from puddle.kernels.quantum import QUANTUM

_INT32, _INT64 = ir.IntType(32), ir.IntType(64)
_DOUBLE, _SINGLE = ir.DoubleType(), ir.FloatType()
_WIDE = 8
_SINGLES = ir.VectorType(_SINGLE, _WIDE)
_CONTRACT = ("contract",)  # a product and a sum may become one instruction


def _all_lanes(builder, value, vector):
    """A vector of one value."""
    nothing = ir.Constant(vector, ir.Undefined)
    first = ir.Constant(ir.VectorType(_INT32, vector.count), [0] * vector.count)
    return builder.shuffle_vector(builder.insert_element(nothing, value, _INT32(0)), nothing, first)


def _adder(number, stride):
    """`sums[n] += Σ taps[k] line[n + stride k]` for numbers of one kind."""
    quantum = ir.VectorType(number, QUANTUM)
    size = 8 if number is _DOUBLE else 4

    @intrinsic
    def add_convolved_at(typing_context, line, taps, count, sums):
        def generate(context, builder, signature, arguments):
            line, taps, sums = (
                builder.inttoptr(arguments[k], number.as_pointer()) for k in (0, 1, 3)
            )
            total = builder.bitcast(sums, quantum.as_pointer())
            before, loop, after = (
                builder.block,
                builder.append_basic_block("taps"),
                builder.append_basic_block("summed"),
            )
            start = builder.load(total, align=size)
            builder.branch(loop)
            builder.position_at_end(loop)
            k, sum_ = builder.phi(_INT64), builder.phi(quantum)
            k.add_incoming(_INT64(0), before)
            sum_.add_incoming(start, before)
            tap = _all_lanes(builder, builder.load(builder.gep(taps, [k])), quantum)
            place = builder.mul(k, _INT64(stride))
            window = builder.bitcast(builder.gep(line, [place]), quantum.as_pointer())
            product = builder.fmul(builder.load(window, align=size), tap, flags=_CONTRACT)
            more = builder.fadd(product, sum_, flags=_CONTRACT)
            next_ = builder.add(k, _INT64(1))
            k.add_incoming(next_, loop)
            sum_.add_incoming(more, loop)
            builder.cbranch(builder.icmp_signed("<", next_, arguments[2]), loop, after)
            builder.position_at_end(after)
            builder.store(more, total, align=size)
            return context.get_dummy_value()

        return types.void(*[types.int64] * 4), generate

    return add_convolved_at


# sums[n] += Σ taps[k] line[n + k], for a quantum of n and `count` taps, at least one. They take
# addresses and a count: `line` of QUANTUM + count - 1, `taps` of count, count, `sums` of QUANTUM.
add_convolved_singles_at = _adder(_SINGLE, 1)
# The same for rows: sums[n] += Σ taps[k] row k[n], each a quantum long, one behind the other.
add_rows_at = _adder(_SINGLE, QUANTUM)


@intrinsic
def mirror_at(typing_context, line, taps, even, odd):
    """Sums and differences of what lies as far from the middle of `taps` float32 numbers.

    even[k, n] = line[n + k] + line[n + taps - 1 - k], and odd their difference, for a quantum of n
    and k under half of `taps`; addresses and a count.
    """

    def generate(context, builder, signature, arguments):
        quantum = ir.VectorType(_SINGLE, QUANTUM)
        line, even, odd = (builder.inttoptr(arguments[k], _SINGLE.as_pointer()) for k in (0, 2, 3))
        before, loop, after = (
            builder.block,
            builder.append_basic_block("pairs"),
            builder.append_basic_block("mirrored"),
        )
        half = builder.lshr(arguments[1], _INT64(1))
        last = builder.sub(arguments[1], _INT64(1))
        builder.branch(loop)
        builder.position_at_end(loop)
        k = builder.phi(_INT64)
        k.add_incoming(_INT64(0), before)

        def at(base, place):
            return builder.bitcast(builder.gep(base, [place]), quantum.as_pointer())

        first = builder.load(at(line, k), align=4)
        second = builder.load(at(line, builder.sub(last, k)), align=4)
        row = builder.mul(k, _INT64(QUANTUM))
        builder.store(builder.fadd(first, second), at(even, row), align=4)
        builder.store(builder.fsub(first, second), at(odd, row), align=4)
        next_ = builder.add(k, _INT64(1))
        k.add_incoming(next_, loop)
        builder.cbranch(builder.icmp_signed("<", next_, half), loop, after)
        builder.position_at_end(after)
        return context.get_dummy_value()

    return types.void(*[types.int64] * 4), generate


@intrinsic
def rotate_at(typing_context, pair, turn, fresh, target, cosine, sine):
    """A pair of rows turned by an angle that goes on along them, and what is new added.

    `pair`, `turn`, `fresh` and `target` are two addresses each, of a quantum of float32: left and
    right; cosines and sines; left and right; and where to. `cosine` and `sine` are those of an
    angle more, float32.
    """
    two = types.UniTuple(types.int64, 2)

    def generate(context, builder, signature, arguments):
        vector = _SINGLES.as_pointer()
        rows = [
            builder.inttoptr(builder.extract_value(arguments[k], side), vector)
            for k in range(4)
            for side in range(2)
        ]
        more = [_all_lanes(builder, value, _SINGLES) for value in arguments[4:]]
        for chunk in range(QUANTUM // _WIDE):
            at = [builder.gep(row, [_INT64(chunk)]) for row in rows]
            left, right, along, across, new_left, new_right = (
                builder.load(place, align=4) for place in at[:6]
            )
            c, s = _turned(builder, along, across, *more)
            out_right, out_left = _turned(builder, right, left, c, s)
            builder.store(builder.fadd(out_left, new_left), at[6], align=4)
            builder.store(builder.fadd(out_right, new_right), at[7], align=4)
        return context.get_dummy_value()

    return types.void(two, two, two, two, types.float32, types.float32), generate


def _turned(builder, x, y, c, s):
    """(c x - s y, s x + c y)."""

    def times(a, b):
        return builder.fmul(a, b, flags=_CONTRACT)

    first = builder.fsub(times(c, x), times(s, y), flags=_CONTRACT)
    return first, builder.fadd(times(s, x), times(c, y), flags=_CONTRACT)
