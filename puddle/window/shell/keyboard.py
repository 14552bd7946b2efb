"""Keys in the whole window: letters and Space play, Enter presses, Escape leads back to playing."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QInputEvent, QKeyEvent, QMouseEvent, QShowEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QWidget,
)

from puddle.window import theme
from puddle.window.session.session import Session
from puddle.window.shore.shore import Shore

_LOOKED_AT = (QInputEvent, QShowEvent)


class Keyboard(QObject):
    """Looks at every event of the application, so that keys play wherever the focus is."""

    def __init__(self, session: Session, window: QWidget, shore: Shore) -> None:
        super().__init__(window)
        self._session = session
        self._window = window
        self._shore = shore
        self._pressed = False  # whether a button of the mouse is down
        self._filters = False
        self._above: object = None  # the last key that went to a dialog, a menu or an open list

    def begin(self) -> None:
        """Looks from now on: once the window is painted, for no key is pressed before.

        Thousands of events come by while it is laid out.
        """
        app = QApplication.instance()
        if app is not None:
            app.installEventFilter(self)
            self._filters = True

    def end(self) -> None:
        """Looks no more."""
        app = QApplication.instance()
        if app is not None:
            app.removeEventFilter(self)
        self._filters = False

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Letter keys strike pads wherever the focus is, but never while text is typed."""
        if not isinstance(event, _LOOKED_AT):
            return False  # every event of every widget comes by: most are looked at no more
        if isinstance(event, QInputEvent):
            self._session.input_clock.see(event)
        if isinstance(event, QShowEvent) and isinstance(watched, QWidget):
            theme.dress_shown(watched)
        elif isinstance(event, QMouseEvent):
            if event.type() == QEvent.Type.MouseButtonPress and isinstance(watched, QWidget):
                self._pressed = True
                self._leave_field(watched)
            elif event.type() == QEvent.Type.MouseButtonRelease:
                self._pressed = False
        elif isinstance(event, QKeyEvent) and self._window.isActiveWindow():
            # A list closes as soon as Enter is announced: the key itself comes after that.
            stamp = event.key(), event.timestamp()
            if QApplication.activeModalWidget() or QApplication.activePopupWidget():
                self._above = stamp
            elif stamp != self._above and isinstance(watched, QWidget):
                return self._key(watched, event)
        return False

    def _key(self, watched: QWidget, event: QKeyEvent) -> bool:
        """Letters and Space play, Enter presses what Tab reached, Escape leads back to playing."""
        kind = event.type()
        escape = kind == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Escape
        if escape and self._pressed:
            return self._session.cancel_drag()
        if _types(QApplication.focusWidget()) or _types(watched):
            return False
        if kind == QEvent.Type.KeyPress:
            return self._press_focused(event) or self._shore.key_pressed(event)
        if kind == QEvent.Type.KeyRelease:
            if event.key() == Qt.Key.Key_Escape and not event.modifiers():
                self.play_again()
            return self._shore.key_released(event)
        return False

    def _press_focused(self, event: QKeyEvent) -> bool:
        """Enter on a button or a list that has the focus."""
        focused = QApplication.focusWidget()
        enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.isAutoRepeat()
        plain = not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        if not (enter and plain) or focused is None or focused.window() is not self._window:
            return False
        if isinstance(focused, QAbstractButton):
            focused.click()
        elif isinstance(focused, QComboBox):
            focused.showPopup()
        else:
            return False
        return True

    def play_again(self) -> None:
        """Nothing has the focus any more but the window as a whole: keys play.

        Where nothing at all had it, Qt would give it to the first button whenever the window is
        activated.
        """
        focused = QApplication.focusWidget()
        if focused is None or focused.window() is self._window:
            self._window.setFocus()

    def _leave_field(self, pressed: QWidget) -> None:
        """A click elsewhere takes what was typed, whatever it is on."""
        field = QApplication.focusWidget()
        inside = field is pressed or (field is not None and field.isAncestorOf(pressed))
        if isinstance(field, QLineEdit) and not inside and field.window() is self._window:
            self._window.setFocus()

    @contextmanager
    def set_aside(self) -> Iterator[None]:
        """While pages are laid out anew: thousands of events come by, and none of them is a key's.

        The filter is in Python, and would take a third of that time.
        """
        app = QApplication.instance()
        if app is None or not self._filters:
            yield
            return
        app.removeEventFilter(self)
        self._filters = False
        try:
            yield
        finally:
            app.installEventFilter(self)
            self._filters = True


def _types(widget: object) -> bool:
    """Whether letters are typed into it."""
    if isinstance(widget, QComboBox):
        return widget.isEditable()
    return isinstance(widget, QLineEdit | QAbstractSpinBox)
