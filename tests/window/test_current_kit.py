"""Edits change the kit as it is when they are carried out; a trial never leaves the window."""

import ast
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu

import puddle.window
from puddle.engine.offline import strike
from puddle.errors import EditError
from puddle.kit import edits
from puddle.kit.edits.routing import flow_into
from puddle.kit.model.document import Kit
from puddle.window.editors.layer_menu import LayerMenu
from puddle.window.editors.pad_copier import PadCopier
from tests.support.windows import DemoTest


def entry(menu: QMenu | None, *names: str) -> Callable[[], None]:
    """What carries an entry of a menu out, by the way to it."""
    assert menu is not None
    for name in names[:-1]:
        menu = next(a.menu() for a in menu.actions() if a.text() == name)
        assert menu is not None
    return next(a.trigger for a in menu.actions() if a.text().startswith(names[-1]))


class Equal(DemoTest):
    def test_what_changes_nothing_is_no_step(self) -> None:
        """A stream dropped where it flows already, a gauge let go where it was."""
        before = self.session.kit
        bus, pad = before.buses[0], before.pads[0]
        for change in (
            lambda kit: flow_into(kit, "", bus.id, bus.into),
            lambda kit: edits.set_pad(kit, pad.id, level_db=pad.level_db),
            lambda kit: edits.set_kit(kit, tempo_bpm=kit.tempo_bpm),
        ):
            self.assertTrue(self.session.edit("nothing", change))
            self.assertTrue(self.session.kit is before)
        self.assertFalse(self.session.history.edited)
        self.assertFalse(self.shell.commands.by_id["undo"].isEnabled())


class WhileAMenuIsOpen(DemoTest):
    """The tempo is changed while a menu waits: what is chosen then does not put it back."""

    def check(self, run: Callable[[], None]) -> None:
        before = self.session.kit
        self.session.edit("tempo", lambda kit: edits.set_kit(kit, tempo_bpm=137.0), "tempo")
        self.session.settle()
        run()
        self.assertEqual(self.session.kit.tempo_bpm, 137.0)
        self.assertNotEqual(self.session.kit.pads, before.pads)
        self.session.undo()
        self.session.undo()
        self.assertIs(self.session.kit, before)

    def test_a_layers_menu(self) -> None:
        self.session.selection.select_pad("pad1")
        layer = self.session.kit.pads[0].sound.layers[0]
        self.session.selection.select_layer(layer.id)
        for names in ((f"Duplicate {layer.name}",), (f"Move {layer.name} down",), ("Dye", "weld"),
                      ("Copy to", "Plank"), (f"Remove {layer.name}",)):  # fmt: skip
            menu = LayerMenu(self.session, layer, self.shell)
            self.check(entry(menu.menu, *names))
        self.settle()

    def test_a_pads_menu(self) -> None:
        for names in (("Mute",), ("Duplicate",), ("Clear",), ("Role", "tom")):
            self.shell.pad_menu.open_at(0, QPoint(5, 5))
            self.check(entry(self.shell.pad_menu.menu, *names))
        self.settle()

    def test_a_dialog(self) -> None:
        self.session.selection.select_pad("pad1")
        self.shell.do("copy_to_pads")
        dialog = self.shell.context.of(PadCopier).dialog
        assert dialog is not None
        dialog.intervals.setText("5")
        self.check(dialog.accept)
        self.settle()


class Refusals(DemoTest):
    def test_a_refusal_is_told_and_nothing_is_a_step(self) -> None:
        told: list[str] = []
        self.session.told.connect(told.append)
        before = self.session.kit

        def refuse(kit: Kit) -> Kit:
            raise EditError("There is no room.")

        self.assertFalse(self.session.edit("x", refuse))
        self.assertIsNone(self.session.make("x", lambda kit: (refuse(kit), 1)))
        self.assertEqual(told, ["There is no room."] * 2)
        self.assertIs(self.session.kit, before)
        self.assertIsNone(self.session.history.undo_name)


class Trials(DemoTest):
    def test_an_export_never_writes_what_is_tried(self) -> None:
        self.session.selection.select_pad("pad1")
        self.settle()
        pad = self.session.paced.pad("pad1")
        assert pad is not None
        wanted = strike(pad, self.session.renders.takes, 127.0)
        self.shell.pages.page("shape").trial.offer(
            lambda kit: edits.set_layer(kit, "pad1", "layer1", level_db=-40.0), "a", "b", "c"
        )
        self.settle()
        self.assertTrue(self.session.playing.trying)
        self.assertIsNot(self.session.heard, self.session.paced)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "kick.wav")
            self.shell.exports.sound(path, "32f")
            self.until(lambda: self.shell.exports.working is None)
            audio, _ = soundfile.read(path, dtype="float32")
        np.testing.assert_array_equal(audio, wanted)


class Code(DemoTest):
    def test_no_edit_in_the_window_puts_a_kit_back(self) -> None:
        """An edit is given a function of a kit that it uses: not one that hands a kit over."""
        found, allowed = [], {"tuner.py"}  # which looks whether the kit is the one it measured
        for path in Path(puddle.window.__file__).parent.rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Attribute):
                    continue
                if node.func.attr not in ("edit", "make") or len(node.args) < 2:
                    continue
                change = node.args[1]
                if isinstance(change, ast.Lambda):
                    given = {argument.arg for argument in change.args.args}
                    used = {n.id for n in ast.walk(change.body) if isinstance(n, ast.Name)}
                    if not given & used and path.name not in allowed:
                        found.append(f"{path.name}:{node.lineno}")
        self.assertEqual(found, [])
