"""The left side of Controllers: which there are, the map of each, and the simulated one."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from puddle.kit import edits
from puddle.window.pages.controllers.simulator import Simulator
from puddle.window.session.controlling import Controlling
from puddle.window.session.session import Session
from puddle.window.widgets.controls import clear, column, label, panel, scrolled, tab, toggle
from puddle.window.widgets.dot import Dot

_NO_OWN = "the kit's, or as it says"
_NONE = (
    "No controller is there. Connect one, or press Simulate for sixteen pads that are struck with "
    "the mouse."
)


class PortsPanel(QWidget):
    """Rows of controllers; one of them is shown beside."""

    chosen = pyqtSignal(str)  # a port

    def __init__(self, session: Session, controlling: Controlling) -> None:
        super().__init__()
        self._session, self._controlling = session, controlling
        self.port = ""
        self._rows_of: tuple[object, ...] = ()  # what the rows were made of
        self._simulator: Simulator | None = None
        side = column()
        head = QHBoxLayout()
        head.addWidget(label("Controllers", "title"), 1)
        self.simulate = toggle(
            "Simulate", "Pads, gauges and keys in a window, as a controller of their own."
        )
        self.simulate.clicked.connect(self._simulate)
        head.addWidget(self.simulate)
        side.addLayout(head)
        self.empty = label(_NONE, "soft")
        self.empty.setWordWrap(True)
        side.addWidget(self.empty)
        self._ports = QVBoxLayout()
        side.addLayout(self._ports)
        self.liked = toggle("", "A controller that has no map of its own plays by this one.")
        self.liked.clicked.connect(self._like)
        side.addWidget(self.liked, 0, Qt.AlignmentFlag.AlignLeft)
        said = label("Maps are files; a controller has its own again when it comes back.", "soft")
        said.setWordWrap(True)
        side.addWidget(said)
        self.below = QVBoxLayout()  # what else is in the column
        side.addLayout(self.below)
        side.addStretch(1)
        inner = QVBoxLayout()
        inner.addWidget(scrolled(side))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(panel(inner))

    def show_ports(self) -> None:
        """A row for each; made anew only where another one is needed."""
        controlling = self._controlling
        there, maps = controlling.there, controlling.maps
        if self.port not in there:
            self.port = there[0] if there else ""
        self.simulate.setChecked(controlling.simulates)
        self.empty.setVisible(not there)
        chosen = tuple((maps.of(port).name, maps.has_own(port)) for port in there)
        refused = tuple(controlling.refused.items())
        made_of = (there, controlling.read, refused, maps.names, chosen, self.port)
        if made_of != self._rows_of:
            self._rows_of = made_of
            clear(self._ports)
            for port in there:
                self._ports.addWidget(self._row(port))
        self._show_liked()

    def _row(self, port: str) -> QWidget:
        side = QVBoxLayout()
        head = QHBoxLayout()
        read = port in self._controlling.read
        head.addWidget(Dot("verdigris" if read else "slate"))
        chosen = tab(port)
        chosen.setChecked(port == self.port)
        chosen.setToolTip("Shows its pads and its map.")
        chosen.clicked.connect(partial(self._choose, port))
        head.addWidget(chosen, 1)
        side.addLayout(head)
        refused = self._controlling.refused.get(port, "")
        said = label(refused or ("read" if read else "not read"), "warning" if refused else "soft")
        said.setWordWrap(True)
        side.addWidget(said)
        box = QComboBox()
        box.setAccessibleName(f"Map of {port}")
        box.setToolTip("Which of its notes strike which pads.")
        maps = self._controlling.maps
        box.addItems([_NO_OWN, *maps.names])
        box.setCurrentText(maps.of(port).name if maps.has_own(port) else _NO_OWN)
        box.textActivated.connect(lambda name: maps.choose(port, "" if name == _NO_OWN else name))
        side.addWidget(box)
        return panel(side)

    def _choose(self, port: str, *_: object) -> None:
        self.port = port
        self.chosen.emit(port)

    # The kit's map.

    def _show_liked(self) -> None:
        """Whether the kit names the map that is shown."""
        self.liked.setVisible(bool(self.port))
        name = self._controlling.maps.of(self.port).name
        liked = self._session.kit.controller_map == name
        self.liked.setText(f"The kit's map: {name}" if liked else f"“{name}” for this kit")
        self.liked.setChecked(liked)

    def _like(self, on: bool) -> None:
        name = self._controlling.maps.of(self.port).name if self.port and on else ""
        said = f"The kit's map is {name}" if name else "The kit names no map"
        self._session.edit(said, lambda kit: edits.set_kit(kit, controller_map=name))

    # The simulated one.

    def _simulate(self, on: bool) -> None:
        self._controlling.simulate(on)
        if on and self._simulator is None:
            self._simulator = Simulator(
                self._controlling.play_simulated,
                self._session.grooving.toggle,
                self._end_simulation,
                self.window() or self,
            )
            self._controlling.lit.connect(self._simulator.pads.take_light)
            self._simulator.show()
            # Over this panel, so that the pads that are struck are seen.
            low = self.mapToGlobal(self.rect().bottomLeft())
            self._simulator.move(low.x(), low.y() - self._simulator.height() - 30)
        elif not on and self._simulator is not None:
            self._simulator.close()

    def _end_simulation(self) -> None:
        simulator, self._simulator = self._simulator, None
        if simulator is not None:
            simulator.deleteLater()
            self._controlling.simulate(False)
