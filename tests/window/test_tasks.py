"""Whole tasks by hand from an empty kit, clicks counted: velocities, toms, bass, alternates."""

from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtGui import QFontMetricsF
from PyQt6.QtWidgets import QInputDialog

from puddle.formats.sound import write_wav
from puddle.kit import edits
from puddle.kit.model.roles import named_role
from puddle.voices.tom import Tom
from puddle.window import theme
from puddle.window.editors.pad_copier import PadCopier
from puddle.window.shore.key_menu import KeyMenu
from tests.support import hands
from tests.support.hands import Hand
from tests.support.windows import dropped, put

RATE = 48000.0


class Tasks(hands.ByHand):
    def recorded(self, name: str, gain_db: float = 0.0, late_ms: float = 4.0) -> Path:
        """A file of a tom of ours that begins late."""
        audio = Tom().render(RATE, 1.0) * np.float32(10.0 ** (gain_db / 20.0))
        late = np.zeros((round(late_ms * 48.0), 2), np.float32)
        write_wav(self.files / name, np.concatenate([late, audio]), RATE)
        return self.files / name

    def pick(self, hand: Hand, menu: object, text: str) -> None:
        """An entry of an open menu."""
        hand.clicks += 1
        found = next(a for a in menu.actions() if a.text() == text)  # type: ignore[attr-defined]
        found.trigger()

    def test_five_velocities_are_one_drop(self) -> None:
        files = [self.recorded(f"tub {n}.wav", -20.0 + 5 * n, 2.0 * n) for n in range(1, 6)]
        dropped(self.shell.shore.drops[0], *files)
        self.until(lambda: len(self.session.kit.pads) == 1)
        self.settle()
        pad = self.session.kit.pads[0]
        edges = [(k.softest, k.hardest) for k in pad.sound.layers]
        self.assertEqual((edges[0][0], edges[-1][1], len(edges)), (1, 127, 5))
        self.assertEqual(edges, sorted(edges))

    def test_toms_from_one_recording(self) -> None:
        hand = Hand(self)
        pad = hand.drop(0, self.recorded("floor tom.wav"))
        self.assertEqual((pad.name, pad.role), ("Floor tom", "tom"), "its name says what it is")
        hand.clicks += 1  # the right click
        self.shell.pad_menu.open_at(0, self.shell.pos())
        assert self.shell.pad_menu.menu is not None
        self.pick(hand, self.shell.pad_menu.menu, "Copy to more pads …")
        dialog = self.shell.context.of(PadCopier).dialog
        assert dialog is not None
        dialog.intervals.setText("5 9")
        hand.clicks += 1
        dialog.accept()
        self.settle()
        tuned = [p.sound.layers[0].tune_st for p in self.session.kit.pads]
        self.assertEqual([round(t - tuned[0], 3) for t in tuned], [0.0, 5.0, 9.0])
        self.assertEqual({p.role for p in self.session.kit.pads}, {"tom"})
        self.assertEqual(hand.clicks, 4)

    def test_a_bass_along_a_scale(self) -> None:
        hand = Hand(self)
        pad = hand.voice(0, "Dry dock")
        self.shell.do("scale_layout")  # F3, before the pitch was measured
        self.settle()
        self.until(lambda: self.session.kit.pads[0].root == 33)
        hand.click(self.shell.shore.banks.scale_told)
        menu = self.shell.context.of(KeyMenu).menu
        assert menu is not None
        self.pick(hand, menu, "minor pentatonic")
        menu.close()
        hand.click(self.shell.shore.banks.scale_told)
        menu = self.shell.context.of(KeyMenu).menu
        assert menu is not None
        roots = next(a.menu() for a in menu.actions() if a.text() == "Root C")
        self.pick(hand, roots, "A")
        menu.close()
        made = self.session.kit.pad(pad.id)
        assert made is not None
        self.assertEqual((made.tracking, made.root), (100.0, 33))
        notes = [drop.accessibleName().split(": ")[1] for drop in self.shell.shore.drops[:5]]
        self.assertEqual(notes, ["A1", "C2", "D2", "E2", "G2"])
        self.assertEqual((hand.clicks, hand.typed), (5, 1))

    def test_alternates_under_a_kit_gauge(self) -> None:
        hand = Hand(self)
        pad = hand.voice(0, "Deep keel")
        self.shell.do("map")  # Ctrl+4
        panel = self.shell.pages.page("map").pad
        hand.click(panel.tabs["Alternates"])
        lines = panel.alternates
        for _ in range(2):
            hand.clicks += 1
            lines.fill()
            self.pick(hand, lines.menu, "This sound again, to change it")
        made = self.session.kit.pad(pad.id)
        assert made is not None
        names = [one.name for one in made.alternates]
        self.assertEqual(names, ["Deep keel", "Deep keel 2", "Deep keel 3"])
        hand.clicks += 1
        lines.fill_gauges()
        offered = next(a.menu() for a in lines.gauge_menu.actions() if a.text() == "Kit gauge")
        with mock.patch.object(QInputDialog, "getText", lambda *_, text: (text, True)):
            self.pick(hand, offered, "A new kit gauge …")
        gauge = self.session.kit.gauges[0]
        self.assertEqual((gauge.targets[0].pad, gauge.targets[0].field), (pad.id, "alternate"))
        self.assertEqual(hand.clicks, 8)


class Names(hands.ByHand):
    def test_a_name_that_says_its_role(self) -> None:
        for name, wanted in (
            ("hat closed.wav", "hat"),
            ("HiHat_open-03.wav", "hat"),
            ("bass drum 2.wav", "kick"),
            ("BD01.aif", "kick"),
            ("Bass C1.wav", "bass"),
            ("floor tom hard.wav", "tom"),
            ("kick and snare.wav", None),
            ("boathouse 12 plank drop.wav", None),
            ("tomorrow.wav", None),
        ):
            self.assertEqual(named_role(name), wanted, name)

    def test_a_selected_name_that_is_just_too_long(self) -> None:
        """One letter more, until it no longer fits: from then on it stands over its neighbors'."""
        shore, hand = self.shell.shore, Hand(self)
        hand.voice(0, "Deep keel")
        drop, metrics = shore.drops[0], QFontMetricsF(theme.text_font(11, bold=True))
        told = set()
        for letters in range(4, 40):
            put(self.session, "n", edits.set_pad(self.session.kit, "pad1", name="i" * letters))
            fits = metrics.horizontalAdvance(drop.name) <= drop.name_room().width()
            self.assertEqual(shore.whole_name.isHidden(), fits, drop.name)
            told.add(fits)
        self.assertEqual(told, {True, False})
