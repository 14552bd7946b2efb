"""Decoded samples, as renders ask for them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np


@dataclass(frozen=True, eq=False)
class Decoded:
    """A sample's content at its own rate: float32 (frames, 2), mono on both sides."""

    audio: np.ndarray
    rate_hz: float


class Samples(Protocol):
    """Where renders find samples by their hash."""

    def decoded(self, content: str) -> Decoded | None:
        """The content, or None where it is missing: then the layer is silent."""


class NoSamples:
    """For sounds that are synthesized throughout."""

    def decoded(self, content: str) -> Decoded | None:
        """None."""
        return None
