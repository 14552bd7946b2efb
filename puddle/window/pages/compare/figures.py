"""The table of figures: one's own, the other's, and how far they lie apart."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QWidget

from puddle.measure.comparing import FIGURES, Figure, Figures, difference, is_large
from puddle.units import pitch_text, with_unit
from puddle.window import theme
from puddle.window.widgets.controls import label, restyle

_NONE = "–"
_MEASURING = "…"


class FiguresTable(QWidget):
    """A row for each figure; large differences are marked with a dot and in bold."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Figures")
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        self._heads = [label("", "soft") for _ in range(4)]
        for column, head in enumerate(self._heads):
            grid.addWidget(head, 0, column, self._side(column))
        self._heads[3].setText("apart")
        self._cells: dict[str, tuple[QLabel, QLabel, QLabel]] = {}
        for row, figure in enumerate(FIGURES, 1):
            name = label(figure.label, "soft")
            name.setToolTip(figure.says)
            grid.addWidget(name, row, 0)
            cells = (QLabel(), QLabel(), QLabel())
            for column, cell in enumerate(cells, 1):
                cell.setFont(theme.value_font(12))
                grid.addWidget(cell, row, column, self._side(column))
            cells[2].setAccessibleName(f"{figure.label} apart")
            self._cells[figure.field] = cells
        for column in (1, 2, 3):
            grid.setColumnStretch(column, 1)
        self.setToolTip(
            "A dot marks what is clearly another: 2 dB, half as long again, 20 cents and more."
        )

    def _side(self, column: int) -> Qt.AlignmentFlag:
        return Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft

    def show_figures(
        self,
        names: tuple[str, str],
        own: Figures | None,
        other: Figures | None,
        *,
        pitch_known: bool = True,
    ) -> None:
        """Of two sounds; None for one that is not there."""
        for head, name in zip(self._heads[1:], names, strict=False):
            room = head.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, 92)
            head.setText(room)
            head.setToolTip(name)
        for figure in FIGURES:
            mine, theirs, apart = self._cells[figure.field]
            waits = figure.unit == "Hz" and not pitch_known
            mine.setText(_MEASURING if waits else _text(figure, own))
            theirs.setText(_text(figure, other))
            both = own is not None and other is not None and not waits
            found = difference(figure, own, other) if both and own and other else None
            large = bool(both and own and other and is_large(figure, own, other))
            shown = _NONE if found is None else _apart(figure, found)
            apart.setText(f"● {shown}" if large else shown)
            restyle(apart, "marked" if large else "")
            for cell, figures in ((mine, own), (theirs, other)):
                hz = figures.fundamental_hz if figures is not None else None
                cell.setToolTip(pitch_text(hz) if figure.unit == "Hz" and hz else "")

    def row(self, field: str) -> tuple[str, str, str]:
        """What a row says."""
        mine, theirs, apart = self._cells[field]
        return mine.text(), theirs.text(), apart.text()


def _text(figure: Figure, figures: Figures | None) -> str:
    value = getattr(figures, figure.field) if figures is not None else None
    if value is None:
        return _NONE
    return with_unit(value, figure.unit, figure.decimals).removeprefix("+")


def _apart(figure: Figure, found: float) -> str:
    unit = {"Hz": "ct", "dBFS": "dB", "dBTP": "dB", "LUFS": "dB"}.get(figure.unit, figure.unit)
    text = with_unit(found, unit, 0 if unit == "ct" else figure.decimals)
    return f"+{text}" if unit == "ms" and found > 0.0 else text
