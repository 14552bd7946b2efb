"""Choosing a voice by ear: by role and name, each heard as the hand or the arrow keys reach it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QSize, Qt, QTimer
from PyQt6.QtGui import QIcon, QKeyEvent, QPainter, QPixmap, QShowEvent
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from puddle.home.own import starting_points
from puddle.kit.model.roles import ROLES
from puddle.kit.playing.voice_levels import learn
from puddle.voices import STARTING_POINTS, AnyVoice, Hat
from puddle.window import theme
from puddle.window.session.session import Session
from puddle.window.widgets.asking import short
from puddle.window.widgets.controls import button, label
from puddle.window.widgets.passing import answer_buttons

_HOVER_MS = 140
_EVERY = "every role"


class VoiceChooser(QDialog):
    """Roles on the left, starting points on the right; Enter takes the one that is chosen."""

    def __init__(
        self,
        session: Session,
        title: str,
        done: Callable[[str, AnyVoice], None],
        parent: QWidget | None = None,
        role: str = "",
        files: Callable[[], None] | None = None,
    ) -> None:
        """`done` takes a name and a voice; `files` asks for sound files in their place."""
        super().__init__(parent)
        self._session = session
        self._take = done
        self.setWindowTitle(title)
        self.resize(520, 460)
        self.roles = QListWidget()
        self.roles.setAccessibleName("Role")
        self.roles.setFixedWidth(150)
        self.roles.setIconSize(QSize(13, 13))
        self.roles.addItem(_EVERY)
        for name, facts in ROLES.items():
            if any(kind.role == name for kind in STARTING_POINTS):
                self.roles.addItem(QListWidgetItem(_drop(facts.dye), name))
        self.search = QLineEdit()
        self.search.setPlaceholderText("Type to find: a name, a role, a kind of voice …")
        self.search.setAccessibleName("Find a voice")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._show_found)
        self.search.installEventFilter(self)
        self.points = QListWidget()
        self.points.setAccessibleName("Voice")
        self.points.setMouseTracking(True)
        self._hover = QTimer(self)
        self._hover.setSingleShot(True)
        self._hover.setInterval(_HOVER_MS)
        self._hover.timeout.connect(self._reach_hovered)
        self._hovered: QListWidgetItem | None = None
        self.roles.currentTextChanged.connect(self._show_role)
        self.points.currentItemChanged.connect(self._hear)
        self.points.itemEntered.connect(self._enter)
        self.points.itemClicked.connect(lambda _: self.accept())
        self.none = label("", "soft")
        self.none.setWordWrap(True)
        self.none.hide()
        lists = QHBoxLayout()
        lists.addWidget(self.roles)
        lists.addWidget(self.points, 1)
        column = QVBoxLayout(self)
        says = "Each is heard as the hand or an arrow key reaches it; a click or Enter takes it."
        column.addWidget(label(says, "soft"))
        column.addWidget(self.search)
        column.addWidget(self.none)
        column.addLayout(lists, 1)
        kinds = QDialogButtonBox.StandardButton
        buttons = answer_buttons(self, kinds.Ok | kinds.Cancel)
        if files is not None:
            offer = button("Sound files …", "Takes recordings instead of a voice.", self.reject)
            offer.clicked.connect(files)
            buttons.addButton(offer, QDialogButtonBox.ButtonRole.ActionRole)
        self._ok = buttons.button(kinds.Ok)
        column.addWidget(buttons)
        self.accepted.connect(self._chosen)
        # Measured while a person looks, so that what is taken has its level at once.
        offers = [voice for _, voice in _offers("")]
        session.background.start(lambda: learn(offers), key="voice levels", priority="low")
        self._quiet = True
        found = self.roles.findItems(role, Qt.MatchFlag.MatchExactly) if role else []
        self.roles.setCurrentItem(found[0] if found else self.roles.item(0))
        self._quiet = False
        self.search.setFocus()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Rows are as high as the theme has them only once it is known."""
        super().showEvent(event)
        self.roles.setSpacing(1)  # lays the rows out anew
        self.points.setSpacing(0)

    def _show_role(self, role: str) -> None:
        quiet, self._quiet = self._quiet, True
        self._hover.stop()
        self._hovered = None
        self.points.clear()
        typed = self.search.text()
        words = typed.lower().split()
        for name, voice in _offers("" if role == _EVERY or words else role):
            about = f"{name} {voice.role} {_kind(voice)}".lower()
            if not all(word in about for word in words):
                continue
            item = QListWidgetItem(f"{name}   ·   {_kind(voice)}")
            item.setData(Qt.ItemDataRole.UserRole, (name, voice))
            self.points.addItem(item)
        self.points.setCurrentRow(0)
        self._quiet = quiet
        found = self.points.count() > 0
        self.none.setText(f"No voice is called {short(typed)}: try a role or a kind, such as kick.")
        self.none.setVisible(not found)
        if self._ok is not None:
            self._ok.setEnabled(found)

    def _show_found(self) -> None:
        """What is typed is looked for in every role."""
        current = self.roles.currentItem()
        self.roles.setEnabled(not self.search.text().strip())
        self._show_role(current.text() if current is not None else _EVERY)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Up and Down go through the voices while the hand types."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
            if step is not None and self.points.count():
                last = self.points.count() - 1
                self.points.setCurrentRow(min(last, max(0, self.points.currentRow() + step)))
                return True
        return super().eventFilter(watched, event)

    def _enter(self, item: QListWidgetItem) -> None:
        self._hovered = item
        self._hover.start()

    def _reach_hovered(self) -> None:
        if self._hovered is not None:
            self.points.setCurrentItem(self._hovered)

    def _hear(self, item: QListWidgetItem | None) -> None:
        if item is not None and not self._quiet:
            self._session.renders.audition(item.data(Qt.ItemDataRole.UserRole)[1])

    def _chosen(self) -> None:
        item = self.points.currentItem()
        if item is not None:
            name, voice = item.data(Qt.ItemDataRole.UserRole)
            self._take(name, voice)


def _kind(voice: AnyVoice) -> str:
    """What kind of voice it is; of a hat, whether it is closed or open."""
    if isinstance(voice, Hat):
        return "open hat" if voice.is_open else "closed hat"
    return voice.noun


def _drop(dye: str) -> QIcon:
    """A drop in a role's dye."""
    picture = QPixmap(32, 32)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.color(dye))
    painter.drawEllipse(4, 4, 24, 24)
    painter.end()
    return QIcon(picture)


def _offers(role: str) -> list[tuple[str, AnyVoice]]:
    """Starting points of the voices of a role, or of all."""
    return [
        (name, voice)
        for kind, points in starting_points().items()
        if role in ("", kind.role)
        for name, voice in points.items()
    ]
