"""Small controls that pages share: pills, tabs, labels, panels."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QSize, Qt
from PyQt6.QtGui import QHelpEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QFrame,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

NO_PADS = "No pads yet: add a sound on Shape, or drop files on the shore."


def toggle(text: str, says: str, name: str = "") -> QPushButton:
    """A pill that is on or off."""
    button = QPushButton(text)
    button.setObjectName("toggle")
    button.setCheckable(True)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    button.setToolTip(says)
    button.setAccessibleName(name or text)
    button.setCursor(Qt.CursorShape.PointingHandCursor)
    if text == "on":  # a state is told by its word too, never by color alone
        button.setText("off")
        button.toggled.connect(lambda on: button.setText("on" if on else "off"))
    return button


def tab(text: str) -> QPushButton:
    """One of several pages of a panel."""
    button = QPushButton(text)
    button.setObjectName("tab")
    button.setCheckable(True)
    button.setAutoExclusive(True)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    button.setCursor(Qt.CursorShape.PointingHandCursor)
    return button


def button(
    text: str, says: str, done: Callable[[], object], *, flat: bool = False, name: str = ""
) -> QPushButton:
    """A button that does something once."""
    made = QPushButton(text)
    made.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the focus, and Space, alone
    if flat:
        made.setObjectName("flat")
    made.setToolTip(says)
    made.setAccessibleName(name or text)
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    made.clicked.connect(lambda: done())
    return made


def label(text: str, style: str = "") -> QLabel:
    """A line of text: "title", "soft" or plain."""
    made = QLabel(text)
    if style:
        made.setObjectName(style)
    return made


class ElidedLabel(QLabel):
    """A line of text that is cut by an ellipsis where it is too long, and whole in its tooltip."""

    cut_at = Qt.TextElideMode.ElideRight

    def minimumSizeHint(self) -> QSize:
        return QSize(24, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        room = self.contentsRect()
        painter.drawText(room, int(self.alignment()), self.shown_text())

    def event(self, event: QEvent | None) -> bool:
        """The whole text as a tooltip, where it is cut."""
        if isinstance(event, QHelpEvent) and self._is_cut():
            QToolTip.showText(event.globalPos(), self.text(), self)
            return True
        return super().event(event)

    def _is_cut(self) -> bool:
        return not self.toolTip() and self.shown_text() != self.text()

    def shown_text(self) -> str:
        """As much of the text as there is room for."""
        room = self.contentsRect().width()
        return self.fontMetrics().elidedText(self.text(), self.cut_at, room)


def elided(
    text: str, style: str = "", cut_at: Qt.TextElideMode = Qt.TextElideMode.ElideRight
) -> ElidedLabel:
    """A line of text that may be cut: at its end, or elsewhere."""
    made = ElidedLabel(text)
    made.cut_at = cut_at
    if style:
        made.setObjectName(style)
    made.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
    return made


class Aside(ElidedLabel):
    """A remark beside a title: whole, or not there at all where there is too little room for it."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.setObjectName("soft")

    def minimumSizeHint(self) -> QSize:
        return QSize(0, super().minimumSizeHint().height())

    def shown_text(self) -> str:
        """All of the text, or none."""
        whole = self.text()
        return whole if super().shown_text() == whole else ""


def restyle(made: QLabel, style: str) -> None:
    """Gives a line of text another style."""
    if made.objectName() != style:
        made.setObjectName(style)
        dress = made.style()
        if dress is not None:  # Qt looks up the new name only when asked
            dress.unpolish(made)
            dress.polish(made)


def panel(layout: QLayout) -> QFrame:
    """A sheet of panel paper."""
    frame = QFrame()
    frame.setObjectName("panel")
    frame.setLayout(layout)
    return frame


def column(margins: tuple[int, int, int, int] = (0, 0, 0, 0), spacing: int = 6) -> QVBoxLayout:
    """A vertical layout."""
    layout = QVBoxLayout()
    layout.setContentsMargins(*margins)
    layout.setSpacing(spacing)
    return layout


def scrolled(layout: QLayout) -> QScrollArea:
    """A column that scrolls up and down where it is taller than its room."""
    inner = QWidget()
    inner.setLayout(layout)
    area = QScrollArea()
    area.setWidget(inner)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area


def put_away(widget: QWidget, owner: QWidget) -> None:
    """Takes a widget that is kept out of its layout; hidden, but never a window of its own."""
    widget.hide()
    layout = parent.layout() if (parent := widget.parentWidget()) is not None else None
    if layout is not None:
        layout.removeWidget(widget)
    widget.setParent(owner)


def clear(layout: QLayout) -> None:
    """Takes every widget out of a layout."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item else None
        inner = item.layout() if item else None
        if widget is not None:
            widget.hide()
            widget.setParent(None)
            widget.deleteLater()
        elif inner is not None:
            clear(inner)
