"""Pads in the window: moved, copied, sampled, from other windows, and a scale on their places."""

from unittest import mock
from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog

from puddle.kit import edits
from puddle.kit.model.document import Sample
from puddle.kit.model.tonality import Key
from puddle.kit.playing.velocity import lows_of, step_of, struck
from puddle.render.takeset import take_of
from puddle.window.shell.take_over import take_over_menu
from puddle.window.shore.scale_layout import scale_notes
from puddle.window.widgets.mime import PAD_MIME, PARCEL_MIME
from tests.support.engines import all_struck
from tests.support.windows import LEFT, NONE, put
from tests.window.test_mapped import TOWLINE, MappedTest


class Pads(MappedTest):
    def test_moved_duplicated_cleared_removed_by_keys(self) -> None:
        self.session.selection.select_pad("pad1")
        self.press("move_right")
        self.assertEqual((self.pad("pad1").place, self.pad("pad2").place), (1, 0))
        self.press("move_left")
        self.assertEqual((self.pad("pad1").place, self.pad("pad2").place), (0, 1))
        self.press("duplicate_pad")
        copy = self.session.pad
        assert copy is not None
        self.assertEqual((copy.name, copy.place), ("Keel copy", 26))
        self.assertEqual(self.shell.shore.banks.bank, 1)
        self.press("clear_pad")
        self.assertEqual(self.pad(copy.id).sound.layers, ())
        self.assertEqual(self.pad(copy.id).name, "Keel copy")
        self.press("remove_pad")
        self.assertIsNone(self.session.kit.pad(copy.id))
        self.settle()

    def test_dragged_it_swaps_and_with_ctrl_it_is_copied(self) -> None:
        drop = self.shell.shore.drops[3]

        def let_go(place: int) -> None:
            data = self.shell.parcels.mime("pad1")
            event = QDropEvent(QPointF(20, 20), Qt.DropAction.CopyAction, data, LEFT, NONE)
            self.shell.shore.drops[place].dropEvent(event)

        let_go(drop.place)
        self.assertEqual((self.pad("pad1").place, self.pad("pad4").place), (3, 0))
        self.shell.shore.banks.show_bank(1)
        with patch.object(QApplication, "keyboardModifiers",
                          return_value=Qt.KeyboardModifier.ControlModifier):  # fmt: skip
            let_go(12)
        copy = self.session.kit.pad_at(28)
        assert copy is not None
        self.assertEqual((copy.name, self.pad("pad1").place), ("Keel copy", 3))
        self.settle()

    def test_the_neighbor_of_a_pad_that_goes_is_selected(self) -> None:
        self.session.selection.select_pad("pad6")
        self.press("remove_pad")
        self.assertEqual(self.session.pad.name, "Downpour")
        self.session.selection.select_pad("pad26")  # the last
        self.press("remove_pad")
        self.assertEqual(self.session.pad.name, "Transom")

    def test_a_kit_gauge_that_went_while_it_was_dragged_is_told(self) -> None:
        told: list[str] = []
        self.session.told.connect(told.append)
        gauge = next(iter(self.shell.shore.gauges.gauges.values()))
        self.session.file.new()
        gauge.moved.emit(70.0)
        self.assertIn("no kit gauge", told[-1])

    def test_sorting_that_leaves_nothing_lands_nothing(self) -> None:
        told: list[str] = []
        self.session.told.connect(told.append)
        before = self.session.kit
        self.shell.incoming._land_drums([], 0)
        self.assertIs(self.session.kit, before)
        self.assertEqual(told, ["Nothing is left to land."])

    def test_an_aspect_is_copied_from_pad_to_pad(self) -> None:
        self.session.selection.select_pad(TOWLINE)
        self.press("copy_pad")
        self.session.selection.select_pad("pad14")
        menu = take_over_menu(self.session, self.shell.parcels, self.shell)
        self.assertEqual(menu.title(), "Take over from Towline")
        next(a for a in menu.actions() if a.text() == "Trigger, voices and glide").trigger()
        pad = self.pad("pad14")
        self.assertEqual((pad.trigger, pad.limit, pad.notes), ("gate", 1, (83,)))
        self.assertIn("takes trigger, voices and glide over", self.session.history.undo_name or "")
        self.session.selection.select_pad(TOWLINE)
        self.assertFalse(
            take_over_menu(self.session, self.shell.parcels, self.shell).actions()[0].isEnabled()
        )
        self.settle()

    def test_a_pad_goes_to_an_empty_place_by_the_menu(self) -> None:
        self.session.selection.select_pad("pad1")
        self.press("copy_pad")
        self.shell.pad_menu.open_at(30, QPoint(5, 5))
        menu = self.shell.pad_menu.menu
        assert menu is not None
        next(a for a in menu.actions() if a.text() == "Paste Keel").trigger()
        menu.close()
        pad = self.session.kit.pad_at(30)
        assert pad is not None
        self.assertEqual(pad.sound, self.pad("pad1").sound)
        self.settle()

    def carried(self, pad_id: str) -> QMimeData:
        """What a drag out of another window brings: packed there, while its kit is open."""
        data = QMimeData()
        data.setData(PAD_MIME, f"elsewhere {pad_id}".encode())
        data.setData(PARCEL_MIME, self.shell.parcels.mime(pad_id).data(PARCEL_MIME))
        return data

    def test_a_pad_of_another_kit_comes_with_its_samples_and_its_bus(self) -> None:
        carried = [self.carried("pad18"), self.carried("pad1")]
        slipway, keel = self.pad("pad18"), self.pad("pad1")
        self.session.file.new()
        kit, _ = edits.add_bus(self.session.kit, "Skins")
        put(self.session, "x", kit)
        # A drop of what another window's drag carries.
        for data in carried:
            event = QDropEvent(QPointF(20, 20), Qt.DropAction.CopyAction, data, LEFT, NONE)
            self.shell.shore.drops[3].dropEvent(event)
            self.session.background.tasks.wait(5.0)
            QApplication.processEvents()
        self.until(lambda: len(self.session.kit.pads) == 2)
        one, two = self.session.kit.pads
        self.assertEqual((one.name, one.place, one.sound), ("Slipway", 3, slipway.sound))
        self.assertEqual((two.name, two.place, two.bus), ("Keel", 4, self.session.kit.buses[0].id))
        self.settle()
        self.assertGreater(float(np.abs(self.session.renders.audio[one.id]).max()), 0.01)
        self.assertEqual(two.sound, keel.sound)

    def test_what_is_no_parcel_is_told(self) -> None:
        kit = self.session.kit
        for data in (
            b"",
            b"PK nothing",
            bytes(self.shell.parcels.mime("pad1").data(PARCEL_MIME))[:900],
        ):
            count = len(self.told)
            self.shell.parcels.take_in(data, 0)
            self.until(lambda count=count: len(self.told) > count)
        self.assertIs(self.session.kit, kit)

    def test_a_voice_is_sampled_at_strengths_with_its_turns(self) -> None:
        kit = edits.set_layer(self.session.kit, "pad14", "layer1", variation=40.0)
        kit = edits.set_reach(kit, "pad14", "layer1", "decay_ms", 40.0)
        put(self.session, "x", kit)
        self.session.selection.select_pad("pad14")
        self.settle()
        with patch.object(QInputDialog, "getInt", return_value=(3, True)):
            self.press("sample_voice")
        self.until(lambda: len(self.pad("pad14").sound.layers) == 12)
        layers = self.pad("pad14").sound.layers
        self.assertEqual(sorted({(k.softest, k.hardest) for k in layers}),
                         [(1, 42), (43, 85), (86, 127)])  # fmt: skip
        sound, takes = edits.pad_of(kit, "pad14").sound, self.session.renders.takes
        journal = self.session.file.journal
        assert journal is not None
        for k in layers:
            assert isinstance(k.source, Sample)
            content = self.session.kit.content(k.source.content)
            assert content is not None and content.printed is not None
            self.assertEqual(content.printed.sound, sound)
            decoded = journal.store.decoded(content.hash)
            assert decoded is not None
            step = step_of(k.hardest, lows_of(sound))
            wanted = takes.sound(struck(sound, step, k.turn - 1)).audio
            np.testing.assert_array_equal(decoded.audio, wanted)
        self.assertIn("12 recordings", self.told[-1])
        self.settle()


class TunedPads(MappedTest):
    def test_once_the_hand_rests_the_takes_are_tuned(self) -> None:
        """What plays then is what `render` writes, to the bit; back at 0 it is the sound itself."""
        renders, pad = self.session.renders, self.pad("pad1")
        untuned = renders.sets["pad1"]
        for tune in (4.0, 4.5, 5.0):
            kit = edits.set_pad(self.session.kit, "pad1", tune_st=tune)
            put(self.session, "tune", kit, ("tune", "pad1"))
        self.assertIs(renders.sets["pad1"], untuned, "the hand moves it yet")
        self.until(lambda: renders.sets["pad1"].tuned_st == 5.0)
        found = renders.sets["pad1"]
        self.assertEqual((found.tuned_st, set(found.ready)), (5.0, set(untuned.ready)))
        for key, take in found.ready.items():
            wanted = take_of(renders.takes, pad.sound, key, 5.0)
            np.testing.assert_array_equal(take, wanted)
        self.shell.do("undo")
        self.until(lambda: renders.sets["pad1"].tuned_st == 0.0)
        self.settle()


class Held(MappedTest):
    def test_a_bank_that_is_turned_lets_the_struck_pad_go(self) -> None:
        """By the mouse and by a key: what is let go is what was struck."""
        let_go: list[str] = []
        shore, session = self.shell.shore, self.session
        with mock.patch.object(
            session.playing, "release", lambda pad_id, note: let_go.append(pad_id)
        ):
            drop = shore.drops[2]
            QTest.mousePress(drop, LEFT, NONE, drop.rect().center())
            shore.banks.show_bank(1)
            QTest.mouseRelease(drop, LEFT, NONE, drop.rect().center())
            shore.banks.show_bank(0)
            QTest.keyPress(self.shell, Qt.Key.Key_R)
            shore.banks.show_bank(1)
            QTest.keyRelease(self.shell, Qt.Key.Key_R)
        struck = [pad.id for place in (2, 3) if (pad := session.kit.pad_at(place)) is not None]
        self.assertEqual(let_go, struck)


class ScaleOnPads(MappedTest):
    def test_the_places_are_notes_of_the_scale(self) -> None:
        key = Key(root="D", scale="minor pentatonic")
        self.assertEqual(scale_notes(key, 62, 0)[:6], [62, 65, 67, 69, 72, 74])
        self.assertEqual(scale_notes(key, 60, 0)[0], 50)
        self.assertIsNone(scale_notes(key, 120, 0)[-1])
        self.session.player.open()
        engine = self.engine
        put(self.session, "x", edits.set_kit(self.session.kit, key=key))
        self.session.selection.select_pad(TOWLINE)
        self.press("scale_layout")
        shore = self.shell.shore
        self.assertEqual(shore.drops[1].accessibleName(), "Pad 2: F1")
        self.assertIn("minor pentatonic", " ".join(shore.banks.scale_told.text().split()))
        self.press("octave_up")
        self.assertEqual(shore.drops[1].accessibleName(), "Pad 2: F2")
        self.settle()
        before = all_struck(engine)
        drop = shore.drops[2]
        QTest.mousePress(drop, LEFT, NONE, drop.center().toPoint())
        self.until(lambda: all_struck(engine) > before)
        self.until(lambda: engine.sounding > 0)
        notes = engine.voices["note"][engine.voices["state"] > 0]
        self.assertEqual(notes.tolist(), [43])
        QTest.mouseRelease(drop, LEFT, NONE, drop.center().toPoint())
        self.press("scale_layout")
        self.assertEqual(shore.drops[0].accessibleName(), "Pad 1: Rib")
        self.settle()

    def test_a_pad_of_one_pitch_follows_keys_from_its_own(self) -> None:
        self.session.selection.select_pad("pad14")  # D1, 36.7 Hz
        self.until(lambda: self.session.looks.pitches is not None
                   and self.session.looks.pitches.sound is self.pad("pad14").sound)  # fmt: skip
        self.press("scale_layout")
        self.assertEqual((self.pad("pad14").tracking, self.pad("pad14").root), (100.0, 26))
        self.assertIn("follows keys now", self.told[-1])
        self.press("scale_layout")
        self.settle()
