"""The gauges that a controller moves: where each stands, and where a hand waits for it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from puddle.window import theme
from puddle.window.session.control_moves import Shown
from puddle.window.widgets.grounds import make_opaque

_ACROSS = 4
_CELL_HIGH = 44
_BAR_HIGH = 8.0
_GAP = 18.0
_EMPTY = "Right click any gauge and choose Teach a controller; kit gauges are moved in their order."
_SAYS = "Click to teach it: the control that is moved next moves it. Right click for more."
_STEPS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -4, Qt.Key.Key_Down: 4}


class GaugeBoard(QWidget):
    """Four in a row. A click asks for a control, the menu for how it sends."""

    wanted = pyqtSignal(int)
    menu_wanted = pyqtSignal(int, object)  # which, global point

    def __init__(self) -> None:
        super().__init__()
        self._shown: tuple[Shown, ...] = ()
        self._asked = -1
        self.at = 0
        make_opaque(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Gauges of the controller")

    def sizeHint(self) -> QSize:
        rows = max(1, -(-len(self._shown) // _ACROSS))
        return QSize(420, min(3, rows) * _CELL_HIGH)

    def show_gauges(self, shown: Sequence[Shown], asked: int) -> None:
        """What there is, and which of them waits for a control, or -1."""
        made = tuple(shown)
        if (made, asked) == (self._shown, self._asked):
            return
        grows = -(-len(made) // _ACROSS) != -(-len(self._shown) // _ACROSS)
        self._shown, self._asked = made, asked
        self.at = min(self.at, max(0, len(made) - 1))
        if grows:
            self.updateGeometry()
        self._describe()
        self.update()

    def _describe(self) -> None:
        if not self._shown:
            self.setAccessibleDescription(_EMPTY)
            return
        one = self._shown[self.at]
        self.setAccessibleDescription(f"{one.name}, {one.text}, {one.control or 'no control'}")

    # Places.

    def cell(self, n: int) -> QRectF:
        """The room of one."""
        wide = self.width() / _ACROSS
        return QRectF(n % _ACROSS * wide, n // _ACROSS * _CELL_HIGH, wide, _CELL_HIGH)

    def _at(self, point: QPointF) -> int | None:
        found = (n for n in range(len(self._shown)) if self.cell(n).contains(point))
        return next(found, None)

    # Hands.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        n = self._at(event.position()) if event is not None else None
        if event is not None and n is not None and event.button() == Qt.MouseButton.LeftButton:
            self.at = n
            self.wanted.emit(n)
            self._describe()
            self.update()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        n = self.at if by_key and self._shown else self._at(QPointF(event.pos()))
        if n is not None:
            self.at = n
            below = self.mapToGlobal(self.cell(n).center().toPoint())
            self.menu_wanted.emit(n, below if by_key else event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = _STEPS.get(Qt.Key(event.key()))
        if step is not None and 0 <= self.at + step < len(self._shown):
            self.at += step
            self._describe()
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._shown:
            self.wanted.emit(self.at)
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            n = self._at(QPointF(event.pos()))
            one = self._shown[n] if n is not None else None
            said = f"{one.name}: {one.control or 'no control moves it yet'}. {_SAYS}" if one else ""
            QToolTip.showText(event.globalPos(), said, self)
            return True
        return super().event(event)

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.color("panel"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self._shown:
            painter.setFont(theme.text_font(12))
            painter.setPen(theme.color("soft"))
            flags = Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(QRectF(self.rect()), flags, _EMPTY)
        for n, one in enumerate(self._shown):
            self._paint(painter, n, one)

    def _paint(self, painter: QPainter, n: int, one: Shown) -> None:
        room = self.cell(n).adjusted(0.0, 2.0, -_GAP, 0.0)
        if n == self.at and self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1.0))
            painter.drawRoundedRect(room.adjusted(-4.0, -1.0, 4.0, -2.0), 6.0, 6.0)
        asked = n == self._asked
        right, color = self._right(one, asked)
        painter.setFont(theme.text_font(11))
        painter.setPen(theme.color(color))
        flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop
        painter.drawText(room, flags, right)
        left = room.width() - painter.fontMetrics().horizontalAdvance(right) - 6.0
        painter.setFont(theme.text_font(12))
        painter.setPen(theme.color("ink"))
        name = painter.fontMetrics().elidedText(
            one.name or "not in this kit", Qt.TextElideMode.ElideRight, round(left)
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, name)
        bar = QRectF(room.left(), room.top() + 20.0, room.width(), _BAR_HIGH)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("inset"))
        painter.drawRoundedRect(bar, _BAR_HIGH / 2.0, _BAR_HIGH / 2.0)
        filled = QRectF(bar.left(), bar.top(), max(_BAR_HIGH, one.stands * bar.width()), _BAR_HIGH)
        painter.setBrush(theme.color("water" if one.control else "soft"))
        painter.drawRoundedRect(filled, _BAR_HIGH / 2.0, _BAR_HIGH / 2.0)
        if one.hand is not None:
            x = bar.left() + one.hand * bar.width()
            painter.setPen(QPen(theme.color("coral"), 2.0))
            painter.drawLine(QPointF(x, bar.top() - 4.0), QPointF(x, bar.bottom() + 4.0))

    def _right(self, one: Shown, asked: bool) -> tuple[str, str]:
        """What is said at the right of a name."""
        if asked:
            return "move it now", "coral"
        if one.hand is not None:
            return f"hand at {round(127.0 * one.hand)}", "coral"
        return one.text, "soft"
