"""Conflicts: bands that two layers crowd, or this sound and another pad, with cuts on offer."""

from __future__ import annotations

from collections.abc import Callable
from itertools import combinations

import msgspec
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QComboBox, QDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from puddle.errors import EditError
from puddle.kit.edits.cuts import with_cut
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Kit, Pad
from puddle.kit.playing.velocity import hardest
from puddle.measure.conflicts import Conflict, conflicts
from puddle.render.take import Takes, heard_layers
from puddle.units import with_unit
from puddle.window.session.session import Session
from puddle.window.session.trial import Trial
from puddle.window.widgets.controls import button, clear, label, scrolled

_ITSELF = "its own layers"
_MOST = 6


class Crowd(msgspec.Struct, frozen=True):
    """A conflict between two that have names, and where the cut would go."""

    names: tuple[str, str]
    paths: tuple[RowPath, RowPath]
    found: Conflict

    @property
    def who(self) -> str:
        """The one that gives way."""
        return self.names[self.found.gives_way]

    @property
    def where(self) -> str:
        """The band in words."""
        low, high = (with_unit(hz, "Hz", 0) for hz in (self.found.low_hz, self.found.high_hz))
        return f"{low} to {high}"

    @property
    def cut(self) -> str:
        """What is offered."""
        at = with_unit(self.found.center_hz, "Hz", 0)
        return (
            f"cut {self.who} by {with_unit(-self.found.cut_db, 'dB', 1).removeprefix('+')} at {at}"
        )


class ConflictsDialog(QDialog):
    """A list of them, the worst first; a cut is tried on Shape before it is kept."""

    def __init__(self, session: Session, trial: Trial, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Masking")
        self.resize(700, 400)
        self._session = session
        self._trial = trial
        self.crowds: list[Crowd] | None = None
        outer = QVBoxLayout(self)
        line = QHBoxLayout()
        self._title = label("", "title")
        line.addWidget(self._title)
        line.addStretch(1)
        line.addWidget(label("against", "soft"))
        self.against = QComboBox()
        self.against.setAccessibleName("Against")
        self.against.setToolTip("What the selected sound may be crowding: its layers, or a pad.")
        self.against.currentIndexChanged.connect(self.look)
        line.addWidget(self.against)
        outer.addLayout(line)
        self._body = QGridLayout()
        self._body.setHorizontalSpacing(14)
        self._body.setVerticalSpacing(8)
        self._body.setColumnStretch(0, 1)
        outer.addWidget(scrolled(self._body), 1)
        self._said = label("", "soft")
        self._said.setWordWrap(True)
        outer.addWidget(self._said)
        self._buttons = QHBoxLayout()
        self.keep = button("Keep", "Makes the cut that is heard a step.", trial.keep)
        self.leave = button("Leave", "Back to the sound as it was.", trial.leave)
        self._buttons.addStretch(1)
        self._buttons.addWidget(self.keep)
        self._buttons.addWidget(self.leave)
        close = button("Close", "Closes the list.", self.close)
        self._buttons.addWidget(close)
        outer.addLayout(self._buttons)
        session.selection_changed.connect(self._fill)
        session.kit_changed.connect(self._fill)
        trial.changed.connect(self._show_trial)
        self._show_trial()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Looks anew whenever it is opened."""
        super().showEvent(event)
        self._fill()

    def _fill(self) -> None:
        """The pads to choose from; the choice stays as long as it can."""
        if not self.isVisible():
            return
        pad, chosen = self._session.pad, self.against.currentData()
        self._title.setText(pad.name if pad is not None else "Nothing selected")
        others = [p for p in self._session.kit.pads if pad and p.id != pad.id and p.sound.layers]
        offers = [(_ITSELF, ""), *((p.name, p.id) for p in sorted(others, key=lambda p: p.place))]
        now = [
            (self.against.itemText(n), self.against.itemData(n))
            for n in range(self.against.count())
        ]
        if offers != now:
            self.against.blockSignals(True)
            self.against.clear()
            for name, key in offers:
                self.against.addItem(name, key)
            self.against.setCurrentIndex(max(0, self.against.findData(chosen)))
            self.against.blockSignals(False)
        self.look()

    def look(self) -> None:
        """Measures anew, on a worker."""
        session, pad = self._session, self._session.pad
        key = self.against.currentData()
        other = session.kit.pad(key) if key else None
        if pad is None:
            self._show(None, [])
            return
        takes = session.renders.takes
        work: Callable[[], list[Crowd]] = (
            (lambda: _between_layers(takes, pad))
            if other is None
            else (lambda: _between_pads(takes, pad, other))
        )
        session.background.start(work, lambda found: self._show(pad, found), key="conflicts")

    def _show(self, pad: Pad | None, found: list[Crowd]) -> None:
        now = self._session.pad
        if pad is not None and (now is None or now.id != pad.id):
            return
        self.crowds = found
        clear(self._body)
        for n, crowd in enumerate(found[:_MOST]):
            self._add(n, crowd)
        if not found:
            against = self.against.currentText()
            says = label(
                f"Nothing is crowded between {pad.name} and {against}."
                if pad is not None
                else "Select a sound first: click its pad.",
                "soft",
            )
            says.setWordWrap(True)
            self._body.addWidget(says, 0, 0)
        self._body.setRowStretch(len(found) + 1, 1)

    def _add(self, n: int, crowd: Crowd) -> None:
        both = " and ".join(crowd.names)
        words = label(f"{both} crowd {crowd.where}")
        words.setToolTip(
            f"{100.0 * crowd.found.crowd:.1f} % of all their energy is wanted by both at once "
            f"there. {crowd.who} has the smaller share of its own to lose."
        )
        self._body.addWidget(words, n, 0)
        offer = button(
            f"Try: {crowd.cut}",
            "Hears and shows the cut; it is a step only once it is kept.",
            lambda: self.offer(crowd),
            name=f"Try to {crowd.cut}",
        )
        self._body.addWidget(offer, n, 1)

    def offer(self, crowd: Crowd) -> None:
        """Lets the cut be heard."""
        found = crowd.found
        path = crowd.paths[found.gives_way]
        name = f"{crowd.who}: {crowd.cut.removeprefix('cut ')}"
        said = f"{crowd.cut}, so that {crowd.names[1 - found.gives_way]} has room."
        said = said[0].upper() + said[1:]

        def cut(kit: Kit) -> Kit:
            return with_cut(kit, path, found.center_hz, found.cut_db, found.q)

        try:
            self._trial.offer(cut, f"{crowd.who}: a cut for room", said, f"{name}.")
        except EditError:
            self._session.told.emit(f"{crowd.who} has gone from the kit.")

    def _show_trial(self) -> None:
        self.keep.setVisible(self._trial.trying)
        self.leave.setVisible(self._trial.trying)
        self._said.setText(self._trial.said if self._trial.trying else "")


def _between_layers(takes: Takes, pad: Pad) -> list[Crowd]:
    layers = heard_layers(hardest(pad.sound))
    found = []
    for a, b in combinations(layers, 2):
        parts = takes.placed(pad.sound, a), takes.placed(pad.sound, b)
        paths = RowPath(pad=pad.id, layer=a.id), RowPath(pad=pad.id, layer=b.id)
        crowded = conflicts(*parts, takes.rate_hz)
        found += [Crowd((a.name, b.name), paths, c) for c in crowded]
    return sorted(found, key=lambda c: -c.found.crowd)


def _between_pads(takes: Takes, pad: Pad, other: Pad) -> list[Crowd]:
    own, its = (takes.sound(hardest(p.sound)).audio for p in (pad, other))
    paths = RowPath(pad=pad.id), RowPath(pad=other.id)
    return [Crowd((pad.name, other.name), paths, c) for c in conflicts(own, its, takes.rate_hz)]
