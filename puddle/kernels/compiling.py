"""How kernels are compiled, and the few machine instructions that Numba does not offer.

Every kernel divides without raising and uses one set of floating-point liberties, live and offline
alike: those that keep tests for NaN meaningful. All but the briefest release the interpreter lock.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, cast

from llvmlite import ir
from numba import carray, config, from_dtype, njit, types
from numba.core.caching import FunctionCache
from numba.core.ccallback import CFunc
from numba.core.runtime import rtsys
from numba.core.sigutils import normalize_signature
from numba.extending import intrinsic
from numba.np import linalg

from puddle.kernels.cache import folder

# Whoever needs these takes them from here: nothing may be compiled before Numba has been told where
# its cache lies, and it must not be imported by two threads at once.
__all__ = ["carray", "entry", "from_dtype", "kernel", "types"]


def _do_without_blas() -> None:
    """Keeps Numba from importing SciPy's linear algebra at the first compile.

    It only looks whether a BLAS is there for `np.dot`, which no kernel of ours calls, and that
    look took 0.5 of the 1.2 s that the engine needed to load.
    """

    def missing() -> None:
        raise ImportError("kernels do without BLAS")

    linalg.ensure_blas = missing


_do_without_blas()

LIBERTIES = {"contract", "reassoc", "nsz", "arcp", "afn"}
_FOLDER = folder()
_CACHED = _FOLDER is not None
if _CACHED:
    config.CACHE_DIR = os.environ["NUMBA_CACHE_DIR"] = str(_FOLDER)  # it may read it again


class _HealingCache(FunctionCache):
    """A cache that is dropped and made anew when it is damaged, and does without a full disk.

    What is loaded from it is compiled: Numba's own cache prepares for compiling first, all of its
    implementations and types, which takes as long as all the rest. Who compiles prepares itself.
    """

    def load_overload(self, sig: Any, target_context: Any) -> Any:
        try:
            rtsys.initialize(target_context)
            with self._guard_against_spurious_io_errors():
                return self._load_overload(sig, target_context)
        except Exception:  # a pickle that was cut off can raise nearly anything
            self.flush()
            return None

    def save_overload(self, sig: Any, data: Any) -> None:
        try:
            super().save_overload(sig, data)
        except OSError:
            return


def _compiled(
    function: Callable[..., Any], *, nogil: bool = True, forceinline: bool = False
) -> Callable[..., Any]:
    compiled: Any = njit(
        nogil=nogil, error_model="numpy", fastmath=LIBERTIES, forceinline=forceinline
    )(function)
    if _CACHED:
        compiled._cache = _HealingCache(function)
    return cast("Callable[..., Any]", compiled)


def kernel(function: Callable[..., Any]) -> Callable[..., Any]:
    """A compiled loop, called from Python or from other kernels."""
    return _compiled(function)


def inlined(function: Callable[..., Any]) -> Callable[..., Any]:
    """A compiled loop's part that is called in it: a call with arrays costs some 30 ns."""
    return _compiled(function, forceinline=True)


def brief(function: Callable[..., Any]) -> Callable[..., Any]:
    """A compiled step of some nanoseconds, which keeps the interpreter lock.

    Who gives it away waits, to get it back, until the turn of a busy thread is over.
    """
    return _compiled(function, nogil=False)


def entry(signature: Any) -> Callable[[Callable[..., Any]], Any]:
    """A compiled loop with a C address, to be called by address or by a sound card."""

    def compile_entry(function: Callable[..., Any]) -> Any:
        options = {"nopython": True, "error_model": "numpy", "fastmath": LIBERTIES}
        compiled = CFunc(function, normalize_signature(signature), {}, options)
        if _CACHED:
            compiled._cache = _HealingCache(function)
        compiled.compile()
        return compiled

    return compile_entry


# A stage's entry: state, coefficients, audio (frames of two), number of frames.
STAGE_SIGNATURE = types.void(
    types.CPointer(types.float64),
    types.CPointer(types.float64),
    types.CPointer(types.float32),
    types.int64,
)


@intrinsic
def call_stage(typing_context, address, state, coefficients, audio, frames):
    """Calls a stage's entry, all pointers given as integers."""

    def generate(context, builder, signature, arguments):
        double = ir.DoubleType().as_pointer()
        single = ir.FloatType().as_pointer()
        kind = ir.FunctionType(ir.VoidType(), [double, double, single, ir.IntType(64)])
        # A cfunc takes its arguments in the C convention, which for these types is plain.
        function = builder.inttoptr(arguments[0], kind.as_pointer())
        builder.call(
            function,
            [
                builder.inttoptr(arguments[1], double),
                builder.inttoptr(arguments[2], double),
                builder.inttoptr(arguments[3], single),
                arguments[4],
            ],
        )
        return context.get_dummy_value()

    return types.void(*[types.int64] * 5), generate


def pointer_to(element: Any) -> Any:
    """A compiled function from an integer address to a typed pointer, for `numba.carray`."""
    kind = types.CPointer(element)

    @intrinsic
    def pointer(typing_context, address):
        def generate(context, builder, signature, arguments):
            return builder.inttoptr(arguments[0], context.get_value_type(kind))

        return kind(types.int64), generate

    return pointer


@intrinsic
def load_acquire(typing_context, address):
    """Reads an int64 that another thread publishes; what it wrote before is visible after."""

    def generate(context, builder, signature, arguments):
        place = builder.inttoptr(arguments[0], ir.IntType(64).as_pointer())
        return builder.load_atomic(place, "acquire", 8)

    return types.int64(types.int64), generate


@intrinsic
def store_release(typing_context, address, value):
    """Publishes an int64 to another thread, after everything written before it."""

    def generate(context, builder, signature, arguments):
        place = builder.inttoptr(arguments[0], ir.IntType(64).as_pointer())
        builder.store_atomic(arguments[1], place, "release", 8)
        return context.get_dummy_value()

    return types.void(types.int64, types.int64), generate


@intrinsic
def exchange(typing_context, address, value):
    """Writes an int64 that other threads write too, and returns what was there, in one step."""

    def generate(context, builder, signature, arguments):
        place = builder.inttoptr(arguments[0], ir.IntType(64).as_pointer())
        return builder.atomic_rmw("xchg", place, arguments[1], "acq_rel")

    return types.int64(types.int64, types.int64), generate


_clock_gettime = types.ExternalFunction("clock_gettime", types.int32(types.int32, types.int64))
_CLOCK_MONOTONIC = 1  # of Linux: the clock of Python's `time.monotonic`


@inlined
def monotonic_ns(timespec):
    """The monotonic clock in ns, int64; `timespec` is the address of two int64 of the caller's."""
    _clock_gettime(_CLOCK_MONOTONIC, timespec)
    seconds, nanoseconds = load_acquire(timespec), load_acquire(timespec + 8)
    return seconds * 1_000_000_000 + nanoseconds


_clock_nanosleep = types.ExternalFunction(
    "clock_nanosleep", types.int32(types.int32, types.int32, types.int64, types.int64)
)
_ABSOLUTE = 1


@inlined
def sleep_until_ns(timespec, due):
    """Sleeps until a time of the monotonic clock in ns; `timespec` as in `monotonic_ns`."""
    store_release(timespec, due // 1_000_000_000)
    store_release(timespec + 8, due % 1_000_000_000)
    _clock_nanosleep(_CLOCK_MONOTONIC, _ABSOLUTE, timespec, 0)


def _machine_is_x86() -> bool:
    import platform

    return platform.machine() in ("x86_64", "AMD64")


_X86 = _machine_is_x86()
# MXCSR bits 15 and 6 (flush to zero, denormals are zero); FPCR bit 24 on AArch64.
FLUSH_BITS = 0x8040 if _X86 else 1 << 24


@intrinsic
def read_float_mode(typing_context):
    """The processor's floating-point control word of this thread."""

    def generate(context, builder, signature, arguments):
        i32, i64 = ir.IntType(32), ir.IntType(64)
        if _X86:
            slot = builder.alloca(i32)
            bytes_ = builder.bitcast(slot, ir.IntType(8).as_pointer())
            kind = ir.FunctionType(ir.VoidType(), [ir.IntType(8).as_pointer()])
            store = builder.module.declare_intrinsic("llvm.x86.sse.stmxcsr", fnty=kind)
            builder.call(store, [bytes_])
            return builder.zext(builder.load(slot), i64)
        kind = ir.FunctionType(i64, [])
        return builder.asm(kind, "mrs $0, fpcr", "=r", [], True)

    return types.int64(), generate


@intrinsic
def write_float_mode(typing_context, mode):
    """Sets the floating-point control word of this thread."""

    def generate(context, builder, signature, arguments):
        i32 = ir.IntType(32)
        if _X86:
            slot = builder.alloca(i32)
            builder.store(builder.trunc(arguments[0], i32), slot)
            bytes_ = builder.bitcast(slot, ir.IntType(8).as_pointer())
            kind = ir.FunctionType(ir.VoidType(), [ir.IntType(8).as_pointer()])
            load = builder.module.declare_intrinsic("llvm.x86.sse.ldmxcsr", fnty=kind)
            builder.call(load, [bytes_])
        else:
            kind = ir.FunctionType(ir.VoidType(), [ir.IntType(64)])
            builder.asm(kind, "msr fpcr, $0", "r", [arguments[0]], True)
        return context.get_dummy_value()

    return types.void(types.int64), generate


@brief
def flush_denormals():
    """Treats denormal numbers as zero in this thread; returns the mode before."""
    before = read_float_mode()
    write_float_mode(before | FLUSH_BITS)
    return before


@brief
def restore_float_mode(mode):
    """Restores what `flush_denormals` returned."""
    write_float_mode(mode)


@contextmanager
def denormals_flushed() -> Iterator[None]:
    """Offline work in the mode of the live callback: same results, and no slow tails."""
    before = flush_denormals()
    try:
        yield
    finally:
        restore_float_mode(before)
