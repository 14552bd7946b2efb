"""One measure, one figure: what pages tell of the demo's sounds is what `inspect` says of them."""

import tempfile
import unittest
from pathlib import Path

from puddle.demo.raingauge import demo_kit
from puddle.formats.store import SampleStore
from puddle.kit.paced import paced
from puddle.kit.struck import hardest
from puddle.measure.comparing import FIGURES, figures
from puddle.measure.report import measured
from puddle.render.cache import RenderCache
from puddle.render.take import Takes
from puddle.window.pages.rungs import measured_rungs
from puddle.window.views import pitches, sound_view

RATE = 48000.0
_OWN = {"crest_db"}  # Compare tells the peak over 50 ms, under a name of its own


class OneFigure(unittest.TestCase):
    def test_of_every_sound_of_the_demo(self) -> None:
        """Shape's peak, loudness and pitch; Map's loudest rung; Compare's figures."""
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        store = SampleStore(folder)
        kit, takes = paced(demo_kit(store)), Takes(store, RATE)
        for pad in kit.pads:
            audio = takes.sound(hardest(pad.sound)).audio
            told = measured(audio, RATE)
            view = sound_view(takes, pad.sound)
            rungs = measured_rungs(takes, pad, RenderCache(64, lambda _: 1)).rungs
            found = figures(audio, RATE)
            with self.subTest(pad.name):
                self.assertAlmostEqual(view.peak_db, told["peak_dbfs"], delta=0.005)
                self.assertAlmostEqual(view.loudness_lufs or 0.0, told["loudness_lufs"], delta=0.05)
                top = rungs[-1].loudness_lufs
                self.assertAlmostEqual(top or 0.0, told["loudness_lufs"], delta=0.05)
                whole = pitches(takes, view, RenderCache(64, lambda _: 1)).whole
                self.same(whole.hz, told["fundamental_hz"])
                for figure in FIGURES:
                    if figure.field not in _OWN:
                        self.same(getattr(found, figure.field), told[figure.field])

    def same(self, one: float | None, other: float | None) -> None:
        if one is None or other is None:
            self.assertIs(one, other)
        else:
            self.assertAlmostEqual(one, other, delta=max(0.05, 0.001 * abs(other)))
