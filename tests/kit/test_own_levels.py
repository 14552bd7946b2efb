"""Recordings split across velocities carry their own levels: the whole rises evenly."""

import unittest

import msgspec
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from puddle.engine import offline, tables
from puddle.kit import edits
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.edits import velocities as splitting
from puddle.kit.model.document import KIT_VERSION, Kit, Pad, Sound
from puddle.kit.playing.levels import SPAN_DB, falls, has_own_levels, strike_gain_db
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from puddle.units import pan_gains
from puddle.voices import Kick

RATE = 48000.0
replace = msgspec.structs.replace


def split_kit(levels: list[float], *, even: bool = False) -> Kit:
    """One drum at several strengths, as loud as told, split as they measure."""
    kit, pad = edits.add_pad(Kit(name=""), "drum", "kick", Sound())
    for level in levels:
        kit, layer = edits.add_layer(kit, pad.id, f"{level} dB", Kick())
        kit = edits.set_layer(kit, pad.id, layer.id, level_db=level)
    ids = [layer.id for layer in edits.pad_of(kit, pad.id).sound.layers]
    return splitting.as_grid(kit, pad.id, [[key] for key in ids], levels, even=even)


class Rising(unittest.TestCase):
    LEVELS = (-22.0, -16.5, -11.0, -5.5, 0.0)

    def setUp(self) -> None:
        self.pad = split_kit(list(self.LEVELS)).pads[0]
        self.takes = Takes(NoSamples(), RATE)

    def level_db(self, pad: Pad, velocity: float) -> float:
        """The peak of what is heard, against full strength: the sound is the same but for that."""
        heard, full = (offline.strike(pad, self.takes, v) for v in (velocity, 127.0))
        return 20.0 * float(np.log10(np.abs(heard).max() / np.abs(full).max()))

    def test_the_hardest_strike_of_each_range_is_its_recording_as_it_is(self) -> None:
        for layer, level in zip(self.pad.sound.layers, self.LEVELS, strict=True):
            self.assertAlmostEqual(self.level_db(self.pad, layer.hardest), level, delta=0.01)

    def test_from_softest_to_hardest_it_rises_evenly(self) -> None:
        """In dB along velocity within 1 dB of a straight line, and no strike is under the next."""
        velocities = np.arange(1.0, 128.0, 3.0)
        heard = np.array([self.level_db(self.pad, v) for v in velocities])
        self.assertGreaterEqual(float(np.diff(heard).min()), -0.01)
        line = np.polyval(np.polyfit(velocities, heard, 1), velocities)
        self.assertLess(float(np.abs(heard - line).max()), 1.0)
        self.assertGreater(heard[0], -28.5, "the softest was at -22 dB in its file")

    def test_less_amount_falls_less(self) -> None:
        flat = replace(self.pad, velocity_amount=0.0)
        low = self.pad.sound.layers[1].softest
        self.assertAlmostEqual(self.level_db(flat, low), self.LEVELS[1], delta=0.01)
        half = replace(self.pad, velocity_amount=50.0)
        whole = self.level_db(self.pad, low) - self.LEVELS[1]
        self.assertAlmostEqual(self.level_db(half, low) - self.LEVELS[1], whole / 2, delta=0.01)

    def test_the_engines_table_is_what_the_kit_says(self) -> None:
        table = tables._level_table(self.pad)
        assert table is not None
        for v in range(1, 128):
            self.assertAlmostEqual(20.0 * np.log10(table[v]), strike_gain_db(self.pad, v), places=9)
        self.assertIsNone(tables._level_table(split_kit([-3.0, -2.0, 0.0]).pads[0]))


class WhatCarriesALevel(unittest.TestCase):
    def test_those_that_were_made_equally_loud_follow_the_square(self) -> None:
        pad = split_kit([-2.0, -1.0, 0.0]).pads[0]
        self.assertFalse(has_own_levels(pad.sound))
        self.assertAlmostEqual(strike_gain_db(pad, 64), 40.0 * np.log10(64 / 127), places=9)

    def test_split_evenly_they_carry_them_too(self) -> None:
        pad = split_kit([-20.0, -8.0, 0.0], even=True).pads[0]
        self.assertTrue(has_own_levels(pad.sound))
        self.assertEqual([round(k.fall_db, 6) for k in pad.sound.layers], [10.0, 12.0, 8.0])

    def test_turns_share_it_and_all_at_once_takes_it_away(self) -> None:
        kit = split_kit([-20.0, -8.0, 0.0])
        ids = [k.id for k in kit.pads[0].sound.layers]
        together = splitting.together(kit, kit.pads[0].id, ids)
        self.assertFalse(has_own_levels(together.pads[0].sound))
        turns = splitting.as_turns(kit, kit.pads[0].id, ids[1:])
        second, third = turns.pads[0].sound.layers[1:]
        self.assertEqual((second.own_level, second.fall_db), (third.own_level, third.fall_db))

    def test_a_layer_in_every_strike_goes_by_the_square(self) -> None:
        kit = split_kit([-20.0, -8.0, 0.0])
        kit, _ = edits.add_layer(kit, kit.pads[0].id, "under all", Kick())
        self.assertAlmostEqual(strike_gain_db(kit.pads[0], 64), 40.0 * np.log10(64 / 127), places=9)

    @given(st.lists(st.floats(-60.0, 0.0), min_size=2, max_size=12))
    def test_the_falls_of_any_levels(self, levels: list[float]) -> None:
        levels = sorted(levels)
        found = falls(levels)
        if levels[-1] - levels[0] < SPAN_DB:
            self.assertIsNone(found)
            return
        assert found is not None
        self.assertEqual(len(found), len(levels))
        self.assertTrue(all(fall >= 0.0 for fall in found))
        self.assertAlmostEqual(sum(found[1:]), levels[-1] - levels[0], places=6)

    def test_a_pan_of_before_sounds_as_it_did(self) -> None:
        """Version 5 lifted the nearer side by up to 3 dB: that is in the level now."""
        kit = edits.set_pad(split_kit([-20.0, 0.0]), "pad1", pan=60.0, level_db=-6.0)
        kit = edits.set_layer(kit, "pad1", "layer1", pan=-100.0)
        raw = msgspec.json.decode(kit_json(kit))
        raw["version"] = 5
        for layer in raw["pads"][0]["sound"]["layers"]:
            del layer["own_level"], layer["fall_db"]
        read = kit_from_json(msgspec.json.encode(raw), "old.puddle").pads[0]
        angle = 1.6 * np.pi / 4.0
        old = 10 ** (-6.0 / 20.0) * np.sqrt(2.0) * np.array([np.cos(angle), np.sin(angle)])
        new = 10 ** (read.level_db / 20.0) * np.array(pan_gains(read.pan))
        np.testing.assert_allclose(new, old, rtol=1e-12)
        first, second = read.sound.layers
        self.assertAlmostEqual(first.level_db, -20.0 + 20.0 * np.log10(np.sqrt(2.0)), places=9)
        self.assertEqual(second.level_db, 0.0)

    def test_a_kit_of_before_plays_as_it_did(self) -> None:
        """Version 5 knew no such levels: read, its strikes go by the square."""
        kit = splitting.together(split_kit([-20.0, 0.0]), "pad1", ["layer1", "layer2"])
        raw = msgspec.json.decode(kit_json(kit))
        raw["version"] = 5
        for layer in raw["pads"][0]["sound"]["layers"]:
            del layer["own_level"], layer["fall_db"]
        text = msgspec.json.encode(raw)
        read = kit_from_json(text, "old.puddle")
        self.assertFalse(has_own_levels(read.pads[0].sound))
        self.assertEqual(read.version, KIT_VERSION)
