"""In time with others, from the window: a clock is followed, and what is wanted leaves."""

import unittest

import numpy as np
from PyQt6.QtTest import QTest

from puddle.midi.messages import played
from puddle.midi.ports import SIMULATED
from puddle.window.pages.controllers.simulator import NOTES, Simulator
from tests.support.controllers_page import ControllersPageTest
from tests.support.windows import LEFT

CLOCK, START, STOP = b"\xf8", b"\xfa", b"\xfc"


def clock_of(bpm: float, seconds: float) -> list[tuple[float, bytes]]:
    """Ticks, with a start after a second."""
    tick = 60.0 / bpm / 24.0
    ticks = [(n * tick, CLOCK) for n in range(int(seconds / tick))]
    return sorted([*ticks, (1.0, START)])


class InTimeTest(ControllersPageTest):
    """Following, sending, lights."""

    def setUp(self) -> None:
        super().setUp()
        self.settings = self.session.settings
        self.settings.follows, self.settings.sends = "", {}
        self.lit: list[bytes] = []
        self.controlling.lit.connect(self.lit.append)

    def notes(self) -> list[tuple[int, int]]:
        """(channel, note) of what began, so far."""
        found = [(m[0] & 0x0F, played(m)) for m in self.lit]
        return [(channel, note.note) for channel, note in found if note and note.velocity]

    def middle_off_ms(self, looks: int) -> float:
        """How far off the groove is in the middle of many looks.

        One look goes by when this busy machine lets the process run; the exact bound is tested on
        a made-up card (tests/midi).
        """
        seen: list[float] = []

        def look() -> bool:
            told = self.controlling.in_time.followed
            if told is not None and (not seen or told.off_ms != seen[-1]):
                seen.append(told.off_ms)
            return len(seen) >= looks

        self.until(look, 10.0)
        return float(np.median(np.abs(seen)))

    def switch(self, what: str) -> None:
        row = self.page.time._outs.itemAt(0)
        assert row is not None and row.widget() is not None
        for one in row.widget().findChildren(type(self.page.time.leads)):  # type: ignore[union-attr]
            if one.text() == what:
                QTest.mouseClick(one, LEFT)
                return
        self.fail(what)

    def test_a_clock_starts_and_stops_the_groove_which_takes_its_tempo(self) -> None:
        link = self.controlling._link
        assert link is not None
        link.play({"Other": clock_of(97.0, 120.0)})  # longer than any machine takes
        self.until(lambda: "Other" in self.controlling.read, 30.0)
        self.page.time.box.textActivated.emit("clock of Other")
        self.assertEqual(self.settings.follows, "Other")
        self.until(lambda: self.session.player.playing, 10.0)
        self.until(lambda: abs(self.session.kit.tempo_bpm - 97.0) < 0.15, 10.0)
        self.until(lambda: "97.0 bpm" in self.page.time.said.text(), 10.0)
        self.assertLess(self.middle_off_ms(9), 5.0)
        link.play({})
        self.until(lambda: "Other" not in self.controlling.read)
        link.play({"Other": [(0.0, STOP)]})
        self.until(lambda: not self.session.player.playing, 10.0)
        self.until(lambda: "waits" in self.page.time.said.text())
        self.session.undo()
        self.assertEqual(self.session.kit.tempo_bpm, 104.0)
        self.page.time.box.textActivated.emit("its own tempo")
        self.assertIn("own tempo", self.page.time.said.text())
        engine = self.session.player.engine
        assert engine is not None
        self.until(lambda: abs(float(engine._record[0]["bpm"]) - 104.0) < 1e-6)

    def test_the_groove_lights_the_pads_it_strikes(self) -> None:
        self.until(lambda: self.controlling.in_time.outs == (SIMULATED,))
        self.switch("lights")
        (simulator,) = self.shell.findChildren(Simulator)
        self.session.grooving.toggle()
        self.until(lambda: NOTES.index(36) in simulator.pads.lit)
        self.until(lambda: len(self.notes()) > 8)
        self.session.grooving.toggle()
        self.until(lambda: not simulator.pads.lit)
        self.assertTrue({note for _, note in self.notes()} <= {*range(128)})
        self.assertIn((9, 36), self.notes())

    def test_lanes_that_are_chosen_leave_on_their_channel(self) -> None:
        self.until(lambda: self.controlling.in_time.outs == (SIMULATED,))
        in_time = self.controlling.in_time
        in_time.set_channel(SIMULATED, 4)
        in_time.set_places(SIMULATED, frozenset({0, 3}))
        self.switch("groove")
        self.session.grooving.toggle()
        self.until(lambda: len(self.notes()) > 6)
        self.assertEqual({channel for channel, _ in self.notes()}, {4})
        kit = self.session.kit
        wanted = {pad.notes[0] for pad in kit.pads if pad.place in (0, 3)}
        self.assertEqual({note for _, note in self.notes()}, wanted)
        self.lit.clear()
        self.session.selection.select_pad(kit.pads[0].id)
        in_time.set_places(SIMULATED, frozenset({3}))
        self.until(lambda: len(self.notes()) > 6)
        self.assertEqual(len({note for _, note in self.notes()[2:]}), 1)
        self.switch("groove")
        self.assertEqual(in_time.sends(SIMULATED), frozenset())
        self.session.grooving.toggle()

    def test_a_clock_that_is_sent_starts_and_stops_with_the_groove(self) -> None:
        self.until(lambda: self.controlling.in_time.outs == (SIMULATED,))
        self.switch("clock")
        self.until(lambda: CLOCK in self.lit)
        self.session.grooving.toggle()
        self.until(lambda: START in self.lit)
        self.session.grooving.toggle()
        self.until(lambda: STOP in self.lit)

    def test_settings_of_it_that_are_broken_fall_back(self) -> None:
        self.settings.sends = {SIMULATED: ["channel 99", "pads x 3", "nonsense"]}
        in_time = self.controlling.in_time
        self.assertEqual(in_time.channel(SIMULATED), 9)
        self.assertEqual(in_time.places(SIMULATED), frozenset({2}))
        self.assertEqual(in_time.sends(SIMULATED), frozenset())


if __name__ == "__main__":
    unittest.main()
