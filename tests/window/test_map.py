"""Map in the window: keys, the ladder, strengths and turns of dropped recordings."""

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from puddle.kit import edits
from puddle.kit.model.document import Kit, Layer, Sound
from puddle.measure.levels import loudness_lufs
from tests.support.engines import hardness, struck
from tests.support.map_page import MappedTest
from tests.support.sounds import noise, write
from tests.support.windows import LEFT, NONE, drag, dropped, put

LEVELS = {"hard": 0.4, "soft": 0.02, "firm": 0.2, "medium": 0.07}


class MapTest(MappedTest):
    def setUp(self) -> None:
        super().setUp()
        self.press("map")

    def drop(self, files: list[Path]) -> None:
        """Files onto an empty pad of the shore."""
        kit, pad = edits.add_pad(self.session.kit, "Hatch", "snare", Sound(), 30)
        put(self.session, "a pad", kit)
        self.session.selection.select_pad(pad.id)
        self.shell.shore.banks.show_bank(1)
        dropped(self.shell.shore.drops[14], *files)
        self.until(lambda: len(self.pad_layers()) == len(files))
        self.settle()
        self.shell.do("map")
        self.until(lambda: len(self.map.ladder.rungs) > 0 and self.map.ordered_layers() is not None)

    def pad_layers(self) -> tuple[Layer, ...]:
        pad = self.session.pad
        return pad.sound.layers if pad is not None else ()

    def ranges(self) -> dict[str, tuple[int, int]]:
        return {k.name: (k.softest, k.hardest) for k in self.pad_layers()}

    def snares(self) -> list[Path]:
        decay = np.exp(-np.arange(9600) / 1500.0)[:, None].astype(np.float32)
        return [
            write(self.folder / f"{name}.wav", noise(0.2, seed=n, level=level) * decay)
            for n, (name, level) in enumerate(LEVELS.items())
        ]


class Strengths(MapTest):
    def test_dropped_recordings_are_ordered_and_split_by_loudness(self) -> None:
        self.drop(self.snares())
        found = self.ranges()
        order = sorted(found, key=lambda name: found[name])
        self.assertEqual(order, ["soft", "medium", "firm", "hard"])
        self.assertEqual((found["soft"][0], found["hard"][1]), (1, 127))
        self.assertIn("taken for velocities", self.told[-1])
        self.assertEqual(self.session.history.undo_name, "4 files dropped")
        # Steps in dB: 10.9, 9.1 and 6.0; half of the neighbors' each.
        steps = [20 * np.log10(b / a) for a, b in ((0.02, 0.07), (0.07, 0.2), (0.2, 0.4))]
        shares = [steps[0], (steps[0] + steps[1]) / 2, (steps[1] + steps[2]) / 2, steps[2]]
        for name, share in zip(order, shares, strict=True):
            size = found[name][1] - found[name][0] + 1
            self.assertAlmostEqual(size, 127 * share / sum(shares), delta=2.0)

    def test_what_is_struck_is_the_strength(self) -> None:
        self.drop(self.snares())
        self.session.player.open()
        engine = self.engine
        self.until(lambda: len(self.session.renders.sets[self.session.pad_id].ready) == 4)
        self.settle()
        pad = self.session.pad
        assert pad is not None
        taken = self.session.renders.sets[pad.id]
        self.assertEqual(taken.lows, tuple(sorted(low for low, _ in self.ranges().values())))
        loud = [
            loudness_lufs(taken.ready[step, 0, 0], engine.rate_hz) or -99.0 for step in range(4)
        ]
        self.assertEqual(loud, sorted(loud))
        self.session.playing.strike(pad.id, 30)
        self.until(lambda: struck(engine, pad.id) > 0)
        self.until(lambda: self.map.ladder.hit == 30.0)
        self.assertEqual(self.map.keys.hit, (pad.notes[0], 30.0))

    def test_the_last_hit_of_another_kit_is_forgotten(self) -> None:
        self.map.keys.show_hit(60, 80.0)
        self.map.ladder.show_hit(80.0)
        self.session.file.new()
        self.shell.do("map")
        self.assertIsNone(self.map.keys.hit)
        self.assertIsNone(self.map.ladder.hit)

    def test_a_rungs_loudness_is_that_of_its_recording(self) -> None:
        """Against an independent meter, on the file with silence up to one block after it."""
        import pyloudnorm
        import soundfile

        files = self.snares()
        self.drop(files)
        shown = {rung.name: rung.loudness_lufs for rung in self.map.ladder.rungs}
        meter = pyloudnorm.Meter(48000)
        for path in files:
            audio, _ = soundfile.read(path)
            padded = np.zeros((19200, 2))
            padded[: len(audio)] = audio
            wanted = meter.integrated_loudness(padded)
            self.assertAlmostEqual(shown[path.stem] or 0.0, wanted, delta=0.1)

    def test_takes_of_one_strength_are_turns(self) -> None:
        files = [
            write(self.folder / f"take {n}.wav", noise(0.2, seed=n, level=0.2)) for n in range(3)
        ]
        self.drop(files)
        self.assertIn("taken for a round robin", self.told[-1])
        self.assertEqual(sorted(k.turn for k in self.pad_layers()), [1, 2, 3])
        self.assertEqual(len(self.map.ladder.rungs), 1)
        self.assertIn("round robin of 3", self.map.ladder.rungs[0].about)

    def test_one_click_changes_the_guess(self) -> None:
        self.drop(self.snares())
        before = self.ranges()
        QTest.mouseClick(self.map.buttons["Round robin"], LEFT)
        self.assertEqual(sorted(k.turn for k in self.pad_layers()), [1, 2, 3, 4])
        self.assertEqual(set(self.ranges().values()), {(1, 127)})
        self.until(lambda: self.map.ordered_layers() is not None)
        QTest.mouseClick(self.map.buttons["Split by loudness"], LEFT)
        self.assertEqual(self.ranges(), before)
        self.until(lambda: self.map.ordered_layers() is not None)
        QTest.mouseClick(self.map.buttons["Split evenly"], LEFT)
        sizes = [high - low + 1 for low, high in self.ranges().values()]
        self.assertLessEqual(max(sizes) - min(sizes), 1)
        QTest.mouseClick(self.map.buttons["Blend edges"], LEFT)
        self.assertEqual(max(k.blend_in for k in self.pad_layers()), 12)
        QTest.mouseClick(self.map.buttons["All at once"], LEFT)
        self.assertEqual(set(self.ranges().values()), {(1, 127)})
        self.settle()

    def test_an_edge_is_dragged_as_one_step_and_moved_by_keys(self) -> None:
        self.drop(self.snares())
        ladder = self.map.ladder
        edge = ladder.edges[1]
        kit = self.session.kit
        at = QPoint(200, round(ladder.y_of(edge)))
        drag(ladder, at, QPoint(200, round(ladder.y_of(edge + 9))))
        moved = self.ranges()
        self.assertEqual(moved["medium"][1], edge + 8)
        self.assertEqual(moved["firm"][0], edge + 9)
        self.shell.do("undo")
        self.assertIs(self.session.kit, kit)
        self.until(lambda: self.map.ordered_layers() is not None)
        ladder.setFocus()
        ladder.edge = None
        QTest.keyClick(ladder, Qt.Key.Key_PageUp)
        self.assertEqual(ladder.edge, ladder.edges[0])
        QTest.keyClick(ladder, Qt.Key.Key_Down)
        self.assertEqual(self.ranges()["soft"][1], edge_of(kit, "soft") - 1)
        self.settle()

    def test_a_rung_is_chosen_and_its_numbers_typed(self) -> None:
        self.drop(self.snares())
        ladder = self.map.ladder
        rung = ladder.rungs[0]
        y = round(ladder.y_of((rung.low + rung.high) / 2))
        QTest.mouseClick(ladder, LEFT, NONE, QPoint(200, y))
        layer = self.session.layer
        assert layer is not None
        self.assertEqual(layer.name, "soft")
        self.map.pad.choose_tab("Velocity")
        fields = self.map.pad.gauge_fields("hardest")
        fields.gauge("hardest").moved.emit(20.0)
        self.assertEqual(self.ranges()["soft"], (1, 20))
        self.settle()

    def test_dragged_edges_come_back_after_a_round_robin(self) -> None:
        self.drop(self.snares())
        again = self.map.buttons["Velocities again"]
        self.assertFalse(again.isEnabled())
        self.map.ladder.edge_moved.emit(self.map.ladder.rungs[1].low, 20)
        self.session.settle()
        self.map.blend()
        kept, whole = self.pad_layers(), dict.fromkeys(LEVELS, (1, 127))
        for other in ("Round robin", "All at once"):
            with self.subTest(other):
                self.until(lambda: self.map.ordered_layers() is not None)
                self.map.buttons[other].click()
                self.assertEqual(self.ranges(), whole)
                self.settle()
                self.assertTrue(again.isEnabled())
                again.click()
                self.assertEqual(self.pad_layers(), kept)
                self.settle()
                self.assertFalse(again.isEnabled())

    def test_what_was_split_is_forgotten_with_its_layers(self) -> None:
        self.drop(self.snares())
        self.map.all_at_once()
        self.assertTrue(self.map.buttons["Velocities again"].isEnabled())
        self.session.selection.select_layer(self.pad_layers()[0].id)
        self.shell.do("remove_layer")
        self.assertFalse(self.map.buttons["Velocities again"].isEnabled())


class Keys(MapTest):
    def test_the_chosen_pads_notes_come_into_sight(self) -> None:
        keys = self.map.keys
        keys._zoom(1, 90)
        keys._zoom(1, 100)
        low = keys.first
        self.assertGreater(low, 36)
        self.session.selection.select_pad("pad1")
        self.session.selection.select_pad("pad2")
        self.assertLessEqual(keys.first, 38)
        self.assertGreaterEqual(keys.last, 38)
        span, first = keys.last - keys.first, keys.first
        self.session.selection.select_pad("pad1")  # in sight: nothing moves
        self.assertEqual((keys.first, keys.last - keys.first), (first, span))

    def test_a_pad_is_dragged_to_another_note(self) -> None:
        keys = self.map.keys
        start = QPoint(round(keys.x_of(36) + 5), 200)
        drag(keys, start, QPoint(round(keys.x_of(41) + 5), 200))
        self.assertEqual(edits.pad_of(self.session.kit, "pad1").notes, (41,))
        self.assertIn("plays on other notes", self.session.history.undo_name or "")
        self.shell.do("undo")
        self.assertEqual(edits.pad_of(self.session.kit, "pad1").notes, (36,))
        keys.setFocus()
        QTest.keyClick(keys, Qt.Key.Key_Right)
        self.assertEqual(edits.pad_of(self.session.kit, "pad1").notes, (37,))
        self.settle()

    def test_several_pads_on_a_note_are_shown(self) -> None:
        kit = edits.set_pad(self.session.kit, "pad2", notes=(36,))
        put(self.session, "x", kit)
        self.assertIn(36, self.map.keys.conflicts())
        self.assertIn("C2", self.map.keys.accessibleDescription())
        self.settle()

    def test_the_ribbon_plays_lower_is_harder(self) -> None:
        self.session.player.open()
        engine = self.engine
        self.settle()
        keys = self.map.keys
        floor = keys._floor()
        for down, wanted in ((12, 30.0), (36, 100.0)):
            before = struck(engine, "pad2")
            QTest.mouseClick(
                keys, LEFT, NONE, QPoint(round(keys.x_of(38) + 5), round(floor) + down)
            )
            self.until(lambda before=before: struck(engine, "pad2") > before)
            self.assertAlmostEqual(hardness(engine, "pad2"), wanted, delta=22.0)
        self.assertEqual(self.session.pad_id, "pad2")

    def test_zoomed_moved_along_and_all(self) -> None:
        keys = self.map.keys
        span = keys.last - keys.first
        keys._zoom(1, 40)
        self.assertLess(keys.last - keys.first, span)
        keys._pan(200)
        self.assertEqual(keys.last, 127)
        keys.show_all()
        notes = [n for pad in self.session.kit.pads for n in pad.notes]
        self.assertLessEqual(keys.first, min(notes))
        self.assertGreaterEqual(keys.last, max(notes))
        self.assertFalse(keys.grab().isNull())

    def test_an_empty_kit_says_what_to_do(self) -> None:
        self.session.file.new()
        self.shell.do("map")
        self.assertEqual(self.map.ladder.rungs, [])
        self.assertEqual(self.map._title.text(), "No pad")


def edge_of(kit: Kit, name: str) -> int:
    """Where a layer of that name ended."""
    return next(k.hardest for p in kit.pads for k in p.sound.layers if k.name == name)
