"""Grooves, stems and MIDI files: read back by libsndfile and mido."""

import io
import unittest

import mido
import numpy as np

from puddle.engine.offline import bounce
from puddle.formats.sampler_chunks import sampler_facts
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from tests.support.deliveries import PatternsTest, read
from tests.support.sounds import RATE


class GroovesTest(PatternsTest):
    """Patterns through the mix."""

    def test_stems_add_up_to_the_mix_and_the_loop_is_a_bounce(self) -> None:
        made = self.made(self.plan("groove", "stems", format="wav 32f", mono=False))
        loop = next(data for path, data in made.items() if "stems" not in path)
        stems = [read(data)[0] for path, data in made.items() if "stems" in path]
        mix, _ = read(loop)
        total = np.zeros_like(mix)
        for stem in stems:
            total[: len(stem)] += stem
        null = np.abs(total - mix).max()
        self.assertLess(20.0 * np.log10(null / np.abs(mix).max()), -120.0)
        whole = bounce(self.kit, self.kit.patterns[-1], 1, Takes(NoSamples(), float(RATE))).master
        np.testing.assert_array_equal(mix, whole)

    def test_stems_of_24_bits_still_add_up(self) -> None:
        made = self.made(self.plan("groove", "stems", mono=False))
        loop = next(data for path, data in made.items() if "stems" not in path)
        mix, _ = read(loop)
        total = np.zeros_like(mix)
        for path, data in made.items():
            if "stems" in path:
                stem, _ = read(data)
                total[: len(stem)] += stem
        self.assertLess(20.0 * np.log10(np.abs(total - mix).max() / np.abs(mix).max()), -90.0)

    def test_lanes_as_stems(self) -> None:
        made = self.made(self.plan("stems", stems_by="lane"))
        names = {path.rpartition("/")[2] for path in made}
        self.assertEqual(names, {"Thud.wav", "Crack.wav", "Wash.wav"})

    def test_wrapped_tails_are_laid_over_the_beginning(self) -> None:
        ringing = self.made(self.plan("groove", format="wav 32f"))
        wrapped = self.made(self.plan("groove", format="wav 32f", tails="wrapped"))
        (long,) = (read(data)[0] for data in ringing.values())
        (short,) = (read(data)[0] for data in wrapped.values())
        self.assertEqual(len(short), 2 * RATE)  # four beats at 120 bpm
        self.assertGreater(len(long), len(short))
        wanted = long[: len(short)].copy()
        wanted[: len(long) - len(short)] += long[len(short) :]
        np.testing.assert_allclose(short, wanted, atol=1e-6)

    def test_several_tempos_and_their_comments(self) -> None:
        made = self.made(self.plan("groove", "midi", tempos=(90.0, 140.0), tails="wrapped"))
        for bpm in (90.0, 140.0):
            data = next(d for p, d in made.items() if p.endswith(f"{bpm:g} bpm.wav"))
            self.assertEqual(len(read(data)[0]), round(4 * 60.0 / bpm * RATE))
            self.assertIn(f"{bpm:g} bpm", sampler_facts(data).comment)
            notes = next(d for p, d in made.items() if p.endswith(f"{bpm:g} bpm.mid"))
            file = mido.MidiFile(file=io.BytesIO(notes))
            tempo = next(m.tempo for m in file.tracks[0] if m.type == "set_tempo")
            self.assertAlmostEqual(mido.tempo2bpm(tempo), bpm, delta=0.01)

    def test_lanes_as_midi_files(self) -> None:
        made = self.made(self.plan("midi"))
        lanes = {p.rpartition("/")[2]: d for p, d in made.items() if "lanes" in p}
        self.assertEqual(set(lanes), {"Thud.mid", "Crack.mid", "Wash.mid"})
        file = mido.MidiFile(file=io.BytesIO(lanes["Thud.mid"]))
        struck = [m.note for track in file.tracks for m in track if m.type == "note_on"]
        self.assertEqual(struck, [36, 36])


if __name__ == "__main__":
    unittest.main()
