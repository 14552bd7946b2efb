"""Mix by hand: routed by dragging, sent, placed, leveled, seen and recorded."""

import dataclasses
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QMenu

from puddle.engine.names import out_node
from puddle.formats.cue_points import read_cues
from puddle.kit import edits
from puddle.kit.edits import room, routing
from puddle.kit.edits.snapshots import add_file_reference
from puddle.kit.model.document import Bus, Kit, Pad, SendTo
from puddle.parameter import parameter
from puddle.views.low_end import meetings
from puddle.views.streams import MASTER, laid_out, out_place, pad_place
from puddle.window.pages.mix.page import MixPage
from puddle.window.pages.mix.room_plan import far_of, send_of
from puddle.window.pages.mix.streams import width_of
from puddle.window.session.output_recorder import OutputRecorder
from tests.support.windows import LEFT, NONE, WindowTest

CONTROL = Qt.KeyboardModifier.ControlModifier


class MixTest(WindowTest):
    """On the page, the demo open."""

    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.session.player.open()
        self.until(lambda: self.session.player.engine is not None)
        self.shell.do("mix")
        page = self.shell.pages.page("mix")
        assert isinstance(page, MixPage)
        self.page, self.streams, self.plan = page, page.streams, page.plan
        QApplication.processEvents()

    def pad(self, name: str) -> Pad:
        return next(p for p in self.session.kit.pads if p.name == name)

    def bus(self, name: str) -> Bus:
        return next(b for b in self.session.kit.buses if b.name == name)

    def drag(self, source: str, target: str | None, modifier: Qt.KeyboardModifier = NONE) -> None:
        """From one place to another; to none it is dropped beside all."""
        start = self.streams.room(source).center().toPoint()
        end = QPoint(3, 3) if target is None else self.streams.room(target).center().toPoint()
        QTest.mousePress(self.streams, LEFT, modifier, start)
        QTest.mouseMove(self.streams, start + QPoint(12, 0))
        QTest.mouseMove(self.streams, end)
        QTest.mouseRelease(self.streams, LEFT, modifier, end)

    def test_the_room_pans_sends_spreads_and_mirrors(self) -> None:
        self._a_pad_dragged_on_the_plan_is_panned_and_sent()
        self._rooms_come_in_one_step()
        self._the_drummer_s_view_is_mirrored_and_a_key_moves_what_is_seen()
        self._as_a_drummer_sits_keeps_kick_and_bass_in_the_middle()

    def test_routes_are_dragged_sent_and_refused(self) -> None:
        self._a_pad_dragged_to_a_bus_flows_there_and_undo_takes_it_back()
        self._with_ctrl_it_is_sent_and_the_strip_shows_it()
        self._a_loop_is_refused_with_the_reason()

    def test_levels_and_the_low_end_are_one_step_each(self) -> None:
        self._level_by_role_is_one_step()
        self._who_meets_in_the_low_end_is_told_and_makes_room()

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
        self.page.fill_menu(menu, made.id)
        self.assertEqual(
            [a.text() for a in menu.actions() if a.text()],
            ["Flows into", "Sent to", "Rename …", "Remove"],
        )
        self.page._remove(made.id)
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

    def test_streams_are_as_wide_as_they_are_loud_and_figures_come(self) -> None:
        self.page.choose("skins")
        self.session.grooving.toggle()
        looks: list[object] = []
        self.page._mixing.looked.connect(looks.append)
        self.until(lambda: len(looks) > 20)
        skins = next(s for s in self.page._streams if s.source == "skins" and not s.send)
        self.until(lambda: self.streams._levels.get(skins, 0.0) > 0.05)
        keel = next(s for s in self.page._streams if s.source == pad_place(self.pad("Keel").id))
        self.until(lambda: self.streams._levels.get(keel, 0.0) > 0.05)
        self.until(lambda: "LUFS" in self.page.analyzer.figures["integrated"].text())
        self.assertIsNotNone(looks[-1].other_db)  # type: ignore[attr-defined]
        self.session.grooving.toggle()
        self.page.analyzer.figures["integrated"].setText("x")
        self.page._mixing.reset()
        self.until(lambda: self.page.analyzer.figures["integrated"].text() == "–")

    def test_a_reference_lies_beside_in_thirds(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        rng = np.random.default_rng(1)
        path = folder / "trusted.wav"
        soundfile.write(path, 0.1 * rng.standard_normal((96_000, 2)), 48000)
        self.session.edit(
            "Beside", lambda kit: add_file_reference(kit, "Trusted", str(path), 0.0, 2000.0)[0]
        )
        analyzer = self.page.analyzer
        self.assertEqual(analyzer.beside.count(), 2)
        analyzer.thirds.click()
        analyzer.tilt.setCurrentIndex(2)
        analyzer.beside.setCurrentIndex(1)
        analyzer.beside.activated.emit(1)
        self.until(lambda: analyzer._beside is not None)
        self.session.grooving.toggle()
        self.until(lambda: len(analyzer.spectrum.backdrop.traces) >= 2)
        shown = analyzer.spectrum.backdrop.traces
        self.assertEqual((shown[0].dye, shown[0].filled), ("sun", True))
        self.assertEqual(len(shown[0].hz) % 2, 0)
        self.assertLess(len(shown[0].hz), 70)
        path.unlink()
        analyzer.beside.setCurrentIndex(1)
        analyzer.beside.activated.emit(1)
        self.until(lambda: analyzer.beside.currentIndex() == 0)

    def test_nothing_is_looked_for_while_nobody_looks(self) -> None:
        engine = self.session.player.engine
        assert engine is not None
        self.assertEqual(int(engine._record[0]["metered"]), 1)
        self.shell.do("map")
        self.assertEqual(int(engine._record[0]["metered"]), 0)

    def test_a_bus_leaves_on_outputs_of_its_own(self) -> None:
        session, page = self.session, self.page
        bus = session.kit.buses[0]
        page.choose(bus.id)
        fields = page.strip.fields
        assert fields is not None
        box = fields.choice("output")
        box.setCurrentText("3 and 4")
        box.textActivated.emit("3 and 4")
        self.assertEqual(session.kit.buses[0].output, "3 and 4")
        self.until(lambda: session.player.device is not None and session.player.device.channels > 2)
        engine = session.player.engine
        assert engine is not None
        self.until(lambda: out_node(1) in engine._graph.places)  # type: ignore[union-attr]
        out = out_place("3 and 4")
        self.assertIn(out, page._places)
        page.choose(out)  # nothing to be set there
        self.assertEqual(page.streams.selected, bus.id)
        second = session.kit.buses[1]
        page.route(second.id, out, False)
        self.assertEqual(session.kit.buses[1].output, "3 and 4")
        told: list[str] = []
        session.told.connect(told.append)
        page.route(pad_place(session.kit.pads[0].id), out, False)
        self.assertIn("let the pad flow", told[-1])
        page.route(bus.id, MASTER, False)
        self.assertEqual(session.kit.buses[0].output, "flows on")

    def recorder(self) -> OutputRecorder:
        return self.shell.context.of(OutputRecorder, lambda: OutputRecorder(self.session))

    def test_every_bus_is_written_from_the_same_frame_on(self) -> None:
        """Without the master's stages, what flows into it adds up to it, sample by sample."""
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

        def plain(kit: Kit) -> Kit:
            """Every pad on a bus, nothing over full scale, nothing after the buses."""
            kit = edits.set_master(kit, stages=(), level_db=0.0)
            for pad in kit.pads:
                if not pad.bus:
                    kit = routing.flow_into(kit, pad.id, "", kit.buses[0].id)
            for bus in kit.buses:
                kit = edits.set_bus(kit, bus.id, level_db=bus.level_db - 18.0)
            return kit

        self.session.edit("Plain", plain)
        self.session.grooving.toggle()
        recorder = self.recorder()
        recorder.record_buses(folder)
        files = {bus.id: folder / f"Rain Gauge {bus.name}.wav" for bus in self.session.kit.buses}
        master = folder / "Rain Gauge Master.wav"
        self.until(lambda: master.exists() and master.stat().st_size > 300_000)
        # A route that changes meanwhile: the bus's file goes on.
        first, second = self.session.kit.buses[0].id, self.session.kit.buses[1].id
        self.session.edit("Route", lambda kit: routing.flow_into(kit, "", second, first))
        size = master.stat().st_size
        self.until(lambda: master.stat().st_size > size + 300_000)
        recorder.stop()
        self.until(lambda: not recorder.recording)
        audio = {key: soundfile.read(path)[0] for key, path in files.items()}
        whole = soundfile.read(master)[0]
        frames = 40_000  # before the route was changed; the levels have arrived
        lengths = {len(one) for one in audio.values()} | {len(whole)}
        self.assertLessEqual(max(lengths) - min(lengths), 9_600)
        part = slice(frames // 2, frames)
        left = whole[part] - sum(one[part] for one in audio.values())
        self.assertGreater(np.abs(whole[part]).max(), 0.01)
        # Each of six files is rounded to 24 bits.
        self.assertLess(np.abs(left).max(), 6 * 2.0**-24)

    def test_what_is_heard_is_written_without_a_gap(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        path = Path(holder.name) / "out.wav"
        recorder = self.recorder()
        told: list[str] = []
        self.session.told.connect(told.append)
        self.session.grooving.toggle()
        recorder.record(path)
        self.until(lambda: path.exists() and path.stat().st_size > 300_000)
        recorder.stop()
        self.until(lambda: not recorder.recording)
        audio, rate = soundfile.read(path)
        self.assertEqual((rate, audio.shape[1]), (48000, 2))
        self.assertIn("dBFS at", told[-1])
        self.assertGreater(np.abs(audio).max(), 0.05)
        (peak,) = read_cues(path)
        self.assertEqual(peak, int(np.argmax(np.abs(audio).max(axis=1))))
        engine = self.session.player.engine
        assert engine is not None
        ring, _ = engine.heard(0, 90_000)
        tail = np.round(ring[:, 0] * (1 << 23))
        written = np.round(audio[-20_000:-10_000, 0] * (1 << 23))
        # Found again in the ring, sample by sample (24 bits; the last one may round either way).
        starts = np.flatnonzero(np.abs(tail[: len(tail) - 10_000] - written[0]) <= 1)
        self.assertTrue(any(np.abs(tail[s : s + 10_000] - written).max() <= 1 for s in starts))

    def _who_meets_in_the_low_end_is_told_and_makes_room(self) -> None:
        session = self.session
        plain = routing.flow_into(session.kit, self.pad("Bilge D").id, "", "")
        found = meetings(plain, plain.patterns[0], session.renders.takes)
        pairs = [{one.stays, one.gives} for one in found]
        self.assertIn({self.pad("Keel").id, self.pad("Bilge D").id}, pairs)
        one = found[pairs.index({self.pad("Keel").id, self.pad("Bilge D").id})]
        self.assertTrue(20.0 < one.low_hz < one.center_hz < one.high_hz < 250.0)
        self.assertLess(one.cut_db, 0.0)
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
        late = dataclasses.replace(one, shift_ms=4.0, won_db=2.0)
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
