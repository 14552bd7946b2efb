"""One sound on several pads at intervals, and pads that answer to ranges of keys."""

import unittest

import numpy as np
from PyQt6.QtTest import QTest

from puddle.errors import EditError
from puddle.kit import edits
from puddle.kit.edits.spreading import intervals_of, spread
from puddle.kit.model.document import Kit, Layer, Sound
from puddle.measure.pitch import fundamental
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from puddle.units import note_from_hz
from puddle.voices import Tone
from puddle.window.editors.pad_copier import PadCopier
from puddle.window.editors.pad_lines import notes_of, notes_text
from tests.support.windows import LEFT, DemoTest, put


class Intervals(unittest.TestCase):
    def test_numbers_and_scales(self) -> None:
        self.assertEqual(intervals_of("3, 5 7.5;-2"), [3.0, 5.0, 7.5, -2.0])
        self.assertEqual(intervals_of("Minor pentatonic"), [3.0, 5.0, 7.0, 10.0, 12.0])
        for bad in ("", "up", "3 and 4", "99", " ".join(["1"] * 60)):
            with self.assertRaises(EditError):
                intervals_of(bad)

    def test_notes_and_ranges_of_keys(self) -> None:
        self.assertEqual(notes_of("C1, 38"), (24, 38))
        self.assertEqual(notes_of("C4-E4, 36"), (36, 60, 61, 62, 63, 64))
        self.assertEqual(notes_of("E4 - C4"), (60, 61, 62, 63, 64))  # reversed is meant
        self.assertEqual(notes_of("0-127"), tuple(range(128)))
        self.assertEqual(notes_of("C1 38,  C4-D4"), (24, 38, 60, 61, 62))
        self.assertEqual(notes_of("C-1 - E-1"), (0, 1, 2, 3, 4))
        self.assertEqual(notes_text((0, 1, 2, 3, 36, 40, 41)), "C-1 - D♯-1, C2, E2, F2")
        self.assertEqual(notes_of(notes_text((0, 1, 2, 3, 36, 40, 41))), (0, 1, 2, 3, 36, 40, 41))
        self.assertEqual(notes_of(""), ())
        for bad in ("H1", "128", "C4-", "C4-x", "-1-3"):
            self.assertIsNone(notes_of(bad), bad)


class Spreading(unittest.TestCase):
    def setUp(self) -> None:
        layer = Layer(id="a", name="a", source=Tone(pitch_hz=110.0))
        self.kit, _ = edits.add_pad(Kit(name="k"), "Bell", "bass", Sound(layers=(layer,)))

    def test_copies_measure_their_intervals(self) -> None:
        kit, made = spread(self.kit, "pad1", [3.0, -5.0, 0.5])
        takes = Takes(NoSamples(), 48000.0)
        own = note_from_hz(110.0)
        for pad, interval in zip(made, (3.0, -5.0, 0.5), strict=True):
            hz = fundamental(takes.sound(pad.sound).audio, 48000.0).hz
            assert hz is not None
            self.assertLess(abs(note_from_hz(hz) - own - interval), 0.02)
        self.assertEqual([p.name for p in made], ["Bell +3", "Bell −5", "Bell +0.50"])
        self.assertEqual([p.place for p in kit.pads], [0, 1, 2, 3])
        notes = [n for p in kit.pads for n in p.notes]
        self.assertEqual(len(notes), len(set(notes)))
        self.assertEqual(len({p.id for p in kit.pads}), 4)

    def test_too_far_or_too_many_are_refused_whole(self) -> None:
        tuned = edits.set_layer(self.kit, "pad1", "a", tune_st=40.0)
        with self.assertRaisesRegex(EditError, "its gauge goes from"):
            spread(tuned, "pad1", [3.0, 20.0])
        self.assertEqual(len(tuned.pads), 1)


class Roots(unittest.TestCase):
    def test_a_scale_with_a_root_has_its_notes(self) -> None:
        """Over a sound 20 cents above D4: E F G A B flat C D of D minor, 20 cents less each."""
        found = intervals_of("D minor", 62.2)
        self.assertEqual(found, [1.8, 2.8, 4.8, 6.8, 7.8, 9.8, 11.8])
        self.assertEqual(intervals_of("b♭ root and fifth", 60.0), [5.0, 10.0])
        self.assertEqual(intervals_of("minor", 62.2)[:2], [2.0, 3.0])
        with self.assertRaisesRegex(EditError, "no measured pitch"):
            intervals_of("F# major", None)
        with self.assertRaises(EditError):
            intervals_of("H major", 60.0)


class InTheWindow(DemoTest):
    def copy(self, text: str, *, linked: bool = False) -> None:
        page = self.shell.pages.page("map")
        QTest.mouseClick(page.pad.copies, LEFT)
        dialog = self.shell.context.of(PadCopier).dialog
        assert dialog is not None
        dialog.intervals.setText(text)
        dialog.linked.setChecked(linked)
        dialog.accept()

    def test_linked_copies_follow_edits_until_they_go_their_own_way(self) -> None:
        self.session.selection.select_pad("pad14")
        self.shell.do("map")
        self.copy("0 12", linked=True)
        one, two = self.session.kit.pads[-2:]
        kit = self.session.kit
        put(self.session, "x", edits.set_source(kit, "pad14", "layer1", harmonics_db=-3.0))
        for pad_id in (one.id, two.id):
            layer = edits.layer_of(self.session.kit, pad_id, "layer1")
            self.assertEqual(layer.source.harmonics_db, -3.0)  # type: ignore[union-attr]
        self.session.selection.select_pad(two.id)
        page = self.shell.pages.page("map").pad
        QTest.mouseClick(page.unlink, LEFT)
        self.assertIsNone(edits.pad_of(self.session.kit, two.id).link)
        self.settle()

    def test_a_bass_along_a_scale_is_one_step(self) -> None:
        self.session.selection.select_pad("pad14")
        self.shell.do("map")
        kit = self.session.kit
        self.copy("minor pentatonic")
        self.assertEqual(len(self.session.kit.pads), len(kit.pads) + 5)
        self.assertEqual(self.session.history.undo_name, "Bilge D on 5 more pads")
        self.settle()
        takes = self.session.renders.audio
        self.assertTrue(all(np.any(takes[p.id]) for p in self.session.kit.pads[-5:]))
        self.shell.do("undo")
        self.assertIs(self.session.kit, kit)
        told: list[str] = []
        self.session.told.connect(told.append)
        self.copy("a lot")
        self.assertIn("no scale", told[-1])
        self.settle()
