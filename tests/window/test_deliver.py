"""Deliver, driven as a person does."""

import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
from PyQt6.QtCore import QMimeData, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QPushButton

from puddle.check.finding import Finding
from puddle.deliver import writing
from puddle.engine.offline import strike
from puddle.kit import edits
from puddle.window.pages.deliver.page import DeliverPage
from puddle.window.session import deliverer as delivering
from puddle.window.session.leveling import level_by_role
from puddle.window.widgets.drag_out import DragOut
from puddle.window.widgets.mime import PAD_MIME
from tests.support.sounds import sine, small_kit, write
from tests.support.stores import new_folder
from tests.support.windows import LEFT, WindowTest, dropped, put


class DeliverTest(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.folder = self.enterContext(new_folder())
        self.session.settings.deliver = {}
        self.session.settings.deliver_folder = str(self.folder)
        self.session.settings.check_limits, self.session.settings.check_off = {}, []
        self.session.settings.role_lufs = {}
        self.session.file.new()
        kit = edits.set_kit(small_kit(), author="Nobody", license="As you like.")
        for pad in kit.pads:
            kit = edits.set_pad(kit, pad.id, level_db=-8.0)
        put(self.session, "a kit", kit)
        self.settle()
        self.shell.do("deliver")
        page = self.shell.pages.page("deliver")
        assert isinstance(page, DeliverPage)
        self.page = page
        self.checker, self.deliverer = page._checker, page._deliverer
        self.checked()

    def checked(self) -> None:
        self.until(lambda: self.checker.current and self.checker.share is None)

    def listed(self) -> None:
        """The list is of the kit and the options as they are."""
        self.until(lambda: not self.deliverer._soon.isActive())
        tasks = self.session.background.tasks
        self.until(lambda: tasks.wait_for("plan", 0.0) and self.deliverer.plan is not None)
        QApplication.processEvents()  # the newest is handed over

    def test_of_a_long_path_both_ends_are_shown(self) -> None:
        deep = self.folder / ("a folder with a long name " * 4).strip()
        self.session.settings.deliver_folder = str(deep)
        self.page.way.show_plan()
        shown = self.page.way.to.shown_text()
        self.assertNotEqual(shown, self.page.way.to.text())
        self.assertEqual(shown[:4], str(deep)[:4])
        self.assertEqual(shown[-4:], self.page.way.to.text()[-4:])

    def rules(self) -> set[str]:
        return {finding.rule for finding in self.checker.findings}

    def finding(self, rule: str) -> Finding:
        return next(one for one in self.checker.findings if one.rule == rule)

    def press(self, button: QPushButton) -> None:
        QTest.mouseClick(button, LEFT)

    def mend(self, rule: str) -> None:
        row = self.page.findings.row_of(rule)
        assert row is not None and row.mend is not None
        self.press(row.mend)

    def test_a_finding_appears_is_mended_and_undone(self) -> None:
        self.assertNotIn("clips", self.rules())
        self.session.edit("Louder", lambda kit: edits.set_pad(kit, "pad1", level_db=12.0))
        self.checked()
        self.assertIn("clips", self.rules())
        before = self.session.kit.pads[0]
        self.mend("clips")
        self.checked()
        self.assertNotIn("clips", self.rules())
        self.assertLess(self.session.kit.pads[0].level_db, 12.0)
        self.session.undo()
        self.assertEqual(self.session.kit.pads[0], before)
        self.checked()
        self.assertIn("clips", self.rules())

    def test_show_goes_there(self) -> None:
        self.session.edit("Louder", lambda kit: edits.set_pad(kit, "pad2", level_db=12.0))
        self.session.edit("No key", lambda kit: edits.set_pad(kit, "pad3", notes=()))
        self.checked()
        self.page.findings.show_wanted.emit(self.finding("no-note"))
        self.assertEqual(self.session.pad_id, "pad3")
        self.assertEqual(self.shell.pages.current, "map")
        self.shell.do("deliver")
        self.page.findings.show_wanted.emit(self.finding("clips"))
        self.assertEqual((self.session.pad_id, self.shell.pages.current), ("pad2", "shape"))

    def test_a_finding_of_what_has_changed_is_not_mended_twice(self) -> None:
        self.session.edit("Louder", lambda kit: edits.set_pad(kit, "pad1", level_db=12.0))
        self.checked()
        finding = self.finding("clips")
        self.checker.mend(finding)
        once = self.session.kit
        self.checker.mend(finding)
        self.assertIs(self.session.kit, once)

    def test_all_that_can_be_is_mended_in_one_step(self) -> None:
        def spoiled(kit):  # type: ignore[no-untyped-def]
            kit = edits.set_pad(kit, "pad1", level_db=12.0, notes=())
            return edits.set_pad(kit, "pad2", name="a/b", mute=True)

        self.session.edit("Spoiled", spoiled)
        self.checked()
        self.assertTrue({"clips", "no-note", "name", "unheard"} <= self.rules())
        before = self.session.kit
        self.press(self.page.findings.mend_all)
        self.checked()
        self.assertFalse({"clips", "no-note", "name", "unheard"} & self.rules())
        self.session.undo()
        self.assertEqual(self.session.kit, before)

    def test_author_and_license_are_asked_for(self) -> None:
        self.session.edit("Nobody", lambda kit: edits.set_kit(kit, author="", license=""))
        self.checked()
        for rule in ("author", "license"):
            self.mend(rule)
            asking = self.page.asking
            assert isinstance(asking, QInputDialog)
            asking.setTextValue(f" my {rule} ")
            asking.accept()
        self.checked()
        kit = self.session.kit
        self.assertEqual((kit.author, kit.license), ("my author", "my license"))
        self.assertFalse({"author", "license"} & self.rules())

    def test_rules_have_thresholds_and_switches(self) -> None:
        limits = self.page.findings.limits
        limits.gauges["loudness"].set_value(2.0)
        limits.gauges["loudness"].moved.emit(2.0)
        self.until(lambda: self.checker.share is not None or "loudness" in self.rules())
        self.checked()
        self.assertIn("loudness", self.rules())
        self.press(self.page.findings.limits_tab)
        self.press(limits.switches["loudness"])
        self.until(lambda: "loudness" not in self.rules())
        self.press(limits.again)
        self.assertEqual(self.session.settings.check_limits, {})
        self.assertEqual(self.session.settings.check_off, [])

    def test_loudness_of_roles_can_be_set(self) -> None:
        limits = self.page.findings.limits
        limits.roles["kick"].moved.emit(-39.0)
        self.until(lambda: "loudness" in self.rules())
        self.assertEqual(self.session.settings.role_lufs, {"kick": -39.0})
        level_by_role(self.session, [self.session.kit.pads[0]])
        self.until(lambda: self.session.kit.pads[0].level_db < -10.0)
        self.press(limits.again)
        self.assertEqual(self.session.settings.role_lufs, {})

    def test_levels_are_listed_or_not(self) -> None:
        self.session.edit("No key", lambda kit: edits.set_pad(kit, "pad3", notes=()))
        self.checked()
        self.assertIsNotNone(self.page.findings.row_of("no-note"))
        self.press(self.page.findings.filters["note"])
        self.assertIsNone(self.page.findings.row_of("no-note"))

    def test_what_is_chosen_is_listed_written_and_said(self) -> None:
        self.listed()
        plan = self.deliverer.plan
        assert plan is not None
        self.assertTrue(plan.of("one-shots") and plan.of("instrument") and plan.of("kit"))
        self.press(self.page.leaves.kinds["instrument"])
        self.listed()
        self.until(
            lambda: self.deliverer.plan is not None and not self.deliverer.plan.of("instrument")
        )
        self.press(self.page.leaves.options.format.pills["flac"])
        self.listed()
        said: list[str] = []
        self.deliverer.ended.connect(said.append)
        self.press(self.page.way.go)
        self.until(lambda: bool(said))
        folder = self.folder / "Small"
        self.assertTrue((folder / "README.txt").is_file())
        self.assertTrue(list(folder.rglob("*.flac")))
        self.assertFalse(list(folder.rglob("*.sfz")))
        self.assertIn(str(folder), said[0])
        self.until(lambda: bool(self.deliverer.there))
        self.assertFalse(self.page.way.there.isHidden())

    def test_what_stands_there_is_replaced_when_that_is_chosen(self) -> None:
        self.deliverer.set_options(what=["one-shots"])
        self.listed()
        said: list[str] = []
        self.deliverer.ended.connect(said.append)
        for policy, count in (("keep both", 1), ("skip", 1), ("replace", 1), ("keep both", 2)):
            said.clear()
            self.deliverer.set_policy(policy)
            self.press(self.page.way.go)
            self.until(lambda: bool(said))
            self.listed()
            found = len(list((self.folder / "Small").rglob("*.wav")))
            plan = self.deliverer.plan
            assert plan is not None
            self.assertEqual(found, count * len(plan.files), policy)

    def test_it_can_be_cancelled_and_leaves_nothing(self) -> None:
        self.listed()
        said: list[str] = []
        put = writing._put

        def slowly(aside: Path, path: str, data: bytes) -> int:
            time.sleep(0.2)
            return put(aside, path, data)

        self.enterContext(mock.patch.object(writing, "_put", slowly))
        self.deliverer.ended.connect(said.append)
        self.deliverer.wrote.connect(lambda one, done, of: self.deliverer.cancel())
        self.press(self.page.way.go)
        self.until(lambda: bool(said) or not self.deliverer.writing)
        self.assertEqual(said, [""])
        self.assertEqual(list(self.folder.iterdir()), [])
        self.assertIn("nothing of it", self.page.way.said.text())

    def test_a_folder_that_cannot_be_written_is_said(self) -> None:
        self.listed()
        (self.folder / "Small").write_bytes(b"a file")
        said: list[str] = []
        self.deliverer.ended.connect(said.append)
        self.press(self.page.way.go)
        self.until(lambda: bool(said))
        self.assertIn("no folder", said[0])
        self.assertEqual((self.folder / "Small").read_bytes(), b"a file")

    def test_names_follow_the_scheme_as_it_is_typed(self) -> None:
        options = self.page.leaves.options
        options.scheme.setText("{pad} {colour}")
        options.scheme.textEdited.emit("{pad} {colour}")
        self.assertIn("colour", options.example.text())
        options.scheme.editingFinished.emit()
        self.assertNotIn("colour", self.deliverer.options.scheme)
        options.scheme.setText("{number} {pad}")
        options.scheme.editingFinished.emit()
        self.listed()
        self.until(lambda: options.example.text().startswith("0"))

    def test_choices_are_kept_on_this_machine(self) -> None:
        options = self.page.leaves.options
        self.press(options.source.pills["bus"])
        self.press(options.rate.pills["44100"])
        options.tempos.setText("90, 120")
        options.tempos.editingFinished.emit()
        kept = delivering.Deliverer(self.session).options
        self.assertEqual((kept.source, kept.rate_hz, kept.tempos), ("bus", 44100, (90.0, 120.0)))
        options.tempos.setText("fast")
        options.tempos.editingFinished.emit()
        self.assertEqual(self.deliverer.options.tempos, (90.0, 120.0))

    def test_one_file_can_be_dragged_out(self) -> None:
        self.listed()
        plan = self.deliverer.plan
        assert plan is not None
        path = plan.of("one-shots")[0].path
        (made,) = self.deliverer.one_file(path)(self.folder)
        self.assertEqual(made.read_bytes()[:4], b"RIFF")

    def test_nothing_is_checked_while_nobody_looks(self) -> None:
        self.shell.do("shape")
        self.session.edit("Louder", lambda kit: edits.set_pad(kit, "pad1", level_db=12.0))
        QTest.qWait(500)
        self.assertFalse(self.checker.current)
        self.shell.do("deliver")
        self.checked()
        self.assertIn("clips", self.rules())


class DraggedOutTest(WindowTest):
    """What a drag takes along for other programs."""

    def setUp(self) -> None:
        super().setUp()
        self.session.file.new()
        put(self.session, "a kit", edits.set_pad(small_kit(), "pad1", level_db=-6.0))
        self.session.selection.select_pad("pad1")
        self.settle()

    def dropped(self, data: QMimeData | None) -> np.ndarray:
        """The sound of the one file that comes."""
        assert data is not None
        self.assertTrue(data.hasUrls())
        (url,) = data.urls()
        audio, _ = soundfile.read(url.toLocalFile(), always_2d=True)
        return np.asarray(audio)

    def test_a_pad_a_layer_and_a_snapshot(self) -> None:
        takes, pad = self.session.renders.takes, self.session.paced.pads[0]
        wanted = strike(pad, takes, 127.0)
        data = self.shell.parcels.mime("pad1")
        self.assertTrue(data.hasFormat(PAD_MIME))
        np.testing.assert_allclose(self.dropped(data), wanted, atol=2e-7)
        sounds = self.shell.pages.page("shape").lanes.sounds
        layer = self.dropped(sounds.layer("layer1"))
        np.testing.assert_allclose(
            layer[: len(wanted)], 10.0**0.3 * wanted, atol=1e-4
        )  # its end fades
        self.shell.do("snapshot")
        self.session.edit("Late", lambda kit: edits.set_sound(kit, "pad1", start_ms=20.0))
        self.shell.do("compare")
        shelf = self.shell.pages.page("compare").shelf
        row = next(row for row in shelf.rows if row.entry.kind == "snapshot")
        np.testing.assert_allclose(self.dropped(shelf._carried(row)), wanted, atol=2e-7)

    def test_a_pad_dropped_on_shape_is_no_file(self) -> None:
        data = self.shell.parcels.mime("pad2")
        action = Qt.DropAction.CopyAction
        event = QDropEvent(
            QPointF(9, 9), action, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
        before = self.session.kit
        self.shell.pages.page("shape").dropEvent(event)
        QTest.qWait(100)
        self.assertIs(self.session.kit, before)

    def test_a_drag_begins_where_the_hand_moves_on(self) -> None:
        begun: list[int] = []
        dot = self.shell.pages.page("shape").lanes._headers["layer1"]._dot
        out = DragOut(dot, lambda: begun.append(1))  # type: ignore[func-returns-value]
        QTest.mousePress(dot, LEFT, pos=dot.rect().center())
        QTest.mouseRelease(dot, LEFT, pos=dot.rect().center())
        self.assertEqual(begun, [])
        out._from = QPointF(0.0, 0.0)
        out._moved(QPointF(40.0, 0.0))
        self.assertEqual(begun, [1])


class InstrumentsTest(WindowTest):
    def test_an_instrument_is_dropped_and_undone(self) -> None:
        folder = self.enterContext(new_folder())
        write(folder / "hit.wav", sine(200.0, 0.1))
        path = Path(folder) / "Little.sfz"
        path.write_text("<region> sample=hit.wav key=36 cutoff=9\n<region> sample=no.wav key=37\n")
        self.session.file.new()
        put(self.session, "a kit", small_kit())
        told: list[str] = []
        self.session.told.connect(told.append)
        before = self.session.kit
        dropped(self.shell.shore.drops[5], path)
        self.until(lambda: len(self.session.kit.pads) == len(before.pads) + 1)
        self.assertIn("no.wav is missing", told[-1])
        self.assertIn("cutoff", told[-1])
        self.session.undo()
        self.assertEqual(self.session.kit.pads, before.pads)


if __name__ == "__main__":
    unittest.main()
