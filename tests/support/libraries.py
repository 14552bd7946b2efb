"""Tests with a library in a folder of its own, measured in this process."""

import os
import tempfile
import unittest
from pathlib import Path

from puddle.library.library import Library
from puddle.library.scanner import Counts, scan
from puddle.library.search import Query
from puddle.library.worker import found_in
from puddle.voices import Hat, Kick, Snare
from tests.support.sounds import sine, write


class Inside:
    """Measures in this process: what processes do is tested on its own."""

    def __init__(self) -> None:
        self.asked: list[bytes] = []

    def measured(self, tasks):  # type: ignore[no-untyped-def]
        for seen, known in tasks:
            self.asked.append(seen.path)
            yield seen, found_in(seen.path, frozenset(known))


class LibraryTest(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.home = Path(holder.name)
        self.sounds = self.home / "sounds"
        (self.sounds / "kicks").mkdir(parents=True)
        (self.sounds / "more" / "deep").mkdir(parents=True)
        write(self.sounds / "kicks" / "hull 1.wav", Kick(decay_ms=200).render(48000.0, 1.0))
        write(self.sounds / "more" / "rain.wav", Hat().render(48000.0, 1.0))
        write(self.sounds / "more" / "deep" / "snare 120 bpm.wav", Snare().render(48000.0, 1.0))
        write(self.sounds / "tone.wav", sine(440.0, 0.4, 0.5))
        self.library = self.opened()

    def opened(self) -> Library:
        made = Library(self.home / "index")
        self.addCleanup(made.close)
        return made

    def scan(self, *folders: Path) -> tuple[Counts, list[bytes]]:
        measurer = Inside()
        chosen = [os.fsencode(f) for f in folders] or [os.fsencode(self.sounds)]
        counts = scan(self.library.index, chosen, measurer)
        self.library.refresh_marks()
        return counts, measurer.asked

    def names(self, **query: object) -> list[str]:
        found = self.library.sieved(Query(**query)).ids  # type: ignore[arg-type]
        ids = self.library.ordered(found, "name")
        return [entry.name for entry in self.library.entries(ids)]
