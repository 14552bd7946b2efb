"""Mix by hand: routed by dragging, sent, placed, leveled."""

import threading
import unittest
from unittest import mock

import msgspec
from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QMenu

from puddle.kit import edits
from puddle.kit.edits import room, routing
from puddle.kit.edits.ceiling import ceiling_of
from puddle.kit.edits.gauges import move_gauge
from puddle.kit.edits.routing import sends_of
from puddle.kit.model.address import Address
from puddle.kit.model.document import PADS_PER_BANK, Bus, Kit, Pad, SendTo
from puddle.parameter import parameter
from puddle.stages import Limiter
from puddle.views.low_end import meetings
from puddle.views.streams import MASTER, bank_place, laid_out, pad_place
from puddle.window.editors.assigner import Assigner
from puddle.window.pages.mix.room_plan import far_of, send_of
from puddle.window.pages.mix.streams_picture import width_of
from puddle.window.widgets.controls import NO_PADS
from puddle.window.widgets.gauge import Gauge
from tests.support.mix_page import MixTest
from tests.support.windows import LEFT, NONE, put

CONTROL = Qt.KeyboardModifier.ControlModifier


class ByHandTest(MixTest):
    """Routes, levels and places."""

    def test_the_room_pans_sends_spreads_and_mirrors(self) -> None:
        self._a_pad_dragged_on_the_plan_is_panned_and_sent()
        self._rooms_come_in_one_step()
        self._the_drummer_s_view_is_mirrored_and_a_key_moves_what_is_seen()
        self._as_a_drummer_sits_keeps_kick_and_bass_in_the_middle()

    def test_routes_are_dragged_sent_and_refused(self) -> None:
        self._a_pad_dragged_to_a_bus_flows_there_and_undo_takes_it_back()
        self._with_ctrl_it_is_sent_and_the_strip_shows_it()
        self._a_loop_is_refused_with_the_reason()

    def test_without_pads_it_says_what_to_do_first(self) -> None:
        self.assertNotIn(NO_PADS, self.streams.accessibleDescription())
        self.session.file.new()
        self.shell.do("mix")
        self.settle()
        self.assertIn(NO_PADS, self.streams.accessibleDescription())
        seen = self.streams.grab(QRect(0, 0, 90, self.streams.height())).toImage()
        inks = {seen.pixel(x, y) for x in range(seen.width()) for y in range(seen.height())}
        self.assertGreater(len(inks), 5, "written where pads would be")

    def test_levels_and_the_low_end_are_one_step_each(self) -> None:
        self._level_by_role_is_one_step()
        self._who_meets_in_the_low_end_is_told_and_makes_room()

    def test_the_low_end_is_listened_to_in_sight_and_can_be_left(self) -> None:
        low, button = self.page.low_end, self.page.analyzer.low
        offered: list[object] = []
        with mock.patch.object(low, "fill", lambda menu, found: offered.append(found)):
            QTest.mouseClick(button, LEFT)
            self.assertIn("Leave it", button.text())
            self.until(lambda: "Leave it, 0" not in button.text(), 30.0)
            QTest.mouseClick(button, LEFT)
            self.assertEqual(button.text(), "Low end")
            self.until(lambda: not any(t.name == "puddle-work" for t in threading.enumerate()))
            QApplication.processEvents()
            self.assertEqual((offered, button.text()), ([], "Low end"))
            QTest.mouseClick(button, LEFT)
            self.until(lambda: bool(offered), 60.0)
        self.assertEqual(button.text(), "Low end")
        self.assertTrue(offered[0])

    def test_the_low_end_that_fails_or_is_of_another_kit_leaves_its_button_as_it_was(self) -> None:
        button = self.page.analyzer.low
        failing = mock.patch("puddle.window.pages.mix.low_end_menu.meetings", side_effect=OSError)
        with failing, self.assertLogs("puddle.tasks") as logged:
            QTest.mouseClick(button, LEFT)
            self.until(lambda: button.text() == "Low end" and bool(logged.output))
        QTest.mouseClick(button, LEFT)
        self.assertIn("Leave it", button.text())
        self.session.file.new()
        self.assertEqual(button.text(), "Low end")

    def test_streams_are_pulled_to_another_bus_and_to_nothing(self) -> None:
        plank = self.pad("Plank")
        place = pad_place(plank.id)
        first = plank.sends[0]
        self.pull(place, first.bus, None)
        self.assertNotIn(first.bus, [send.bus for send in self.pad("Plank").sends])
        self.session.undo()
        self.assertEqual(self.pad("Plank").sends, plank.sends)
        self.pull(place, first.bus, "metals")
        moved = self.pad("Plank").sends[0]
        self.assertEqual((moved.bus, moved.level_db), ("metals", first.level_db))
        self.session.undo()
        self.pull(place, "skins", None)
        self.assertEqual(self.pad("Plank").bus, "", "what flows goes to the master")
        told: list[str] = []
        self.session.told.connect(told.append)
        self.pull(place, first.bus, MASTER)
        self.assertEqual(self.pad("Plank").sends, plank.sends)
        self.assertIn("drop it on one", told[-1])
        self.assertEqual(self.streams.selected, place, "a click on a stream selects its source")

    def pull(self, source: str, target: str, to: str | None) -> None:
        """Drags the stream between two places by its middle."""
        streams = self.streams
        stream = next(s for s in streams._streams if (s.source, s.target) == (source, target))
        path = streams._paths[stream]
        at = next(
            path.pointAtPercent(k / 40.0)
            for k in range(4, 37)
            if streams.stream_at(path.pointAtPercent(k / 40.0)) is stream
            and streams.place_at(path.pointAtPercent(k / 40.0)) is None
        ).toPoint()
        end = QPoint(3, 3) if to is None else streams.room(to).center().toPoint()
        QTest.mousePress(streams, LEFT, NONE, at)
        QTest.mouseMove(streams, at + QPoint(12, 0))
        QTest.mouseMove(streams, end)
        QTest.mouseRelease(streams, LEFT, NONE, end)

    def test_what_a_card_tells_while_it_plays_never_cuts_the_strip(self) -> None:
        self.page.watch(False)  # else nothing turns down at rest
        self.page._seen = True
        for place in ("low", "skins", MASTER):
            self.page.choose(place)
            stages = self.page.strip.row.stages
            inside = stages.parentWidget()
            assert inside is not None
            room = inside.parentWidget()
            assert room is not None
            stages.show_reductions({card.stage.id: 12.3 for card in stages.cards})
            QApplication.processEvents()
            for card in stages.cards:
                self.assertLess(card.minimumSizeHint().width(), room.width(), place)

    def test_boxes_of_many_columns_lie_apart(self) -> None:
        kit = self.session.kit
        for target in ("metals", "low", "shed"):
            source = {"metals": "skins", "low": "metals", "shed": "low"}[target]
            kit = routing.flow_into(kit, "", source, target)
        put(self.session, "in a row", kit)
        rooms = [self.streams.room(name) for name in ("skins", "metals", "low", "shed", MASTER)]
        for n, room_ in enumerate(rooms):
            self.assertLessEqual(room_.right(), self.streams.width())
            for other in rooms[n + 1 :]:
                self.assertFalse(room_.intersects(other))

    def test_other_banks_are_one_place_each_and_a_click_shows_them(self) -> None:
        other = bank_place(1)
        drawn = [s for s in self.streams._streams if s.source == other]
        self.assertTrue(drawn)
        QTest.mouseClick(self.streams, LEFT, NONE, self.streams.room(other).center().toPoint())
        pad = self.session.pad
        assert pad is not None
        self.assertEqual(pad.place // PADS_PER_BANK, 1)
        self.streams.room(pad_place(pad.id))
        self.streams.room(bank_place(0))

    def test_the_master_has_its_ceiling_and_tells_how_far_it_turns_down(self) -> None:
        self.page.choose(MASTER)
        strip = self.page.strip
        self.assertTrue(strip.limits.isChecked())
        strip.ceiling.moved.emit(-9.0)
        strip.ceiling.settled.emit()
        found = ceiling_of(self.session.kit)
        assert found is not None and isinstance(found.process, Limiter)
        self.assertEqual(found.process.ceiling_db, -9.0)
        self.shell.do("play")
        self.until(lambda: self.streams._down.get(MASTER, 0.0) > 3.0)
        shown = [card for card in strip.row.stages.cards if card.reduction.text()]
        self.assertTrue(shown)
        QTest.mouseClick(strip.limits, LEFT)
        found = ceiling_of(self.session.kit)
        self.assertTrue(found is not None and not found.on)

    def test_a_send_and_the_ceiling_are_given_to_kit_gauges(self) -> None:
        pad = next(p for p in self.session.kit.pads if p.sends)
        target = pad.sends[0].bus
        self.page.choose(pad_place(pad.id))
        self._offered(self.page.strip.sends[target])
        Assigner(self.session, self.page).assign_new(
            "Wet", Address(of="send", pad=pad.id, to=target, field="level_db")
        )
        gauge = self.session.kit.gauges[-1]
        put(self.session, "moved", move_gauge(self.session.kit, gauge.id, 100.0))
        lifted = sends_of(self.session.kit, pad.id, "")[0].level_db
        self.assertAlmostEqual(lifted, gauge.targets[0].high)
        self.assertGreater(lifted, pad.sends[0].level_db + 6.0)
        self.page.choose(MASTER)
        self._offered(self.page.strip.ceiling)

    def _offered(self, gauge: Gauge) -> None:
        menu = QMenu()
        gauge.menu_wanted.emit(menu)
        texts = [action.text() for action in menu.actions()]
        self.assertEqual(texts, ["Kit gauge", "Teach a controller"])

    # Routes.

    def _a_pad_dragged_to_a_bus_flows_there_and_undo_takes_it_back(self) -> None:
        crate = self.pad("Crate")
        self.drag(pad_place(crate.id), "skins")
        self.assertEqual(self.pad("Crate").bus, "skins")
        self.session.undo()
        self.assertEqual(self.pad("Crate").bus, "")
        self.drag(pad_place(self.pad("Keel").id), MASTER)
        self.assertEqual(self.pad("Keel").bus, "")

    def _with_ctrl_it_is_sent_and_the_strip_shows_it(self) -> None:
        keel = self.pad("Keel")
        self.drag(pad_place(keel.id), "shed", CONTROL)
        self.assertEqual(self.pad("Keel").sends, (SendTo(bus="shed"),))
        self.assertEqual(list(self.page.strip.sends), ["shed"])
        self.page.strip.sends["shed"].moved.emit(-20.0)
        self.page.strip.sends["shed"].settled.emit()
        self.page.strip._before["shed"].click()
        self.assertEqual(self.pad("Keel").sends, (SendTo(bus="shed", level_db=-20.0, before=True),))

    def _a_loop_is_refused_with_the_reason(self) -> None:
        self.drag("skins", "metals")
        self.assertEqual(self.bus("Skins").into, "metals")
        told: list[str] = []
        self.session.told.connect(told.append)
        self.drag("metals", "skins")
        self.assertEqual(self.bus("Metals").into, "")
        self.assertIn("Metals cannot flow into Skins", told[-1])

    def test_buses_are_made_renamed_and_taken_out(self) -> None:
        with mock.patch.object(QInputDialog, "getText", return_value=("Drums", True)):
            self.page.add_bus()
        made = self.bus("Drums")
        self.assertEqual(self.streams.selected, made.id)
        self.page.route("skins", made.id, False)
        menu = QMenu()
        self.page.place_menu.fill(menu, made.id)
        self.assertEqual(
            [a.text() for a in menu.actions() if a.text()],
            ["Flows into", "Sent to", "Rename …", "Remove"],
        )
        self.page.place_menu.remove(made.id)
        self.assertEqual(self.bus("Skins").into, "")

    def test_arrows_walk_and_enter_opens_the_menu(self) -> None:
        self.page.choose(pad_place(self.pad("Keel").id))
        QTest.keyClick(self.streams, Qt.Key.Key_Down)
        self.assertEqual(self.session.pad_id, self.pad("Plank").id)
        QTest.keyClick(self.streams, Qt.Key.Key_Right)
        self.assertNotIn(self.streams.selected, (MASTER, pad_place(self.pad("Plank").id)))
        wanted: list[str] = []
        self.streams.menu_wanted.connect(lambda place, _: wanted.append(place))
        with mock.patch.object(QMenu, "popup"):
            QTest.keyClick(self.streams, Qt.Key.Key_Return)
        self.assertEqual(wanted, [self.streams.selected])

    # The strip.

    def test_a_bus_has_its_gauges_and_stages(self) -> None:
        self.page.choose("low")
        strip = self.page.strip
        assert strip.fields is not None
        width, mute = parameter(Bus, "width"), parameter(Bus, "mute")
        strip._set("width", 40.0, width)
        self.assertEqual(self.bus("Low end").width, 40.0)
        strip._set("mute", True, mute)
        self.assertTrue(self.bus("Low end").mute)
        self.assertTrue(strip.row.stages.isVisibleTo(strip))
        self.assertEqual(len(strip.row._stages()), 2)

    # The room.

    def _a_pad_dragged_on_the_plan_is_panned_and_sent(self) -> None:
        gull = self.pad("Gull")
        self.page.choose(pad_place(gull.id))
        at = self.plan.place_of(gull).toPoint()
        to = QPoint(self.plan.width() // 4, at.y() - 30)
        QTest.mousePress(self.plan, LEFT, NONE, at)
        QTest.mouseMove(self.plan, to)
        QTest.mouseRelease(self.plan, LEFT, NONE, to)
        moved = self.pad("Gull")
        self.assertAlmostEqual(moved.pan, -54.0, delta=3.0)
        self.assertGreater(room.far_sends(self.session.kit)[moved.id], -12.0)
        self.session.undo()
        self.assertEqual(self.pad("Gull"), gull)

    def _the_drummer_s_view_is_mirrored_and_a_key_moves_what_is_seen(self) -> None:
        gull = self.pad("Gull")
        self.page.choose(pad_place(gull.id))
        here = self.plan.place_of(gull).x()
        self.page.stool.click()
        self.assertAlmostEqual(self.plan.place_of(gull).x(), self.plan.width() - here, delta=1.0)
        QTest.keyClick(self.plan, Qt.Key.Key_Right)
        self.assertEqual(self.pad("Gull").pan, gull.pan - 5.0)

    def _as_a_drummer_sits_keeps_kick_and_bass_in_the_middle(self) -> None:
        self.page.sits.click()
        kit = self.session.kit
        self.assertTrue(all(p.pan == 0.0 for p in kit.pads if p.role in ("kick", "bass")))
        self.assertTrue(all(p.pan > 0.0 for p in kit.pads if p.role == "hat"))
        pans = {p.id: p.pan for p in kit.pads}
        self.page.mirror.click()
        for pad in self.session.kit.pads:
            self.assertEqual(pad.pan, -pans[pad.id] if pans[pad.id] else 0.0)

    def _rooms_come_in_one_step(self) -> None:
        count = len(self.session.kit.buses)
        self.page.rooms.click()
        self.assertEqual(len(self.session.kit.buses), count + 3)
        self.assertFalse(self.page.rooms.isEnabled())
        self.session.undo()
        self.assertEqual(len(self.session.kit.buses), count)

    # What is heard.

    def _who_meets_in_the_low_end_is_told_and_makes_room(self) -> None:
        session = self.session
        plain = routing.flow_into(session.kit, self.pad("Bilge D").id, "", "")
        found = meetings(plain, plain.patterns[0], session.renders.takes)
        pairs = [{one.stays, one.gives} for one in found]
        self.assertIn({self.pad("Keel").id, self.pad("Bilge D").id}, pairs)
        one = found[pairs.index({self.pad("Keel").id, self.pad("Bilge D").id})]
        self.assertTrue(20.0 < one.low_hz < one.center_hz < one.high_hz < 250.0)
        self.assertLess(one.cut_db, 0.0)
        self.assertEqual(one.gives, self.pad("Bilge D").id, "the kick stays")
        menu = QMenu()
        self.page.low_end.fill(menu, [one])
        inner = menu.actions()[0].menu()
        assert inner is not None
        before = session.kit
        inner.actions()[2].trigger()
        analyzer, tried = self.page.analyzer, self.page.low_end._tried
        self.assertTrue(tried.trying and not analyzer.strip.isHidden())
        self.assertIs(session.kit, before)  # it is heard, and not kept yet
        self.assertEqual(len(edits.pad_of(session.heard, one.gives).stages), 2)
        self.until(lambda: tried.gain_db != 0.0, 30.0)
        self.assertIn("as loud", analyzer.tried_said.text())
        analyzer.leave.click()
        self.assertEqual((session.kit, tried.gain_db), (before, 0.0))
        inner.actions()[2].trigger()
        analyzer.keep.click()
        self.assertTrue(analyzer.strip.isHidden())
        made = session.kit.pad(one.gives)
        assert made is not None
        self.assertEqual([s.process.noun for s in made.stages], ["equalizer", "compressor"])
        self.assertEqual(made.stages[1].key, one.stays)
        session.undo()
        self.assertEqual(session.kit, before)
        texts = [action.text() for action in inner.actions()]
        self.assertTrue(any("Tail of" in text for text in texts), texts)
        late = msgspec.structs.replace(one, shift_ms=4.0, won_db=2.0)
        menu = QMenu()
        self.page.low_end.fill(menu, [late])
        inner = menu.actions()[0].menu()
        assert inner is not None
        shift = next(a for a in inner.actions() if "ms later" in a.text())
        shift.trigger()
        analyzer.keep.click()
        pattern = session.pattern
        assert pattern is not None
        lane = next(lane for lane in pattern.lanes if lane.pad == one.gives)
        self.assertAlmostEqual(lane.shift_ms, 4.0)
        session.undo()

    def _level_by_role_is_one_step(self) -> None:
        before = self.session.kit
        self.page.level.click()
        self.until(lambda: self.session.kit is not before, 30.0)
        self.session.undo()
        self.assertEqual(self.session.kit.pads, before.pads)


class Laid(unittest.TestCase):
    def test_columns_follow_the_flow(self) -> None:
        buses = (Bus(id="a", name="A", into="b"), Bus(id="b", name="B"), Bus(id="c", name="C"))
        kit = Kit(name="", pads=(Pad(id="p", name="P", place=0, bus="a"),), buses=buses)
        kit = routing.set_send(kit, "", "b", "c")
        places, streams = laid_out(kit, kit.pads)
        columns = {place.name: place.column for place in places}
        self.assertEqual(columns, {"P": 0, "A": 1, "B": 2, "C": 3, "Master": 4})
        self.assertEqual(len([s for s in streams if s.send]), 1)

    def test_widths_and_distances(self) -> None:
        self.assertLess(width_of(0.001), width_of(0.1))
        self.assertLess(width_of(0.1), width_of(1.0))
        for db in (-40.0 + 0.5, -12.0, 0.0):
            found = send_of(far_of(db))
            assert found is not None
            self.assertAlmostEqual(found, db)
        self.assertIsNone(send_of(0.0))
        self.assertEqual(far_of(None), 0.0)


if __name__ == "__main__":
    unittest.main()
