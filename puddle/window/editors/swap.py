"""Another source for the selected layer: a voice, or a sample of the kit."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu

from puddle.home.own import starting_points
from puddle.kit import edits
from puddle.kit.edits.trimming import as_used
from puddle.kit.model.document import Source
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button
from puddle.window.widgets.passing import empty, submenu


class Swap:
    """A button and its menu."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.button = button(
            "Swap",
            "Another source for this layer; its place, level, envelope and stages stay.",
            self._ask,
        )
        self.menu = QMenu(self.button)
        self.menu.aboutToShow.connect(self.fill)

    def _ask(self) -> None:
        self.menu.popup(self.button.mapToGlobal(self.button.rect().bottomLeft()))

    def fill(self) -> None:
        """Every voice's starting points, those that ship and one's own, and the kit's samples."""
        empty(self.menu)
        for kind, points in starting_points().items():
            voices = submenu(self.menu, kind.noun.capitalize())
            for name, voice in points.items():
                self._offer(voices, name, voice)
        samples = submenu(self.menu, "Sample of this kit")
        for content in self._session.kit.contents:
            name = content.name.rsplit(".", 1)[0]
            self._offer(samples, name, as_used(self._session.kit, content))
        samples.setEnabled(bool(self._session.kit.contents))

    def _offer(self, menu: QMenu, name: str, source: Source) -> None:
        action = menu.addAction(name)
        if action is not None:
            action.triggered.connect(lambda: self.to(name, source))

    def to(self, name: str, source: Source) -> None:
        """Gives a layer another source and keeps everything else: the selected one, or the only.

        Of several layers one has to be selected.
        """
        layer, pad = self._session.layer, self._session.pad_id
        whole = self._session.pad
        if layer is None and whole is not None and len(whole.sound.layers) == 1:
            layer = whole.sound.layers[0]
        if layer is None:
            self._session.told.emit("Choose the layer whose source is to be another.")
        else:
            self._session.edit(
                f"{layer.name}: {name} as its source",
                lambda kit: edits.set_layer(kit, pad, layer.id, source=source),
                large=True,
            )
