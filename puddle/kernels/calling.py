"""Functions of a C library, called by their addresses from compiled code."""

from llvmlite import ir
from numba.extending import intrinsic

from puddle.kernels.compiling import types

_INT32, _INT64 = ir.IntType(32), ir.IntType(64)
_KINDS = {types.int32: _INT32, types.int64: _INT64}


def c_function(returns, *arguments):
    """A compiled function of the same result and arguments, with the address before them.

    Whole numbers of 32 and 64 bits; a pointer is an int64.
    """

    def types_of(typing_context, address, *given):
        def generate(context, builder, signature, values):
            kind = ir.FunctionType(_KINDS[returns], [_KINDS[one] for one in arguments])
            function = builder.inttoptr(values[0], kind.as_pointer())
            return builder.call(function, list(values[1:]))

        return returns(types.int64, *arguments), generate

    return _of_count(types_of, len(arguments))


def _of_count(types_of, count):
    """numba wants to know how many arguments there are."""
    if count == 0:

        @intrinsic
        def none(typing_context, address):
            return types_of(typing_context, address)

        return none
    if count == 1:

        @intrinsic
        def one(typing_context, address, a):
            return types_of(typing_context, address, a)

        return one
    if count == 2:

        @intrinsic
        def two(typing_context, address, a, b):
            return types_of(typing_context, address, a, b)

        return two

    if count == 3:

        @intrinsic
        def three(typing_context, address, a, b, c):
            return types_of(typing_context, address, a, b, c)

        return three

    @intrinsic
    def four(typing_context, address, a, b, c, d):
        return types_of(typing_context, address, a, b, c, d)

    return four
