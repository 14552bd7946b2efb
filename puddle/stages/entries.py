"""The compiled entries of the stages: one C signature, called by address, live and offline."""

from puddle.kernels import bands, branching, delays, following, gating, inserting, plain, reverb
from puddle.kernels.compiling import (
    STAGE_SIGNATURE,
    call_stage,
    carray,
    entry,
    pointer_to,
    types,
)
from puddle.kernels.dynamics import COMPRESSOR_CELLS, COMPRESSOR_COEFFICIENTS, compress, limit
from puddle.kernels.filters import moving_cascade, moving_cells
from puddle.kernels.keys import KEY_CELLS, heard
from puddle.kernels.moving import MOVING_CELLS, MOVING_COEFFICIENTS, moving_filter
from puddle.kernels.saturation import (
    CLIPPER_COEFFICIENTS,
    SATURATION_CELLS,
    SATURATOR_COEFFICIENTS,
    clip,
    saturate,
)

f64_at = pointer_to(types.float64)
EQUALIZER_SECTIONS = 14


@entry(STAGE_SIGNATURE)
def equalize_entry(state, coefficients, audio, frames):
    """Fourteen biquads in series."""
    cells = carray(state, (moving_cells(EQUALIZER_SECTIONS),)).ctypes.data
    before = cells + 8 * 4 * EQUALIZER_SECTIONS
    moving_cascade(
        carray(f64_at(cells), (EQUALIZER_SECTIONS, 4)),
        carray(f64_at(before), (EQUALIZER_SECTIONS, 5)),
        carray(f64_at(before + 8 * 5 * EQUALIZER_SECTIONS), (1,)),
        carray(coefficients, (EQUALIZER_SECTIONS, 5)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def compress_entry(state, coefficients, audio, frames):
    """The compressor's loop."""
    cells, block = carray(state, (KEY_CELLS + COMPRESSOR_CELLS,)), carray(audio, (frames, 2))
    compress(
        cells[KEY_CELLS:],
        carray(coefficients, (COMPRESSOR_COEFFICIENTS,)),
        block,
        heard(cells, block, frames),
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
def gain_entry(state, coefficients, audio, frames):
    """A plain gain."""
    plain.amplify(
        carray(state, (plain.GAIN_CELLS,)),
        carray(coefficients, (plain.GAIN_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def fade_entry(state, coefficients, audio, frames):
    """The fade's loop."""
    plain.fade(
        carray(state, (plain.FADE_CELLS,)),
        carray(coefficients, (plain.FADE_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def stereo_entry(state, coefficients, audio, frames):
    """The picture's loop."""
    plain.picture(
        carray(state, (plain.STEREO_CELLS,)),
        carray(coefficients, (plain.STEREO_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def crush_entry(state, coefficients, audio, frames):
    """The crusher's loop."""
    plain.crush(
        carray(state, (plain.CRUSHER_CELLS,)),
        carray(coefficients, (plain.CRUSHER_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def gate_entry(state, coefficients, audio, frames):
    """The gate's loop."""
    cells, block = carray(state, (KEY_CELLS + gating.GATE_CELLS,)), carray(audio, (frames, 2))
    gating.gate(
        cells[KEY_CELLS:],
        carray(coefficients, (gating.GATE_COEFFICIENTS,)),
        block,
        heard(cells, block, frames),
        frames,
    )


@entry(STAGE_SIGNATURE)
def transient_entry(state, coefficients, audio, frames):
    """The transient's loop."""
    gating.transient(
        carray(state, (gating.TRANSIENT_CELLS,)),
        carray(coefficients, (gating.TRANSIENT_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def filter_entry(state, coefficients, audio, frames):
    """The moving filter's loop."""
    moving_filter(
        carray(state, (MOVING_CELLS,)),
        carray(coefficients, (MOVING_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def noise_entry(state, coefficients, audio, frames):
    """The noise's loop."""
    following.follow_noise(
        carray(state, (following.NOISE_CELLS,)),
        carray(coefficients, (following.NOISE_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def sub_entry(state, coefficients, audio, frames):
    """The sine's loop."""
    cells, block = carray(state, (KEY_CELLS + following.SUB_CELLS,)), carray(audio, (frames, 2))
    following.follow_sub(
        cells[KEY_CELLS:],
        carray(coefficients, (following.SUB_COEFFICIENTS,)),
        block,
        heard(cells, block, frames),
        frames,
    )


@entry(STAGE_SIGNATURE)
def bands_entry(state, coefficients, audio, frames):
    """The three bands' loop."""
    cells, block = carray(state, (KEY_CELLS + bands.BAND_CELLS,)), carray(audio, (frames, 2))
    bands.compress_bands(
        cells[KEY_CELLS:],
        carray(coefficients, (bands.BAND_COEFFICIENTS,)),
        block,
        heard(cells, block, frames),
        cells[0] != 0.0,
        frames,
    )


@entry(STAGE_SIGNATURE)
def delay_entry(state, coefficients, audio, frames):
    """The repeats' loop; a coefficient is the number of cells."""
    values = carray(coefficients, (delays.DELAY_COEFFICIENTS,))
    cells = int(values[delays.ECHO_CELLS])
    delays.echo(carray(state, (cells,)), values, carray(audio, (frames, 2)), frames)


@entry(STAGE_SIGNATURE)
def chorus_entry(state, coefficients, audio, frames):
    """The copies' loop; a coefficient is the length of the ring."""
    values = carray(coefficients, (delays.CHORUS_COEFFICIENTS,))
    cells = delays.chorus_cells(int(values[delays.CHORUS_SPAN]))
    delays.chorus(carray(state, (cells,)), values, carray(audio, (frames, 2)), frames)


@entry(STAGE_SIGNATURE)
def reverb_entry(state, coefficients, audio, frames):
    """The room's loop; the rings' lengths are among the coefficients."""
    values = carray(coefficients, (reverb.REVERB_COEFFICIENTS,))
    cells = reverb.cells_of(values)
    reverb.reverb(carray(state, (cells,)), values, carray(audio, (frames, 2)), frames)


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


@entry(STAGE_SIGNATURE)
def branch_entry(state, coefficients, audio, frames):
    """Stages in a row over a copy, and what went in beside it."""
    head = carray(coefficients, (branching.BRANCH_HEAD,))
    own = branching.BRANCH_FIXED + 2 * int(head[branching.LATENCY])
    kept = carray(state, (own,))
    block = carray(audio, (frames, 2))
    branching.fork(kept, head, block, frames)
    cells = kept.ctypes.data + 8 * own
    at = head.ctypes.data + 8 * branching.BRANCH_HEAD
    for _ in range(int(head[branching.COUNT])):
        stage = carray(f64_at(at), (branching.STAGE_HEAD,))
        at += 8 * branching.STAGE_HEAD
        call_stage(int(stage[0]), cells, at, block.ctypes.data, frames)
        cells += 8 * int(stage[1])
        at += 8 * int(stage[2])
    branching.join(kept, head, block, frames)
