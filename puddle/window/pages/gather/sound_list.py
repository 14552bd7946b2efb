"""The list of sounds: drawn row by row, heard by arrows and pointing, taken by Enter."""

from __future__ import annotations

from typing import Literal

import numpy as np
from PyQt6.QtCore import (
    QEvent,
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QPointF,
    QRectF,
    QSize,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from puddle.kit.model.roles import ROLES
from puddle.library.marks import Mark
from puddle.library.record import PICTURE_COLUMNS
from puddle.library.rows import Entry
from puddle.window import theme
from puddle.window.pages.gather.sound_model import (
    COLUMNS,
    ENTRY,
    MARK,
    NAME,
    ROLE,
    WAVE,
    SoundModel,
)
from puddle.window.widgets.polygons import polygon

_ROW_PX = 34
Kept = Literal["untouched", "again", "gone"]
_NOTHING = "Nothing remains here: widen a range, or press Clear."
_ENTER = (Qt.Key.Key_Return, Qt.Key.Key_Enter)


class _Rows(QStyledItemDelegate):
    """Draws cells."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(COLUMNS[index.column()][1], _ROW_PX)

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        if painter is None:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(option.rect)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        if chosen:
            painter.fillRect(room, theme.chosen_ground())
        model = index.model()
        entry = index.data(ENTRY)
        if isinstance(entry, Entry) and isinstance(model, SoundModel):
            if index.column() == MARK:
                _paint_mark(painter, room, model.mark_of(entry.hash))
            elif index.column() == WAVE:
                paint_wave(painter, room.adjusted(2, 3, -8, -3), entry)
            else:
                _paint_text(painter, room, index, chosen)
        painter.restore()


def _paint_mark(painter: QPainter, room: QRectF, mark: Mark) -> None:
    at = room.center()
    if mark.judged == "rejected":
        painter.setPen(QPen(theme.color("coral"), 1.6))
        painter.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4))
        painter.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4))
        return
    kept = mark.judged == "kept"
    painter.setPen(QPen(theme.color("sun" if kept else "line"), 1.5))
    painter.setBrush(theme.color("sun") if kept else Qt.BrushStyle.NoBrush)
    painter.drawEllipse(at, 4.5, 4.5)


def paint_wave(painter: QPainter, room: QRectF, entry: Entry) -> None:
    """A sound's wave in the dye of its role, its peak as high as the room."""
    if len(entry.picture) != 2 * PICTURE_COLUMNS:
        return
    edges = np.frombuffer(entry.picture, np.int8).reshape(-1, 2).astype(np.float64)
    most = max(float(np.abs(edges).max()), 1.0)
    middle, half = room.center().y(), room.height() / 2.0
    xs = room.left() + np.arange(PICTURE_COLUMNS) * room.width() / (PICTURE_COLUMNS - 1)
    upper = middle - np.maximum(edges[:, 1] / most * half, 0.4)
    lower = middle - np.minimum(edges[:, 0] / most * half, -0.4)
    painter.setPen(Qt.PenStyle.NoPen)
    facts = ROLES.get(entry.role)  # type: ignore[call-overload]
    painter.setBrush(theme.color(facts.dye if facts is not None else "slate", 215))
    painter.drawPolygon(
        polygon(np.concatenate([xs, xs[::-1]]), np.concatenate([upper, lower[::-1]]))
    )


def _paint_text(painter: QPainter, room: QRectF, index: QModelIndex, chosen: bool) -> None:
    name = index.column() == NAME
    value = index.column() > ROLE
    painter.setFont(theme.value_font(12) if value else theme.text_font(13, bold=name and chosen))
    painter.setPen(theme.color("ink" if name or value else "soft"))
    inner = room.adjusted(6, 0, -4, 0)
    text = painter.fontMetrics().elidedText(
        str(index.data() or ""), Qt.TextElideMode.ElideRight, int(inner.width())
    )
    painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)


class SoundList(QTableView):
    """Arrows and pointing hear; Enter and its modifiers take; digits mark."""

    pointed = pyqtSignal(object)  # an entry whose wave is pointed at
    current_changed = pyqtSignal(object)  # an entry, or None
    taken = pyqtSignal(object, str)  # an entry, and where to: source, layer, alternate, pad
    marked = pyqtSignal(str)  # "kept", "rejected", "tag"
    sorted_by = pyqtSignal(str, bool)

    def __init__(self, model: SoundModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.sounds = model
        self.setModel(model)
        self.setItemDelegate(_Rows(self))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setShowGrid(False)
        self.setMouseTracking(True)
        self.setDragEnabled(True)
        self.setTabKeyNavigation(False)
        self.setWordWrap(False)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Sounds")
        self._pointed_row = -1
        self._by, self._down = "name", False
        self._dress_headers()
        chosen = self.selectionModel()
        if chosen is not None:
            chosen.currentRowChanged.connect(self._tell_current)

    def _dress_headers(self) -> None:
        rows, heads = self.verticalHeader(), self.horizontalHeader()
        if rows is not None:
            rows.hide()
            rows.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
            rows.setDefaultSectionSize(_ROW_PX)
        if heads is not None:
            for n, (_, width, _, _) in enumerate(COLUMNS):
                self.setColumnWidth(n, width)
            heads.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
            heads.setHighlightSections(False)
            heads.setSectionsClickable(True)
            heads.setSortIndicatorShown(True)
            heads.setSortIndicator(NAME, Qt.SortOrder.AscendingOrder)
            heads.sectionClicked.connect(self.sort_by)

    def sort_by(self, column: int) -> None:
        """Sorts by a column; by the one at hand the other way round."""
        by = COLUMNS[column][2]
        if not by:
            return
        self._down = not self._down if by == self._by else False
        self._by = by
        heads = self.horizontalHeader()
        if heads is not None:
            down = Qt.SortOrder.DescendingOrder if self._down else Qt.SortOrder.AscendingOrder
            heads.setSortIndicator(column, down)
        self.sorted_by.emit(by, self._down)

    @property
    def current(self) -> Entry | None:
        """The entry under the cursor."""
        return self.sounds.entry(self.currentIndex().row())

    def chosen_ids(self) -> list[int]:
        """The ids of the selected rows."""
        chosen = self.selectionModel()
        rows = sorted({i.row() for i in chosen.selectedRows()}) if chosen is not None else []
        return [int(self.sounds.ids[row]) for row in rows if row < self.sounds.ids.size]

    def show_ids(self, ids: np.ndarray, *, fresh: bool) -> Kept:
        """Shows other sounds; what was selected stays so while it is there.

        Tells of the one under the cursor: untouched, found again, or gone.
        """
        row = self.currentIndex().row()
        current = int(self.sounds.ids[row]) if 0 <= row < self.sounds.ids.size else None
        chosen = self.chosen_ids()
        self.sounds.show(ids, fresh=fresh)
        if self.currentIndex().isValid() or current is None:  # the same sounds
            return "untouched"
        self.blockSignals(True)  # what is heard goes on
        there = self._select_ids(chosen, current)
        self.blockSignals(False)
        return "again" if there else "gone"

    def _select_ids(self, chosen: list[int], current: int) -> bool:
        """Selects sounds again; whether the one under the cursor is there."""
        selection, model = self.selectionModel(), self.sounds
        rows = np.flatnonzero(np.isin(model.ids, chosen))
        if selection is None:
            return False
        found = QItemSelection()
        last = model.columnCount() - 1
        for run in np.split(rows, np.flatnonzero(np.diff(rows) > 1) + 1):  # side by side
            if run.size:
                found.select(model.index(int(run[0]), 0), model.index(int(run[-1]), last))
        at = np.flatnonzero(model.ids == current)
        if at.size:
            nothing = QItemSelectionModel.SelectionFlag.NoUpdate
            selection.setCurrentIndex(model.index(int(at[0]), NAME), nothing)
        selection.select(found, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        return bool(at.size)

    def _tell_current(self, now: QModelIndex, _: QModelIndex) -> None:
        self.current_changed.emit(self.sounds.entry(now.row()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        super().mouseMoveEvent(event)
        if event is None or event.buttons():
            return
        at = self.indexAt(event.position().toPoint())
        row = at.row() if at.column() == WAVE else -1
        if row != self._pointed_row:
            self._pointed_row = row
            entry = self.sounds.entry(row)
            if entry is not None:
                self.pointed.emit(entry)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Where nothing remains, says what to do."""
        super().paintEvent(event)
        viewport = self.viewport()
        if self.sounds.ids.size == 0 and viewport is not None:
            painter = QPainter(viewport)
            painter.setFont(theme.text_font(13))
            painter.setPen(theme.color("soft"))
            painter.drawText(viewport.rect(), Qt.AlignmentFlag.AlignCenter, _NOTHING)

    def leaveEvent(self, event: QEvent | None) -> None:
        self._pointed_row = -1
        super().leaveEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        if event is None:
            return
        at = self.indexAt(event.position().toPoint())
        if at.column() == MARK and event.button() == Qt.MouseButton.LeftButton:
            self.marked.emit("kept")

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        entry = self.current
        if entry is not None:
            self.taken.emit(entry, "source")

    def event(self, event: QEvent | None) -> bool:
        """Enter with any modifier is the list's while it has the focus, not a shortcut's."""
        wanted = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride
        if wanted and event.key() in _ENTER:  # type: ignore[union-attr]
            event.accept()  # type: ignore[union-attr]
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in _ENTER:
            held = event.modifiers()
            place = "source"
            for key, other in (
                (Qt.KeyboardModifier.ShiftModifier, "layer"),
                (Qt.KeyboardModifier.AltModifier, "alternate"),
                (Qt.KeyboardModifier.ControlModifier, "pad"),
            ):
                place = other if held & key else place
            entry = self.current
            if entry is not None:
                self.taken.emit(entry, place)
            return
        marks = {Qt.Key.Key_1: "kept", Qt.Key.Key_2: "rejected", Qt.Key.Key_3: "tag"}
        mark = marks.get(Qt.Key(event.key()))
        if mark is not None:
            self.marked.emit(mark)
            return
        super().keyPressEvent(event)
