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


def _filters(rows, spread):
    """FIR filters of float32 side by side, each over a quantum; see `spread_at` and `gathered_at`.

    One sum alone would wait for itself at every tap.
    """
    quantum = ir.VectorType(_SINGLE, QUANTUM)

    @intrinsic
    def run_at(typing_context, lines, taps, count, targets, stride):
        def generate(context, builder, signature, arguments):
            lines, taps, targets = (
                builder.inttoptr(arguments[k], _SINGLE.as_pointer()) for k in (0, 1, 3)
            )
            apart = [builder.mul(arguments[4], _INT64(row)) for row in range(rows)]

            def quantum_at(base, place):
                return builder.bitcast(builder.gep(base, [place]), quantum.as_pointer())

            before, loop, after = (
                builder.block,
                builder.append_basic_block("taps"),
                builder.append_basic_block("filtered"),
            )
            builder.branch(loop)
            builder.position_at_end(loop)
            k = builder.phi(_INT64)
            k.add_incoming(_INT64(0), before)
            totals = [builder.phi(quantum) for _ in range(rows)]
            grown, shared = [], builder.load(quantum_at(lines, k), align=4) if spread else None
            for row, total in enumerate(totals):
                place = builder.add(builder.mul(k, _INT64(rows)), _INT64(row))
                tap = _all_lanes(builder, builder.load(builder.gep(taps, [place])), quantum)
                window = shared or builder.load(
                    quantum_at(lines, builder.add(apart[row], k)), align=4
                )
                product = builder.fmul(window, tap, flags=_CONTRACT)
                grown.append(builder.fadd(product, total, flags=_CONTRACT))
                total.add_incoming(ir.Constant(quantum, [0.0] * QUANTUM), before)
                total.add_incoming(grown[-1], loop)
            next_ = builder.add(k, _INT64(1))
            k.add_incoming(next_, loop)
            builder.cbranch(builder.icmp_signed("<", next_, arguments[2]), loop, after)
            builder.position_at_end(after)
            if spread:
                for place, value in zip(apart, grown, strict=True):
                    builder.store(value, quantum_at(targets, place), align=4)
            else:
                whole = grown[0]
                for value in grown[1:]:
                    whole = builder.fadd(whole, value)
                builder.store(whole, quantum_at(targets, _INT64(0)), align=4)
            return context.get_dummy_value()

        return types.void(*[types.int64] * 5), generate

    return run_at


def spread_at(rows):
    """`rows` filters of one line, with a target each.

    target r[n] = Σ taps[k, r] line[n + k] for a quantum of n, as a compiled function of the
    addresses of the line, of QUANTUM + count - 1, and of the taps, (count, rows); of count; and of
    the address of the first target, the others lying `stride` float32 behind each other.
    """
    return _filters(rows, spread=True)


def gathered_at(rows):
    """The sum of `rows` filters of a line each: target[n] = ΣΣ taps[k, r] line r[n + k].

    Its arguments are those of `spread_at`, where the lines lie `stride` behind each other.
    """
    return _filters(rows, spread=False)


@intrinsic
def points_at(typing_context, line, taps, half, points):
    """The largest of four pairs of points between frames, for a quantum of them.

    `line` is the address of QUANTUM + 2 half - 1 float32, `taps` of (half, 7) and `points` of
    QUANTUM. With even = line[n + k] + line[n + 2 half - 1 - k] and odd their difference, a pair's
    a = Σ taps[k, 2 p] even and b = Σ taps[k, 2 p + 1] odd; its two points are a + b and a - b, the
    larger of which is |a| + |b|. The last pair has no b. Seven sums go side by side: one alone
    would wait for itself.
    """
    sums = 7

    def generate(context, builder, signature, arguments):
        quantum = ir.VectorType(_SINGLE, QUANTUM)
        single = _SINGLE.as_pointer()
        line, taps, points = (builder.inttoptr(arguments[k], single) for k in (0, 1, 3))
        before, loop, after = (
            builder.block,
            builder.append_basic_block("pairs"),
            builder.append_basic_block("summed"),
        )
        last = builder.sub(builder.shl(arguments[2], _INT64(1)), _INT64(1))
        builder.branch(loop)
        builder.position_at_end(loop)
        k = builder.phi(_INT64)
        k.add_incoming(_INT64(0), before)
        totals = [builder.phi(quantum) for _ in range(sums)]

        def at(place):
            address = builder.bitcast(builder.gep(line, [place]), quantum.as_pointer())
            return builder.load(address, align=4)

        first, second = at(k), at(builder.sub(last, k))
        sides = builder.fadd(first, second), builder.fsub(first, second)
        row = builder.mul(k, _INT64(sums))
        grown = []
        for s, total in enumerate(totals):
            tap = builder.load(builder.gep(taps, [builder.add(row, _INT64(s))]))
            product = builder.fmul(sides[s % 2], _all_lanes(builder, tap, quantum), flags=_CONTRACT)
            grown.append(builder.fadd(product, total, flags=_CONTRACT))
            total.add_incoming(ir.Constant(quantum, [0.0] * QUANTUM), before)
            total.add_incoming(grown[-1], loop)
        next_ = builder.add(k, _INT64(1))
        k.add_incoming(next_, loop)
        builder.cbranch(builder.icmp_signed("<", next_, arguments[2]), loop, after)
        builder.position_at_end(after)
        sizes = [_size(builder, total) for total in grown]
        pairs = [builder.fadd(a, b) for a, b in zip(sizes[0:6:2], sizes[1:6:2], strict=True)]
        highest = sizes[-1]
        for pair in pairs:
            highest = _larger(builder, highest, pair)
        target = builder.bitcast(points, quantum.as_pointer())
        builder.store(highest, target, align=4)
        return context.get_dummy_value()

    return types.void(*[types.int64] * 4), generate


def _size(builder, value):
    """Without its sign."""
    return _larger(builder, value, builder.fneg(value))


def _larger(builder, a, b):
    return builder.select(builder.fcmp_ordered(">", a, b), a, b)


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
