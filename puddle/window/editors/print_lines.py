"""Printing under the stages: a sample of what is above, and the recipe of what was printed."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from puddle.kit.model.document import Layer, Print
from puddle.window.session.printer import Printer
from puddle.window.widgets.controls import button, label


class PrintLines(QWidget):
    """Print, and where there is a recipe, reopen."""

    def __init__(self, printer: Printer, layer: Layer | None, *, offers_print: bool) -> None:
        super().__init__()
        lines = QVBoxLayout(self)
        lines.setContentsMargins(0, 4, 0, 0)
        lines.setSpacing(6)
        self.made_of = printer.recipe
        if self.made_of is not None:
            says = label(f"Printed from {_in_words(self.made_of)}.", "soft")
            says.setWordWrap(True)
            lines.addWidget(says)
            line = QHBoxLayout()
            self.reopen = button(
                "Reopen recipe",
                "Puts the recipe back in place of its print; what came on top follows after it.",
                printer.reopen,
            )
            self.beside = button(
                "On a pad of its own",
                "Opens the recipe on a free pad and leaves the print as it is.",
                printer.reopen_beside,
            )
            line.addWidget(self.reopen)
            line.addWidget(self.beside)
            line.addStretch(1)
            lines.addLayout(line)
        if offers_print:
            line = QHBoxLayout()
            what = "The layer" if layer else "The whole sound"
            self.print = button(
                "Print to sample",
                f"{what} becomes a sample of itself, at full velocity; its recipe is kept.",
                printer.print_layer if layer else printer.print_sound,
            )
            line.addWidget(self.print)
            line.addStretch(1)
            lines.addLayout(line)


def _in_words(made_of: Print) -> str:
    sound = made_of.sound
    if made_of.layer:
        found = next((k for k in sound.layers if k.id == made_of.layer), None)
        count = len(found.stages) if found else 0
        stages = f" with {count} stage{'' if count == 1 else 's'}" if count else ""
        return f"the layer {found.name if found else ''}{stages}"
    layers, stages_count = len(sound.layers), len(sound.stages)
    return (
        f"{layers} layer{'' if layers == 1 else 's'} and "
        f"{stages_count} stage{'' if stages_count == 1 else 's'}"
    )
