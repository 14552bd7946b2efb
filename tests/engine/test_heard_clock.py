"""What a card plays at a moment, from sightings of how much it has asked for."""

import unittest

import numpy as np

from puddle.engine.heard_clock import HeardClock

_RATE, _BLOCK = 48000.0, 256


class Card:
    """A card that asks for a block whenever one has gone, and loses time where it runs dry."""

    def __init__(self, every_s: float, seed: int) -> None:
        self.clock, self.now, self.lost = HeardClock(), 0.0, 0.0
        self._every_s = every_s
        self._rng = np.random.default_rng(seed)

    def look(self, count: int) -> None:
        """Sightings at uneven moments."""
        for _ in range(count):
            self.now += self._every_s * self._rng.uniform(0.5, 1.5)
            blocks = int((self.now - self.lost) * _RATE // _BLOCK) + 1
            self.clock.see(self.now, blocks * _BLOCK, _RATE)

    @property
    def off_frames(self) -> float:
        """How far what is said to be heard is from what is."""
        return self.clock.frame_at(self.now, _BLOCK, 0.0) - (self.now - self.lost) * _RATE


class HeardClockTest(unittest.TestCase):
    def test_of_many_sightings_to_a_fraction_of_a_block(self) -> None:
        for seed in range(20):
            card = Card(0.01, seed)
            card.look(100)
            self.assertLess(abs(card.off_frames), 0.1 * _BLOCK)

    def test_after_a_card_ran_dry_within_a_third_of_a_second(self) -> None:
        """Not after four hundred sightings, which are some seconds."""
        for every_s in (0.002, 0.01, 0.033):
            for seed in range(20):
                card = Card(every_s, seed)
                card.look(300)
                card.lost += 1.5 * _BLOCK / _RATE
                card.look(round(0.4 / every_s) + 2)
                self.assertLess(abs(card.off_frames), 0.4 * _BLOCK, (every_s, seed))
                card.look(200)
                self.assertLess(abs(card.off_frames), 0.1 * _BLOCK, (every_s, seed))

    def test_a_card_that_is_late_and_catches_up_has_lost_nothing(self) -> None:
        card = Card(0.01, 3)
        card.look(200)
        card.lost += 0.05
        card.look(15)
        self.assertLess(abs(card.off_frames - 0.05 * _RATE), 0.1 * _BLOCK)
        card.lost -= 0.05
        card.look(5)
        self.assertLess(abs(card.off_frames), 0.1 * _BLOCK)

    def test_what_was_stopped_for_long_begins_anew(self) -> None:
        card = Card(0.01, 1)
        card.look(100)
        card.lost += 3.0
        card.look(60)
        self.assertLess(abs(card.off_frames), 0.15 * _BLOCK)


if __name__ == "__main__":
    unittest.main()
