"""Controllers by hand: simulated, mapped, taught, measured, kept, and gone again."""

import threading
import time
from unittest import mock

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog

from puddle.home import controllers
from puddle.kit import edits
from puddle.kit.edits.buses import set_kit
from puddle.midi.ports import SIMULATED
from puddle.midi.wishes import Came, Ended
from puddle.window.pages.controllers.simulator import NOTES, Simulator, on
from puddle.window.session.recording import Recording
from tests.support.controllers_page import ControllersPageTest
from tests.support.windows import LEFT, NONE


class ControllersTest(ControllersPageTest):
    """Notes: mapped, taught, measured, kept."""

    def counts(self, name: str) -> int:
        pad = next(p for p in self.session.kit.pads if p.name == name)
        return self.session.player.strikes().get(pad.id, (0, 0.0))[0]

    def teach_all(self) -> None:
        """The first pad selected, Teach, and sixteen strokes: two clicks."""
        QTest.mouseClick(self.page.rings, LEFT, NONE, self.page.rings.center(0).toPoint())
        QTest.mouseClick(self.page.teach, LEFT)
        for place in range(16):
            self.hit(place)

    def test_as_the_kit_says_at_once_and_heard(self) -> None:
        place = NOTES.index(36)
        before = self.counts("Keel")
        self.assertEqual(self.hit(place), "Keel")
        self.until(lambda: self.counts("Keel") == before + 1)
        self.until(lambda: "Keel" in self.page.came.text())
        self.assertIn("36", self.page.rings._notes[self.session.kit.pads[0].id])

    def test_sixteen_arbitrary_notes_are_taught_in_sixteen_strokes_and_two_clicks(self) -> None:
        self.teach_all()
        self.assertFalse(self.controlling.teaching.on, "the bank is taught")
        made = self.controlling.maps.of(SIMULATED)
        self.assertEqual(made.way, "taught")
        self.assertEqual([t.note for t in made.taught], list(NOTES))
        in_order = sorted(self.session.kit.pads, key=lambda p: p.place)
        self.assertEqual([self.hit(n) for n in range(4)], [p.name for p in in_order[:4]])
        # It is a file, and in another run it is there again.
        self.until(lambda: controllers.known_maps().get(made.name) == made)
        self.assertEqual(self.session.settings.controllers[SIMULATED], made.name)

    def test_maps_are_chosen_changed_and_kept_under_a_name(self) -> None:
        self.controlling.maps.choose(SIMULATED, "Rising from C2")
        self.until(lambda: self.hit(NOTES.index(38)) == "Tarp")
        with mock.patch.object(QInputDialog, "getText", return_value=("Bench", True)):
            QTest.mouseClick(self.page.keep, LEFT)
        self.until(lambda: "Bench" in controllers.known_maps())
        self.page._set("fixed_on", True)
        self.page._set("fixed", 50)
        self.page._settle()
        self.until(lambda: controllers.known_maps()["Bench"].fixed_on)
        self.assertEqual(controllers.known_maps()["Rising from C2"], controllers.SHIPPED[2])

    def test_a_map_that_ships_is_copied_before_it_changes(self) -> None:
        self.page._set("least", 40)
        self.page._settle()
        made = self.controlling.maps.of(SIMULATED)
        self.assertEqual((made.name, made.least), (SIMULATED, 40))
        self.until(lambda: SIMULATED in controllers.known_maps())

    def test_a_hand_is_measured(self) -> None:
        QTest.mouseClick(self.page.measure, LEFT)
        for velocity, asked in ((30, "softly"), (60, "medium"), (90, "hard")):
            self.assertIn(asked, self.page.asked.text())
            for _ in range(4):
                self.hit(4, velocity)
        self.until(lambda: not self.controlling.teaching.measuring)
        curve = self.controlling.maps.of(SIMULATED).curve
        self.assertEqual([(p.struck, p.plays) for p in curve], [(30, 36), (60, 80), (90, 118)])

    def test_what_is_played_is_remembered_by_groove(self) -> None:
        recording = self.shell.context.of(Recording)
        count = len(recording._played)
        self.hit(NOTES.index(38), 77)
        self.assertEqual(len(recording._played), count + 1)
        stroke = recording._played[-1][0]
        self.assertEqual(stroke.velocity, 77)
        # When it came, and not when the window got round to it: on a clock that both share.
        before = time.perf_counter()
        came = Came(SIMULATED, time.monotonic() - 0.2, 0.0, on(0, 90), 0, 90.0)
        self.controlling._take_in(came)
        self.assertAlmostEqual(recording._played[-1][0].seconds, before - 0.2, delta=0.05)

    def test_a_pad_that_follows_keys_is_played_and_remembered_at_its_note(self) -> None:
        """Towline answers to every note that no other pad has: 59 is one."""
        recording = self.shell.context.of(Recording)
        self.assertEqual(self.hit(NOTES.index(59)), "Towline")
        self.assertEqual(recording._played[-1][0].note, 59)

    def test_what_was_held_ends_where_the_process_dies(self) -> None:
        self.session.edit("gate", lambda kit: edits.set_pad(kit, "pad1", trigger="gate"))
        self.settle()
        self.controlling.play_simulated(on(NOTES.index(36), 100))
        self.until(lambda: bool(self.did))
        let_go: list[str] = []
        self.session.let_go.connect(lambda pad_id, _: let_go.append(pad_id))
        self.controlling._take_in(Ended())
        self.assertEqual(let_go, ["pad1"])

    def test_a_flood_leaves_the_window_free_and_is_told(self) -> None:
        """It comes on another thread, faster than the window can show it."""
        said: list[str] = []
        self.session.told.connect(said.append)
        came = Came(SIMULATED, 0.0, 0.0, on(0, 90), 0, 90.0)

        def pour() -> None:
            for _ in range(30_000):
                self.controlling._hear(came)

        flood = threading.Thread(target=pour)
        flood.start()
        flood.join()
        self.assertEqual(len(self.controlling._waiting), 2000)
        start = time.thread_time()
        QApplication.processEvents()
        self.assertLess(time.thread_time() - start, 0.1)
        self.assertTrue(self.controlling._waiting, "one turn takes some of it")
        self.until(lambda: not self.controlling._waiting)
        self.until(lambda: bool(said))
        self.assertEqual(said, ["28,000 messages came too fast to be shown."])

    def test_the_window_of_the_simulation_strikes_and_closing_it_takes_it_away(self) -> None:
        (simulator,) = self.shell.findChildren(Simulator)
        pads = simulator.pads
        count = len(self.did)
        QTest.mousePress(pads, LEFT, NONE, QPoint(pads.width() // 8, pads.height() * 7 // 8))
        QTest.mouseRelease(pads, LEFT)
        self.until(lambda: len(self.did) > count)
        QTest.keyClick(pads, Qt.Key.Key_Return)
        self.until(lambda: len(self.did) > count + 1)
        simulator.close()
        self.until(lambda: self.controlling.there == ())
        self.assertTrue(self.page.ports.empty.isVisible())
        self.assertFalse(self.page.ports.simulate.isChecked())

    def test_a_kit_that_changes_is_followed(self) -> None:
        pad = self.session.kit.pads[0]
        self.session.edit("notes", lambda kit: edits.set_pad(kit, pad.id, notes=(59,)))
        self.until(lambda: self.hit(NOTES.index(59)) == pad.name)
        self.session.undo()
        self.until(lambda: self.hit(NOTES.index(59)) != pad.name)

    def test_what_a_hand_does_to_a_map_is_undone_between_steps_of_the_kit(self) -> None:
        maps, kit = self.controlling.maps, self.session.kit
        before = maps.of(SIMULATED)
        maps.choose(SIMULATED, "Percussion names")
        self.session.edit("tempo", lambda kit: set_kit(kit, tempo_bpm=99.0))
        self.session.settle()
        self.page._set("fixed_on", True)
        self.page._settle()
        taught = maps.of(SIMULATED)
        self.assertEqual(taught.name, SIMULATED)
        self.session.undo()
        self.assertEqual(maps.of(SIMULATED).name, "Percussion names")
        self.assertEqual(self.session.kit.tempo_bpm, 99.0)
        self.session.undo()
        self.assertEqual(self.session.kit, kit)
        self.session.undo()
        self.assertEqual(maps.of(SIMULATED), before)
        self.assertFalse(self.session.history.edited)
        for _ in range(3):
            self.session.redo()
        self.assertEqual((maps.of(SIMULATED), self.session.kit.tempo_bpm), (taught, 99.0))

    def test_another_engine_is_found_and_one_that_comes_later(self) -> None:
        self.session.settings.rate_hz = 44100
        self.session.player.open()
        self.until(lambda: self.session.player.engine.rate_hz == 44100.0)  # type: ignore[union-attr]
        self.until(lambda: self.controlling.read == (SIMULATED,), 30.0)
        before = self.counts("Keel")
        self.assertEqual(self.hit(NOTES.index(36)), "Keel")
        self.until(lambda: self.counts("Keel") == before + 1)
        self.controlling.close(wait=False)
        engine, self.session.player.engine = self.session.player.engine, None
        self.controlling.start()
        self.assertFalse(self.controlling.started)
        self.session.player.engine = engine
        self.controlling._rings = None
        self.session.player.device_changed.emit()
        self.assertTrue(self.controlling.started)

    def test_a_long_line_widens_nothing_under_it(self) -> None:
        self.page.came.setText("a pad with a name " * 20)
        QApplication.processEvents()
        inner = self.page.curve.parentWidget()
        assert inner is not None and inner.parentWidget() is not None
        self.assertLessEqual(inner.width(), inner.parentWidget().width())  # type: ignore[union-attr]

    def test_it_fits_at_the_least_size(self) -> None:
        self.shell.resize(1000, 640)
        QApplication.processEvents()
        self.assertLessEqual(self.page.minimumSizeHint().width(), 1000)
