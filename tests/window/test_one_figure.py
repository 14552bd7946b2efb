"""One measure, one figure: what pages tell of the demo's sounds is what `inspect` says of them."""

import tempfile
import unittest
from pathlib import Path

import msgspec

from puddle.demo.raingauge import demo_kit
from puddle.engine.offline import strike
from puddle.formats.store import SampleStore
from puddle.kit.playing.tempo import paced
from puddle.kit.playing.velocity import hardest
from puddle.measure.comparing import FIGURES, figures
from puddle.measure.levels import peak_dbfs
from puddle.measure.report import measured
from puddle.render.cache import RenderCache
from puddle.render.take import Takes
from puddle.views.sound import pitches, sound_view
from puddle.views.strengths import measured_rungs
from puddle.window.session.measuring import out_peak_db

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

    def test_the_peak_that_a_pad_puts_out_is_that_of_its_render(self) -> None:
        """Level and pan changed; where the engine tunes or gates, it plays other samples."""
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        store = SampleStore(folder)
        kit, takes = paced(demo_kit(store)), Takes(store, RATE)
        several = 0
        for n, pad in enumerate(kit.pads):
            if pad.tune_st or pad.tune_ct or pad.trigger == "gate":
                continue
            changed = msgspec.structs.replace(pad, level_db=n - 12.0, pan=25.0 * (n % 9) - 100.0)
            heard = strike(changed, takes, 127.0)
            view = sound_view(takes, pad.sound)
            with self.subTest(pad.name):
                out = out_peak_db(changed, view.side_peaks_db)
                self.assertAlmostEqual(out, peak_dbfs(heard), delta=0.01)
            several += 1
        self.assertGreater(several, 15)

    def same(self, one: float | None, other: float | None) -> None:
        if one is None or other is None:
            self.assertIs(one, other)
        else:
            self.assertAlmostEqual(one, other, delta=max(0.05, 0.001 * abs(other)))
