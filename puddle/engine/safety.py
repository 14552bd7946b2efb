"""The limiter that always stands last before the sound card: see `mixer.deliver`."""

from __future__ import annotations

import math

import numpy as np

from puddle.kernels.limiting import limiter_cells, limiter_latency
from puddle.units import gain_from_db

CEILING_DBTP = -0.1
# Short, for it delays every strike; a kit that is played at a sane level never meets it.
_LOOKAHEAD_S = 0.00033
_RELEASE_S = 0.1


def _window(rate_hz: float) -> int:
    return max(4, round(_LOOKAHEAD_S * rate_hz))


def safety_coefficients(rate_hz: float) -> np.ndarray:
    """Ceiling, release pole, look-ahead in frames."""
    release = math.exp(-1.0 / (_RELEASE_S * rate_hz))
    return np.array([gain_from_db(CEILING_DBTP), release, float(_window(rate_hz))])


def safety_cells(rate_hz: float) -> np.ndarray:
    """The limiter's state at rest."""
    return np.zeros(limiter_cells(_window(rate_hz)))


def latency_frames(rate_hz: float) -> int:
    """Frames by which it delays what is heard: 0.6 ms."""
    return limiter_latency(_window(rate_hz))
