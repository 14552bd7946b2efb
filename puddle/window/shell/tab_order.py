"""Tab goes through the window as it is read: row by row, whatever was made first."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QApplication,
    QGridLayout,
    QLayout,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QWidget,
)


def tab_stops(root: QWidget) -> list[QWidget]:
    """What Tab reaches inside a widget, in the order of the layouts."""
    return [w for w in _in_order(root, None) if w.focusPolicy() & Qt.FocusPolicy.TabFocus]


def step_focus(root: QWidget, *, forward: bool) -> bool:
    """Gives the focus to the next stop, or the one before; False where there is none.

    From a widget that was just hidden, to that which follows it: what has gone keeps its place.
    """
    now = QApplication.focusWidget()
    every = list(_in_order(root, now))
    stops = [w for w in every if w.focusPolicy() & Qt.FocusPolicy.TabFocus and _is_reached(w)]
    if not stops:
        return False
    if now not in every:
        at = 0 if forward else -1
    elif forward:
        at = sum(w in stops for w in every[: every.index(now) + 1])
    else:
        at = sum(w in stops for w in every[: every.index(now)]) - 1
    reason = Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason
    stops[at % len(stops)].setFocus(reason)
    return True


def _is_reached(widget: QWidget) -> bool:
    return widget.isVisible() and widget.isEnabled()


def _in_order(root: QWidget, kept: QWidget | None) -> Iterator[QWidget]:
    """What can be seen and used, and one more that may be hidden."""
    for child in _children(root):
        around = kept is not None and (child is kept or child.isAncestorOf(kept))
        if around or _is_reached(child):
            yield child
            yield from _in_order(child, kept)


def _children(parent: QWidget) -> list[QWidget]:
    """The widgets right inside another: as it lays them out, then those it leaves alone."""
    if isinstance(parent, QScrollArea):
        inner = parent.widget()
        return [inner] if inner is not None else []
    if isinstance(parent, QStackedWidget):
        current = parent.currentWidget()
        return [current] if current is not None else []
    if isinstance(parent, QSplitter):
        found = [parent.widget(n) for n in range(parent.count())]
        return [w for w in found if w is not None]
    layout = parent.layout()
    laid = list(_laid(layout)) if layout is not None else []
    rest = [
        w
        for w in parent.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly)
        if w not in laid and not w.isWindow()
    ]
    return laid + rest


def _laid(layout: QLayout) -> Iterator[QWidget]:
    for n in _item_order(layout):
        item = layout.itemAt(n)
        widget = item.widget() if item is not None else None
        inner = item.layout() if item is not None else None
        if widget is not None:
            yield widget
        elif inner is not None:
            yield from _laid(inner)


def _item_order(layout: QLayout) -> list[int]:
    order = list(range(layout.count()))
    if isinstance(layout, QGridLayout):
        order.sort(key=lambda n: layout.getItemPosition(n)[:2])
    return order
