"""Mixes side by side: a pill for each, and whether they are heard equally loud."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QMenu, QPushButton, QWidget

from puddle.kit.edits.mixes import keep_mix, mixes_of, remove_mix, rename_mix
from puddle.kit.model.document import Kit
from puddle.window.session.mixes import Mixes
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.controls import button, label, toggle
from puddle.window.widgets.flow import Flow
from puddle.window.widgets.passing import popup_once


class MixesRow(QWidget):
    """A line, or several where many mixes need them."""

    def __init__(self, session: Session, mixes: Mixes) -> None:
        super().__init__()
        self._session, self._mixes = session, mixes
        self.pills: list[QPushButton] = []
        self._shown: object = None
        self._row = Flow()
        self.setLayout(self._row)
        self._row.addWidget(label("Mixes", "soft"))
        self.keep = button(
            "Keep and go on",
            "Keeps the mix, its levels, places, ways and live stages; goes on with a copy.",
            self._keep,
        )
        self.matched = toggle(
            "equally loud", "Turns the louder mixes down while you listen; never exported."
        )
        self.matched.clicked.connect(mixes.match)
        mixes.changed.connect(self.show_mixes)
        self.show_mixes()

    def show_mixes(self) -> None:
        """The pills as the kit has its mixes."""
        kit = self._session.kit
        known = mixes_of(kit)
        shown = ([one.name for one in known], kit.mix)
        self.matched.setVisible(bool(known))
        self.matched.setChecked(self._mixes.matching)
        gain = self._mixes.gain_db
        self.matched.setText(f"equally loud {gain:+.1f} dB" if gain else "equally loud")
        if shown == self._shown:
            return
        self._shown = shown
        for old in (*self.pills, self.keep, self.matched):
            self._row.removeWidget(old)
        for old in self.pills:
            old.hide()
            old.deleteLater()
        self.pills = []
        for n, one in enumerate(known):
            pill = toggle(one.name, f"Plays {one.name} from now on; Shift+F6 walks on.")
            pill.setChecked(n == kit.mix)
            pill.clicked.connect(lambda _, n=n: self._mixes.choose(n))
            pill.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            pill.customContextMenuRequested.connect(partial(self._open_menu, n, pill))
            self._row.addWidget(pill)
            self.pills.append(pill)
        self._row.addWidget(self.keep)
        self._row.addWidget(self.matched)

    def _keep(self) -> None:
        self._session.edit("The mix kept beside", keep_mix)
        self._session.settle()

    def _open_menu(self, index: int, pill: QWidget, at: QPoint) -> None:
        menu = QMenu(self)
        self.fill_menu(menu, index)
        popup_once(menu, pill.mapToGlobal(at))

    def fill_menu(self, menu: QMenu, index: int) -> None:
        """Another name, or gone."""
        menu.addAction("Rename …", partial(self._rename, index))
        menu.addAction("Remove", partial(self._remove, index))

    def _rename(self, index: int) -> None:
        now = mixes_of(self._session.kit)[index].name
        name = ask_name(self, "Rename the mix", "Name of the mix:", now)
        if name is not None:
            self._session.edit(f"Mix {name}", lambda kit: rename_mix(kit, index, name))

    def _remove(self, index: int) -> None:
        name = mixes_of(self._session.kit)[index].name

        def without(kit: Kit) -> Kit:
            return remove_mix(kit, index)

        self._session.edit(f"{name} removed", without)
        self._session.settle()
