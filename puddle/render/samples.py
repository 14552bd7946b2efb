"""What renders take in and give back."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

import msgspec
import numpy as np

if TYPE_CHECKING:
    from puddle.stages.chain import Over


class Decoded(msgspec.Struct, frozen=True, eq=False):
    """A sample's content at its own rate: float32 (frames, 2), mono on both sides."""

    audio: np.ndarray
    rate_hz: float


class Rendered(msgspec.Struct, frozen=True, eq=False):
    """Samples as float32 (frames, 2), and what each stage did to them, by its id."""

    audio: np.ndarray
    overs: dict[str, Over]


class Samples(Protocol):
    """Where renders find samples by their hash."""

    def decoded(self, content: str) -> Decoded | None:
        """The content, or None where it is missing: then the layer is silent."""


class NoSamples:
    """For sounds that are synthesized throughout."""

    def decoded(self, content: str) -> Decoded | None:
        """None."""
        return None
