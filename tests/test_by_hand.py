"""The demo's four boathouse sounds, made by hand in the window: clicks, drags and typed values.

What the hand makes of the recordings must be, to the last gauge, what the demo holds.
"""

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QInputDialog,
    QLineEdit,
    QPushButton,
    QWidget,
)

from puddle.demo.raingauge import demo_kit
from puddle.demo.recordings import session_files
from puddle.kit.document import Pad
from puddle.window.parts.fields import Fields
from tests.test_formats import new_store
from tests.windows import LEFT, WindowTest, dropped


class Hand:
    """A hand on the window that counts its clicks (drags are one each) and what it types."""

    def __init__(self, test: "ByHand") -> None:
        self.test = test
        self.shell = test.shell
        self.clicks = self.typed = 0

    @property
    def properties(self) -> Any:
        return self.shell.page.properties

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        self.clicks += 1
        if at is None:
            QTest.mouseClick(widget, LEFT)
        else:
            QTest.mouseClick(widget, LEFT, Qt.KeyboardModifier.NoModifier, at)
        QApplication.processEvents()

    def button(self, text: str) -> None:
        """Clicks a button of the properties by its text."""
        found = [b for b in self.properties.findChildren(QPushButton) if b.text() == text]
        self.click(next(b for b in found if b.isVisible()))

    def drop(self, place: int, path: Path) -> Pad:
        """A recording from the files onto an empty place."""
        self.clicks += 1
        session = self.shell.session
        count = len(session.kit.pads)
        dropped(self.shell.shore.drops[place], path)
        self.test.until(lambda: len(session.kit.pads) > count)
        self.test.settle()
        return session.kit.pads[-1]

    def layer(self) -> None:
        """Chooses the only layer by its lane."""
        self.click(self.shell.page.lanes.canvas("layer1"), QPoint(300, 30))

    def whole(self) -> None:
        """Chooses the whole sound."""
        self.click(self.shell.page.lanes.whole, QPoint(300, 30))

    def type(self, fields: Fields, field: str, text: str) -> None:
        """A value typed into a gauge."""
        gauge = fields.gauge(field)
        gauge.setFocus()
        self.clicks += 1
        self.typed += 1
        gauge.edit()
        editor = gauge.findChild(QLineEdit)
        assert editor is not None
        editor.selectAll()
        QTest.keyClicks(editor, text)
        QTest.keyClick(editor, Qt.Key.Key_Return)
        QApplication.processEvents()

    def gauge(self, field: str, text: str) -> None:
        self.type(self.properties._fields, field, text)

    def switch(self, field: str) -> None:
        self.click(self.properties._fields.switch(field))

    def add(self, noun: str) -> None:
        """A stage from the menu: one click opens it, one takes an entry."""
        row = self.properties.stages
        self.clicks += 2
        next(a for a in row.add_menu.actions() if a.text() == noun).trigger()
        QApplication.processEvents()

    @property
    def card(self) -> Any:
        """The card that is open."""
        row = self.properties.stages
        return next(c for c in row.cards if c.fields is not None)

    def choose(self, box: QComboBox, text: str) -> None:
        """One click opens the list, one takes an entry."""
        self.clicks += 2
        box.setCurrentText(text)
        box.textActivated.emit(text)
        QApplication.processEvents()

    def stage_choice(self, field: str, text: str) -> None:
        self.choose(self.card.fields._choices[field], text)

    def stage_gauge(self, field: str, text: str) -> None:
        self.type(self.card.fields, field, text)

    def rename(self, name: str) -> None:
        """A click on Rename, a name, and Enter."""
        self.typed += 1

        def answer() -> None:
            dialog = self.shell.findChild(QInputDialog) or QApplication.activeModalWidget()
            assert isinstance(dialog, QInputDialog)
            dialog.setTextValue(name)
            dialog.accept()

        QTimer.singleShot(50, answer)
        self.button("Rename")

    def role(self, role: str) -> None:
        self.button("Pad")
        boxes = self.properties.findChildren(QComboBox)
        self.choose(next(b for b in boxes if b.accessibleName() == "Role"), role)
        self.button("Stages")


class ByHand(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.session.new()
        self.shell.show_shape()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.files = Path(folder.name)
        for name, data in session_files().items():
            (self.files / name).write_bytes(data)
        with new_store() as store:
            self.demo_pads = {pad.name: pad for pad in demo_kit(store).pads}

    def make(
        self, name: str, role: str, recording: str, work: Callable[[Hand], None]
    ) -> tuple[int, int]:
        """Makes one sound, compares it with the demo's, and tells (clicks, typed values)."""
        hand = Hand(self)
        pad = hand.drop(0, self.files / f"{recording}.wav")
        work(hand)
        hand.rename(name)
        if self.session.kit.pads[-1].role != role:
            hand.role(role)
        made = self.session.kit.pad(pad.id)
        assert made is not None
        wanted = self.demo_pads[name]
        self.assertEqual(made.sound, wanted.sound)
        self.assertEqual((made.name, made.role), (name, role))
        self.settle()
        return hand.clicks, hand.typed

    def test_a_kick_from_an_oak_knock(self) -> None:
        def work(hand: Hand) -> None:
            hand.layer()
            hand.button("Tune")
            hand.gauge("tune_st", "-19")
            hand.whole()
            hand.add("Equalizer")
            hand.button("Bell 2")
            hand.stage_gauge("bell2_db", "-5")
            hand.button("High shelf")
            hand.stage_gauge("high_shelf_db", "4")
            hand.add("Sub")
            hand.stage_choice("tuned", "to the hit")
            hand.stage_gauge("level_db", "-4")
            hand.stage_gauge("decay_ms", "420")
            hand.add("Transient")
            hand.stage_gauge("attack_db", "6")
            hand.add("Saturator")
            hand.add("Gain")
            hand.stage_choice("normalize", "peak")

        self.assertEqual(self.make("Rib", "kick", "boathouse 07 oak knock", work), (31, 7))

    def test_a_shaker_from_gravel(self) -> None:
        def work(hand: Hand) -> None:
            hand.layer()
            hand.button("Envelope")
            hand.switch("on")
            hand.gauge("attack_ms", "45")
            hand.gauge("hold_ms", "10")
            hand.gauge("decay_ms", "130")
            hand.button("Band")
            hand.switch("low_on")
            hand.gauge("low_hz", "2k")
            hand.whole()
            hand.add("Band compressor")
            hand.add("Gain")
            hand.stage_choice("normalize", "peak")

        made = self.make("Slipway", "percussion", "boathouse 34 gravel", work)
        self.assertEqual(made, (22, 5))

    def test_a_cymbal_from_a_chain(self) -> None:
        def work(hand: Hand) -> None:
            hand.layer()
            hand.gauge("stretch", "300")
            hand.gauge("pitch_st", "5")
            hand.gauge("fade_out_ms", "800")
            hand.whole()
            hand.add("Noise")
            hand.add("Reverb")
            hand.stage_choice("kind", "metal")
            hand.stage_gauge("decay_ms", "2600")
            hand.type(hand.card.levels, "dry", "55")
            hand.add("Gain")
            hand.stage_choice("normalize", "peak")

        made = self.make("Mooring", "cymbal", "boathouse 23 chain", work)
        self.assertEqual(made, (23, 6))

    def test_a_tom_from_a_dropped_plank(self) -> None:
        def work(hand: Hand) -> None:
            hand.layer()
            hand.button("Tune")
            hand.gauge("tune_st", "-11")
            hand.button("Envelope")
            hand.switch("on")
            hand.gauge("hold_ms", "60")
            hand.gauge("decay_ms", "420")
            hand.whole()
            hand.add("Sub")
            hand.stage_choice("tuned", "to the hit")
            hand.stage_gauge("level_db", "-6")
            hand.stage_gauge("decay_ms", "380")
            hand.add("Compressor")
            hand.add("Limiter")

        made = self.make("Deckboard", "tom", "boathouse 12 plank drop", work)
        self.assertEqual(made, (24, 6))
