"""One frame between frames, in a vector as wide as a filter: the inner step of a gliding voice.

The frames around a place lie side by side in memory, left and right by turns; one load holds them
all. A row's taps lie there once, so that a table fits into the nearest cache, and are doubled in
registers. Numba would do this number by number, many times slower.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba.extending import intrinsic

from puddle.kernels.compiling import types
from puddle.kernels.polyphase import LONG, SHORT

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


def _taps(builder: Any, row: Any, fraction: Any, count: int) -> Any:
    """Taps that lie at a fraction of the way from a row to the next one."""
    here_place = builder.inttoptr(row, _lanes(count).as_pointer())
    here = builder.load(here_place, align=4)
    there = builder.load(builder.gep(here_place, [ir.Constant(_I32, 1)]), align=4)
    ahead = builder.fsub(there, here, flags=_FREE)
    part = _spread(builder, fraction, count)
    return builder.fadd(builder.fmul(ahead, part, flags=_FREE), here, flags=_FREE)


def _folded(builder: Any, vector: Any, count: int, least: int) -> Any:
    """Halves added to each other until so many lanes are left."""
    while count > least:
        count //= 2
        low = _picked(builder, vector, list(range(count)))
        high = _picked(builder, vector, list(range(count, 2 * count)))
        vector = builder.fadd(low, high, flags=_FREE)
    return vector


def _read(builder: Any, frames: Any, row: Any, fraction: Any, taps: int, least: int) -> Any:
    """A frame between frames, left and right by turns, in so many lanes that add up to it."""
    wide = 2 * taps
    around = builder.load(builder.inttoptr(frames, _lanes(wide).as_pointer()), align=4)
    each_side = _taps(builder, row, fraction, taps)
    both = _picked(builder, each_side, [lane // 2 for lane in range(wide)])
    return _folded(builder, builder.fmul(around, both, flags=_FREE), wide, least)


def _add_scaled(builder: Any, frames: Any, left: Any, right: Any, out: Any, count: int) -> None:
    """Adds frames, side by side in a vector of `count` lanes, to what lies at an address."""
    pair = builder.insert_element(_spread(builder, left, 2), right, ir.Constant(_I32, 1))
    gains = _picked(builder, pair, [lane % 2 for lane in range(count)])
    place = builder.inttoptr(out, _lanes(count).as_pointer())
    scaled = builder.fmul(frames, gains, flags=_FREE)
    builder.store(builder.fadd(builder.load(place, align=4), scaled, flags=_FREE), place, align=4)


def _adder(taps: int) -> Any:
    @intrinsic
    def add_filtered(typing_context, frames, row, fraction, left, right, out):
        def generate(context, builder, signature, arguments):
            frames_, row_, fraction_, left_, right_, out_ = arguments
            one = _read(builder, frames_, row_, fraction_, taps, 2)
            _add_scaled(builder, one, left_, right_, out_, 2)
            return context.get_dummy_value()

        f32, i64 = types.float32, types.int64
        return types.void(i64, i64, f32, f32, f32, i64), generate

    return add_filtered


def _pair_adder(taps: int) -> Any:
    @intrinsic
    def add_two(typing_context, frames, row, fraction, frames2, row2, fraction2, left, right, out):
        def generate(context, builder, signature, arguments):
            first = _read(builder, *arguments[0:3], taps, 8)
            second = _read(builder, *arguments[3:6], taps, 8)
            lanes = ir.VectorType(_I32, 8)
            low = ir.Constant(lanes, [0, 1, 2, 3, 8, 9, 10, 11])
            high = ir.Constant(lanes, [4, 5, 6, 7, 12, 13, 14, 15])
            fours = builder.fadd(
                builder.shuffle_vector(first, second, low),
                builder.shuffle_vector(first, second, high),
                flags=_FREE,
            )
            both = builder.fadd(
                _picked(builder, fours, [0, 1, 4, 5]),
                _picked(builder, fours, [2, 3, 6, 7]),
                flags=_FREE,
            )
            _add_scaled(builder, both, *arguments[6:9], 4)
            return context.get_dummy_value()

        f32, i64 = types.float32, types.int64
        return types.void(i64, i64, f32, i64, i64, f32, f32, f32, i64), generate

    return add_two


# Adds to a float32 frame at `out` what lies between frames. `frames` is the address of the first
# of so many frames; `row` that of the row of taps before the place, `fraction` how far the place
# is on the way to the next row; `left` and `right` are gains.
add_short = _adder(SHORT)
add_long = _adder(LONG)

# The same for two frames that follow each other at `out`: one's steps fill the other's waits.
add_two_short = _pair_adder(SHORT)
add_two_long = _pair_adder(LONG)


@intrinsic
def read_between(typing_context, line, row, fraction):
    """What lies between two of SHORT float32 numbers at an address, by a row of READ_ROWS."""

    def generate(context, builder, signature, arguments):
        line_, row_, fraction_ = arguments
        around = builder.load(builder.inttoptr(line_, _lanes(SHORT).as_pointer()), align=4)
        each = builder.fmul(around, _taps(builder, row_, fraction_, SHORT), flags=_FREE)
        one = _folded(builder, each, SHORT, 1)
        return builder.extract_element(one, ir.Constant(_I32, 0))

    return types.float32(types.int64, types.int64, types.float32), generate
