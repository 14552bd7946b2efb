"""The keys plane: notes across, strength upwards, every pad and its rungs as regions.

The ribbon of keys under it plays: lower on a key is harder.
"""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from puddle.units import note_name
from puddle.window import theme
from puddle.window.parts.grounds import make_opaque, paint_ground

_LEFT, _TOP, _RIBBON, _FOOT = 30.0, 10.0, 44.0, 20.0
_STRENGTHS = 127
_BLACK = {1, 3, 6, 8, 10}
_LEAST_NOTES, _MOST_NOTES = 12, 128


@dataclass(frozen=True)
class Column:
    """A pad on one note, with its ranges of strengths from soft to hard."""

    pad_id: str
    name: str
    dye: str
    note: int
    ranges: tuple[tuple[int, int], ...]


class KeysPlane(QWidget):
    """Columns over a ribbon of keys."""

    pad_chosen = pyqtSignal(str)
    note_moved = pyqtSignal(str, int, int)  # pad, from, to
    settled = pyqtSignal()
    key_struck = pyqtSignal(int, float)  # note, strength

    def __init__(self) -> None:
        super().__init__()
        self.columns: list[Column] = []
        self.chosen = ""
        self.first, self.last = 24, 58
        self.hit: tuple[int, float] | None = None
        self._held: tuple[Column, int] | None = None
        make_opaque(self)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(QSize(260, 200))
        self.setAccessibleName("Keys")
        self.setToolTip(
            "Which notes strike which pads. Drag a pad to another note; the wheel zooms, with "
            "Shift it moves along; the keys below play, lower is harder."
        )

    def show_columns(self, columns: list[Column], chosen: str) -> None:
        """Others; the chosen pad's are drawn last."""
        self.columns = sorted(columns, key=lambda c: c.pad_id == chosen)
        self.chosen = chosen
        both = [note_name(n) for n in self.conflicts()]
        said = f"notes with several pads: {', '.join(both)}" if both else "every note has one pad"
        self.setAccessibleDescription(said)
        self.update()

    def conflicts(self) -> list[int]:
        """Notes that strike several pads: shown, not forbidden."""
        notes = [c.note for c in self.columns]
        return sorted({n for n in notes if notes.count(n) > 1})

    def show_hit(self, note: int, velocity: float) -> None:
        """Marks the last strike."""
        self.hit = (note, velocity)
        self.update()

    def show_all(self) -> None:
        """Every note that strikes a pad, and a few around."""
        notes = [c.note for c in self.columns]
        if notes:
            self.first, self.last = max(0, min(notes) - 2), min(127, max(notes) + 2)
            if self.last - self.first + 1 < _LEAST_NOTES:
                self.last = min(127, self.first + _LEAST_NOTES - 1)
        self.update()

    # Places.

    def _note_px(self) -> float:
        return (self.width() - _LEFT - 6.0) / (self.last - self.first + 1)

    def x_of(self, note: int) -> float:
        """Where a note's place begins."""
        return _LEFT + (note - self.first) * self._note_px()

    def note_at(self, x: float) -> int:
        """The note at a place."""
        return min(127, max(0, self.first + int((x - _LEFT) // max(1.0, self._note_px()))))

    def _floor(self) -> float:
        return self.height() - _RIBBON - _FOOT

    def y_of(self, velocity: float) -> float:
        """Where a strength begins, from below."""
        return self._floor() - (velocity - 1.0) / _STRENGTHS * (self._floor() - _TOP)

    def _room(self, column: Column, low: int, high: int) -> QRectF:
        wide = self._note_px()
        top, bottom = self.y_of(high + 1), self.y_of(low)
        gap = 1.0 if wide > 8.0 else 0.0
        return QRectF(
            self.x_of(column.note) + gap,
            top + 1,
            max(2.0, wide - 2 * gap),
            max(2.0, bottom - top - 2),
        )

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        painter.setFont(theme.value_font(11))
        for velocity in (1, 32, 64, 96, 127):
            y = self.y_of(velocity if velocity < _STRENGTHS else _STRENGTHS + 1)
            painter.setPen(QPen(theme.color("line", 150), 1))
            painter.drawLine(QPointF(_LEFT, y), QPointF(self.width() - 6.0, y))
            painter.setPen(theme.color("soft"))
            painter.drawText(QPointF(2.0, min(y + 4.0, self._floor())), str(velocity))
        painter.setClipRect(QRectF(_LEFT, 0, self.width() - _LEFT, self.height()))
        for column in self.columns:
            self._paint_column(painter, column)
        self._paint_ribbon(painter)
        painter.setClipping(False)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)

    def _paint_column(self, painter: QPainter, column: Column) -> None:
        chosen = column.pad_id == self.chosen
        for low, high in column.ranges:
            middle = (low + high) / 2.0 / _STRENGTHS
            painter.setPen(QPen(theme.color(column.dye), 2.4 if chosen else 1.0))
            painter.setBrush(theme.color(column.dye, round(24 + 90 * middle)))
            painter.drawRoundedRect(self._room(column, low, high), 5, 5)
        if self._note_px() < 12.0:
            return
        painter.save()
        painter.setFont(theme.text_font(11, bold=chosen))
        painter.setPen(theme.color("ink"))
        painter.translate(self.x_of(column.note) + self._note_px() / 2.0 + 4.0, self._floor() - 8.0)
        painter.rotate(-90.0)
        painter.drawText(QPointF(0, 0), column.name)
        painter.restore()

    def _paint_ribbon(self, painter: QPainter) -> None:
        top, wide = self._floor() + 6.0, self._note_px()
        clash = set(self.conflicts())
        dark, light = ("paper", "soft") if theme.is_night() else ("ink", "panel")
        for note in range(self.first, self.last + 1):
            black = note % 12 in _BLACK
            tall = _RIBBON - (16.0 if black else 6.0)
            painter.setPen(QPen(theme.color("line"), 1))
            painter.setBrush(theme.color(dark if black else light))
            painter.drawRoundedRect(QRectF(self.x_of(note) + 0.5, top, wide - 1.0, tall), 3, 3)
            if note in clash:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.color("coral"))
                painter.drawEllipse(QPointF(self.x_of(note) + wide / 2.0, top - 4.0), 2.5, 2.5)
            if note % 12 == 0 and wide > 6.0:
                painter.setFont(theme.text_font(10))
                painter.setPen(theme.color("paper" if theme.is_night() else "soft"))
                painter.drawText(QPointF(self.x_of(note) + 2.0, top + tall - 4.0), note_name(note))
        if self.hit is not None:
            note, velocity = self.hit
            at = QPointF(self.x_of(note) + wide / 2.0, self.height() - 11.0)
            painter.setFont(theme.text_font(11))
            painter.setPen(theme.color("coral"))
            text = f"▲ last hit: {note_name(note)} at {velocity:.0f}"
            room = painter.fontMetrics().horizontalAdvance(text)
            left = min(max(_LEFT, at.x() - 5.0), self.width() - room - 4.0)
            painter.drawText(QPointF(left, at.y() + 6.0), text)

    # The hand.

    def _column_at(self, at: QPointF) -> Column | None:
        if at.y() > self._floor():
            return None
        note = self.note_at(at.x())
        return next((c for c in reversed(self.columns) if c.note == note), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        if self._floor() < at.y() < self._floor() + _RIBBON:
            down = (at.y() - self._floor() - 6.0) / (_RIBBON - 6.0)
            self.key_struck.emit(self.note_at(at.x()), min(127.0, max(1.0, 1.0 + 126.0 * down)))
            return
        column = self._column_at(at)
        if column is not None:
            self._held = (column, column.note)
            self.pad_chosen.emit(column.pad_id)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._held is None:
            column = self._column_at(event.position())
            over = Qt.CursorShape.SizeHorCursor if column else Qt.CursorShape.ArrowCursor
            self.setCursor(over)
            if column is not None:
                text = f"{column.name}: {note_name(column.note)} ({column.note})"
                QToolTip.showText(event.globalPosition().toPoint(), text, self)
            return
        column, now = self._held
        to = self.note_at(event.position().x())
        if to != now:
            self._held = (column, to)
            self.note_moved.emit(column.pad_id, now, to)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held is not None:
            self._held = None
            self.settled.emit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turn = 1 if event.angleDelta().y() + event.angleDelta().x() > 0 else -1
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._pan(-3 * turn)
        else:
            self._zoom(turn, self.note_at(event.position().x()))
        event.accept()

    def _zoom(self, turn: int, around: int) -> None:
        count = self.last - self.first + 1
        wanted = min(_MOST_NOTES, max(_LEAST_NOTES, round(count * (0.8 if turn > 0 else 1.25))))
        share = (around - self.first) / max(1, count)
        self.first = min(max(0, round(around - share * wanted)), 128 - wanted)
        self.last = self.first + wanted - 1
        self.update()

    def _pan(self, notes: int) -> None:
        count = self.last - self.first
        self.first = min(max(0, self.first + notes), 127 - count)
        self.last = self.first + count
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Left and Right move the chosen pad's lowest note; with Ctrl they look elsewhere."""
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(
            Qt.Key(event.key()) if event else Qt.Key.Key_unknown
        )
        if event is None or step is None:
            super().keyPressEvent(event)
            return
        mine = sorted(c.note for c in self.columns if c.pad_id == self.chosen)
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._pan(step)
        elif mine and 0 <= mine[0] + step <= 127:
            self.note_moved.emit(self.chosen, mine[0], mine[0] + step)
            self.settled.emit()
