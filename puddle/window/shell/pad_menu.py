"""The context menu of a place on the shore: of its pad, or of what an empty place could hold."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu, QWidget

from puddle.kit import edits
from puddle.kit.edits.alternates import choose_alternate
from puddle.kit.edits.several import in_role
from puddle.kit.model.document import Pad
from puddle.kit.model.roles import ROLES, Role
from puddle.window.files.incoming import Incoming
from puddle.window.files.parcels import Parcels
from puddle.window.session.session import Session
from puddle.window.shell.take_over import take_over_menu
from puddle.window.widgets.passing import popup_once, submenu

Offers = list[tuple[str, Callable[[], Any] | None]]  # without an action: a line between groups


class PadMenu:
    """What can be done at a place."""

    def __init__(
        self,
        session: Session,
        window: QWidget,
        incoming: Incoming,
        parcels: Parcels,
        do: Callable[[str], None],
    ) -> None:
        """`do` carries out a command by its id."""
        self._session = session
        self._window = window
        self._incoming = incoming
        self._parcels = parcels
        self._do = do
        self.menu: QMenu | None = None

    def open_at(self, place: int, at: QPoint) -> None:
        """Opens the menu of a place; what it does is done to the pad that is there."""
        pad = self._session.kit.pad_at(place)
        if pad is not None:
            self._session.selection.select_pad(pad.id)
            self._session.selection.select_layer(None)
        self.menu = QMenu(self._window)
        for name, done in self._of_pad(pad) if pad is not None else self._of_nothing(place):
            if done is None:
                self.menu.addSeparator()
                continue
            action = self.menu.addAction(name)
            if action is not None:
                action.triggered.connect(lambda _, done=done: done())
        if pad is not None:
            self.menu.addSeparator()
            self._add_roles(self.menu, pad)
            self._add_alternates(self.menu, pad)
            self._add_take_over(self.menu)
        popup_once(self.menu, at)

    def _of_nothing(self, place: int) -> Offers:
        copied = self._parcels.copied_name()
        return [
            ("A voice …", lambda: self._incoming.ask_voice_for(place)),
            ("Sound files …", lambda: self._incoming.ask_file_for(place)),
            *([(f"Paste {copied}", lambda: self._parcels.paste(place))] if copied else []),
        ]

    def _of_pad(self, pad: Pad) -> Offers:
        return [
            ("Unmute" if pad.mute else "Mute", lambda: self._flip(pad, "mute")),
            ("Unsolo" if pad.solo else "Solo", lambda: self._flip(pad, "solo")),
            ("", None),
            ("Rename …", partial(self._do, "rename")),
            ("Copy", partial(self._do, "copy_pad")),
            ("Duplicate", partial(self._do, "duplicate_pad")),
            ("Copy to more pads …", partial(self._do, "copy_to_pads")),
            ("Clear", partial(self._do, "clear_pad")),
            ("Replace by something like it", partial(self._do, "like_pad")),
            ("Export this sound …", partial(self._do, "export_sound")),
            ("", None),
            (f"Remove {pad.name}", partial(self._do, "remove_pad")),
        ]

    def _add_roles(self, menu: QMenu, pad: Pad) -> None:
        """What kind of drum it is, with all that are selected."""
        inner = submenu(menu, "Role")
        for role in ROLES:
            action = inner.addAction(role)
            if action is not None:
                action.setCheckable(True)
                action.setChecked(role == pad.role)
                action.triggered.connect(partial(self._set_role, role))

    def _set_role(self, role: Role, *_: object) -> None:
        session = self._session
        session.edit(
            f"{session.selection.who}: {role}",
            lambda kit: in_role(kit, session.selection.pads, role),
        )

    def _add_take_over(self, menu: QMenu) -> None:
        """What the pad can take over from the one that was copied."""
        if self._parcels.copied_name():
            menu.addSeparator()
            menu.addMenu(take_over_menu(self._session, self._parcels, menu))

    def _add_alternates(self, menu: QMenu, pad: Pad) -> None:
        """Its alternates, the one that plays ticked."""
        inner = submenu(menu, "Alternates")
        inner.setEnabled(len(pad.alternates) > 1)
        for n, one in enumerate(pad.alternates):
            action = inner.addAction(one.name)
            if action is not None:
                action.setCheckable(True)
                action.setChecked(n == pad.alternate)
                action.triggered.connect(partial(self._choose, pad, n))

    def _choose(self, pad: Pad, index: int, *_: object) -> None:
        self._session.edit(
            f"{pad.name} plays {pad.alternates[index].name}",
            lambda kit: choose_alternate(kit, pad.id, index),
        )

    def _flip(self, pad: Pad, field: str) -> None:
        on = not getattr(pad, field)
        self._session.edit(
            f"{pad.name}: {field if on else f'un{field}'}",
            lambda kit: edits.set_pad(kit, pad.id, **{field: on}),
        )
