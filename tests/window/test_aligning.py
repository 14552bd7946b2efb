"""Agreement and Align in the window: seen, tried, kept as one step, left."""

import time

import numpy as np
from PyQt6.QtTest import QTest

from puddle.kit import edits
from puddle.measure.agreement import agreement
from puddle.measure.alignment import alignment
from puddle.render.take import Takes
from puddle.window.session.session import Session
from tests.support.windows import LEFT, DemoTest, put


def rest_of(takes: Takes, session: Session, layer_id: str) -> np.ndarray:
    pad = session.pad
    assert pad is not None
    parts = [takes.placed(pad.sound, k) for k in pad.sound.layers if k.id != layer_id]
    total = np.zeros((max(len(p) for p in parts), 2), np.float32)
    for part in parts:
        total[: len(part)] += part
    return total


class Aligning(DemoTest):
    def setUp(self) -> None:
        super().setUp()
        self.told: list[str] = []
        self.session.told.connect(self.told.append)
        kit = edits.set_layer(self.session.kit, "pad1", "layer1", offset_ms=6.0)
        put(self.session, "late", kit)
        self.session.settle()
        self.session.selection.select_layer("layer1")
        self.settle()
        self.until(self.page.align.isEnabled)

    def tried(self) -> None:
        QTest.mouseClick(self.page.align, LEFT)
        self.until(lambda: self.page.trial.trying)
        self.settle()

    def won_below(self, hz: float) -> float:
        """What the layers' sum loses, in dB, added up over the bands below."""
        view = self.session.looks.view
        assert view is not None and view.agreement is not None
        return float(view.agreement.won_db[view.agreement.hz < hz].sum())

    def test_the_strip_shows_what_is_measured(self) -> None:
        view = self.session.looks.view
        assert view is not None and view.agreement is not None
        found = agreement(view.layers, view.rate_hz)
        assert found is not None and found.worst is not None
        np.testing.assert_array_equal(found.won_db, view.agreement.won_db)
        said = self.page.agreement.accessibleDescription()
        self.assertIn("Hull sine and Knock on oak lose", said)
        self.assertIn(f"{found.worst.lost_db:.1f}", said)
        strip = self.page.agreement
        band = int(np.argmin(found.won_db))
        x = strip._x(float(found.hz[band]))
        self.assertEqual(strip.band_at(x), band)
        self.assertIn("cancel", strip.text_at(x))
        self.assertIn(f"{-found.won_db[band]:.1f}", strip.text_at(x))

    def test_every_pair_has_a_row_with_its_own_figures(self) -> None:
        view, strip = self.session.looks.view, self.page.agreement
        assert view is not None and view.agreement is not None
        self.assertEqual(len(strip.pairs), 3)
        for n, pair in enumerate(strip.pairs):
            won = view.agreement.pairs_db[pair]
            band = int(np.argmin(won))
            text = strip.text_at(
                strip._x(float(view.agreement.hz[band])), 34.0 + 4.0 + 11.0 * n + 5
            )
            self.assertIn(f"{-won[band]:.1f}", text)
            for key in pair:
                self.assertIn(self.layer(key).name, text)
        put(self.session, "two", edits.remove_layer(self.session.kit, "pad1", "layer3"))
        self.settle()
        self.until(lambda: strip.pairs == [])  # of two, the sum is the pair

    def test_tried_it_is_heard_and_seen_and_not_yet_a_step(self) -> None:
        kit, before = self.session.kit, self.won_below(400.0)
        self.tried()
        self.assertIs(self.session.kit, kit)
        self.assertIsNot(self.session.heard, kit)
        self.until(lambda: self.won_below(400.0) > before + 0.5)
        self.assertTrue(self.page.keep.isVisible())
        self.assertFalse(self.page.align.isVisible())

    def test_kept_it_is_one_step_that_says_what_it_won(self) -> None:
        takes, session = self.session.renders.takes, self.session
        pad = session.pad
        assert pad is not None
        own = takes.placed(pad.sound, pad.sound.layers[0])
        wanted = alignment(rest_of(takes, session, "layer1"), own, takes.rate_hz)
        kit = session.kit
        self.tried()
        QTest.mouseClick(self.page.keep, LEFT)
        self.settle()
        layer = self.layer("layer1")
        shift_ms = 1000.0 * getattr(wanted, "shift_frames", 0.0) / takes.rate_hz
        self.assertAlmostEqual(layer.offset_ms, 6.0 + shift_ms, delta=6e-5)
        self.assertIs(layer.flip, getattr(wanted, "invert", None))
        self.assertIn("dB won where both sound", self.told[-1])
        self.assertFalse(self.page.trial.trying)
        session.undo()
        self.assertIs(session.kit, kit)
        self.settle()

    def test_left_or_edited_or_another_chosen_it_is_as_before(self) -> None:
        kit = self.session.kit
        self.tried()
        QTest.mouseClick(self.page.leave, LEFT)
        self.assertIs(self.session.heard, kit)
        self.settle()
        self.tried()
        self.session.selection.select_layer("layer2")
        self.assertFalse(self.page.trial.trying)
        self.assertIs(self.session.heard, kit)
        self.session.selection.select_layer("layer1")
        self.settle()
        self.tried()
        louder = edits.set_layer(kit, "pad1", "layer1", level_db=-3.0)
        put(self.session, "softer", louder)
        self.assertFalse(self.page.trial.trying)
        self.assertIs(self.session.heard, louder)
        self.settle()

    def test_the_key_tries_and_keeps(self) -> None:
        action = self.shell.commands.by_id["align"]
        self.assertEqual(action.shortcut().toString(), "Ctrl+Shift+A")
        action.trigger()
        self.until(lambda: self.page.trial.trying)
        action.trigger()
        self.assertNotEqual(self.layer("layer1").offset_ms, 6.0)
        self.settle()

    def test_no_proposal_says_why(self) -> None:
        for key in ("layer2", "layer3"):
            kit = edits.set_layer(self.session.kit, "pad1", key, on=False)
            put(self.session, "off", kit)
        self.settle()
        self.shell.do("align")
        self.assertIn("alone", self.told[-1])
        self.assertFalse(self.page.align.isEnabled())
        kit = edits.set_layer(self.session.kit, "pad1", "layer3", on=True)
        put(self.session, "on", kit)
        self.session.selection.select_layer("layer3")
        self.settle()
        count = len(self.told)
        self.shell.do("align")
        self.until(lambda: len(self.told) > count or self.page.trial.trying)

    def test_a_kick_of_three_is_aligned_within_a_fifth_of_a_second(self) -> None:
        """The budget is 200 ms; twice that here, for machines that are shared."""
        pad, takes = self.session.pad, self.session.renders.takes
        assert pad is not None
        own, rest = takes.placed(pad.sound, pad.sound.layers[0]), None
        rest = rest_of(takes, self.session, "layer1")
        alignment(rest, own, takes.rate_hz)
        times = []
        for _ in range(3):
            start = time.thread_time()
            alignment(rest, own, takes.rate_hz)
            times.append(time.thread_time() - start)
        self.assertLess(min(times), 0.4)
