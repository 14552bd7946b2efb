"""Notes and chords of a lane, by mouse and by keys."""

from unittest import mock

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from puddle.kit.edits.chords import chord_name
from puddle.kit.edits.hits import put
from puddle.kit.model.document import Hit
from puddle.window.pages.groove import melody
from tests.support.groove_page import GrooveTest
from tests.support.windows import LEFT, NONE, drag, menu_key

SHIFT = Qt.KeyboardModifier.ShiftModifier


class Roll(GrooveTest):
    def setUp(self) -> None:
        super().setUp()
        self.page.values.choose("note")
        self.roll = self.page.values.roll
        self.settle()
        self.roll.setFocus()

    def notes(self) -> list[tuple[float, int, float]]:
        return [(note.beat, note.note, note.beats) for note in self.roll.notes]

    def chords(self) -> list[tuple[float, str]]:
        return [(chord.at, chord_name(chord)) for chord in self.pattern().chords]

    def spot(self, beat: float, note: int) -> QPoint:
        row = self.roll._y_of(note) + self.roll._row / 2.0
        return QPoint(round(self.roll.x_of(beat)) + 4, round(row))

    def choose(self, entry: str) -> None:
        """What the menu key offers."""
        menus: list[QMenu] = []
        with mock.patch.object(QMenu, "popup", lambda menu, _: menus.append(menu)):
            menu_key(self.roll)
        next(a for a in menus[0].actions() if a.text() == entry).trigger()
        menus[0].close()
        self.settle()

    def test_a_click_adds_drags_move_and_lengthen_and_a_click_takes_out(self) -> None:
        root = self.roll.root
        QTest.mouseClick(self.roll, LEFT, NONE, self.spot(1.0, root))
        (added,) = self.notes()
        self.assertEqual(added[:2], (1.0, root))
        drag(self.roll, self.spot(1.0, root), self.spot(1.0, root + 3))
        self.assertEqual(self.notes()[0][:2], (1.0, root + 3))
        room = self.roll.rect_of(self.roll.notes[0])
        edge = QPoint(round(room.right()) - 2, round(room.center().y()))
        drag(self.roll, edge, edge + QPoint(round(self.roll.per_beat), 0))
        self.assertAlmostEqual(self.notes()[0][2], added[2] + 1.0, delta=0.1)
        QTest.mouseClick(self.roll, LEFT, NONE, self.spot(1.0, root + 3))
        self.assertEqual(self.notes(), [])
        self.session.undo()
        self.assertEqual(self.notes()[0][:2], (1.0, root + 3))

    def test_keys_alone(self) -> None:
        root = self.roll.root
        self.choose("A note")
        self.assertEqual(self.notes()[0][:2], (0.0, root))
        self.choose("A note after this one")  # keys go on with what was added
        QTest.keyClick(self.roll, Qt.Key.Key_Up)
        self.assertEqual([n[:2] for n in self.notes()], [(0.0, root), (0.25, root + 1)])
        before = self.notes()[1][2]
        QTest.keyClick(self.roll, Qt.Key.Key_Right, SHIFT)
        self.assertAlmostEqual(self.notes()[1][2], before + self.roll.step, delta=1e-6)
        QTest.keyClick(self.roll, Qt.Key.Key_Left, SHIFT)
        self.assertAlmostEqual(self.notes()[1][2], before, delta=1e-6)
        QTest.keyClick(self.roll, Qt.Key.Key_Delete)
        self.assertEqual([n[:2] for n in self.notes()], [(0.0, root)])
        QTest.keyClick(self.roll, Qt.Key.Key_Delete)  # keys went on with the one beside it
        self.assertEqual(self.notes(), [])
        QTest.keyClick(self.roll, Qt.Key.Key_Delete)
        self.session.undo()
        self.assertEqual([n[:2] for n in self.notes()], [(0.0, root)])

    def test_a_note_after_another_takes_the_next_free_step(self) -> None:
        """Never one that is there, though it is heard early; at the lane's end it says so."""
        self.choose("A note")
        last = self.pattern().length
        more = (Hit(at=4, nudge_ms=-20.0), Hit(at=5), Hit(at=last - 1))
        self.page.work.edit("early", lambda _, p: put(p, "pad1", more))
        self.roll.go_to(4)
        self.choose("A note after this one")
        self.assertEqual([hit.at for hit in self.hits()], [0, 4, 5, 6, last - 1])
        self.assertEqual(self.roll._cursor, 6)
        told: list[str] = []
        self.session.told.connect(told.append)
        self.roll.go_to(last - 1)
        self.choose("A note after this one")
        self.assertEqual([hit.at for hit in self.hits()], [0, 4, 5, 6, last - 1])
        self.assertIn("free", told[0])

    def test_chords_are_typed_and_taken_out_by_either(self) -> None:
        with mock.patch.object(melody, "ask_name", return_value="Am7"):
            QTest.mouseClick(self.roll, LEFT, NONE, QPoint(round(self.roll.x_of(2.0)) + 3, 6))
        self.assertEqual(self.chords(), [(2.0, "Am7")])
        with mock.patch.object(melody, "ask_name", return_value="F"):
            self.choose("Type a chord …")
        self.assertEqual(self.chords(), [(0.0, "F"), (2.0, "Am7")])
        self.choose("Take F out")
        self.assertEqual(self.chords(), [(2.0, "Am7")])
        at = QPoint(round(self.roll.x_of(2.5)), 6)
        reason = QContextMenuEvent.Reason.Mouse
        self.roll.contextMenuEvent(QContextMenuEvent(reason, at, self.roll.mapToGlobal(at)))
        self.assertEqual(self.chords(), [])
