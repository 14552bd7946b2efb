"""The menu of the kit's key: its root, its scale, and the octave of the scale on the pads."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu, QWidget

from puddle.kit import edits
from puddle.kit.model.tonality import ROOTS, SCALES
from puddle.parameter import changed
from puddle.window.session.session import Session
from puddle.window.widgets.passing import popup_once, submenu

_ON_THE_PADS = (
    ("octave_up", "An octave higher"),
    ("octave_down", "An octave lower"),
    ("scale_layout", "Show the pads again"),
)


class KeyMenu:
    """Root and scale, the ones that hold ticked."""

    def __init__(self, session: Session, window: QWidget, do: Callable[[str], None]) -> None:
        """`do` carries out a command by its id."""
        self._session = session
        self._window = window
        self._do = do
        self.menu: QMenu | None = None

    def open_at(self, at: QPoint, *, on_the_pads: bool) -> None:
        """Opens it; what moves the scale on the pads is offered only while they show it."""
        key = self._session.kit.key
        self.menu = QMenu(self._window)
        roots = submenu(self.menu, f"Root {key.root}")
        for root in ROOTS:
            self._offer(roots, root, root == key.root, "root")
        for scale in SCALES:
            self._offer(self.menu, scale, scale == key.scale, "scale")
        if on_the_pads:
            self.menu.addSeparator()
            for command, title in _ON_THE_PADS:
                action = self.menu.addAction(title)
                if action is not None:
                    action.triggered.connect(partial(self._run, command))
            self.menu.ensurePolished()
            at -= QPoint(0, self.menu.sizeHint().height())  # over the shore
        popup_once(self.menu, at)

    def _offer(self, menu: QMenu, value: str, ticked: bool, field: str) -> None:
        action = menu.addAction(value)
        if action is not None:
            action.setCheckable(True)
            action.setChecked(ticked)
            action.triggered.connect(partial(self._set, field, value))

    def _run(self, command: str, *_: object) -> None:
        self._do(command)

    def _set(self, field: str, value: str, *_: object) -> None:
        session = self._session
        session.edit(
            f"Kit's {field} {value}",
            lambda kit: edits.set_kit(kit, key=changed(kit.key, **{field: value})),
        )
