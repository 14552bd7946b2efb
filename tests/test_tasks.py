"""Long work is made once, tells how far it has come, and gives way."""

import threading
import time
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest.mock import patch

import numpy as np
import soundfile
from PyQt6.QtTest import QTest

from puddle.kit import edits
from puddle.kit.model.document import Sample
from puddle.render.cache import RenderCache
from puddle.render.stretching import stretched
from puddle.tasks import Cancelled, asked, go_on
from puddle.views.sound import SoundView, sound_view
from tests.support.sounds import noise
from tests.support.tasks import direct, request
from tests.support.windows import LEFT, DemoTest, WindowTest, put


class Caches(unittest.TestCase):
    def test_what_two_ask_for_is_made_once(self) -> None:
        cache: RenderCache[int] = RenderCache(100, lambda _: 1)
        made: list[int] = []
        inside = threading.Event()

        def make() -> int:
            made.append(1)
            inside.set()
            time.sleep(0.1)
            return 7

        found: list[int] = []
        threads = [threading.Thread(target=lambda: found.append(cache.get("a", make)))]
        threads[0].start()
        inside.wait()
        threads.append(threading.Thread(target=lambda: found.append(cache.get("a", make))))
        threads[1].start()
        for thread in threads:
            thread.join()
        self.assertEqual((found, made), ([7, 7], [1]))

    def test_what_one_could_not_make_the_other_makes(self) -> None:
        cache: RenderCache[int] = RenderCache(100, lambda _: 1)
        inside, failed = threading.Event(), threading.Event()

        def fail() -> int:
            inside.set()
            time.sleep(0.1)
            raise Cancelled

        def first() -> None:
            try:
                cache.get("a", fail)
            except Cancelled:
                failed.set()

        thread = threading.Thread(target=first)
        thread.start()
        inside.wait()
        self.assertEqual(cache.get("a", lambda: 8), 8)
        thread.join()
        self.assertTrue(failed.is_set())


class Wanting(unittest.TestCase):
    def test_without_an_asker_it_goes_on(self) -> None:
        go_on("work", 0.5)

    def test_a_stretch_tells_how_far_it_is_and_leaves_off(self) -> None:
        told: list[float] = []
        audio = noise(2.0, level=0.3)
        whole = stretched(audio, 48000.0, 2.0, [], 0.0, told.append)
        self.assertEqual(told, sorted(told))
        self.assertEqual((told[0], told[-1]), (0.0, 1.0))
        self.assertGreater(len(told), 4)
        self.assertTrue(np.array_equal(whole, stretched(audio, 48000.0, 2.0, [], 0.0)))
        shares: list[tuple[object, float]] = []
        with (
            self.assertRaises(Cancelled),
            asked(lambda work: len(shares) < 2, lambda *share: shares.append(share)),
        ):
            stretched(audio, 48000.0, 2.0, [], 0.0, lambda share: go_on("this", share))
        self.assertEqual([work for work, _ in shares], ["this"] * 3)
        self.assertEqual(shares[-1][1], 1.0)  # whoever shows it hides it

    def test_a_worker_says_nothing_of_what_gave_way(self) -> None:
        failed: list[int] = []
        workers = direct(1, lambda error: failed.append(1))
        done: list[object] = []

        def work() -> None:
            raise Cancelled

        request(workers, "place", work, done.append)
        self.assertTrue(workers.wait())
        workers.close()
        self.assertEqual((failed, done), ([], []))


class InTheWindow(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        holder = TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        path = Path(holder.name) / "long.wav"
        soundfile.write(path, noise(24.0, level=0.2), 48000)
        self.shell.incoming.drop([path], None, 0)
        self.until(lambda: self.sample() is not None)
        self.settle()

    def sample(self) -> Sample | None:
        pad = self.session.pad
        sources = [layer.source for layer in pad.sound.layers] if pad else []
        return next((k for k in sources if isinstance(k, Sample)), None)

    def set_stretch(self, stretch: float) -> None:
        pad = self.session.pad
        assert pad is not None
        layer = next(k for k in pad.sound.layers if isinstance(k.source, Sample))
        kit = edits.set_source(self.session.kit, pad.id, layer.id, stretch=stretch)
        put(self.session, "stretch", kit)

    def test_a_long_stretch_is_shown_and_gives_way_to_another_length(self) -> None:
        strip = self.shell.stretching
        self.assertFalse(strip.isVisible())
        self.set_stretch(190.0)
        self.until(strip.isVisible)
        self.assertLess(strip.bar.value(), 100)
        start = time.perf_counter()
        self.set_stretch(100.0)  # needs none at all
        self.until(lambda: not strip.isVisible())
        self.assertLess(time.perf_counter() - start, 2.0)  # all of it takes some seconds
        self.settle()

    def test_stop_leaves_it_as_a_step_that_can_be_undone(self) -> None:
        strip = self.shell.stretching
        self.set_stretch(190.0)
        self.until(strip.isVisible)
        QTest.mouseClick(strip.stop, LEFT)
        found = self.sample()
        assert found is not None
        self.assertEqual((found.stretch, found.pitch_st), (100.0, 0.0))
        self.until(lambda: not strip.isVisible())
        self.session.undo()
        found = self.sample()
        assert found is not None
        self.assertEqual(found.stretch, 190.0)
        self.set_stretch(100.0)
        self.settle()


class SeenAgain(DemoTest):
    def test_what_is_undone_at_once_is_seen_as_it_was(self) -> None:
        """Also where what was undone is still being looked at when the eye looks again."""
        was = self.session.pad
        self.until(lambda: not self.session.looks._looking.isActive())

        def slowly(*words: Any) -> SoundView:
            time.sleep(0.15)
            return sound_view(*words)

        with patch("puddle.window.session.looks.sound_view", slowly):
            kit = edits.remove_layer(self.session.kit, "pad1", "layer3")
            put(self.session, "out", kit)
            self.session.undo()
            self.until(lambda: not self.session.looks.to_be_seen, 2.0)
            self.settle()
        view = self.session.looks.view
        assert view is not None and was is not None
        self.assertIs(view.sound, was.sound)
