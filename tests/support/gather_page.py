"""Tests on Gather: a folder of sounds, measured in this process."""

import tempfile
import threading
from pathlib import Path
from unittest import mock

import numpy as np

from puddle.library.worker import found_in
from puddle.voices import STARTING_POINTS, Clap, Hat, Kick, Snare
from puddle.window.pages.gather.page import GatherPage
from puddle.window.session import librarian, scans, taking
from tests.support.sounds import small_kit, write
from tests.support.windows import WindowTest, put

RATE = 48000.0


class Inside:
    """Measures in this process, in the place of processes."""

    def __init__(self, jobs: int) -> None:
        self.going = threading.Event()
        self.going.set()

    def rest_while_paused(self) -> None:
        self.going.wait(20.0)

    def measured(self, tasks):  # type: ignore[no-untyped-def]
        for seen, known in tasks:
            yield seen, found_in(seen.path, frozenset(known))


def made_loop(bpm: float) -> np.ndarray:
    """Four beats of a kick and a snare."""
    out = np.zeros((round(240.0 / bpm * RATE), 2), np.float32)
    for beat, voice in enumerate((Kick(), Snare(), Kick(), Snare())):
        at = round(beat * 60.0 / bpm * RATE)
        part = voice.render(RATE, 1.0)[: len(out) - at]
        out[at : at + len(part)] += 0.5 * part
    return out


class GatherTest(WindowTest):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.home = Path(holder.name)
        self.folder = self.home / "sounds"
        (self.folder / "hats").mkdir(parents=True)
        points = {Hat: dict(list(STARTING_POINTS[Hat].items())[:2])}
        for target, name, value in (
            (scans, "Processes", Inside),
            (scans, "starting_points", lambda: points),
            (taking, "starting_points", lambda: points),
            (librarian, "default_folder", lambda: self.home / "library"),
        ):
            self.enterContext(mock.patch.object(target, name, value))
        for number, decay in enumerate((60.0, 120.0, 400.0, 900.0)):
            hat = Hat(decay_ms=decay, ring_ms=decay)
            write(self.folder / "hats" / f"rain {number}.wav", hat.render(RATE, 1.0))
        write(self.folder / "hull kick.wav", Kick(decay_ms=250.0).render(RATE, 1.0))
        write(self.folder / "tarp clap.wav", Clap().render(RATE, 1.0))
        super().setUp()
        self.session.file.new()
        put(self.session, "a kit", small_kit())
        self.session.selection.select_pad("pad3")
        self.settle()
        self.shell.do("gather")
        page = self.shell.pages.page("gather")
        assert isinstance(page, GatherPage)
        self.page = page
        self.librarian = page.librarian
        self.until(lambda: self.librarian.library is not None and not self.librarian.scans.scanning)

    def with_folder(self) -> None:
        self.librarian.add_folder(self.folder)
        self.listed(8)  # six files, and two starting points

    def listed(self, count: int) -> None:
        self.until(lambda: not self.librarian.scans.scanning and self.page.model.ids.size == count)

    def select(self, name: str) -> None:
        """Selects the row of a sound."""

        def found() -> bool:
            entries = [self.page.model.entry(n) for n in range(self.page.model.ids.size)]
            return all(e is not None for e in entries)

        self.until(found)
        for row in range(self.page.model.ids.size):
            entry = self.page.model.entry(row)
            if entry is not None and entry.name == name:
                self.page.list.selectRow(row)
                return
        self.fail(f"{name} is not listed")

    def heard(self) -> np.ndarray:
        """What is auditioned from now on."""
        before = self.session.player.auditioned
        self.until(lambda: self.session.player.auditioned is not before)
        audio = self.session.player.auditioned
        assert audio is not None
        return audio

    def texts(self) -> list[str]:
        entries = [self.page.model.entry(n) for n in range(self.page.model.ids.size)]
        return [e.name for e in entries if e is not None]
