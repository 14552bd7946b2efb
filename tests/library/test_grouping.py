"""Folders of recordings sorted into drums, in the core and in the window."""

import itertools
import tempfile
import unittest
from collections import Counter
from math import comb
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QTreeWidget

from puddle.errors import EditError
from puddle.kit.edits.landing import Landing, landed, told
from puddle.kit.edits.trimming import trimmed
from puddle.kit.model.document import MOST_PADS, Content, Kit, Layer, Reach, Sound
from puddle.kit.playing.velocity import lows_of, step_of, struck
from puddle.library.intake import sound_files
from puddle.measure.grouping import apart_db, drum_name, grouped, likeness, stem
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from puddle.window.files.incoming import Incoming
from puddle.window.files.sorting import Sorting
from tests.kit.test_ordering import DRUMS, POINTS, RATE
from tests.support.sounds import noise, sine, write
from tests.support.windows import LEFT, WindowTest, dropped


def strikes(takes: Takes, drum: str, velocities: tuple[float, ...], turns: int) -> list[np.ndarray]:
    """Recordings of a drum, soft to hard, by turns."""
    reaches = tuple(Reach(field=f, amount=float(a)) for f, a in DRUMS[drum].items())
    layer = Layer(id="a", name="a", source=POINTS[drum], reaches=reaches, variation=15.0)
    sound = Sound(layers=(layer,), turns=8)
    return [
        takes.sound(struck(sound, step_of(v, lows_of(sound)), t)).audio
        * np.float32((v / 127.0) ** 2)
        for v, t in itertools.product(velocities, range(turns))
    ]


def agreement(true: list[str], found: list[int]) -> float:
    """The adjusted Rand index (Hubert and Arabie 1985): 1 for equal partitions, 0 for chance."""
    pairs = sum(comb(n, 2) for n in Counter(zip(true, found, strict=True)).values())
    one = sum(comb(n, 2) for n in Counter(true).values())
    two = sum(comb(n, 2) for n in Counter(found).values())
    chance = one * two / comb(len(true), 2)
    most = (one + two) / 2.0
    return (pairs - chance) / (most - chance) if most != chance else 1.0


class Grouping(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        takes = Takes(NoSamples(), RATE)
        cls.found = [
            (drum, n, likeness(audio, RATE))
            for drum in DRUMS
            for n, audio in enumerate(strikes(takes, drum, (30.0, 80.0, 127.0), 2))
        ]

    def index(self, name: str, trials: int) -> float:
        """The mean agreement over folders of six drums, their files called as `name` says."""
        rng, scores = np.random.default_rng(2), []
        for _ in range(trials):
            drums = set(rng.choice(list(DRUMS), 6, replace=False))
            some = [entry for entry in self.found if entry[0] in drums]
            some = [some[n] for n in rng.permutation(len(some))]
            codes = {d: n for n, d in enumerate(DRUMS)}
            names = [
                name.format(drum=d, n=n, k=k, code=codes[d]) for k, (d, n, _) in enumerate(some)
            ]
            labels = [0] * len(some)
            for label, group in enumerate(grouped(names, [one for _, _, one in some])):
                for place in group:
                    labels[place] = label
            scores.append(agreement([d for d, _, _ in some], labels))
        return float(np.mean(scores))

    def test_by_likeness_alone(self) -> None:
        self.assertGreaterEqual(self.index("take {k:02}.wav", 16), 0.85)

    def test_names_help(self) -> None:
        self.assertGreaterEqual(self.index("{drum}_{n} hard.wav", 8), 0.97)

    def test_a_stem_before_a_number_is_a_drum(self) -> None:
        """Drums called g00 to g12, a take's number after each: nothing else tells them apart."""
        self.assertGreaterEqual(self.index("g{code:02} {n}.wav", 8), 0.97)
        self.assertGreaterEqual(self.index("g{code:02}_take{n}_hard.wav", 4), 0.97)

    def test_stems(self) -> None:
        for name, wanted in (
            ("g01 soft 2.wav", "g01"),
            ("kick07.wav", "kick"),
            ("Low tom hard rr2.aif", "Low tom"),
            ("boathouse 07 oak knock.wav", "boathouse 07 oak knock"),
            ("0012.wav", ""),
            ("take 3.wav", ""),
        ):
            self.assertEqual(stem(name), wanted)

    def test_what_a_name_says(self) -> None:
        for name, wanted in (
            ("Snare_03_soft.wav", "snare"),
            ("KICK v2 rr1.aif", "kick"),
            ("boathouse 07 oak knock.flac", "boathouse oak knock"),
            ("0012.wav", ""),
        ):
            self.assertEqual(drum_name(name), wanted)

    def test_a_distance(self) -> None:
        one, other = likeness(sine(200, 0.5), RATE), likeness(noise(0.5), RATE)
        self.assertEqual(apart_db(one, one), 0.0)
        self.assertEqual(apart_db(one, other), apart_db(other, one))
        self.assertLess(apart_db(one, likeness(sine(200, 0.5, 0.1), RATE)), 0.1)
        silent = likeness(np.zeros((100, 2), np.float32), RATE)
        self.assertTrue(np.isfinite(apart_db(one, silent)))
        self.assertEqual(grouped(["a"], [one]), [[0]])
        self.assertEqual(grouped([], []), [])


def content(n: int) -> Content:
    return Content(
        hash=f"{n:064x}", name=f"{n}.wav", suffix=".wav", rate_hz=48000, channels=1, frames=480
    )


class Landings(unittest.TestCase):
    def landing(self, **values: object) -> Landing:
        facts: dict[str, object] = {
            "name": "Hatch",
            "role": "snare",
            "contents": tuple(content(n) for n in range(4)),
            "sources": tuple(trimmed(content(n), 0.0) for n in range(4)),
            "names": tuple(str(n) for n in range(4)),
            "rungs": ((1, 3), (0, 2)),
            "levels": (-10.0, -22.0, -12.0, -20.0),
        }
        return Landing(**(facts | values))  # type: ignore[arg-type]

    def test_strengths_and_turns(self) -> None:
        kit, (pad,) = landed(Kit(name=""), [self.landing()], 3)
        self.assertEqual((pad.place, pad.role, len(kit.contents)), (3, "snare", 4))
        found = {k.name: (k.softest, k.hardest, k.turn) for k in pad.sound.layers}
        self.assertEqual(found["1"][2], 1)
        self.assertEqual(found["3"][2], 2)
        self.assertEqual(found["1"][:2], found["3"][:2])
        self.assertEqual((found["1"][0], found["0"][1]), (1, 127))
        self.assertEqual(found["1"][1] + 1, found["0"][0])

    def test_otherwise(self) -> None:
        for taken_as, turns, said in (
            ("round robin", [1, 2, 3, 4], "4 in a round robin"),
            ("all at once", [0, 0, 0, 0], "4 at once"),
        ):
            landing = self.landing(taken_as=taken_as)
            _, (pad,) = landed(Kit(name=""), [landing])
            self.assertEqual([k.turn for k in pad.sound.layers], turns)
            self.assertEqual({(k.softest, k.hardest) for k in pad.sound.layers}, {(1, 127)})
            self.assertEqual(told(landing), said)
        self.assertEqual(told(self.landing()), "2 velocities, 2 in each round robin")

    def test_a_full_kit_refuses(self) -> None:
        many = [self.landing(contents=(content(0),), rungs=((0,),), levels=(-9.0,))]
        with self.assertRaisesRegex(EditError, "full"):
            landed(Kit(name=""), many * (MOST_PADS + 1))


class Dropped(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.session.file.new()
        self.shell.pages.show_page("shape")
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.told: list[str] = []
        self.session.told.connect(self.told.append)

    @property
    def incoming(self) -> Incoming:
        return self.shell.incoming

    def kit_folder(self) -> Path:
        """Forty files: five drums of four strengths and two turns, in one folder."""
        place = self.folder / "session"
        place.mkdir()
        takes = Takes(NoSamples(), RATE)
        for drum in ("Fresh plank", "Deep keel", "Oak block", "Drizzle", "Wet canvas"):
            made = strikes(takes, drum, (20.0, 52.0, 88.0, 127.0), 2)
            for n, audio in enumerate(made):
                write(place / f"{drum} {n + 1}.wav", audio)
        return place

    def wait_for_sorting(self) -> None:
        self.until(lambda: self.incoming.sorting is not None, 30.0)

    def test_a_folder_of_forty_becomes_a_kit(self) -> None:
        place = self.kit_folder()
        (place / "read me.txt").write_text("no sound")
        dropped(self.shell.shore.drops[0], place)
        self.wait_for_sorting()
        dialog = self.incoming.sorting
        assert dialog is not None
        self.assertEqual(self.session.kit.pads, ())  # nothing has landed
        self.assertEqual(len(dialog.drums), 5)
        assert dialog.ok is not None
        QTest.mouseClick(dialog.ok, LEFT)
        pads = self.session.kit.pads
        self.assertEqual(sorted(p.name for p in pads), [
            "Deep keel", "Drizzle", "Fresh plank", "Oak block", "Wet canvas",
        ])  # fmt: skip
        for pad in pads:
            ranges = {(k.softest, k.hardest) for k in pad.sound.layers}
            self.assertEqual((len(pad.sound.layers), len(ranges)), (8, 4), pad.name)
            self.assertEqual(sorted(k.turn for k in pad.sound.layers), [1] * 4 + [2] * 4)
            order = [k.name for k in sorted(pad.sound.layers, key=lambda k: (k.softest, k.turn))]
            self.assertEqual(order, [f"{pad.name} {n}" for n in range(1, 9)])
        self.shell.do("undo")
        self.assertEqual(self.session.kit.pads, ())
        self.settle()

    def test_the_grouping_is_changed_before_it_lands(self) -> None:
        for n in range(3):
            write(self.folder / f"thud {n}.wav", sine(80 + n, 0.4, 0.5))
            write(self.folder / f"hiss {n}.wav", noise(0.1, n))
        dropped(self.shell.shore.drops[2], self.folder)
        self.wait_for_sorting()
        dialog = self.incoming.sorting
        assert dialog is not None
        self.assertEqual([d.name for d in dialog.drums], ["Hiss", "Thud"])
        self.take_first_apart(dialog)
        self.assertEqual([len(d.found) for d in dialog.drums], [2, 3, 1])
        last = dialog.tree.topLevelItem(2)
        assert last is not None
        last.setSelected(True)
        dialog.leave_out()
        self.assertEqual([len(d.found) for d in dialog.drums], [2, 3])
        box = dialog.tree.itemWidget(dialog.tree.topLevelItem(1), 1)
        assert isinstance(box, QComboBox)
        box.setCurrentIndex(1)
        box.activated.emit(1)
        named = dialog.tree.topLevelItem(1)
        assert named is not None
        named.setText(0, "Bilge")
        dialog.tree.selectAll()
        dialog.tree.clearSelection()
        QTest.keyClick(dialog, Qt.Key.Key_Escape)  # nothing lands
        self.assertEqual(self.session.kit.pads, ())
        dialog._land(dialog.drums)
        pads = {p.name: p for p in self.session.kit.pads}
        self.assertEqual(sorted(pads), ["Bilge", "Hiss"])
        self.assertEqual([k.turn for k in pads["Bilge"].sound.layers], [1, 2, 3])
        self.assertEqual(min(p.place for p in pads.values()), 2)
        self.settle()

    def test_rows_stay_as_high_when_groups_change(self) -> None:
        for n in range(3):
            write(self.folder / f"hiss {n}.wav", noise(0.1, n))
        dropped(self.shell.shore.drops[0], self.folder)
        self.wait_for_sorting()
        dialog = self.incoming.sorting
        assert dialog is not None
        before = self.row_heights(dialog.tree)
        self.take_first_apart(dialog)
        self.assertEqual(len(dialog.drums), 2)
        self.assertEqual(len(before), 1)
        self.assertEqual(self.row_heights(dialog.tree), before)
        dialog.reject()

    def take_first_apart(self, dialog: Sorting) -> None:
        """The first recording of the first group becomes a group of its own."""
        head = dialog.tree.topLevelItem(0)
        row = head.child(0) if head is not None else None
        assert row is not None
        row.setSelected(True)
        dialog.apart()

    def row_heights(self, tree: QTreeWidget) -> set[int]:
        """Of recordings, in pixels."""
        QApplication.processEvents()
        heads = [tree.topLevelItem(n) for n in range(tree.topLevelItemCount())]
        rows = [head.child(n) for head in heads if head for n in range(head.childCount())]
        return {tree.visualItemRect(row).height() for row in rows}

    def test_join_each_and_drag(self) -> None:
        for n in range(2):
            write(self.folder / f"thud {n}.wav", sine(80 + n, 0.4, 0.5))
            write(self.folder / f"hiss {n}.wav", noise(0.1, n))
        dropped(self.shell.shore.drops[0], self.folder)
        self.wait_for_sorting()
        dialog = self.incoming.sorting
        assert dialog is not None
        dialog.tree.selectAll()
        dialog.join()
        self.assertEqual([len(d.found) for d in dialog.drums], [4])
        dialog.tree.selectAll()
        dialog.each()
        self.assertEqual([len(d.found) for d in dialog.drums], [1, 1, 1, 1])
        one, other = dialog.tree.topLevelItem(0), dialog.tree.topLevelItem(1)
        assert one is not None and other is not None
        one.setSelected(True)
        dialog._move([one], other.child(0))
        self.assertEqual([len(d.found) for d in dialog.drums], [2, 1, 1])
        self.assertFalse(dialog.grab().isNull())
        dialog.reject()
        self.settle()

    def test_eight_shuffled_files_on_an_empty_place_are_one_snare(self) -> None:
        made = strikes(Takes(NoSamples(), RATE), "Fresh plank", (20.0, 52.0, 88.0, 127.0), 2)
        order = [5, 0, 7, 2, 1, 6, 3, 4]
        files = [write(self.folder / f"rec {k}.wav", made[n]) for k, n in enumerate(order)]
        dropped(self.shell.shore.drops[0], *files)
        self.until(lambda: len(self.session.kit.pads) == 1, 30.0)
        layers = self.session.kit.pads[0].sound.layers
        rungs = sorted({(k.softest, k.hardest) for k in layers})
        whose = {
            k.name: order[int(k.name.split()[1])] // 2 for k in layers
        }  # the strength that each file was made with
        for k in layers:
            self.assertEqual(rungs.index((k.softest, k.hardest)), whose[k.name], k.name)
        self.assertIn("4 velocities, 2 in each round robin", self.told[-1])
        self.settle()

    def test_a_thousand_files_and_what_is_no_sound(self) -> None:
        """A thousand lie there; how many land is lowered, so that the test is quick."""
        tiny = sine(500, 0.005, 0.5)
        for n in range(1000):
            tiny[-1, 0] = n * 1e-4  # each its own content
            write(self.folder / f"x {n:04}.wav", tiny)
        for n in range(3):
            (self.folder / f"bad {n}.wav").write_bytes(b"RIFF none")
        self.assertEqual(len(sound_files([self.folder])), 1003)
        self.enterContext(mock.patch("puddle.window.files.incoming.MOST_FILES", 24))
        dropped(self.shell.shore.drops[0], self.folder)
        self.wait_for_sorting()
        self.until(lambda: bool(self.told))
        assert self.incoming.sorting is not None
        self.assertIn("bad 0.wav", self.told[-1])
        self.assertIn("more", self.told[-1])
        self.assertEqual(sum(len(d.found) for d in self.incoming.sorting.drums), 21)
        self.incoming.sorting.reject()
        empty = self.folder / "empty"
        empty.mkdir()
        dropped(self.shell.shore.drops[0], empty)
        self.until(lambda: "no sound files" in self.told[-1])
        self.settle()

    def test_stopped_nothing_lands(self) -> None:
        dropped(self.shell.shore.drops[0], self.kit_folder())
        working = self.incoming.working
        assert working is not None
        working.reject()
        self.until(lambda: not working.isVisible())
        self.assertIsNone(self.incoming.sorting)
        self.assertEqual(self.session.kit.pads, ())
        self.settle()


if __name__ == "__main__":
    unittest.main()
