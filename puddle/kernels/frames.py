"""What is done with a whole quantum of stereo at once: silence, sums, peaks.

Each is a few instructions on one vector of 64 float32 numbers, left and right by turns. Numba
makes loops of a number at a time of some of these: a maximum over floats, whose order it must
keep, costs 0.1 µs for a quantum, twenty times as much, on every bus.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba.extending import intrinsic

from puddle.kernels.compiling import inlined, types
from puddle.kernels.quantum import QUANTUM

_FREE = ("contract", "reassoc", "nsz")
_COUNT = 2 * QUANTUM
_FLOAT, _WORD = ir.FloatType(), ir.IntType(32)
_QUANTUM = ir.VectorType(_FLOAT, _COUNT)
_WORDS = ir.VectorType(_WORD, _COUNT)
_NO_SIGN = 0x7FFFFFFF


def _place(builder: Any, address: Any) -> Any:
    return builder.inttoptr(address, _QUANTUM.as_pointer())


def _picked(builder: Any, vector: Any, lanes: list[int]) -> Any:
    mask = ir.Constant(ir.VectorType(_WORD, len(lanes)), lanes)
    return builder.shuffle_vector(vector, ir.Constant(vector.type, ir.Undefined), mask)


@intrinsic
def silence(typing_context, target):
    """A quantum of zeros at an address."""

    def generate(context, builder, signature, arguments):
        builder.store(ir.Constant(_QUANTUM, None), _place(builder, arguments[0]), align=4)
        return context.get_dummy_value()

    return types.void(types.int64), generate


@intrinsic
def add_frames(typing_context, source, target):
    """Adds the quantum at an address to the one at another."""

    def generate(context, builder, signature, arguments):
        source_, target_ = (_place(builder, address) for address in arguments)
        added = builder.load(source_, align=4)
        total = builder.fadd(builder.load(target_, align=4), added, flags=_FREE)
        builder.store(total, target_, align=4)
        return context.get_dummy_value()

    return types.void(types.int64, types.int64), generate


@intrinsic
def add_scaled(typing_context, source, target, gain):
    """Adds the quantum at an address, times a gain, to the one at another."""

    def generate(context, builder, signature, arguments):
        source_, target_ = (_place(builder, address) for address in arguments[:2])
        one = builder.insert_element(
            ir.Constant(_QUANTUM, ir.Undefined), arguments[2], ir.Constant(_WORD, 0)
        )
        gains = _picked(builder, one, [0] * _COUNT)
        scaled = builder.fmul(builder.load(source_, align=4), gains, flags=_FREE)
        total = builder.fadd(builder.load(target_, align=4), scaled, flags=_FREE)
        builder.store(total, target_, align=4)
        return context.get_dummy_value()

    return types.void(types.int64, types.int64, types.float32), generate


@intrinsic
def _scale(typing_context, target, gains):
    def generate(context, builder, signature, arguments):
        doubles = ir.VectorType(ir.DoubleType(), QUANTUM)
        each = builder.load(builder.inttoptr(arguments[1], doubles.as_pointer()), align=8)
        both = builder.fptrunc(each, ir.VectorType(_FLOAT, QUANTUM))
        both = _picked(builder, both, [lane // 2 for lane in range(_COUNT)])
        place = _place(builder, arguments[0])
        builder.store(builder.fmul(builder.load(place, align=4), both), place, align=4)
        return context.get_dummy_value()

    return types.void(types.int64, types.int64), generate


@inlined
def scale(audio, gains, frames):
    """Multiplies frames, at most a quantum of float32 (frames, 2), each by its gain of float64."""
    if frames == QUANTUM:
        _scale(audio.ctypes.data, gains.ctypes.data)
        return
    for n in range(frames):
        gain = np.float32(gains[n])
        audio[n, 0] *= gain
        audio[n, 1] *= gain


@intrinsic
def peaks(typing_context, source):
    """The highest absolute values of the quantum at an address, left and right: float32.

    Without their signs floats are ordered as whole numbers are; infinity and then what is not a
    number come last, so that neither is lost.
    """
    kind = types.UniTuple(types.float32, 2)

    def generate(context, builder, signature, arguments):
        frames = builder.load(_place(builder, arguments[0]), align=4)
        words = builder.bitcast(frames, _WORDS)
        most = builder.and_(words, ir.Constant(_WORDS, [_NO_SIGN] * _COUNT))
        count = _COUNT
        while count > 2:
            count //= 2
            low = _picked(builder, most, list(range(count)))
            high = _picked(builder, most, list(range(count, 2 * count)))
            most = builder.select(builder.icmp_signed(">", low, high), low, high)
        found = builder.bitcast(most, ir.VectorType(_FLOAT, 2))
        sides = [builder.extract_element(found, ir.Constant(_WORD, side)) for side in (0, 1)]
        return context.make_tuple(builder, signature.return_type, sides)

    return kind(types.int64), generate
