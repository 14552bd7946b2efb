"""Curves on Groove: drawn, recorded, heard under the hand, taken out."""

import time
from unittest import mock

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from puddle.kit.edits import curves, rows
from puddle.kit.edits.address import value_at, with_value
from puddle.kit.edits.buses import set_bus, set_kit
from puddle.kit.edits.gauges import add_gauge, assigned, move_gauge
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit
from puddle.kit.model.pattern import Curve
from puddle.stages import Filter
from puddle.window import theme
from puddle.window.session import moves
from puddle.window.session.recording import Recording
from tests.support.groove_page import GrooveTest
from tests.support.windows import LEFT, drag, put

LEVEL = Address(of="bus", field="level_db", bus="skins")
SHIFT = Qt.KeyboardModifier.ShiftModifier


class CurvesTest(GrooveTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.shell.do("groove")
        kit = set_bus(self.session.kit, "skins", level_db=-3.0)
        kit = set_kit(kit, count_in=0, tempo_bpm=120.0)
        put(self.session, "as the tests have it", kit)
        self.settle()

    def curve(self, address: Address = LEVEL) -> Curve | None:
        pattern = self.session.pattern
        assert pattern is not None
        return curves.curve_of(pattern, address)

    def place(self, beat: float, share: float) -> QPoint:
        """A beat, and how high on the gauge's way."""
        line = self.page.values.line
        return QPoint(round(line.x_of(beat)), round(10 + (1.0 - share) * (line.height() - 30)))


class Drawn(CurvesTest):
    def setUp(self) -> None:
        super().setUp()
        self.page.values.choose(LEVEL)
        self.line = self.page.values.line

    def test_across_as_one_step_that_is_undone(self) -> None:
        self.assertIs(self.page.values.shown.currentWidget(), self.line)
        self.assertEqual(self.page.values.title.text(), "Skins: level")
        drag(self.line, self.place(1.0, 0.2), self.place(3.0, 0.8))
        made = self.curve()
        assert made is not None
        values = [point.value for point in made.points]
        self.assertGreater(max(values) - min(values), 20.0)
        inside = [p for p in made.points if 1.1 < p.at < 2.9]
        self.assertEqual([p.value for p in inside], sorted(p.value for p in inside))
        # Around what was drawn it stands where the gauge does.
        rest = value_at(self.session.kit, LEVEL)
        self.assertEqual((made.points[0].value, made.points[-1].value), (rest, rest))
        self.session.undo()
        self.assertIsNone(self.curve())

    def test_with_shift_a_straight_line(self) -> None:
        drag(self.line, self.place(0.5, 0.9), self.place(3.5, 0.1), SHIFT)
        made = self.curve()
        assert made is not None
        self.assertEqual(len(made.points), 4)  # its ends, and where the gauge rests around them
        self.assertAlmostEqual(made.points[1].at, 0.5, delta=0.05)
        self.assertAlmostEqual(made.points[2].at, 3.5, delta=0.05)

    def test_key_by_key_and_taken_out(self) -> None:
        drag(self.line, self.place(0.0, 0.5), self.place(3.9, 0.5), SHIFT)
        self.line.setFocus()
        self.line._at = 0.0
        for _ in range(4):
            QTest.keyClick(self.line, Qt.Key.Key_Right)
        before = self.line.value_under(1.0)
        QTest.keyClick(self.line, Qt.Key.Key_PageUp)
        self.assertGreater(self.line.value_under(1.0), before + 3.0)
        QTest.keyClick(self.line, Qt.Key.Key_Delete)
        self.assertIsNone(self.curve())
        self.session.undo()
        self.assertIsNotNone(self.curve())

    def test_the_tools_under_the_pills(self) -> None:
        drag(self.line, self.place(0.0, 0.9), self.place(3.9, 0.1), SHIFT)
        first = self.curve()
        assert first is not None
        by_name = {
            b.accessibleName(): b for b in self.page.values.findChildren(type(self.page.values.own))
        }
        for name, unlike in (
            ("Reverses the values of the hits", True),
            ("Each hit takes the value of the one before", True),
            ("Scales the values down by a tenth", True),
            ("Scatters the values around what is drawn", False),
        ):
            before = self.curve()
            QTest.mouseClick(by_name[name], LEFT)
            self.assertEqual(self.curve() != before, unlike, name)

    def test_the_menu_offers_what_has_one_first(self) -> None:
        drag(self.line, self.place(0.0, 0.5), self.place(3.0, 0.9))
        QTest.mouseClick(self.page.values.curve, LEFT)
        menu = self.page.values.menu
        self.assertEqual(menu.actions()[0].text(), "Skins: level")
        offered = [action.text() for action in menu.actions()]
        self.assertTrue({"Skins", "Metals", "Master"} <= set(offered), offered)
        self.assertEqual(offered[-1], "Sends")
        self.assertLess(len(offered), 22)
        menu.close()

    def test_it_marks_where_it_is_heard(self) -> None:
        drag(self.line, self.place(0.0, 0.2), self.place(4.0, 0.8))
        self.open_card()
        self.shell.do("play")
        self.until(lambda: (self.line.playhead or 0.0) > 0.3)
        image = self.line.grab().toImage()
        ratio = image.devicePixelRatio()
        beat = self.line.playhead or 0.0
        x, y = self.line.x_of(beat), self.line.y_of(self.line.value_under(beat))
        ink = image.pixelColor(round(x * ratio), round(y * ratio))
        self.assertEqual(ink.name(), theme.color("ink").name())
        self.shell.do("play")
        self.until(lambda: self.line.playhead is None)

    def test_what_it_moved_is_gone(self) -> None:
        drag(self.line, self.place(0.0, 0.5), self.place(3.0, 0.9))
        bare = tuple(bus for bus in self.session.kit.buses if bus.id != "skins")
        pads = tuple(
            pad if pad.bus != "skins" else type(pad)(**{**_fields(pad), "bus": ""})
            for pad in self.session.kit.pads
        )
        kit = self.session.kit
        put(
            self.session,
            "no bus",
            type(kit)(**{**_fields(kit), "buses": bare, "pads": pads, "mixes": ()}),
        )
        self.assertEqual(self.page.values.kind, "velocity")
        self.open_card()
        self.shell.do("play")
        self.until(lambda: self.session.player.playing)


class Recorded(CurvesTest):
    def setUp(self) -> None:
        self.enterContext(mock.patch.object(moves, "_REST_MS", 600))
        super().setUp()
        self.open_card()

    def move(self, change: object, until: float) -> None:
        """Moves something by the beat, one step of a drag each."""
        recording = self.shell.context.of(Recording)
        while (beat := recording.heard_beat(time.perf_counter())) < until:
            self.session.edit("moved", lambda kit, b=beat: change(kit, b), "drag")  # type: ignore[operator]
            end = time.monotonic() + 0.03
            self.until(lambda end=end: time.monotonic() >= end)
        self.session.settle()

    def begun(self) -> Recording:
        recording = self.shell.context.of(Recording)
        recording.start()
        self.until(lambda: recording.heard_beat(time.perf_counter()) >= 0.5)
        return recording

    def test_a_filter_that_opens_is_one_drag(self) -> None:
        row = RowPath(bus="metals")
        kit, made = rows.add_stage(self.session.kit, row, Filter(cutoff_hz=9000.0))
        put(self.session, "a filter", kit)
        cutoff = Address(of="process", field="cutoff_hz", bus="metals", stage=made.id)
        recording = self.begun()

        def opened(kit: Kit, beat: float) -> Kit:
            return rows.set_process(kit, row, made.id, cutoff_hz=400.0 + 900.0 * beat)

        self.move(opened, 3.0)
        self.until(lambda: self.curve(cutoff) is not None)
        recording.stop()
        self.shell.do("play")
        curve = self.curve(cutoff)
        assert curve is not None
        inside = [point for point in curve.points if 0.6 < point.at < 2.9]
        self.assertGreaterEqual(len(inside), 1)
        for point in curve.points[1:-1]:
            if point.value != 9000.0 and point.at < 2.9:
                # The hand's moves are heard, and so noted, up to a block and a turn later.
                self.assertAlmostEqual(point.value, 400.0 + 900.0 * point.at, delta=250.0)
        self.assertEqual(value_at(self.session.kit, cutoff), 9000.0, "the gauge is where it was")
        self.session.undo()
        self.assertIsNone(self.curve(cutoff))

    def test_a_send_that_swells_is_one_drag(self) -> None:
        pad = next(p for p in self.session.kit.pads if p.sends and p.id in self._struck())
        send = Address(of="send", pad=pad.id, to=pad.sends[0].bus, field="level_db")
        before = value_at(self.session.kit, send)
        recording = self.begun()

        def swelled(kit: Kit, beat: float) -> Kit:
            return with_value(kit, send, -30.0 + 6.0 * beat)

        self.move(swelled, 2.0)
        self.until(lambda: self.curve(send) is not None)
        made = self.curve(send)
        assert made is not None
        self.assertGreater(made.points[-2].value, -24.0)
        self.assertEqual(value_at(self.session.kit, send), before)
        recording.stop()
        self.session.undo()
        self.assertIsNone(self.curve(send))

    def _struck(self) -> set[str]:
        pattern = self.session.pattern
        return {lane.pad for lane in pattern.lanes} if pattern is not None else set()

    def test_a_kit_gauge_writes_all_that_it_moves(self) -> None:
        kit, gauge = add_gauge(self.session.kit, "Far")
        layer = kit.pads[0].sound.layers[0]
        decay = Address(of="source", field="decay_ms", pad="pad1", layer=layer.id)
        kit = assigned(assigned(kit, gauge.id, LEVEL), gauge.id, decay)
        put(self.session, "a gauge", kit)
        stood = self.session.kit
        recording = self.begun()
        self.move(lambda kit, beat: move_gauge(kit, gauge.id, min(100.0, 20.0 + 20.0 * beat)), 3.0)
        self.until(lambda: self.curve() is not None)
        recording.stop()
        self.shell.do("play")
        now = self.session.kit
        lane = self.session.pattern.lane("pad1") if self.session.pattern else None
        assert lane is not None
        self.assertTrue(any(hit.values for hit in lane.hits))
        self.assertEqual(now.gauges, stood.gauges)
        self.assertEqual(value_at(now, LEVEL), value_at(stood, LEVEL))
        self.assertEqual(value_at(now, decay), value_at(stood, decay))

    def test_a_hand_on_a_gauge_that_is_moved_is_heard(self) -> None:
        shown = self.session.pattern
        assert shown is not None
        points = [curves.CurvePoint(at=0.0, value=-60.0)]
        put(self.session, "shut", curves.with_points(self.session.kit, shown.id, LEVEL, points))
        self.shell.do("play")
        engine = self.engine
        way = "\0way:skins>"

        def gain() -> float:
            graph = engine.sender.graph
            return float(graph.buses["gain_target"][graph.places[way]])

        self.until(lambda: gain() < 0.002)
        self.session.edit("level", lambda kit: set_bus(kit, "skins", level_db=-2.0))
        self.until(lambda: gain() > 0.5)
        self.until(lambda: gain() < 0.002)  # let go, the curve has it again
        self.shell.do("play")
        self.until(lambda: gain() > 0.5)


def _fields(struct: object) -> dict[str, object]:
    return {name: getattr(struct, name) for name in struct.__struct_fields__}  # type: ignore[attr-defined]
