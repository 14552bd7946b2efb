"""A hand on the window: clicks, drags and typed values, counted."""

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
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
from puddle.kit.edits.tuning import tune_of
from puddle.kit.model.document import Pad, Sound
from puddle.window.widgets.fields import Fields
from tests.support.stores import new_store
from tests.support.windows import LEFT, WindowTest, dropped


class Hand:
    """A hand on the window that counts its clicks (drags are one each) and what it types."""

    def __init__(self, test: "ByHand") -> None:
        self.test = test
        self.shell = test.shell
        self.clicks = self.typed = 0

    @property
    def properties(self) -> Any:
        return self.shell.pages.page("shape").properties

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

    def voice(self, place: int, name: str) -> Pad:
        """A voice for an empty place: a click on it, its name typed, and Enter."""
        session = self.shell.session
        self.click(self.shell.shore.drops[place])
        self._choose_voice(name)
        return session.kit.pads[-1]

    def add_voice(self, name: str) -> None:
        """A voice as another layer: Add layer, its name typed, and Enter."""
        self.click(self.shell.pages.page("shape").lanes.add)
        self._choose_voice(name)

    def _choose_voice(self, name: str) -> None:
        chooser = self.shell.incoming.chooser
        assert chooser is not None
        self.typed += 1
        QTest.keyClicks(chooser.search, name)
        QTest.keyClick(chooser.search, Qt.Key.Key_Return)
        self.test.settle()

    def level(self, layer: str, text: str) -> None:
        """A level typed into a lane's own gauge."""
        self._type(self.shell.pages.page("shape").lanes.header(layer).level, text)

    def align(self) -> None:
        """Align, and once it is heard, Keep."""
        page = self.shell.pages.page("shape")
        self.test.settle()
        self.test.until(page.align.isEnabled)
        self.click(page.align)
        self.test.until(lambda: page.trial.trying)
        self.click(page.keep)
        self.test.settle()

    def note(self, text: str) -> None:
        """The measured pitch of the whole clicked, another note typed, and Enter."""
        self.test.settle()
        self.test.until(self.shell.pages.page("shape").lanes.pitch.isEnabled)
        self.click(self.shell.pages.page("shape").lanes.pitch)
        lines = self.properties.tune_lines
        self.test.until(lines.note.isEnabled)
        self.typed += 1
        lines.note.selectAll()
        QTest.keyClicks(lines.note, text)
        QTest.keyClick(lines.note, Qt.Key.Key_Return)
        self.test.until(lambda: "tuned to" in (self.shell.session.history.undo_name or ""))
        self.test.settle()

    def layer(self, key: str = "layer1") -> None:
        """Chooses a layer by its lane."""
        self.click(self.shell.pages.page("shape").lanes.canvas(key), QPoint(300, 30))

    def whole(self) -> None:
        """Chooses the whole sound."""
        self.click(self.shell.pages.page("shape").lanes.whole, QPoint(300, 30))

    def type(self, fields: Fields, field: str, text: str) -> None:
        """A value typed into a gauge."""
        self._type(fields.gauge(field), text)

    def _type(self, gauge: Any, text: str) -> None:
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
        self.type(self.properties.fields, field, text)

    def switch(self, field: str) -> None:
        self.click(self.properties.fields.switch(field))

    def add(self, noun: str, kind: str = "") -> None:
        """A stage from the menu: one click opens it, one takes an entry; kinds open by hovering."""
        entries = self.properties.stages.add_menu.actions()
        self.clicks += 2
        found = next(a for a in entries if a.text() == noun)
        if kind:
            found = next(a for a in found.menu().actions() if a.text() == kind)
        found.trigger()
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
        """A right click on the pad, then an entry of its menu's roles, which opens by hovering."""
        pad = self.shell.session.pad
        assert pad is not None
        self.clicks += 2
        self.shell.pad_menu.open_at(pad.place, QPoint(5, 5))
        entries = self.shell.pad_menu.menu.actions()
        roles = next(a.menu() for a in entries if a.text() == "Role")
        next(a for a in roles.actions() if a.text() == role).trigger()
        self.shell.pad_menu.menu.close()


class ByHand(WindowTest):
    """An empty kit, the boathouse recordings as files, and what the demo holds."""

    def setUp(self) -> None:
        super().setUp()
        self.session.file.new()
        self.shell.pages.show_page("shape")
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
        """Makes one sound of a recording; tells (clicks, typed values)."""
        hand = Hand(self)
        pad = hand.drop(0, self.files / f"{recording}.wav")
        work(hand)
        return self.finish(hand, pad, name, role)

    def finish(self, hand: Hand, pad: Pad, name: str, role: str) -> tuple[int, int]:
        """Names a sound and compares it with the demo's; tells (clicks, typed values)."""
        hand.rename(name)
        made = self.session.kit.pad(pad.id)
        assert made is not None
        if made.role != role:
            hand.role(role)
            made = self.session.kit.pad(pad.id)
            assert made is not None
        self.assert_same(made.sound, self.demo_pads[name].sound)
        self.assertEqual((made.name, made.role), (name, role))
        self.settle()
        return hand.clicks, hand.typed

    def assert_same(self, made: Sound, wanted: Sound) -> None:
        """To the last gauge; what was measured within what another machine may measure."""
        layers = []
        for own, other in zip(made.layers, wanted.layers, strict=True):
            self.assertAlmostEqual(own.offset_ms, other.offset_ms, delta=0.001)
            self.assertAlmostEqual(tune_of(own), tune_of(other), delta=0.001)
            measured = {"offset_ms", "tune_st", "tune_ct"}
            same = {field: getattr(other, field) for field in measured}
            layers.append(msgspec.structs.replace(own, **same))
        self.assertEqual(msgspec.structs.replace(made, layers=tuple(layers)), wanted)
