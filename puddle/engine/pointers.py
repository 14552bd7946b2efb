"""Typed pointers to the records of `layout`, for compiled code that is given their addresses."""

from puddle.engine import layout
from puddle.kernels.compiling import from_dtype, pointer_to, types

engine_at = pointer_to(from_dtype(layout.ENGINE))
voices_at = pointer_to(from_dtype(layout.VOICE))
pads_at = pointer_to(from_dtype(layout.PAD))
buses_at = pointer_to(from_dtype(layout.BUS))
feeds_at = pointer_to(from_dtype(layout.FEED))
slots_at = pointer_to(from_dtype(layout.SLOT))
events_at = pointer_to(from_dtype(layout.EVENT))
rings_at = pointer_to(from_dtype(layout.RING))
commands_at = pointer_to(from_dtype(layout.COMMAND))
scopes_at = pointer_to(from_dtype(layout.SCOPE))
shown_at = pointer_to(from_dtype(layout.SHOWN))
published_at = pointer_to(from_dtype(layout.PUBLISHED_TABLE))
repeats_at = pointer_to(from_dtype(layout.REPEATED))
strokes_at = pointer_to(from_dtype(layout.STROKE))
tables_at = pointer_to(from_dtype(layout.TABLE))
monitors_at = pointer_to(from_dtype(layout.MONITOR))
unders_at = pointer_to(from_dtype(layout.UNDER_TAKE))
f64_at = pointer_to(types.float64)
f32_at = pointer_to(types.float32)
i64_at = pointer_to(types.int64)

FRAME = 8  # bytes of a stereo frame of float32
