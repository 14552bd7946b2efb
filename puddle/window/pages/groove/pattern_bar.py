"""The row over the grid: the kit's patterns, and what is done with the one that is shown."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QMimeData, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QPushButton, QSizePolicy, QWidget

from puddle.kit.model.document import Pattern
from puddle.window import theme
from puddle.window.widgets.controls import button, toggle

_HIGH = 34
# Many window managers keep Alt and a drag for moving windows: Shift does the same.
_AS_SOUND = Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.AltModifier


class PatternDots(QWidget):
    """A round for each pattern, with its name; the one that waits for its turn is ringed."""

    chosen = pyqtSignal(str)
    added = pyqtSignal()
    moved = pyqtSignal(str, int)
    menu_wanted = pyqtSignal(str, object)  # pattern, global point
    renamed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.patterns: tuple[Pattern, ...] = ()
        self.shown, self.heard = "", ""
        self._first = 0
        self._held: str | None = None
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_HIGH)
        self.setMinimumWidth(90)
        self.setAccessibleName("Patterns")
        self.setToolTip(
            "The kit's patterns: click to show and hear one, drag to order them, right click for "
            "more. The plus makes a new one."
        )

    def sizeHint(self) -> QSize:
        return QSize(260, _HIGH)

    def show_patterns(self, patterns: tuple[Pattern, ...], shown: str, heard: str) -> None:
        """Sets what is drawn: the one that is shown, and the one that is heard now."""
        if (patterns, shown, heard) == (self.patterns, self.shown, self.heard):
            return
        self.patterns, self.shown, self.heard = patterns, shown, heard
        name = next((p.name for p in patterns if p.id == shown), "none")
        self.setAccessibleDescription(f"{len(patterns)} patterns, {name} is shown")
        self._reveal()
        self.update()

    def _widths(self) -> list[float]:
        metrics = self.fontMetrics()
        return [
            max(30.0, min(120.0, metrics.horizontalAdvance(p.name) + 20.0)) for p in self.patterns
        ]

    def rects(self) -> list[tuple[str, QRectF]]:
        """Where each pattern lies, those in sight; the plus last, with no id."""
        x, found = 2.0, []
        widths = self._widths()
        for n, pattern in enumerate(self.patterns):
            if n < self._first:
                continue
            if x + widths[n] > self.width() - 36:
                break
            found.append((pattern.id, QRectF(x, 3.0, widths[n], 28.0)))
            x += widths[n] + 6.0
        return [*found, ("", QRectF(x, 3.0, 28.0, 28.0))]

    def _reveal(self) -> None:
        at = next((n for n, p in enumerate(self.patterns) if p.id == self.shown), 0)
        self._first = min(self._first, at)
        while self._first < at and all(key != self.shown for key, _ in self.rects()):
            self._first += 1

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.text_font(13, bold=True))
        by_id = {p.id: p for p in self.patterns}
        for key, room in self.rects():
            pattern = by_id.get(key)
            shown = key == self.shown and pattern is not None
            painter.setPen(QPen(theme.color("ink" if shown else "line"), 1.2))
            painter.setBrush(theme.color("ink" if shown else "panel"))
            painter.drawRoundedRect(room, 14, 14)
            painter.setPen(theme.color("panel" if shown else "ink"))
            name = pattern.name if pattern is not None else "+"
            text = painter.fontMetrics().elidedText(
                name, Qt.TextElideMode.ElideMiddle, int(room.width() - 12)
            )
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, text)
            if pattern is not None and key == self.heard:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.color(pattern.dye))
                painter.drawEllipse(QPointF(room.center().x(), room.bottom() + 0.5), 2.6, 2.6)
            waits = shown and self.heard and key != self.heard
            if waits or (self.hasFocus() and shown):
                painter.setBrush(Qt.BrushStyle.NoBrush)
                style = Qt.PenStyle.DotLine if waits else Qt.PenStyle.SolidLine
                painter.setPen(QPen(theme.color("water"), 2, style))
                painter.drawRoundedRect(room.adjusted(-2, -2, 2, 2), 15, 15)

    def _at(self, at: QPointF) -> str | None:
        return next((key for key, room in self.rects() if room.contains(at)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        key = self._at(event.position())
        if key == "":
            self.added.emit()
        elif key is not None:
            self._held = key
            self.chosen.emit(key)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._held is None:
            return
        over = self._at(event.position())
        if over and over != self._held:
            self.moved.emit(self._held, [p.id for p in self.patterns].index(over))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        key = self._at(event.position()) if event is not None else None
        if key:
            self.renamed.emit(key)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or not self.patterns:
            return
        step = -1 if (event.angleDelta().y() or event.angleDelta().x()) > 0 else 1
        self._first = max(0, min(len(self.patterns) - 1, self._first + step))
        self.update()
        event.accept()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        key, there = self._at(QPointF(event.pos())), event.globalPos()
        if event.reason() == QContextMenuEvent.Reason.Keyboard:
            key = self.shown
            room = next((room for one, room in self.rects() if one == key), QRectF())
            there = self.mapToGlobal(room.center().toPoint())
        if key:
            self.menu_wanted.emit(key, there)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        ways = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if event is not None and Qt.Key(event.key()) in ways and self.patterns:
            ids = [p.id for p in self.patterns]
            now = ids.index(self.shown) if self.shown in ids else 0
            self.chosen.emit(ids[(now + ways[Qt.Key(event.key())]) % len(ids)])
        else:
            super().keyPressEvent(event)


class DragButton(QPushButton):
    """A button that may also be dragged away, with files."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.carried: Callable[[bool], QMimeData | None] = lambda _: None  # whether as sound
        self._from: QPointF | None = None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        self._from = event.position() if event is not None else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._from is None:
            return
        if (event.position() - self._from).manhattanLength() < QApplication.startDragDistance():
            return
        self._from = None
        self.setDown(False)
        data = self.carried(bool(event.modifiers() & _AS_SOUND))
        if data is not None:
            drag = QDrag(self)
            drag.setMimeData(data)
            drag.exec(Qt.DropAction.CopyAction)


class PatternBar(QWidget):
    """The patterns, and the buttons beside them."""

    wanted = pyqtSignal(str)  # the id of a command

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 4, 10, 4)
        row.setSpacing(6)
        self.dots = PatternDots()
        row.addWidget(self.dots, 1)
        offers = (
            ("Start from …", "A pattern of ours on this kit's pads.", "pattern_start"),
            ("Vary …", "Seeded variations of the selected lanes, heard at once.", "pattern_vary"),
            ("Fill", "Writes a fill into the last beat or bar.", "pattern_fill"),
            ("Order", "Plays several patterns one after the other.", "pattern_order"),
        )
        self.buttons = {}
        for text, says, command in offers:
            made = button(text, says, lambda c=command: self.wanted.emit(c))  # type: ignore[misc]
            self.buttons[command] = made
            row.addWidget(made)
        self.metronome = toggle("Click", "The metronome, while the groove plays.", "Metronome")
        self.metronome.clicked.connect(lambda: self.wanted.emit("metronome"))
        self.record = toggle("Record", "Records what you play on the pads, over the groove.")
        self.record.setProperty("records", "true")
        self.record.clicked.connect(lambda: self.wanted.emit("record"))
        row.addWidget(self.metronome)
        row.addWidget(self.record)
        self.midi = DragButton("MIDI")
        self.midi.setToolTip(
            "Drag the pattern, or the hits that are selected, to the desktop or another program as "
            "a MIDI file; with Shift or Alt as sound. A click saves it."
        )
        self.midi.clicked.connect(lambda: self.wanted.emit("export_midi"))
        row.addWidget(self.midi)
