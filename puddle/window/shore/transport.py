"""What stands beside the pads on the shore: the button that plays, and the dots of the banks."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import QPushButton, QWidget

from puddle.kit.model.document import MOST_PADS, PADS_PER_BANK
from puddle.window import theme

MOST_BANKS = MOST_PADS // PADS_PER_BANK


class PlayButton(QPushButton):
    """A round button that starts and stops the groove."""

    def __init__(self) -> None:
        super().__init__()
        self.playing = False
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setObjectName("round")
        self.setFixedSize(QSize(42, 42))
        self.setAccessibleName("Play the groove")
        self.setToolTip("Starts or stops the groove (Space).")
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def show_playing(self, playing: bool) -> None:
        """Shows whether the groove runs."""
        if playing != self.playing:
            self.playing = playing
            self.setAccessibleName("Stop the groove" if playing else "Play the groove")
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        focus = self.hasFocus()
        painter.setPen(QPen(theme.color("water"), 3) if focus else Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("water" if self.playing else "ink"))
        painter.drawEllipse(QPointF(21, 21), 19, 19)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("panel"))
        if self.playing:
            painter.drawRoundedRect(15, 15, 12, 12, 2, 2)
        else:
            painter.drawPolygon(QPolygonF([QPointF(16, 13), QPointF(16, 29), QPointF(30, 21)]))


class BankDots(QWidget):
    """A dot per bank, and a plus."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.banks, self.bank = 1, 0
        self.setFixedSize(QSize(86, 26))
        self.setAccessibleName("Banks of sixteen pads")
        self.setToolTip("Banks of sixteen pads; the plus opens another.")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """The next bank, or the one before; none is opened so."""
        if event is None:
            return
        turns = event.angleDelta().y() or event.angleDelta().x()
        step = -1 if turns > 0 else 1
        if 0 <= self.bank + step < self.banks:
            self.chosen.emit(self.bank + step)
        event.accept()

    def show_banks(self, banks: int, bank: int) -> None:
        """How many there are, and which is shown."""
        if (banks, bank) == (self.banks, self.bank) and self.accessibleDescription():
            return
        self.banks, self.bank = banks, bank
        self.setAccessibleDescription(f"bank {bank + 1} of {banks}")
        self.update()

    @property
    def can_grow(self) -> bool:
        """Whether another bank can be opened."""
        return self.banks < MOST_BANKS

    def _first(self) -> int:
        return max(0, self.bank - 1) if self.banks > 2 else 0

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.text_font(12, bold=True))
        shown = list(range(self._first(), min(self.banks, self._first() + 2)))
        for n, bank in enumerate([*shown, *([-1] if self.can_grow else [])]):
            at = QPointF(12 + 27 * n, 13)
            now = bank == self.bank
            painter.setPen(QPen(theme.color("ink" if bank >= 0 else "line"), 1.2))
            painter.setBrush(theme.color("ink" if now else "panel"))
            painter.drawEllipse(at, 10, 10)
            painter.setPen(theme.color("panel" if now else "ink"))
            text = str(bank + 1) if bank >= 0 else "+"
            width = painter.fontMetrics().horizontalAdvance(text)
            painter.drawText(QPointF(at.x() - width / 2, 17.5), text)
        if self.hasFocus():
            painter.setPen(QPen(theme.color("water"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(0, 0, self.width() - 1, self.height() - 1, 6, 6)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        n = int(event.position().x() // 27)
        shown = min(self.banks, self._first() + 2) - self._first()
        if n < shown:
            self.chosen.emit(self._first() + n)
        elif self.can_grow:
            self.chosen.emit(self.banks)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(
            Qt.Key(event.key()) if event else Qt.Key.Key_unknown
        )
        if step is None and event is not None:
            super().keyPressEvent(event)
        elif step is not None:
            self.chosen.emit(min(max(0, self.bank + step), self.banks - 1))
