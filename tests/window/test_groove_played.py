"""Groove: recorded by hand, beside the rest of the track, and moves of gauges kept."""

import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QMimeData, QObject, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QKeyEvent
from PyQt6.QtWidgets import QApplication

from puddle.engine.engine import Engine
from puddle.kit.edits import patterns, set_kit, set_source
from puddle.kit.edits.backing import add_backing
from puddle.kit.edits.recorded import played_order
from puddle.kit.model.document import Pattern
from puddle.kit.playing.schedule import pattern_beats
from puddle.window.pages.groove.tempo_lines import Tapped
from puddle.window.session import moves
from puddle.window.session.input_clock import InputClock
from puddle.window.session.recording import Recording
from puddle.window.session.under import UnderTheGroove
from puddle.window.widgets.drop_geometry import HEAD_PX
from tests.support.groove_page import GrooveTest
from tests.support.sounds import write
from tests.support.windows import LEFT, NONE, put


class InputClockTest(unittest.TestCase):
    """A stroke is put where its event happened, and only its own event's delay counts."""

    def test_a_delay_is_of_the_event_that_is_handled(self) -> None:
        clock = InputClock()
        key = mock.create_autospec(QKeyEvent, instance=True)
        key.timestamp.return_value = 1000
        begun = time.perf_counter()
        clock.see(key)  # the first one is taken as handled at once
        time.sleep(0.03)
        clock.see(key)
        waited = time.perf_counter() - begun
        delay_s = time.perf_counter() - clock.moment_s
        self.assertTrue(0.03 <= delay_s <= waited + 0.01, delay_s)
        time.sleep(0.12)
        self.assertAlmostEqual(
            clock.moment_s, time.perf_counter(), delta=0.01, msg="what comes later is not of it"
        )

    def test_a_thread_that_is_suspended_after_a_stroke_was_noted_moves_it_by_nothing(self) -> None:
        clock = InputClock()
        clock.note(100.0)
        at = clock._noted_s
        for suspended_s in (0.0, 0.02, 0.08):
            with mock.patch("time.perf_counter", return_value=at + suspended_s):
                self.assertEqual(clock.moment_s, 100.0)


class Playing(GrooveTest):
    def recording(self) -> Recording:
        found: Recording = self.shell.context.of(Recording)
        return found

    def test_a_stroke_lands_where_it_was_heard(self) -> None:
        """Struck by the simulated card's clock on the fourth beat, it is written on its step."""
        self.open_card()
        self.click("pad2", 0)
        self.session.settings.record_quantize = 0.0
        recording = self.recording()
        put(self.session, "no count-in", self.changed(count_in=0, tempo_bpm=120.0))
        recording.start()
        # By then the clock has seen the card often enough to tell when its blocks are due.
        self.until(lambda: recording.heard_beat(time.perf_counter()) >= 3.0)
        beat = recording.heard_beat(time.perf_counter())
        self.session.playing.strike("pad1", 90.0)
        self.until(lambda: bool(self.hits("pad1")))
        (hit,) = self.hits("pad1")
        self.assertEqual((hit.at, hit.velocity), (float(round(4.0 * beat)), 90))
        self.assertAlmostEqual(125.0 * hit.at + hit.nudge_ms, 500.0 * beat, delta=3.0)
        recording.stop()
        self.assertFalse(recording.on)
        self.shell.do("play")
        self.session.undo()
        self.assertEqual(self.hits("pad1"), [], "one undo step a pass")

    def changed(self, **values: object) -> object:
        from puddle.kit.edits import set_kit

        return set_kit(self.session.kit, **values)

    def test_a_count_in_comes_first(self) -> None:
        self.open_card()
        self.click("pad2", 0)
        put(self.session, "count-in", self.changed(count_in=1, tempo_bpm=240.0))
        self.recording().start()
        self.until(lambda: self.session.player.playing)
        self.assertLess(self.session.player.beat, 0.0)
        position = self.shell.shore.transport.position
        self.until(lambda: "count-in" in position.text())
        self.until(lambda: self.session.player.beat > 0.1)
        self.recording().stop()
        self.shell.do("play")

    def two_patterns(self) -> tuple[Pattern, Pattern]:
        """Two quick ones, changed between at once; the first one is shown."""
        self.open_card()
        self.click("pad2", 0)
        self.session.grooving.when = "at once"
        put(self.session, "quick", self.changed(count_in=0, tempo_bpm=300.0))
        first = self.pattern()
        other = self.session.make("Another", patterns.add_pattern)
        assert other is not None
        self.session.grooving.choose(first.id)
        return first, other

    def test_patterns_that_are_chosen_become_the_play_order(self) -> None:
        """Two passes of the first and one of another, as by keys or a controller's programs."""
        first, other = self.two_patterns()
        beats = pattern_beats(first)
        recording = self.recording()
        recording.start()
        self.until(lambda: self.session.player.beat > 2.0 * beats - 0.2)
        self.session.grooving.choose(other.id)
        self.until(lambda: self.session.player.beat > 3.0 * beats - 0.2)
        recording.stop()
        self.shell.do("play")
        played = [(play.pattern, play.times) for play in self.session.kit.order]
        self.assertEqual(played, [(first.id, 2), (other.id, 1)])
        self.session.undo()
        self.assertEqual(self.session.kit.order, ())

    def test_what_was_played_before_it_recorded_is_not_in_the_order(self) -> None:
        first, other = self.two_patterns()
        beats = pattern_beats(first)
        self.shell.do("play")
        self.until(lambda: self.session.player.beat > 3.0 * beats)
        recording = self.recording()
        recording.start()
        self.until(lambda: self.session.player.beat > 4.0 * beats - 0.2)
        self.session.grooving.choose(other.id)
        self.until(lambda: self.session.player.beat > 5.0 * beats - 0.2)
        recording.stop()
        self.shell.do("play")
        played = [(play.pattern, play.times) for play in self.session.kit.order]
        self.assertEqual(played, [(first.id, 1), (other.id, 1)])

    def test_another_kit_gets_nothing_of_what_was_recorded(self) -> None:
        """Its patterns may have the same ids."""
        self.open_card()
        self.click("pad2", 0)
        put(self.session, "no count-in", self.changed(count_in=0, tempo_bpm=60.0))
        recording = self.recording()
        recording.start()
        self.until(lambda: self.session.player.beat > 0.1)
        self.session.playing.strike("pad1", 90.0)
        self.assertTrue(recording._waiting)
        recording._turns = [(0.0, "a"), (99.0, "b")]
        self.session.file.new()
        self.assertEqual((recording.on, recording._waiting, recording._turns), (False, [], []))

    def test_an_order_is_counted_in_passes(self) -> None:
        kit = self.session.kit
        for name in ("a", "b"):
            kit, made = patterns.add_pattern(kit, Pattern(id="", name=name, length=16))
            self.assertEqual(pattern_beats(made), 4.0)
        a, b = (p.id for p in kit.patterns[-2:])

        def order(*turns: tuple[float, str], end: float) -> list[tuple[str, int]]:
            return [(p.pattern, p.times) for p in played_order(kit, turns, end)]

        self.assertEqual(order((0.0, a), (8.0, b), (12.0, a), end=21.0), [(a, 2), (b, 1), (a, 2)])
        self.assertEqual(order(end=40.0), [])
        self.assertEqual(order((0.0, a), end=40.0), [])
        self.assertEqual(order((0.0, a), (8.0, b), (8.5, a), end=16.0), [], "passed over")
        self.assertEqual(order((0.0, a), (4.0, "gone"), (8.0, b), end=16.0), [(a, 1), (b, 2)])

    def test_it_records_before_the_card_has_come_for_the_start(self) -> None:
        """A card with long blocks comes late: until then the groove is not stopped, but begins."""
        self.session.player.engine = Engine(48000.0)
        self.click("pad2", 0)
        recording = self.recording()
        recording.start()
        recording.tick()
        self.assertTrue(recording.on)
        self.shell.do("play")
        recording.tick()
        self.assertFalse(recording.on)

    def test_keep_what_i_just_played(self) -> None:
        recording = self.recording()
        began = 100.0
        for n in range(9):
            with mock.patch("time.perf_counter", return_value=began + n * 0.5):
                self.session.playing.strike("pad1" if n % 2 == 0 else "pad2", 80.0 + n)
        with mock.patch("time.perf_counter", return_value=began + 6.0):
            recording.keep()
        self.assertEqual(self.session.kit.tempo_bpm, 120.0)
        self.assertEqual([round(at, 3) for at in self.places("pad1")], [0, 2, 4, 6, 8])
        self.assertEqual(self.pattern().length, 48)

    def test_tapped(self) -> None:
        tapped = Tapped()
        found = [tapped.tap(t) for t in (0.0, 0.5, 1.02, 1.5, 2.0)]
        self.assertIsNone(found[0])
        self.assertAlmostEqual(found[-1] or 0.0, 120.0, delta=0.5)
        self.assertIsNone(tapped.tap(9.0), "after a pause it begins anew")

    def test_kept_tempos(self) -> None:
        lines = self.page.properties.pattern.tempo
        lines.keep()
        lines.set_tempo(90.0)
        lines.try_tempo(120.0)
        self.assertEqual((self.session.kit.tempo_bpm, self.session.kit.tempos), (120.0, (120.0,)))

    def test_the_playhead_marks_the_step_that_sounds(self) -> None:
        self.open_card()
        self.click("pad1", 0)
        self.shell.do("play")
        self.until(lambda: (self.grid.playhead or 0.0) > 0.3)
        column = self.grid.step_rect(self.grid.playhead or 0.0)
        self.assertGreaterEqual(column.left(), HEAD_PX)
        self.shell.do("play")
        self.until(lambda: self.grid.playhead is None)


class RestOfTheTrack(GrooveTest):
    def test_a_file_that_is_dropped_runs_under_the_groove(self) -> None:
        self.open_card()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        path = Path(holder.name) / "yard 100 bpm.wav"
        seconds = np.arange(round(4 * 0.6 * 48000)) / 48000.0
        audio = 0.2 * np.sin(2 * np.pi * 220.0 * seconds).astype(np.float32)
        for beat in range(4):
            audio[round(beat * 0.6 * 48000) :][:200] += 0.6
        write(path, audio[:, None].repeat(2, axis=1))
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        self.page.dropEvent(QDropEvent(QPointF(9, 9), Qt.DropAction.CopyAction, data, LEFT, NONE))
        self.until(lambda: len(self.session.kit.backings) == 1)
        (backing,) = self.session.kit.backings
        under = self.shell.context.of(UnderTheGroove)
        self.until(lambda: under._key(backing) in under._ready)
        fields = self.page.properties.under.fields[backing.id]
        fields._gauges["bpm"].moved.emit(100.0)
        self.session.settle()
        fields._switches["follows"].click() if not self.session.kit.backings[0].follows else None
        (backing,) = self.session.kit.backings
        self.until(lambda: under._key(backing) in under._ready)
        ready = under._ready[under._key(backing)]
        rate = self.session.renders.takes.rate_hz
        wanted = 4 * 60.0 / self.session.kit.tempo_bpm * rate
        self.assertAlmostEqual(len(ready.audio) / wanted, 1.0, delta=0.01)
        fields._gauges["level_db"].moved.emit(-6.0)
        self.session.settle()
        self.assertEqual(self.session.kit.backings[0].level_db, -6.0)
        under.remove(backing.id)
        self.assertEqual(self.session.kit.backings, ())
        self.session.undo()
        self.assertEqual(len(self.session.kit.backings), 1)

    def test_what_was_written_for_a_drag_is_not_put_under_the_groove(self) -> None:
        class FromHere(QDropEvent):
            def source(inside) -> QObject:  # noqa: N805
                return self.page

        told: list[str] = []
        self.session.told.connect(told.append)
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile("/somewhere/groove.wav")])
        self.page.dropEvent(FromHere(QPointF(9, 9), Qt.DropAction.CopyAction, data, LEFT, NONE))
        self.assertIn("Export it first", told[0])

    def test_every_tab_is_as_narrow_as_its_panel(self) -> None:
        under = self.shell.context.of(UnderTheGroove)
        put(self.session, "a file", add_backing(self.session.kit, "x", "/x.wav", 0.0, True)[0])
        self.assertTrue(under.error_of(self.session.kit.backings[0]) == "")
        self.shell.resize(1000, 640)
        pages = self.page.properties.pages
        for n in range(pages.count()):
            self.page.properties.choose(n)
            QApplication.processEvents()
            area = pages.currentWidget()
            inner, viewport = area.widget(), area.viewport()  # type: ignore[union-attr]
            self.assertLessEqual(inner.minimumSizeHint().width(), viewport.width(), f"tab {n}")

    def test_a_file_that_is_gone_is_told(self) -> None:
        told: list[str] = []
        self.session.told.connect(told.append)
        under = self.shell.context.of(UnderTheGroove)
        under.add(Path("/nowhere/yard.wav"))
        self.until(lambda: bool(told))
        self.assertIn("yard.wav", told[0])
        self.assertEqual(self.session.kit.backings, ())


class MovesRecorded(GrooveTest):
    def setUp(self) -> None:
        # A machine that stops for a third of a second in the middle of a move has not ended it.
        self.enterContext(mock.patch.object(moves, "_REST_MS", 1500))
        super().setUp()

    def test_a_gauge_that_is_moved_becomes_own_values_of_the_strokes(self) -> None:
        """A decay that shortens while eighths run: each later stroke has less of it."""
        self.open_card()
        for step in range(0, 16, 2):
            self.click("pad1", step)
        self.settle()
        recording = self.shell.context.of(Recording)
        put(self.session, "no count-in", set_kit(self.session.kit, count_in=0, tempo_bpm=160.0))
        layer = self.session.kit.pads[0].sound.layers[0]
        before = layer.source.decay_ms  # type: ignore[union-attr]
        recording.start()
        self.until(lambda: recording.heard_beat(time.perf_counter()) >= 0.9)
        # By the beat and not by the clock: on a slow machine the pattern must not come round.
        while (beat := recording.heard_beat(time.perf_counter())) < 3.2:
            value = 500.0 - 100.0 * beat
            self.session.edit(
                "decay", lambda kit, v=value: set_source(kit, "pad1", layer.id, decay_ms=v), "drag"
            )
            end = time.monotonic() + 0.03
            self.until(lambda end=end: time.monotonic() >= end)
        self.session.settle()
        self.until(lambda: any(hit.values for hit in self.hits()))
        recording.stop()
        self.shell.do("play")
        values = [hit.values[0].value for hit in self.hits() if hit.values]
        self.assertGreaterEqual(len(values), 3)
        self.assertEqual(values, sorted(values, reverse=True))
        now = self.session.kit.pads[0].sound.layers[0].source
        self.assertEqual(now.decay_ms, before, "the gauge itself is where it was")  # type: ignore[union-attr]
        self.session.undo()
        self.assertFalse(any(hit.values for hit in self.hits()))

    def test_what_moves_several_at_once_is_no_hand_on_a_gauge(self) -> None:
        """Another starting point while it records is an edit, and no move of two gauges."""
        self.open_card()
        self.click("pad1", 0)
        self.settle()
        recording = self.shell.context.of(Recording)
        put(self.session, "no count-in", set_kit(self.session.kit, count_in=0))
        layer = self.session.kit.pads[0].sound.layers[0]
        moved = self.shell.context.of(moves.Moves)
        recording.start()
        self.until(lambda: recording.heard_beat(time.perf_counter()) >= 0.2)
        self.session.edit(
            "another", lambda kit: set_source(kit, "pad1", layer.id, decay_ms=333.0, end_hz=66.0)
        )
        self.session.settle()
        moved.write()
        recording.stop()
        self.shell.do("play")
        self.assertFalse(any(hit.values for hit in self.hits()))
        now = self.session.kit.pads[0].sound.layers[0].source
        self.assertEqual((now.decay_ms, now.end_hz), (333.0, 66.0))  # type: ignore[union-attr]
