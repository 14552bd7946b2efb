"""The compiled entries of the stages: one C signature, called by address, live and offline."""

from puddle.kernels import inserting
from puddle.kernels.compiling import STAGE_SIGNATURE, call_stage, carray, entry
from puddle.kernels.dynamics import COMPRESSOR_CELLS, COMPRESSOR_COEFFICIENTS, compress, limit
from puddle.kernels.filters import cascade
from puddle.kernels.saturation import (
    CLIPPER_COEFFICIENTS,
    SATURATION_CELLS,
    SATURATOR_COEFFICIENTS,
    clip,
    saturate,
)

EQUALIZER_SECTIONS = 14


@entry(STAGE_SIGNATURE)
def equalize_entry(state, coefficients, audio, frames):
    """Fourteen biquads in series."""
    cascade(
        carray(state, (EQUALIZER_SECTIONS, 4)),
        carray(coefficients, (EQUALIZER_SECTIONS, 5)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def compress_entry(state, coefficients, audio, frames):
    """The compressor's loop."""
    compress(
        carray(state, (COMPRESSOR_CELLS,)),
        carray(coefficients, (COMPRESSOR_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def limit_entry(state, coefficients, audio, frames):
    """The limiter's loop; the last coefficient is the number of cells."""
    values = carray(coefficients, (4,))
    limit(carray(state, (int(values[3]),)), values, carray(audio, (frames, 2)), frames)


@entry(STAGE_SIGNATURE)
def saturate_entry(state, coefficients, audio, frames):
    """The saturator's loop."""
    saturate(
        carray(state, (SATURATION_CELLS,)),
        carray(coefficients, (SATURATOR_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def clip_entry(state, coefficients, audio, frames):
    """The clipper's loop."""
    clip(
        carray(state, (SATURATION_CELLS,)),
        carray(coefficients, (CLIPPER_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def insert_entry(state, coefficients, audio, frames):
    """Levels and dry blend around the stage whose entry the first coefficient is."""
    head = carray(coefficients, (inserting.INSERT_HEAD,))
    own = inserting.INSERT_FIXED + 2 * int(head[inserting.LATENCY])
    kept = carray(state, (own,))
    block = carray(audio, (frames, 2))
    inserting.take_dry(kept, head, block, frames)
    call_stage(
        int(head[inserting.ENTRY]),
        kept.ctypes.data + 8 * own,
        head.ctypes.data + 8 * inserting.INSERT_HEAD,
        block.ctypes.data,
        frames,
    )
    inserting.blend_dry(kept, head, block, frames)
