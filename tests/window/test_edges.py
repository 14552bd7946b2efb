"""Edges on the strata: fades, loops, trims and envelope points, snapping as they are dragged."""

import unittest

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from puddle.kit import edits
from puddle.kit.model.document import Layer, Sample
from puddle.measure.snap import nearest, zero_crossing
from puddle.window.widgets.strata import Canvas
from tests.support.windows import LEFT, NONE, WindowTest, drag, put


class Snapping(unittest.TestCase):
    def test_the_nearest_change_of_sign(self) -> None:
        """A sine of 100 frames a wave crosses at every fiftieth."""
        mono = np.sin(2 * np.pi * (np.arange(1000) + 0.2) / 100)
        for frame, wanted in ((148.0, 150.0), (175.0, 150.0), (176.0, 200.0), (0.0, None)):
            found = zero_crossing(mono, frame, 30.0)
            if wanted is None:
                self.assertIsNone(found)
            else:
                self.assertAlmostEqual(found or 0.0, wanted, delta=1.0)
        self.assertIsNone(zero_crossing(mono, 175.0, 5.0))
        self.assertIsNone(zero_crossing(np.zeros(0), 5.0, 5.0))
        self.assertIsNone(zero_crossing(np.ones(100), 50.0, 50.0))
        self.assertIsNone(zero_crossing(mono, 5000.0, 50.0))

    def test_of_the_two_frames_the_quieter(self) -> None:
        self.assertEqual(zero_crossing(np.array([0.5, 0.1, -0.9, -1.0]), 2.0, 3.0), 1.0)
        self.assertEqual(zero_crossing(np.array([0.5, 0.9, -0.1, -1.0]), 1.0, 3.0), 2.0)

    def test_nearest_of_places(self) -> None:
        self.assertEqual(nearest((1.0, 5.0), 4.0, 2.0), 5.0)
        self.assertIsNone(nearest((1.0, 5.0), 3.0, 1.0))
        self.assertIsNone(nearest((), 3.0, 1.0))


class Edges(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.session.selection.select_layer("layer2")
        self.settle()

    @property
    def layer(self) -> Layer:
        return edits.layer_of(self.session.kit, "pad1", "layer2")

    @property
    def sample(self) -> Sample:
        source = self.layer.source
        assert isinstance(source, Sample)
        return source

    @property
    def canvas(self) -> Canvas:
        return self.shell.pages.page("shape").lanes.canvas("layer2")

    def place(self, what: str) -> QPoint:
        canvas = self.canvas
        return canvas.place(next(h for h in canvas.handles() if h.what == what)).toPoint()

    def set(self, **values: object) -> None:
        kit = self.session.kit
        put(self.session, "set", edits.set_source(kit, "pad1", "layer2", **values))
        self.settle()

    def test_fades_are_dragged(self) -> None:
        at = self.place("fade_in")
        drag(self.canvas, at, at + QPoint(30, 0))
        self.assertGreater(self.sample.fade_in_ms, 15.0)
        self.assertIn("Knock on oak: fade in", self.session.history.undo_name or "")
        self.settle()
        at = self.place("fade_out")
        before = self.sample.fade_out_ms
        drag(self.canvas, at, at + QPoint(-30, 0))
        self.assertGreater(self.sample.fade_out_ms, before + 15.0)
        self.shell.do("undo")
        self.assertEqual(self.sample.fade_out_ms, before)

    def test_loop_points_and_length_are_dragged(self) -> None:
        self.set(loop=True, loop_start_ms=40.0, loop_end_ms=80.0, loop_for_ms=400.0)
        self.assertEqual({h.what for h in self.canvas.handles()} & {"end"}, set())
        for what, by, field in (
            ("loop_end", 40, "loop_end_ms"),
            ("loop_start", -12, "loop_start_ms"),
        ):
            before = getattr(self.sample, field)
            at = self.place(what)
            drag(self.canvas, at, at + QPoint(by, 0))
            self.assertGreater(by * (getattr(self.sample, field) - before), 0.0, what)
            self.settle()

    def test_a_loop_lasts_as_it_is_dragged(self) -> None:
        kit = edits.set_envelope(self.session.kit, "pad1", "layer2", on=False)
        put(self.session, "off", kit)
        self.set(loop=True, loop_start_ms=40.0, loop_end_ms=80.0, loop_for_ms=400.0)
        at = self.place("loop_for")
        drag(self.canvas, at, at + QPoint(-60, 0))
        self.assertLess(self.sample.loop_for_ms, 380.0)

    def test_an_edge_lands_on_a_zero_crossing_and_with_ctrl_anywhere(self) -> None:
        """The new start is where the recording changes sign; the shell zooms in for that."""
        axis = self.shell.pages.page("shape").lanes.axis
        axis.zoom(12.0, 0.0)
        content = self.sample.content
        journal = self.session.file.journal
        assert journal is not None
        decoded = journal.store.decoded(content)
        assert decoded is not None
        mono = decoded.audio.sum(axis=1)
        at = self.place("start")
        free = []
        for keys in (NONE, Qt.KeyboardModifier.ControlModifier):
            before = self.sample.start_ms
            QTest.mousePress(self.canvas, LEFT, NONE, at)
            moved = at + QPoint(83, 0)
            QTest.mouseMove(self.canvas, moved - QPoint(1, 0))
            self._move(moved, keys)
            QTest.mouseRelease(self.canvas, LEFT, NONE, moved)
            frame = round(self.sample.start_ms * decoded.rate_hz / 1000.0)
            around = np.sign(mono[frame - 1 : frame + 2])
            free.append(self.sample.start_ms)
            if keys == NONE:
                self.assertTrue((np.diff(around) != 0).any(), around)
            self.assertGreater(self.sample.start_ms, before)
            self.shell.do("undo")
            self.settle()
        self.assertNotEqual(free[0], free[1])

    def _move(self, to: QPoint, keys: Qt.KeyboardModifier) -> None:
        """A move with keys held, which QTest cannot do."""
        from PyQt6.QtCore import QEvent, QPointF
        from PyQt6.QtGui import QMouseEvent

        spot = QPointF(to)
        event = QMouseEvent(QEvent.Type.MouseMove, spot, spot, LEFT, LEFT, keys)
        QApplication.sendEvent(self.canvas, event)

    def _onsets(self) -> tuple[float, float, float]:
        """The layer's onset and another's, in ms; and how many pixels a ms takes."""
        view = self.session.looks.view
        assert view is not None
        axis = self.shell.pages.page("shape").lanes.axis
        px = self.canvas.width() / (axis.last_ms - axis.first_ms)
        return view.onsets_ms["layer2"][0], view.onsets_ms["layer1"][0], px

    def test_a_layer_snaps_to_the_onset_of_another(self) -> None:
        """Dragged near it, the onsets of both are within a frame of each other."""
        session = self.session
        put(session, "away", edits.set_layer(session.kit, "pad1", "layer2", offset_ms=60.0))
        self.settle()
        own, other, px = self._onsets()
        by = round((other - own) * px) + 4
        at = self.place("offset") + QPoint(20, 30)
        drag(self.canvas, at, at + QPoint(by, 0))
        self.assertAlmostEqual(self.layer.offset_ms, 60.0 + other - own, delta=0.03)

    def test_a_snap_never_pulls_against_the_drag(self) -> None:
        """With another's onset just before the layer's own, a few pixels later make it later."""
        session = self.session
        self.settle()
        own, other, px = self._onsets()
        beside = self.layer.offset_ms + other - own + 3.0 / px
        put(session, "beside", edits.set_layer(session.kit, "pad1", "layer2", offset_ms=beside))
        self.settle()
        at = self.place("offset") + QPoint(40, 30)
        QTest.mousePress(self.canvas, LEFT, pos=at)
        self._move(at + QPoint(6, 0), NONE)
        self.assertAlmostEqual(self.layer.offset_ms, beside + 6.0 / px, delta=0.01)
        told = self.canvas.told
        assert told is not None
        self.assertIn("offset", told.text)
        self.assertEqual(told.snapped, "")
        self._move(at + QPoint(-4, 0), NONE)
        told = self.canvas.told
        assert told is not None and told.at_ms is not None
        self.assertIn("onset", told.snapped)
        self.assertAlmostEqual(self.layer.offset_ms, beside - 3.0 / px, delta=0.05)
        self._move(at + QPoint(-4, 0), Qt.KeyboardModifier.ShiftModifier)
        self.assertAlmostEqual(self.layer.offset_ms, beside - 0.4 / px, delta=0.01)
        told = self.canvas.told
        assert told is not None
        self.assertEqual(told.snapped, "")
        QTest.mouseRelease(self.canvas, LEFT, pos=at)
        self.assertIsNone(self.canvas.told)

    def test_envelope_points_snap_too(self) -> None:
        """With the onset of the layer's hit in reach, the point lands on it or on a crossing."""
        at = self.place("hold")
        drag(self.canvas, at, at + QPoint(40, 0))
        self.settle()
        view = self.session.looks.view
        assert view is not None
        self.assertGreater(self.layer.envelope.hold_ms, 10.0)
