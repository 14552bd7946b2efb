"""The demo's four boathouse sounds, made by hand in the window: clicks, drags and typed values.

What the hand makes of the recordings must be, to the last gauge, what the demo holds.
"""

from tests.support import hands
from tests.support.hands import Hand


class Boathouse(hands.ByHand):
    def test_a_kick_from_an_oak_knock(self) -> None:
        def work(hand: Hand) -> None:

            hand.button("Tune")
            hand.gauge("tune_st", "-19")
            hand.whole()
            hand.add("Equalizer")
            hand.button("Bell 2")
            hand.stage_gauge("bell2_db", "-5")
            hand.button("High shelf")
            hand.stage_gauge("high_shelf_db", "4")
            hand.add("Sub")
            hand.stage_choice("tuned", "to the hit")
            hand.stage_gauge("level_db", "-4")
            hand.stage_gauge("decay_ms", "420")
            hand.add("Transient")
            hand.stage_gauge("attack_db", "6")
            hand.add("Saturator")
            hand.add("Normalize", "peak")

        self.assertEqual(self.make("Rib", "kick", "boathouse 07 oak knock", work), (26, 7))

    def test_a_shaker_from_gravel(self) -> None:
        def work(hand: Hand) -> None:

            hand.button("Envelope")
            hand.switch("on")
            hand.gauge("attack_ms", "45")
            hand.gauge("hold_ms", "10")
            hand.gauge("decay_ms", "130")
            hand.button("Band")
            hand.switch("low_on")
            hand.gauge("low_hz", "2k")
            hand.whole()
            hand.add("Band compressor")
            hand.add("Normalize", "peak")

        made = self.make("Slipway", "percussion", "boathouse 34 gravel", work)
        self.assertEqual(made, (17, 5))

    def test_a_cymbal_from_a_chain(self) -> None:
        def work(hand: Hand) -> None:

            hand.gauge("stretch", "300")
            hand.gauge("pitch_st", "5")
            hand.gauge("fade_out_ms", "800")
            hand.whole()
            hand.add("Noise")
            hand.add("Reverb", "metal")
            hand.stage_gauge("decay_ms", "2600")
            hand.type(hand.card.levels, "dry", "55")
            hand.add("Normalize", "peak")

        made = self.make("Mooring", "cymbal", "boathouse 23 chain", work)
        self.assertEqual(made, (16, 6))

    def test_a_tom_from_a_dropped_plank(self) -> None:
        def work(hand: Hand) -> None:

            hand.button("Tune")
            hand.gauge("tune_st", "-11")
            hand.button("Envelope")
            hand.switch("on")
            hand.gauge("hold_ms", "60")
            hand.gauge("decay_ms", "420")
            hand.whole()
            hand.add("Sub")
            hand.stage_choice("tuned", "to the hit")
            hand.stage_gauge("level_db", "-6")
            hand.stage_gauge("decay_ms", "380")
            hand.add("Compressor")
            hand.add("Limiter")

        made = self.make("Deckboard", "tom", "boathouse 12 plank drop", work)
        self.assertEqual(made, (21, 6))
