"""What a stage does over the hit: seen in the chain, and drawn on its card."""

import unittest

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from puddle.kernels.quantum import QUANTUM
from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Stage
from puddle.stages import Compressor, Gain, Gate, Insert, Limiter, Saturator
from puddle.stages.chain import processed
from puddle.window.app import make_app
from puddle.window.widgets.hit_strip import HitStrip, _hull
from tests.support.hits import RATE, db, hit
from tests.support.windows import WindowTest, put


class Overs(unittest.TestCase):
    def test_peaks_before_and_after_and_the_reduction_between_them(self) -> None:
        """On a steady tone the level after is the one before less the reduction."""
        x = np.full((9600, 2), 0.9, np.float32)
        squash = Compressor(threshold_db=-20, ratio=4, attack_ms=5)
        over = processed(x, [Insert(squash, input_db=-6.0)], RATE)[1][0]
        quanta = 9600 // QUANTUM
        np.testing.assert_array_equal(over.entered[:quanta], np.float32(0.9))
        reduction = over.reduction_db()
        assert reduction is not None
        wanted = db(0.9) - 6.0 - reduction[quanta - 1]
        self.assertAlmostEqual(db(float(over.left[quanta - 1])), wanted, delta=0.01)
        self.assertAlmostEqual(over.deepest_db, float(reduction.max()))
        self.assertTrue((np.diff(reduction[:quanta]) >= 0.0).all())  # as it goes in, it deepens

    def test_what_was_late_is_seen_in_time(self) -> None:
        """Behind a limiter of 5 ms a gate's levels begin in the same quantum as the hit."""
        x = hit()
        limiter, gate = Limiter(lookahead_ms=5), Gate(threshold_db=-60, attack_ms=0.02)
        first = processed(x, [limiter, gate], RATE)[1]
        onset = int(np.flatnonzero(np.abs(x[:, 0]) > 1e-3)[0]) // QUANTUM
        for over in first:
            for levels in (over.entered, over.left):
                seen = int(np.flatnonzero(levels > 1e-3)[0])
                self.assertLessEqual(abs(seen - onset), 1)

    def test_a_stage_without_reduction_has_none(self) -> None:
        over = processed(hit(), [Saturator()], RATE)[1][0]
        self.assertIsNone(over.reduction_db())
        self.assertEqual(over.deepest_db, 0.0)

    def test_a_matched_stage_is_seen_as_it_is_heard(self) -> None:
        from puddle.render.steps import MEASURED

        over = processed(hit(), [Insert(Gain(level_db=9), matched=True)], RATE, MEASURED)[1][0]
        np.testing.assert_allclose(over.left, over.entered, rtol=1e-3, atol=1e-6)

    def test_what_the_strip_says_is_what_was_done(self) -> None:
        """Six decibels more, over a hit that falls by 42 dB in 70 ms after 10 ms of silence."""
        make_app()
        strip = HitStrip("gain")
        strip.show_over(processed(hit(), [Gain(level_db=6)], RATE)[1][0], RATE)
        said = strip.accessibleDescription()
        self.assertIn("its peak changes by +6.0", said)
        self.assertAlmostEqual(strip._ms, 80.0, delta=4.0)
        self.assertIn(f"over {strip._ms:.0f}", said)

    def test_half_waves_are_no_dips(self) -> None:
        """The hull of a falling low tone falls as evenly as its envelope."""
        t = np.arange(48000) / RATE
        wave = np.abs(np.sin(2 * np.pi * 50 * t)) * 10 ** (-30 * t / 20)
        levels = wave.reshape(-1, QUANTUM).max(1)
        hull = _hull(levels)[30:-30]
        line = -30 * (np.arange(hull.size) + 30) * QUANTUM / RATE
        self.assertLess(float(np.abs(hull - line).max()), 0.5)


class OnCards(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.properties = self.shell.pages.page("shape").properties

    def test_the_card_shows_the_hit_and_follows_a_moved_gauge(self) -> None:
        session = self.session
        self.properties.choose_tab("Stages")
        card = self.properties.stages.cards[1]
        self.properties.stages.open(card.stage.id)
        assert card.hit is not None
        self.assertTrue(card.hit.isVisible())
        first = card.hit.accessibleDescription()
        self.assertRegex(first, r"over \d+\sms its peak changes by .*, turned down by up to 4\.\d")
        view = session.looks.view
        session.edit(
            "x",
            lambda _: rows.set_process(session.kit, session.row, card.stage.id, threshold_db=-40),
        )
        self.until(lambda: session.looks.view is not view)
        self.assertNotEqual(card.hit.accessibleDescription(), first)

    def test_a_gate_that_is_shut_says_so(self) -> None:
        kit, stage = rows.add_stage(self.session.kit, self.session.row, Gate(threshold_db=-30.0))
        put(self.session, "gate", kit)
        self.properties.choose_tab("Stages")
        self.settle()
        card = self.properties.stages.cards[-1]
        self.assertEqual(card.stage.id, stage.id)
        self.until(lambda: card.reduction.text() == "shut")

    def test_a_live_stage_keyed_by_another_pad(self) -> None:
        """Bass under kick: tab, menu, key; then it ducks, and says by how much as it plays."""
        session, row = self.session, self.properties.stages
        session.selection.select_pad("pad14")
        self.properties.choose_tab("Live")
        offered = {action.text(): action for action in row.add_menu.actions()}
        offered["Compressor"].trigger()
        card = row.cards[0]
        assert card.key is not None and card.fields is not None
        box = card.key.box
        self.assertEqual(box.itemText(0), "its own input")
        self.assertNotIn("Bilge D", [box.itemText(n) for n in range(box.count())])
        box.setFocus()
        QTest.keyClick(box, Qt.Key.Key_Down)  # letters play
        path = RowPath(pad="pad14", live=True)
        stage = rows.stages_at(session.kit, path)[0]
        self.assertEqual(stage.key, "pad1")
        self.assertEqual(session.history.undo_name, "Bilge D live: compressor keyed by Keel")
        self.assertIn("Keel", card._title.text())
        session.edit(
            "x", lambda _: rows.set_process(session.kit, path, stage.id, threshold_db=-40.0)
        )
        session.player.open()
        self.until(lambda: self.engine.clock > 4800)
        session.playing.strike("pad1", 127.0)
        session.playing.strike("pad14", 127.0)
        self.until(lambda: self._told_reduction())
        self.until(lambda: not (card.hit is not None and card.hit.isVisible()))
        self.shell.do("undo")
        self.shell.do("undo")
        self.assertEqual(
            rows.stages_at(session.kit, path)[0], Stage(id="stage1", process=Compressor())
        )

    def _told_reduction(self) -> bool:
        self.properties.show_live_reductions()
        QApplication.processEvents()
        return "dB" in self.properties.stages.cards[0].reduction.text()
