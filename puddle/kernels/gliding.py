"""One stereo frame between frames, in a vector of eight: the inner step of a gliding voice.

Four-point third-order Hermite interpolation. The four frames around a place lie side by side in
memory, left and right by turns, so one load holds them all; their weights are polynomials of the
fraction, evaluated for all eight at once. Numba would do this number by number, five times slower.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba.extending import intrinsic

from puddle.kernels.compiling import types

# Weights of the frames at -1, 0, 1 and 2 as polynomials of the fraction, from its cube downwards
# (Catmull and Rom, *A class of local interpolating splines*, 1974).
WEIGHTS = (
    (-0.5, 1.5, -1.5, 0.5),
    (1.0, -2.5, 2.0, -0.5),
    (-0.5, 0.0, 0.5, 0.0),
    (0.0, 1.0, 0.0, 0.0),
)
_FREE = ("contract", "reassoc", "nsz")
_F32, _I32 = ir.FloatType(), ir.IntType(32)


def _lanes(count: int) -> ir.VectorType:
    return ir.VectorType(_F32, count)


def _picked(builder: Any, vector: Any, lanes: list[int]) -> Any:
    mask = ir.Constant(ir.VectorType(_I32, len(lanes)), lanes)
    return builder.shuffle_vector(vector, ir.Constant(vector.type, ir.Undefined), mask)


def _spread(builder: Any, value: Any, count: int) -> Any:
    empty = ir.Constant(_lanes(count), ir.Undefined)
    one = builder.insert_element(empty, value, ir.Constant(_I32, 0))
    return _picked(builder, one, [0] * count)


@intrinsic
def add_between(typing_context, frames, fraction, left, right, out):
    """Adds to a float32 frame at `out` what lies at a fraction after the second of four frames.

    `frames` is the address of the first of the four; `left` and `right` are float32 gains.
    """

    def generate(context, builder, signature, arguments):
        frames_, fraction_, left_, right_, out_ = arguments
        wide = builder.inttoptr(frames_, _lanes(8).as_pointer())
        around = builder.load(wide, align=4)
        part = _spread(builder, fraction_, 8)
        weights = _constant(WEIGHTS[0])
        for row in WEIGHTS[1:]:
            weights = builder.fmul(weights, part, flags=_FREE)
            weights = builder.fadd(weights, _constant(row), flags=_FREE)
        each = builder.fmul(around, weights, flags=_FREE)
        four = builder.fadd(
            _picked(builder, each, [0, 1, 2, 3]), _picked(builder, each, [4, 5, 6, 7]), flags=_FREE
        )
        two = builder.fadd(
            _picked(builder, four, [0, 1]), _picked(builder, four, [2, 3]), flags=_FREE
        )
        gains = builder.insert_element(_spread(builder, left_, 2), right_, ir.Constant(_I32, 1))
        place = builder.inttoptr(out_, _lanes(2).as_pointer())
        scaled = builder.fmul(two, gains, flags=_FREE)
        total = builder.fadd(builder.load(place, align=4), scaled, flags=_FREE)
        builder.store(total, place, align=4)
        return context.get_dummy_value()

    f32 = types.float32
    return types.void(types.int64, f32, f32, f32, types.int64), generate


def _constant(row: tuple[float, ...]) -> ir.Constant:
    """A frame's weight for its left and its right."""
    return ir.Constant(_lanes(8), [value for value in row for _ in range(2)])
