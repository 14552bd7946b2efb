"""Gauge: name, bar, value with unit. One row for one parameter."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QInputDialog, QLineEdit, QMenu, QSizePolicy, QToolTip, QWidget

from puddle.errors import ParameterError
from puddle.parameter import Parameter
from puddle.window import theme
from puddle.window.widgets.gauge_picture import _HEIGHT, _VALUE_WIDTH, GaugePicture
from puddle.window.widgets.passing import popup_once

_FINE = 0.1
_SHORTEST_DRAG_PX = 160.0  # from end to end, however short the bar is


class Gauge(GaugePicture):
    """Drag anywhere on the row, Shift for fine; wheel; double-click resets; type a value."""

    moved = pyqtSignal(float)  # while it moves
    settled = pyqtSignal()  # when the hand lets go
    reached = pyqtSignal(float)  # how far velocity moves it, in % of the gauge
    menu_wanted = pyqtSignal(object)  # a context menu that is to be filled further

    def __init__(
        self, parameter: Parameter, value: float, parent: QWidget | None = None, name_px: int = 96
    ) -> None:
        super().__init__(parent)
        self.parameter = parameter
        self._value = value
        self._name_px = name_px
        self._reach: float | None = None  # None where velocity has no say
        self._reaching_from: tuple[float, float] | None = None
        self._dragged_from: tuple[float, float] | None = None
        self.editor: QLineEdit | None = None
        self._opened_with = ""  # the text that the editor began with
        self.setFixedHeight(_HEIGHT)
        self.setMinimumWidth(name_px + _VALUE_WIDTH + 40)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{parameter.part} {parameter.label}".strip())
        self._says = (
            f"{parameter.says}\n{parameter.text(parameter.low)} to {parameter.text(parameter.high)}"
        )
        self.setToolTip(self._says)
        self._tell_value()

    def set_value(self, value: float) -> None:
        """Sets the value without emitting a signal."""
        if value != self._value:
            self._value = value
            self._tell_value()
            self.update()

    # Velocity.

    def set_reach(self, amount: float) -> None:
        """Sets the velocity modulation, editable from then on, without emitting a signal."""
        if amount == self._reach:
            return
        self._reach = amount
        where = "lower" if amount > 0.0 else "higher"
        now = f"The softest lies {abs(amount):.0f} % of the gauge {where}. " if amount else ""
        self.setToolTip(
            f"{self._says}\n{now}Ctrl and drag, Alt and arrow keys, or the context menu: how far a "
            "softer strike moves it."
        )
        self._tell_value()
        self.update()

    def _reach_to(self, amount: float) -> None:
        amount = float(round(min(100.0, max(-100.0, amount))))
        if self._reach is not None and amount != self._reach:
            self.set_reach(amount)
            self.reached.emit(amount)

    def _drag_reach(self, x: float) -> None:
        if self._reaching_from is not None:
            first, amount = self._reaching_from
            self._reach_to(amount - 100.0 * (x - first) / max(1.0, self._bar().width()))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        self.menu = self.made_menu()
        if not self.menu.isEmpty():
            popup_once(self.menu, event.globalPos())

    def made_menu(self) -> QMenu:
        """What can be done with the gauge beside moving it."""
        menu = QMenu(self)
        if self._reach is not None:
            ask = menu.addAction("Velocity moves it …")
            none = menu.addAction("Velocity leaves it alone")
            if ask is not None and none is not None:
                none.setEnabled(bool(self._reach))
                ask.triggered.connect(self._ask_reach)
                none.triggered.connect(lambda: self._let_reach(0.0))
        self.menu_wanted.emit(menu)
        return menu

    def _ask_reach(self) -> None:
        amount, done = QInputDialog.getInt(
            self,
            self.parameter.label,
            "How far of the gauge the softest strike lies lower, in % (below zero: higher):",
            round(self.reach),
            -100,
            100,
        )
        if done:
            self._let_reach(float(amount))

    def _let_reach(self, amount: float) -> None:
        self._reach_to(amount)
        self.settled.emit()

    def _move(self, value: float) -> None:
        clamped = self.parameter.clamped(value)
        if clamped != self._value:
            self.set_value(clamped)
            self.moved.emit(clamped)

    # Painting.

    # The hand.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if self._reach is not None and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._reaching_from = (event.position().x(), self.reach)
            return
        self._dragged_from = (event.position().x(), self.parameter.position(self._value))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._reaching_from is not None:
            self._drag_reach(event.position().x())
            return
        if event is None or self._dragged_from is None:
            return
        x, place = self._dragged_from
        scale = _FINE if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        place += scale * (event.position().x() - x) / max(_SHORTEST_DRAG_PX, self._bar().width())
        place = min(1.0, max(0.0, place))
        self._dragged_from = (event.position().x(), place)
        self._move(self.parameter.at(place))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._dragged_from is not None or self._reaching_from is not None:
            self._dragged_from = self._reaching_from = None
            self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._dragged_from = self._reaching_from = None
        if event is not None and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._let_reach(0.0)
            return
        self._move(self.parameter.default)
        self.settled.emit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or not self.hasFocus():
            if event is not None:
                event.ignore()  # so that a list of gauges scrolls
            return
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        turns = (event.angleDelta().y() or event.angleDelta().x()) / 120.0
        self._step(turns * (0.2 if fine else 1.0))
        event.accept()

    def _step(self, steps: float) -> None:
        whole = self.parameter.kind == "whole"
        if whole:
            self._move(self._value + (1.0 if steps > 0 else -1.0) * max(1.0, abs(steps) // 5 * 5))
        else:
            self._move(self.parameter.at(self.parameter.position(self._value) + 0.01 * steps))
        self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        fine = 0.2 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        steps = {
            Qt.Key.Key_Up: fine,
            Qt.Key.Key_Right: fine,
            Qt.Key.Key_Down: -fine,
            Qt.Key.Key_Left: -fine,
            Qt.Key.Key_PageUp: 10.0,
            Qt.Key.Key_PageDown: -10.0,
        }.get(Qt.Key(event.key()))
        velocity = event.modifiers() & Qt.KeyboardModifier.AltModifier
        if steps is not None and velocity and self._reach is not None:
            self._let_reach(self.reach - steps)  # to the right is less: the soft end follows
        elif steps is not None:
            self._step(steps)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit()
        elif event.text().isprintable() and event.text().strip() and not _commanding(event):
            self.edit(event.text())
        else:
            super().keyPressEvent(event)

    def edit(self, text: str = "") -> None:
        """Opens a field to type a value into; one that is open gives way to it."""
        self._close_editor()
        editor = QLineEdit(self)
        editor.setGeometry(self.width() - _VALUE_WIDTH - 22, 0, _VALUE_WIDTH + 22, _HEIGHT)
        editor.setFont(theme.value_font(12))
        editor.setText(text or self.parameter.text(self._value))
        self._opened_with = "" if text else editor.text()
        editor.setAccessibleName(f"Value of {self.accessibleName()}")
        if not text:
            editor.selectAll()
        editor.installEventFilter(self)
        editor.show()
        editor.setFocus()
        self.editor = editor

    def _take_by_enter(self) -> None:
        self._take_typed()
        if self.editor is None:
            self.setFocus()

    def _take_typed(self, *, leaving: bool = False) -> None:
        """Applies the typed value; out of range, tells the range and keeps the old value."""
        if self.editor is None:
            return
        try:
            value = self.parameter.parsed(self.editor.text(), self._value)
        except ParameterError as error:
            QToolTip.showText(self.mapToGlobal(QPointF(0, _HEIGHT).toPoint()), str(error), self)
            if leaving:
                self._close_editor()
            return
        typed = self.editor.isModified() or self.editor.text() != self._opened_with
        self._close_editor()
        if typed:  # what is shown is rounded: to leave it as it is moves nothing
            self._move(value)
            self.settled.emit()

    def _close_editor(self) -> None:
        editor, self.editor = self.editor, None
        if editor is not None:
            editor.removeEventFilter(self)
            editor.hide()
            editor.deleteLater()

    def eventFilter(self, watched: object, event: QEvent | None) -> bool:
        if watched is self.editor and event is not None and self.editor is not None:
            if event.type() == QEvent.Type.FocusOut:
                self._take_typed(leaving=True)  # what was clicked has the focus
            elif _is_key(event, Qt.Key.Key_Escape):
                self._close_editor()
                self.setFocus()
                return True
            elif _is_key(event, Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take_by_enter()
                return True  # else it would come to the gauge, and open the field again
        return False

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()


def _commanding(event: QKeyEvent) -> bool:
    """Whether a key is held that makes a command of a letter."""
    command = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
    return bool(event.modifiers() & command)


def _is_key(event: QEvent, *keys: Qt.Key) -> bool:
    pressed = event.type() == QEvent.Type.KeyPress
    return pressed and isinstance(event, QKeyEvent) and event.key() in keys
