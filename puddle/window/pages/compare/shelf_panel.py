"""The shelf as it is seen: a row for each entry, and what can be put there."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QMimeData, QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QMenu,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from puddle.parameter import Parameter
from puddle.units import with_unit
from puddle.window import theme
from puddle.window.files.asking_files import ask_sounds
from puddle.window.files.carried_sounds import CarriedSounds
from puddle.window.session.comparer import Comparer
from puddle.window.session.session import Session
from puddle.window.session.shelf import Entry
from puddle.window.widgets.asking import ask_other_name
from puddle.window.widgets.controls import button, clear, column, label, scrolled
from puddle.window.widgets.drag_out import DragOut
from puddle.window.widgets.fields import Fields
from puddle.window.widgets.passing import popup_once

_HEADS = {
    "dry": "Without stages",
    "without": "Without stages",
    "snapshot": "Snapshots",
    "pad": "References",
    "file": "References",
}
MOST_KEYS = 9


class ShelfRow(QWidget):
    """One entry: its key, its dye, its name, and what it is."""

    chosen = pyqtSignal()
    menu_wanted = pyqtSignal(object)

    def __init__(self, entry: Entry, number: int) -> None:
        super().__init__()
        self.entry = entry
        self._number = number
        self._is_chosen = self._is_heard = False
        self._gain = ""
        self.setFixedHeight(36)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(entry.name)
        key = f" Key {number} hears it." if number <= MOST_KEYS else ""
        self.setToolTip(
            entry.problem or f"{entry.name}, {entry.about}.{key} Drag it out to have a file."
        )

    def show_state(self, chosen: bool, heard: bool, gain: str) -> None:
        """Whether it is the one that is compared, whether it is heard, and at what gain."""
        state = (chosen, heard, gain)
        if state != (self._is_chosen, self._is_heard, self._gain):
            self._is_chosen, self._is_heard, self._gain = state
            said = "heard" if heard else "chosen" if chosen else ""
            self.setAccessibleDescription(f"{self.entry.about} {said} {gain}".strip())
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(240, 36)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        if self._is_chosen:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.chosen_ground())
            painter.drawRoundedRect(room, 8, 8)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(room, 8, 8)
        painter.setFont(theme.value_font(11))
        painter.setPen(theme.color("soft"))
        if self._number <= MOST_KEYS:
            painter.drawText(QPointF(7, 22), str(self._number))
        problem = bool(self.entry.problem)
        dye = theme.color(self.entry.dye)
        at = QPointF(27, 18)
        if self._is_heard:  # rings: it sounds
            painter.setPen(QPen(dye, 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(at, 8.5, 8.5)
        painter.setPen(QPen(dye, 1.5) if problem else Qt.PenStyle.NoPen)
        painter.setBrush(Qt.BrushStyle.NoBrush if problem else dye)
        painter.drawEllipse(at, 5, 5)
        painter.setFont(theme.text_font(13, bold=self._is_chosen))
        painter.setPen(theme.color("coral" if problem else "ink"))
        gain_room = 74.0 if self._gain else 4.0
        metrics = painter.fontMetrics()
        wide = int(self.width() - 42 - gain_room)
        name = metrics.elidedText(self.entry.name, Qt.TextElideMode.ElideRight, wide)
        painter.drawText(QPointF(42, 15), name)
        painter.setFont(theme.text_font(11))
        painter.setPen(theme.color("soft"))
        about = "heard now" if self._is_heard else self.entry.about
        painter.drawText(QPointF(42, 29), painter.fontMetrics().elidedText(
            about, Qt.TextElideMode.ElideRight, wide))  # fmt: skip
        if self._gain:
            painter.setFont(theme.value_font(12))
            painter.setPen(theme.color("ink"))
            text_px = painter.fontMetrics().horizontalAdvance(self._gain)
            painter.drawText(QPointF(self.width() - text_px - 8, 22), self._gain)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.menu_wanted.emit(event.globalPos())

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter chooses; Up and Down go along."""
        if event is None:
            return
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.focusNextPrevChild(key == Qt.Key.Key_Down)
        elif key == Qt.Key.Key_Menu:
            self.menu_wanted.emit(self.mapToGlobal(self.rect().center()))
        else:
            super().keyPressEvent(event)


class ShelfPanel(QWidget):
    """Every entry, under headings, and the buttons that put more there."""

    def __init__(self, session: Session, comparer: Comparer) -> None:
        super().__init__()
        self._session = session
        self._comparer = comparer
        self.sounds = CarriedSounds(session)
        self._shelf = comparer.shelf
        self.rows: list[ShelfRow] = []
        self._made_of: object = None
        self.fields: Fields | None = None
        self._fields_of = ""
        self.menu: QMenu | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 12, 8, 10)
        outer.setSpacing(6)
        outer.addWidget(label("Shelf", "title"))
        self._body = column(spacing=2)
        outer.addWidget(scrolled(self._body), 1)
        self._region = column(spacing=1)
        outer.addLayout(self._region)
        outer.addLayout(self._buttons())
        self._shelf.changed.connect(self.show_shelf)
        session.selection_changed.connect(self.show_shelf)
        comparer.chosen_changed.connect(self.show_shelf)
        comparer.compared.connect(self.show_state)
        comparer.hearing_changed.connect(self.show_state)
        self.show_shelf()

    def _buttons(self) -> QVBoxLayout:
        lines = QVBoxLayout()
        lines.setSpacing(5)
        self.snapshot = button(
            "Keep a snapshot",
            "This sound as it is now goes on the shelf, to compare with and to go back to (F7).",
            self._shelf.keep_snapshot,
        )
        lines.addWidget(self.snapshot)
        line = QHBoxLayout()
        self.file = button(
            "Add a file …",
            "A sound or a loop to compare with. The file stays where it is and is not exported.",
            self.ask_files,
        )
        self.pad = button("Add a pad …", "Another pad's sound to compare with.", self.ask_pad)
        line.addWidget(self.file, 1)
        line.addWidget(self.pad, 1)
        lines.addLayout(line)
        return lines

    def ask_files(self) -> None:
        """Asks for reference files."""
        names = ask_sounds(self, "Files to compare with", self._session.settings)
        if names:
            self._shelf.add_files(names)

    def ask_pad(self) -> None:
        """Offers the other pads."""
        self.menu = QMenu(self)
        for pad in sorted(self._session.kit.pads, key=lambda p: p.place):
            if pad.id != self._session.pad_id and pad.sound.layers:
                action = self.menu.addAction(pad.name)
                if action is not None:
                    action.triggered.connect(lambda _, key=pad.id: self._shelf.add_pad(key))
        popup_once(self.menu, self.pad.mapToGlobal(self.pad.rect().topLeft()))

    # Showing.

    def show_shelf(self) -> None:
        """Rows for what is there; made anew only where what is said of them differs."""
        entries = [(e.key, e.name, e.about, e.dye, e.problem) for e in self._shelf.entries]
        made_of = (self._session.pad is None, entries)
        if made_of != self._made_of:
            self._made_of = made_of
            self._rebuild()
        for row, entry in zip(self.rows, self._shelf.entries, strict=True):
            row.entry = entry
        self._show_region()
        self.show_state()

    def _rebuild(self) -> None:
        clear(self._body)
        self.rows = []
        head = ""
        for number, entry in enumerate(self._shelf.entries, 1):
            if _HEADS[entry.kind] != head:
                head = _HEADS[entry.kind]
                title = label(head, "soft")
                title.setContentsMargins(6, 6, 0, 0)
                self._body.addWidget(title)
            row = ShelfRow(entry, number)
            row.chosen.connect(lambda row=row: self._comparer.choose(row.entry.key))
            row.menu_wanted.connect(lambda at, row=row: self.open_menu(row.entry, at))
            DragOut(row, partial(self._carried, row))
            self._body.addWidget(row)
            self.rows.append(row)
        if not any(e.kind in ("snapshot", "pad", "file") for e in self._shelf.entries):
            says = label(
                "Make a sound first: click an empty place below."
                if self._session.pad is None
                else "Keep a snapshot of this sound before you change it, or drop a file that you "
                "trust here: F5 then switches between them while it repeats.",
                "soft",
            )
            says.setWordWrap(True)
            says.setContentsMargins(6, 8, 4, 0)
            self._body.addWidget(says)
        self._body.addStretch(1)

    def show_state(self) -> None:
        """Which is compared, which is heard, and at what gain."""
        comparer = self._comparer
        gains = comparer.gains
        for row in self.rows:
            chosen = row.entry.key == comparer.chosen_key
            known = chosen and comparer.result is not None and comparer.matched
            gain = with_unit(gains.other_db, "dB", 1) if known else ""
            row.show_state(chosen, chosen and comparer.hearing, gain)

    def _show_region(self) -> None:
        """From, to and beats of the file that is chosen."""
        entry = self._comparer.chosen
        reference = next(
            (r for r in self._session.kit.references if entry and r.id == entry.id), None
        )
        is_file = entry is not None and entry.length_ms > 0.0 and reference is not None
        key = f"{entry.key} {entry.length_ms}" if is_file and entry else ""
        if key != self._fields_of:
            self._fields_of = key
            clear(self._region)
            self.fields = None
            if is_file and entry is not None and reference is not None:
                ends = {"start_ms": entry.length_ms, "end_ms": entry.length_ms}
                self.fields = Fields(
                    reference, self._set_region, self._session.settle, highest=ends
                )
                self._region.addWidget(self.fields)
        elif self.fields is not None and reference is not None:
            self.fields.show_values(reference)

    def _set_region(self, field: str, value: float, known: Parameter) -> None:
        entry = self._comparer.chosen
        if entry is not None:
            self._shelf.set_region(entry, field, value, known.text(value))

    # One entry.

    def open_menu(self, entry: Entry, at: QPoint) -> None:
        """What can be done with an entry."""
        self.menu = QMenu(self)
        offers = [("Compare with it", lambda: self._comparer.choose(entry.key))]
        if entry.kind == "snapshot":
            offers += [
                ("Restore this sound", lambda: self._shelf.restore(entry)),
                ("Rename …", lambda: self._ask_name(entry)),
            ]
        if entry.id:
            offers.append(("Take from the shelf", lambda: self._shelf.remove(entry)))
        for name, done in offers:
            action = self.menu.addAction(name)
            if action is not None:
                action.triggered.connect(lambda _, done=done: done())
        popup_once(self.menu, at)

    def _carried(self, row: ShelfRow) -> QMimeData | None:
        """A sound of the shelf as a file; what is a file already is had where it lies."""
        entry = row.entry
        if entry.sound is None or entry.kind == "file":
            return None
        return self.sounds.sound(self._session.pad_id, entry.name, entry.sound)

    def _ask_name(self, entry: Entry) -> None:
        name = ask_other_name(self, entry.name)
        if name is not None:
            self._shelf.rename(entry, name)
