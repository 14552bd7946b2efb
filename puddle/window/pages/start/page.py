"""The start page: a new kit, templates, the demo, recent kits, and what was not saved."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from puddle.formats.journal import Lost
from puddle.home.templates import Template
from puddle.window import theme
from puddle.window.widgets.controls import button, clear, label, panel, toggle
from puddle.window.widgets.kit_picture import KitPicture
from puddle.window.widgets.mark import Mark
from puddle.window.widgets.page_view import PageView
from puddle.window.widgets.passing import popup_once

_COLUMNS = 4
_CARD, _PICTURE = QSize(186, 136), QSize(166, 66)
_WIDTH = 4 * 186 + 3 * 10 + 16


class TemplateCard(QPushButton):
    """A template with its picture; a click makes a kit from it."""

    default_wanted = pyqtSignal()
    remove_wanted = pyqtSignal()

    def __init__(self, template: Template, *, default: bool) -> None:
        super().__init__()
        self.template = template
        self.setObjectName("card")
        self.setFixedSize(_CARD)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"New kit from {template.name}")
        self.setAccessibleDescription(template.says)
        self.setToolTip(f"{template.says} A click makes a new kit of it; right click for more.")
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 9, 10, 5)
        column.setSpacing(2)
        column.addWidget(KitPicture(template.kit, _PICTURE))
        title = label(template.name, "title")
        column.addWidget(title)
        says = label("new kits start here" if default else template.says, "soft")
        says.setWordWrap(True)
        says.setFont(theme.text_font(11, bold=default))
        column.addWidget(says)
        column.addStretch(1)
        for child in (title, says):
            child.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        menu = QMenu(self)
        default = menu.addAction("New kits start from this")
        gone = menu.addAction("Remove this template …")
        if default is not None and gone is not None:
            default.triggered.connect(lambda: self.default_wanted.emit())
            gone.setEnabled(self.template.path is not None)
            gone.triggered.connect(lambda: self.remove_wanted.emit())
        popup_once(menu, event.globalPos())


class StartPage(PageView):
    """What to do first."""

    new_wanted = pyqtSignal()
    open_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    kit_wanted = pyqtSignal(str)
    recover_wanted = pyqtSignal(object)
    template_wanted = pyqtSignal(object)
    default_wanted = pyqtSignal(str)  # a template's name
    remove_wanted = pyqtSignal(object)
    straight_wanted = pyqtSignal(bool)  # open the default instead of this page

    def __init__(self) -> None:
        super().__init__()
        self.offer: Callable[[], None] = lambda: None  # shows what there is now
        outer = QHBoxLayout(self)
        outer.addStretch(1)
        self.cards: list[TemplateCard] = []
        column = QVBoxLayout()
        column.setSpacing(10)
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
        self.new = button(
            "New kit", "A kit from the template that new kits start from.", self.new_wanted.emit
        )
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
        column.addLayout(self._templates())
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
        self._panel.setFixedWidth(_WIDTH)
        self._panel.setMinimumHeight(64)
        self._panel.setMaximumHeight(130)
        column.addWidget(self._panel, 8)
        column.addStretch(3)
        outer.addLayout(column)
        outer.addStretch(1)

    def entered(self) -> None:
        """What there is now; Enter makes a new kit."""
        self.offer()
        self.new.setFocus()

    def _templates(self) -> QVBoxLayout:
        made = QVBoxLayout()
        made.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(label("Templates", "title"))
        head.addStretch(1)
        head.addWidget(label("Begin with the one that new kits start from", "soft"))
        self.straight = toggle(
            "on",
            "Puddle then begins with a new kit instead of this page; Help, Start page shows it.",
            "Begin with a new kit",
        )
        self.straight.clicked.connect(lambda on: self.straight_wanted.emit(bool(on)))
        head.addWidget(self.straight)
        made.addLayout(head)
        self._cards = QGridLayout()
        self._cards.setSpacing(10)
        self._cards.setContentsMargins(0, 0, 8, 0)
        inner = QWidget()
        inner.setLayout(self._cards)
        area = QScrollArea()
        area.setObjectName("cards")
        area.setWidget(inner)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setFixedSize(QSize(_WIDTH, _CARD.height() + 8))
        self._area = area
        made.addWidget(area)
        return made

    def show_templates(self, templates: list[Template], default: str, straight: bool) -> None:
        """What a new kit can be made from, ours first."""
        clear(self._cards)
        self.straight.setChecked(straight)
        self.cards = []
        for n, template in enumerate(templates):
            card = TemplateCard(template, default=template.name == default)
            card.clicked.connect(partial(self.template_wanted.emit, template))
            card.default_wanted.connect(partial(self.default_wanted.emit, template.name))
            card.remove_wanted.connect(partial(self.remove_wanted.emit, template))
            self._cards.addWidget(card, n // _COLUMNS, n % _COLUMNS)
            self.cards.append(card)
        rows = -(-len(templates) // _COLUMNS)
        tall = min(2, max(1, rows)) * (_CARD.height() + 10)
        self._area.setFixedSize(QSize(_WIDTH, tall))

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
