"""Kits of recordings that tests make, each with a store of its own."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from puddle.formats.sound import decoded_sound
from puddle.kit import edits
from puddle.kit.edits.buses import add_content
from puddle.kit.model.document import Kit, Layer, Pad, Sample, Sound
from puddle.kit.model.roles import Role
from puddle.render.take import Takes
from tests.support.sounds import RATE, wav
from tests.support.stores import new_store


def decaying(hz: float, seconds: float = 0.5, level: float = 0.5) -> np.ndarray:
    """A sine that falls by 100 dB over its length, and begins at zero."""
    t = np.arange(round(seconds * RATE)) / RATE
    mono = level * np.sin(2.0 * np.pi * hz * t) * 10.0 ** (-5.0 * t / seconds)
    return np.stack([mono, mono], axis=1).astype(np.float32)


class SampledKitTest(unittest.TestCase):
    """Has a kit that layers of made recordings are put into."""

    def setUp(self) -> None:
        self.store = self.enterContext(new_store())
        self.takes = Takes(self.store, float(RATE))
        self.kit = Kit(name="Made", author="Nobody", license="As you like.")

    def sample(self, audio: np.ndarray, name: str = "hit.wav", **values: Any) -> Sample:
        """A whole recording as a source; the kit knows it from now on."""
        content = self.store.add(decoded_sound(wav(audio), name, ".wav"), name)
        self.kit = add_content(self.kit, content)
        whole = {"end_ms": content.length_ms, "fade_out_ms": 0.0}
        return Sample(content=content.hash, **(whole | values))

    def layer(self, audio: np.ndarray, key: str = "layer1", **values: Any) -> Layer:
        return Layer(id=key, name=values.pop("name", key), source=self.sample(audio), **values)

    def pad(
        self, *layers: Layer, name: str = "Thud", role: Role = "percussion", **values: Any
    ) -> Pad:
        """A new pad with layers; it has a note."""
        self.kit, pad = edits.add_pad(self.kit, name, role, Sound(layers=layers))
        self.kit = edits.set_pad(self.kit, pad.id, **values)
        return edits.pad_of(self.kit, pad.id)
