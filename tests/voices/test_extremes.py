"""Voices at the ends of their ranges, alone, in all pairs and all together."""

import unittest
from itertools import combinations, product
from typing import Any

import numpy as np

from puddle.parameter import Parameter, changed, parameters
from puddle.voices import STARTING_POINTS, AnyVoice, Bass, Bell, Kick, Tom, Zap

_LOUDEST = 8.0  # +18 dBFS: every level at its top at once, before anybody has turned it down


def ends(p: Parameter) -> tuple[Any, ...]:
    """Both ends of a range; both states of a switch; every choice."""
    if p.kind == "switch":
        return (False, True)
    return p.choices or (p.low, p.high)


def rows(known: tuple[Parameter, ...]) -> list[dict[str, Any]]:
    """Settings in which every pair of ends of every two parameters occurs.

    A covering array of strength two: columns are distinct halves of eight rows that all hold the
    first (Kleitman and Spencer, *Families of k-independent sets*, 1973), so that any two of them
    show low-low, low-high, high-low and high-high. A choice among more takes turns under each row.
    """
    halves = [(0, *rest) for rest in combinations(range(1, 8), 3)]
    assert len(known) <= len(halves)
    most = max(len(ends(p)) for p in known)
    made = []
    for row, turn in product(range(8), range(max(1, most - 1))):
        values = {}
        for p, half in zip(known, halves, strict=False):
            found = ends(p)
            values[p.field] = found[(turn + (row in half)) % len(found)]
        made.append(values)
    return made


class Extremes(unittest.TestCase):
    def check(self, voice: AnyVoice, rate: float, ratio: float = 1.0) -> np.ndarray:
        """Finite, within level, still at its end, and free of DC."""
        return self.check_audio(voice.render(rate, ratio))

    def check_audio(self, audio: np.ndarray) -> np.ndarray:
        self.assertTrue(np.isfinite(audio).all())
        self.assertGreater(len(audio), 0)
        self.assertLess(float(np.abs(audio).max()), _LOUDEST)
        self.assertLess(float(np.abs(audio[-8:]).max()), 1e-3)  # -60 dBFS
        self.assertLess(abs(float(audio.mean(dtype=np.float64))), 1e-5)
        return audio

    def test_the_rows_hold_every_pair(self) -> None:
        for kind in STARTING_POINTS:
            known = tuple(p for p in parameters(kind) if not p.choices)
            made = rows(known)
            self.assertEqual(len(made), 8)
            for a, b in combinations(known, 2):
                seen = {(row[a.field], row[b.field]) for row in made}
                self.assertEqual(seen, set(product(ends(a), ends(b))))

    def test_all_at_their_ends_together(self) -> None:
        """At two rates, and tuned five octaves up, where most pitches are over half the rate."""
        for kind in STARTING_POINTS:
            for values in rows(parameters(kind)):
                voice = changed(kind(), **values)
                with self.subTest(voice=voice):
                    first = self.check(voice, 48000.0)
                    self.assertTrue(np.array_equal(first, voice.render(48000.0, 1.0)))
                    self.check(voice, 44100.0, 32.0)

    def test_two_at_their_ends_and_the_others_as_they_start(self) -> None:
        """The models at 12 kHz, so that upper ends of pitches and bands lie over half the rate."""
        for kind in STARTING_POINTS:
            for a, b in combinations(parameters(kind), 2):
                for x, y in product(ends(a), ends(b)):
                    voice = changed(kind(), **{a.field: x, b.field: y})
                    with self.subTest(voice=kind.noun, **{a.field: x, b.field: y}):
                        self.check_audio(voice.strike(12000.0, 1.0))

    def test_a_pitch_over_half_the_rate_is_silent_not_folded(self) -> None:
        """What is left is its noise or nothing: no tone comes back below."""
        over = (
            Kick(start_hz=2000, end_hz=400, click_on=False),
            Bass(click_on=False),
            Bell(strike_on=False),
            Tom(stick_on=False, shell_on=False),
            Zap(start_hz=14000, end_hz=9000),
        )
        for voice in over:
            with self.subTest(voice.noun):
                self.assertLess(float(np.abs(voice.render(48000.0, 2048.0)).max()), 2e-3)

    def test_times_shorter_than_a_sample(self) -> None:
        """At a rate so low that a frame is longer than the shortest click and contact."""
        for kind in STARTING_POINTS:
            shortest = {
                p.field: p.low for p in parameters(kind) if p.unit == "ms" and p.kind == "number"
            }
            with self.subTest(kind.noun):
                audio = changed(kind(), **shortest).render(1000.0, 1.0)
                self.assertTrue(np.isfinite(audio).all())
                self.assertLess(float(np.abs(audio).max()), _LOUDEST)
                self.assertLess(float(np.abs(audio[-1]).max()), 1e-3)
