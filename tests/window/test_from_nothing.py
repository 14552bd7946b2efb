"""Three sounds of the demo built by hand in the window from nothing: a kick, a snare, two hats.

What the hand makes must be what the demo holds; the kick's low ends are measured before and after
Align, the snare's pitch after it was tuned, and the hats' choking in the engine.
"""

import numpy as np

from puddle.engine.engine import Engine
from puddle.kit.model.document import Kit
from puddle.measure.agreement import agreement
from puddle.measure.levels import loudness_lufs
from puddle.measure.pitch import fundamental
from puddle.units import note_from_hz
from tests.support import hands
from tests.support.engines import played
from tests.support.hands import Hand


class FromNothing(hands.ByHand):
    def low_db(self) -> np.ndarray:
        """What the sum of the layers wins, or loses, at 63, 80 and 100 Hz."""
        pad, takes = self.session.pad, self.session.renders.takes
        assert pad is not None
        found = agreement({k.id: takes.placed(pad.sound, k) for k in pad.sound.layers}, 48000.0)
        assert found is not None
        return found.won_db[4:7]

    def loudness(self) -> float:
        pad, takes = self.session.pad, self.session.renders.takes
        assert pad is not None
        found = loudness_lufs(takes.sound(pad.sound).audio, takes.rate_hz)
        assert found is not None
        return found

    def test_a_kick_of_three_sources(self) -> None:
        hand = Hand(self)
        pad = hand.voice(0, "Mallet on hull")
        hand.add_voice("Soft tide")
        hand.add_voice("Oak block")
        hand.level("layer3", "-14")
        hand.layer("layer2")
        before, loud = self.low_db(), self.loudness()
        hand.align()
        after = self.low_db()
        self.assertTrue((before < -1.9).all(), before)
        self.assertTrue((after > 1.8).all(), after)
        self.assertGreater(self.loudness() - loud, 3.0)
        hand.note("G1")
        hand.button("Stages")
        hand.add("Compressor")
        hand.add("Limiter")
        self.assertEqual(self.finish(hand, pad, "Capstan", "kick"), (14, 6))

    def test_a_tuned_snare_with_a_metal_tail(self) -> None:
        hand = Hand(self)
        pad = hand.voice(0, "Tuned stave")
        hand.add_voice("Iron gate")
        hand.level("layer2", "-10")
        hand.button("Band")
        hand.switch("low_on")
        hand.gauge("low_hz", "1.5k")
        hand.button("Stages")
        hand.add("Reverb", "metal")
        hand.stage_gauge("low_cut_hz", "600")
        hand.type(hand.card.levels, "dry", "60")
        hand.note("G3")
        hand.button("Stages")
        hand.add("Transient")
        hand.stage_gauge("attack_db", "4")
        hand.add("Normalize", "peak")
        self.assertEqual(self.finish(hand, pad, "Thwart", "snare"), (19, 9))
        made = self.session.kit.pad(pad.id)
        assert made is not None
        takes = self.session.renders.takes
        hz = fundamental(takes.sound(made.sound).audio, takes.rate_hz).hz
        assert hz is not None
        self.assertLess(abs(note_from_hz(hz) - 55.0), 0.02)

    def test_a_pair_of_hats_that_choke(self) -> None:
        clicks = []
        for place, (name, voice) in enumerate((("Sleet", "Tin roof"), ("Hail", "Wide sheet"))):
            hand = Hand(self)
            pad = hand.voice(place, voice)
            if name == "Hail":
                hand.gauge("decay_ms", "900")  # what was added is selected
            hand.whole()
            hand.button("Stages")
            hand.add("Transient")
            hand.stage_gauge("attack_db", "3")
            hand.add("Normalize", "peak")
            hand.stage_gauge("target_db", "-6")
            hand.button("Pad")
            hand.gauge("choke_group", "3")
            clicks.append(self.finish(hand, pad, name, "hat"))
        self.assertEqual(clicks, [(12, 5), (13, 6)])
        self.assert_chokes(self.session.kit)

    def assert_chokes(self, kit: Kit) -> None:
        """The open one rings for long, and is gone 10 ms after the closed one is struck."""
        engine = Engine(48000.0)
        takes = self.session.renders.takes
        engine.set_kit(kit, {p.id: takes.sound(p.sound).audio for p in kit.pads}, None)
        engine.strike(1, 110)
        ringing = played(engine, 14400)[-2400:]
        self.assertGreater(float(np.abs(ringing).max()), 0.003)
        engine.strike(0, 110)
        played(engine, 640)
        self.assertEqual(engine.sounding, 1)
        self.assertEqual([p.choke_group for p in kit.pads], [3, 3])
