"""Sounds that a drag takes out of the window."""

from pathlib import Path

import numpy as np
import soundfile

from puddle.engine.offline import strike
from puddle.kit.model.document import Sound
from puddle.kit.playing.velocity import hardest
from puddle.parameter import changed
from puddle.window.files.carried_sounds import CarriedSounds
from puddle.window.widgets.promised_files import PromisedFiles
from tests.support.windows import DemoTest


class Carried(DemoTest):
    def setUp(self) -> None:
        super().setUp()
        self.sounds = CarriedSounds(self.session)
        self.addCleanup(self.sounds.close)
        self.pad = self.session.kit.pads[0]

    def file(self, data: PromisedFiles | None) -> tuple[Path, np.ndarray]:
        """The one file that is promised, and its audio."""
        assert data is not None
        (url,) = data.urls()
        audio, rate = soundfile.read(url.toLocalFile(), dtype="float32")
        self.assertEqual(rate, self.session.renders.takes.rate_hz)
        return Path(url.toLocalFile()), audio

    def test_a_layer_by_itself_where_it_stands(self) -> None:
        sound = hardest(self.pad.sound)
        layer = sound.layers[1]
        place, audio = self.file(self.sounds.layer(layer.id))
        self.assertEqual(place.name, f"{self.pad.name} {layer.name}.wav")
        wanted = self.session.renders.takes.placed(sound, layer)
        np.testing.assert_allclose(audio, wanted, atol=2.0**-23)  # half a step of 24 bits

    def test_a_sound_that_the_pad_does_not_play(self) -> None:
        one = Sound(layers=self.pad.sound.layers[:1])
        place, audio = self.file(self.sounds.sound(self.pad.id, "before", one))
        self.assertEqual(place.name, f"{self.pad.name} before.wav")
        wanted = strike(changed(self.pad, sound=one), self.session.renders.takes, 127.0)
        np.testing.assert_allclose(audio, wanted, atol=2.0**-23)

    def test_what_is_gone_is_not_carried(self) -> None:
        self.assertIsNone(self.sounds.layer("gone"))
        self.assertIsNone(self.sounds.pad("gone"))
        self.assertIsNone(self.sounds.sound("gone", "before", self.pad.sound))

    def test_the_drag_before_is_removed(self) -> None:
        first, _ = self.file(self.sounds.layer(self.pad.sound.layers[0].id))
        second, _ = self.file(self.sounds.layer(self.pad.sound.layers[1].id))
        self.assertFalse(first.exists())
        self.sounds.close()
        self.assertFalse(second.exists())
