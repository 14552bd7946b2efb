"""What a small speaker leaves of a sound: the curve that the monitor runs."""

from __future__ import annotations

import numpy as np

from puddle.stages import Equalizer

# A driver of some 4 cm in a small closed box, as in a laptop or a kitchen radio: nothing under
# 200 Hz, a hump where the box rings, and a cone that is too heavy for the top.
SMALL_SPEAKER = Equalizer(
    low_cut_on=True,
    low_cut_hz=220.0,
    low_cut_slope="24 dB/oct",
    bell1_db=4.0,
    bell1_hz=420.0,
    bell1_q=1.4,
    bell2_db=-3.0,
    bell2_hz=900.0,
    bell2_q=1.0,
    bell3_db=3.0,
    bell3_hz=3200.0,
    bell3_q=1.2,
    high_cut_on=True,
    high_cut_hz=11000.0,
    high_cut_slope="24 dB/oct",
)


def speaker_sections(rate_hz: float) -> np.ndarray:
    """The speaker's biquads that act: float64 (count, 5) as b0, b1, b2, a1, a2."""
    rows = SMALL_SPEAKER.sections(rate_hz)
    passes = (rows[:, 0] == 1.0) & (rows[:, 1:3] == rows[:, 3:]).all(axis=1)
    return np.ascontiguousarray(rows[~passes], np.float64)
