"""What the library makes of likeness: doubles, roles learned, pulls, gaps, questions."""

import os
import tempfile
import unittest
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.library.columns import DOUBLE, FIGURES, ROLE_NAMES, Columns
from puddle.library.doubles import fold
from puddle.library.gaps import Heard, gaps
from puddle.library.learning import learned_roles
from puddle.library.library import Library
from puddle.library.pulls import Pulls, pulled
from puddle.library.question import nearest, of_entry, of_sound
from puddle.library.search import Query
from puddle.measure.likeness import WIDTH
from puddle.voices import Clap, Hat, Kick
from tests.support.libraries import Inside
from tests.support.sounds import sine, write

RATE = 48000.0


def columns_of(rows: np.ndarray, lengths: np.ndarray) -> Columns:
    """Entries from 1 on with these likeness rows and lengths."""
    made = Columns()
    for n, (row, length) in enumerate(zip(rows, lengths, strict=True), 1):
        figures = dict.fromkeys(FIGURES, 1.0) | {"length_ms": float(length)}
        made.put(
            n, {**figures, "folder": 1, "flags": 1, "role": "hat", "sure": 0.5},
            row.astype(np.float32).tobytes(),
        )  # fmt: skip
    return made


class Doubles(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.integers(0, 2**32 - 1), st.integers(1, 30))
    def test_every_double_lies_near_the_first_and_no_two_firsts_are_doubles(
        self, seed: int, count: int
    ) -> None:
        rng = np.random.default_rng(seed)
        base = rng.standard_normal((4, WIDTH)) * 3.0
        kinds = rng.integers(4, size=count)
        rows = base[kinds] + 0.01 * rng.standard_normal((count, WIDTH))
        lengths = np.array([100.0, 200.0, 201.0, 400.0])[kinds]
        columns = columns_of(rows, lengths)
        counts = fold(columns, np.zeros(columns.count, np.bool_))
        firsts = np.flatnonzero(counts)
        self.assertEqual(firsts.size, np.unique(kinds).size)
        self.assertEqual(int(counts.sum()), count)
        hidden = np.flatnonzero(columns.flags & DOUBLE)
        self.assertEqual(hidden.size, count - firsts.size)
        self.assertFalse(set(hidden.tolist()) & set(firsts.tolist()))

    def test_a_longer_one_and_a_kits_own_copy_do_not_count(self) -> None:
        rows = np.tile(np.random.default_rng(1).standard_normal(WIDTH), (3, 1))
        columns = columns_of(rows, np.array([100.0, 100.5, 103.0]))
        of_kit = np.zeros(columns.count, np.bool_)
        counts = fold(columns, of_kit)
        self.assertEqual(counts.tolist()[1:4], [2, 0, 1])
        of_kit[2] = True
        self.assertEqual(fold(columns, of_kit).tolist()[1:4], [1, 0, 1])


class PullsAndGaps(unittest.TestCase):
    def test_the_wanted_figure_costs_nothing_and_an_octave_off_22(self) -> None:
        own = np.full(len(FIGURES), 100.0, np.float32)
        others = np.full((len(FIGURES), 4), 100.0, np.float32)
        others[0] = [100.0 * 2.0**1.5, 100.0 * 2.0**0.5, 100.0, np.nan]
        added = pulled(Pulls(length=100.0), own, others)
        wanted = [0.0, 22.0, 33.0, 44.0]
        self.assertLess(float(np.abs(added - wanted).max()), 1e-3)
        self.assertEqual(pulled(Pulls(), own, others).tolist(), [0.0] * 4)

    def test_what_a_kit_lacks_or_has_twice(self) -> None:
        rng = np.random.default_rng(2)
        row = rng.standard_normal(WIDTH) * 3.0

        def pad(name: str, role: str, length: float, bright: float, at: np.ndarray) -> Heard:
            return Heard(name, role, length, bright, at)  # type: ignore[arg-type]

        far = [row + 3.0 * rng.standard_normal(WIDTH) for _ in range(3)]
        said = [g.said for g in gaps([
            pad("A", "snare", 200.0, 3000.0, row), pad("B", "snare", 200.0, 3000.0, row + 0.01),
            pad("C", "hat", 80.0, 7000.0, far[0]), pad("D", "hat", 85.0, 7000.0, far[1]),
        ])]  # fmt: skip
        self.assertEqual(
            said,
            [
                "There is no kick.",
                "No sound is bright: none has its center over 8 kHz.",
                "All hats are short: an open one is missing.",
                "A and B sound nearly the same.",
            ],
        )
        whole = [pad("K", "kick", 300.0, 200.0, far[0]), pad("S", "snare", 200.0, 3000.0, far[1]),
                 pad("H", "hat", 60.0, 9000.0, far[2])]  # fmt: skip
        self.assertEqual(gaps(whole), [])


class Learning(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.home = Path(holder.name)
        self.library = Library(self.home / "index")
        self.addCleanup(self.library.close)

    def scan(self) -> None:
        from puddle.library.scanner import scan

        scan(self.library.index, [os.fsencode(self.home / "sounds")], Inside())
        self.library.refresh_marks()

    def role(self, name: str) -> str:
        ids = self.library.sieved(Query(words=name, doubles=True)).ids
        return self.library.entries(ids)[0].role

    def test_names_and_corrections_teach_what_is_near(self) -> None:
        sounds = self.home / "sounds"
        sounds.mkdir()
        for n in range(9):
            tone = sine(500.0 + 4.0 * n, 0.3, 0.5)  # by its sound no rule calls it a clap
            write(sounds / f"blip {n}.wav", tone * np.float32(1.0 - 0.05 * n))
        write(sounds / "other.wav", Kick(decay_ms=250.0).render(RATE, 1.0))
        self.scan()
        before = self.role("blip 4")
        self.assertNotEqual(before, "clap")
        ids = self.library.sieved(Query(words="blip", doubles=True)).ids
        taught = [e.id for e in self.library.entries(ids) if e.name != "blip 4.wav"]
        self.library.correct_role(taught, "clap")
        self.scan()
        self.assertEqual((self.role("blip 4"), self.role("other")), ("clap", "kick"))
        self.assertEqual(learned_roles(self.library.index), {})  # nothing is learned twice
        self.library.close()
        self.library = Library(self.home / "index")
        self.addCleanup(self.library.close)
        self.assertEqual(self.role("blip 4"), "clap")
        self.assertIn("clap", ROLE_NAMES)

    def test_what_is_far_or_less_sure_than_the_sound_teaches_nothing(self) -> None:
        """Eight claps that are told, all as far from a sound that is a tom by itself."""
        found = {}
        for apart in (5.0, 40.0, 60.0):
            rows = np.zeros((9, WIDTH))
            rows[1:, 0] = apart
            columns = columns_of(rows, np.full(9, 100.0))
            columns._roles[2:10] = ROLE_NAMES.index("clap")
            columns._sure[2:10] = 1000
            for sure in (0.3, 0.6, 0.95):
                columns._roles[1], columns._sure[1] = ROLE_NAMES.index("tom"), round(1000 * sure)
                index = SimpleNamespace(
                    columns=columns, heard_roles=lambda sure=sure: {1: ("tom", sure)}
                )
                found[apart, sure] = learned_roles(index).get(1)  # type: ignore[arg-type]
        near, half = ("clap", round(1.0 - 5.0 / 75.0, 3)), ("clap", round(1.0 - 40.0 / 75.0, 3))
        wanted = {(5.0, 0.3): near, (5.0, 0.6): near, (40.0, 0.3): half}
        self.assertEqual({key: role for key, role in found.items() if role}, wanted)
        # Where the claps are gone, it is a tom again.
        columns._sure[2:10], columns._roles[1] = 500, ROLE_NAMES.index("clap")
        self.assertEqual(learned_roles(index), {1: ("tom", 0.95)})  # type: ignore[arg-type]

    def test_a_sound_is_never_as_sure_of_its_role_as_a_name(self) -> None:
        (self.home / "sounds").mkdir()
        for n in range(9):
            write(self.home / "sounds" / f"blip {n}.wav", sine(60.0 + n, 1.0, 0.5))
        with mock.patch("puddle.measure.report.likely_role", lambda _: ("bass", 1.0)):
            self.scan()
        self.assertEqual(set(self.library.index.columns.sure[1:10].tolist()), {990})

    def test_a_question_finds_itself_and_is_led_away(self) -> None:
        sounds = self.home / "sounds"
        sounds.mkdir()
        voices = {"hat": Hat(), "clap": Clap(), "kick": Kick(decay_ms=250.0)}
        for name, voice in voices.items():
            write(sounds / f"{name}.wav", voice.render(RATE, 1.0))
        self.scan()
        asked = of_sound("a pad", voices["clap"].render(RATE, 1.0), RATE)
        found = nearest(self.library, asked, Query(), Pulls(), 3)
        self.assertEqual(found[0][0].name, "clap.wav")
        self.assertLess(found[0][1], 0.1)
        self.assertEqual(len(found), 3)
        clap = found[0][0]
        own = of_entry(self.library, clap)
        self.assertNotIn(clap, [e for e, _ in nearest(self.library, own, Query(), Pulls(), 3)])
        away = nearest(self.library, asked, Query(), Pulls(), 1, lambda: [clap.id])
        self.assertEqual(len(away), 1)
        only = nearest(self.library, asked, Query(roles=("kick",)), Pulls(), 3)
        self.assertEqual([e.name for e, _ in only], ["kick.wav"])
