"""The finder: any command, page, pad, layer or gauge, by typing part of its name."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QModelIndex, QPoint, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QHideEvent, QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QFrame,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from puddle.views.search import Entry, fitting
from puddle.window import theme

_WIDE, _TALL = 560, 420
_ROW_PX = 26
_UNDER_PX = 50  # of the window: the top bar stays in sight
_MOVES = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)


class _Row(QStyledItemDelegate):
    """Title in ink, where it lies in soft ink, its key at the right end."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(10, _ROW_PX)

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        entry = index.data(Qt.ItemDataRole.UserRole)
        if painter is None or not isinstance(entry, Entry):
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(option.rect).adjusted(2, 1, -2, -1)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("pale"))
            painter.drawRoundedRect(room, 8, 8)
        line = room.adjusted(9, 0, -9, 0).toRect()
        painter.setFont(theme.value_font(12))
        painter.setPen(theme.color("soft"))
        told = entry.value() if entry.value is not None else entry.keys
        told_px = painter.fontMetrics().horizontalAdvance(told)
        painter.drawText(line, int(Qt.AlignmentFlag.AlignRight | _MIDDLE), told)
        painter.setFont(theme.text_font(13))
        metrics = painter.fontMetrics()
        left = QRect(line.left(), line.top(), line.width() - told_px - 12, line.height())
        title = metrics.elidedText(entry.title, Qt.TextElideMode.ElideRight, left.width())
        painter.setPen(theme.color("ink"))
        painter.drawText(left, int(_MIDDLE), title)
        left.setLeft(left.left() + metrics.horizontalAdvance(title) + 12)
        where = metrics.elidedText(entry.where, Qt.TextElideMode.ElideRight, max(0, left.width()))
        painter.setPen(theme.color("soft"))
        painter.drawText(left, int(_MIDDLE), where)
        painter.restore()


_MIDDLE = Qt.AlignmentFlag.AlignVCenter


class Finder(QFrame):
    """A line to type into over a list; it closes with a choice, Escape or a click elsewhere."""

    def __init__(self, window: QWidget, entries: Callable[[], list[Entry]]) -> None:
        super().__init__(window, Qt.WindowType.Popup)
        self.setObjectName("finder")
        self._offered = entries
        self._entries: list[Entry] = []
        self.setFixedSize(_WIDE, _TALL)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 12, 12, 10)
        self.field = QLineEdit()
        self.field.setPlaceholderText("Type part of a name: a command, a pad, a gauge …")
        self.field.setAccessibleName("Find")
        self.field.textChanged.connect(self._show_fitting)
        column.addWidget(self.field)
        self.list = QListWidget()
        self.list.setAccessibleName("Found")
        self.list.setFrameShape(QFrame.Shape.NoFrame)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setItemDelegate(_Row(self.list))
        self.list.setUniformItemSizes(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemClicked.connect(self._go)
        column.addWidget(self.list, 1)
        self._hint = QLabel("Enter goes there, Up and Down choose, Escape leaves.")
        self._hint.setObjectName("soft")
        column.addWidget(self._hint)

    def ask_over(self, window: QWidget) -> None:
        """Opens over a window, under its top bar, empty."""
        self._entries = self._offered()
        self.field.clear()
        self._show_fitting("")
        self.move(window.mapToGlobal(QPoint((window.width() - self.width()) // 2, _UNDER_PX)))
        self.show()
        self.field.setFocus()

    def _show_fitting(self, typed: str) -> None:
        self.list.clear()
        found = fitting(self._entries, typed) if typed.strip() else self._first()
        for entry in found:
            item = QListWidgetItem(entry.title)
            item.setData(Qt.ItemDataRole.UserRole, entry)
            item.setToolTip(f"{entry.title}\n{entry.where}")
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self._hint.setText(
            "Enter goes there, Up and Down choose, Escape leaves."
            if found
            else "Nothing has that in its name."
        )

    def _first(self) -> list[Entry]:
        """Before anything is typed: pages, then pads."""
        return [entry for entry in self._entries if entry.rank <= 1][:40]

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Keys belong to the window again."""
        super().hideEvent(event)
        above = self.parentWidget()
        if above is not None:
            above.activateWindow()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Up and Down choose while the hand types on."""
        if event is None:
            return
        key = Qt.Key(event.key())
        if key == Qt.Key.Key_Escape:
            self.close()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._go(self.list.currentItem())
        elif key in _MOVES:
            page = 10 if key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown) else 1
            way = -page if key in (Qt.Key.Key_Up, Qt.Key.Key_PageUp) else page
            last = self.list.count() - 1
            self.list.setCurrentRow(min(max(0, self.list.currentRow() + way), max(0, last)))
        else:
            super().keyPressEvent(event)

    def _go(self, item: QListWidgetItem | None) -> None:
        entry = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if isinstance(entry, Entry):
            self.close()
            entry.go()
