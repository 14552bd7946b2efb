"""What WAV files tell beside their samples lands with them: root key, loops, ranges."""

import struct
import unittest

import numpy as np

from puddle.formats.sampler_chunks import SamplerFacts, sampler_facts, with_chunks
from puddle.formats.sound import decoded_sound
from puddle.kit.edits.landing import landed
from puddle.kit.model.document import Kit, Sample
from puddle.library.intake import Drum, Found, drum_of, found_in
from tests.support.sounds import RATE, sine, wav
from tests.support.stores import new_store


def inst(wav_bytes: bytes, root: int, keys: tuple[int, int], velocities: tuple[int, int]) -> bytes:
    """The file with an `inst` chunk, made by the standard: seven bytes and one to fill."""
    body = struct.pack("<BbbBBBB", root, 0, 0, *keys, *velocities) + b"\0"
    added = b"inst" + struct.pack("<I", 7) + body
    size = len(wav_bytes) + len(added) - 8
    return wav_bytes[:4] + struct.pack("<I", size) + wav_bytes[8:] + added


class ToldTest(unittest.TestCase):
    def found(self, raw: bytes, name: str = "tone.wav") -> Found:
        store = self.enterContext(new_store())
        sound = decoded_sound(raw, name, ".wav")
        content = store.add(sound, name)
        return found_in(content, np.asarray(sound.stereo), sound.rate_hz, trims=False, raw=raw)

    def test_root_and_loop(self) -> None:
        raw = with_chunks(wav(sine(220.0, 0.5)), SamplerFacts(57, 0.0, ((4800, 9599),)), RATE)
        _, (pad,) = landed(Kit(name=""), [drum_of([self.found(raw)]).landing()])
        self.assertEqual(pad.root, 57)
        source = pad.sound.layers[0].source
        assert isinstance(source, Sample)
        self.assertAlmostEqual(source.loop_start_ms, 100.0)
        self.assertAlmostEqual(source.loop_end_ms, 200.0)
        self.assertFalse(source.loop)  # the points are there; it goes round when it is wanted

    def test_keys_and_velocities(self) -> None:
        soft = inst(wav(sine(200.0, 0.2, 0.9)), 40, (40, 42), (1, 70))
        hard = inst(wav(sine(210.0, 0.2, 0.1)), 40, (40, 42), (71, 127))
        drum = Drum("Tone", [self.found(hard, "a.wav"), self.found(soft, "b.wav")])
        _, (pad,) = landed(Kit(name=""), [drum.landing()])
        self.assertEqual((pad.root, pad.notes), (40, (40, 41, 42)))
        ranges = {layer.name: (layer.softest, layer.hardest) for layer in pad.sound.layers}
        self.assertEqual(ranges, {"a": (71, 127), "b": (1, 70)})  # as told, not as loud

    def test_what_tells_nothing_lands_as_before(self) -> None:
        found = self.found(wav(sine(200.0, 0.2)))
        self.assertEqual(found.told, SamplerFacts())
        _, (pad,) = landed(Kit(name=""), [drum_of([found]).landing()])
        self.assertEqual(pad.root, 60)

    def test_loops_outside_of_the_file_are_passed_over(self) -> None:
        raw = with_chunks(wav(sine(220.0, 0.1)), SamplerFacts(57, 0.0, ((10, 99_999),)), RATE)
        source = self.found(raw).source
        self.assertEqual(source.loop_end_ms, Sample(content="").loop_end_ms)

    def test_ranges_that_are_none(self) -> None:
        for keys, velocities in (((90, 20), (0, 0)), ((0, 200), (100, 50))):
            told = sampler_facts(inst(wav(sine(220.0, 0.1)), 60, keys, velocities))
            self.assertEqual((told.keys, told.velocities), (None, None))


if __name__ == "__main__":
    unittest.main()
