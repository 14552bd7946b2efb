"""The start page: a new kit, the demo, recent kits, and what was not saved."""

from __future__ import annotations

import time
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from puddle.formats.journal import Lost
from puddle.window import theme
from puddle.window.parts.controls import button, label, panel


class Mark(QWidget):
    """Three flat ripples."""

    def __init__(self, width: int) -> None:
        super().__init__()
        self.setFixedSize(QSize(width, round(width * 0.62)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        center = QPointF(self.width() / 2, self.height() / 2)
        across, tall = self.width() / 2 - 1.5, self.height() / 2 - 1.5
        thick = max(1.5, self.width() / 17)
        for share in (1.0, 0.62, 0.24):
            painter.setPen(QPen(theme.color("water"), thick))
            painter.drawEllipse(center, across * share, tall * share)


class StartPage(QWidget):
    """What to do first."""

    new_wanted = pyqtSignal()
    open_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    kit_wanted = pyqtSignal(str)
    recover_wanted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        outer = QHBoxLayout(self)
        outer.addStretch(1)
        column = QVBoxLayout()
        column.setSpacing(12)
        column.addStretch(2)
        head = QHBoxLayout()
        head.addWidget(Mark(64))
        title = label("Puddle")
        title.setFont(theme.text_font(30, bold=True))
        head.addWidget(title)
        head.addStretch(1)
        column.addLayout(head)
        says = label("Make a drum, stack it, tune it, strike it.", "soft")
        column.addWidget(says)
        offers = QHBoxLayout()
        self.new = button("New kit", "An empty kit with sixteen places.", self.new_wanted.emit)
        self.new.setObjectName("primary")
        self.demo = button(
            "Open the demo",
            "Rain Gauge: sixteen drums for a storm on a puppet stage.",
            self.demo_wanted.emit,
        )
        self.open = button("Open a kit …", "A kit file from disk.", self.open_wanted.emit)
        for made in (self.new, self.demo, self.open):
            offers.addWidget(made)
        offers.addStretch(1)
        column.addLayout(offers)
        self._lost = QVBoxLayout()
        column.addLayout(self._lost)
        self._recent_title = label("Recent kits", "title")
        column.addWidget(self._recent_title)
        self.recent = QListWidget()
        self.recent.setAccessibleName("Recent kits")
        self.recent.itemActivated.connect(self._wanted)
        self.recent.itemClicked.connect(self._wanted)
        inner = QVBoxLayout()
        inner.setContentsMargins(8, 8, 8, 8)
        inner.addWidget(self.recent)
        self._panel = panel(inner)
        self._panel.setFixedSize(QSize(560, 240))
        column.addWidget(self._panel)
        column.addStretch(3)
        outer.addLayout(column)
        outer.addStretch(1)

    def _wanted(self, item: QListWidgetItem) -> None:
        self.kit_wanted.emit(item.data(Qt.ItemDataRole.UserRole))

    def show_offers(self, recent: list[str], lost: list[Lost]) -> None:
        """Recent kits that are still there, and edits that were not saved."""
        self.recent.clear()
        for name in recent:
            path = Path(name)
            if not path.exists():
                continue
            item = QListWidgetItem(f"{path.stem}    {path.parent}")
            item.setData(Qt.ItemDataRole.UserRole, name)
            self.recent.addItem(item)
        none = self.recent.count() == 0
        self._recent_title.setText("No recent kits yet" if none else "Recent kits")
        self._panel.setVisible(not none)
        while self._lost.count():
            old = self._lost.takeAt(0)
            widget = old.widget() if old else None
            if widget is not None:
                widget.deleteLater()
        for one in lost[:3]:
            when = time.strftime("%A %H:%M", time.localtime(one.saved_at))
            made = button(
                f"Recover {one.name}, last touched {when}",
                "Puddle ended without saving it: this brings back what was kept.",
                partial(self.recover_wanted.emit, one),
            )
            self._lost.addWidget(made, 0, Qt.AlignmentFlag.AlignLeft)
