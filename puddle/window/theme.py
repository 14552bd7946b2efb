"""Colors, type and the style sheet, for day and night."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import msgspec
from PyQt6 import sip
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication, QMainWindow, QWidget

ASSETS = Path(__file__).parent / "assets"


class Colors(msgspec.Struct, frozen=True, eq=False):
    """One theme's colors by their part."""

    paper: str
    panel: str
    inset: str
    line: str
    ink: str
    soft: str
    water: str
    pale: str
    coral: str
    moss: str
    sun: str
    dyes: dict[str, str]


DAY = Colors(
    paper="#F3EFE7",
    panel="#FBF9F4",
    inset="#EAE4D8",
    line="#D6CDBB",
    ink="#1F2F3A",
    soft="#55646E",
    water="#2B7A8A",
    pale="#C4DEE0",
    coral="#B8432D",
    moss="#57864B",
    sun="#D4932A",
    dyes={
        "indigo": "#3B5998",
        "madder": "#B4473A",
        "cochineal": "#BE4F7C",
        "verdigris": "#2C8474",
        "weld": "#C3941A",
        "walnut": "#7C5C40",
        "logwood": "#77508B",
        "slate": "#5B6C78",
    },
)
NIGHT = Colors(
    paper="#16232B",
    panel="#1D2D37",
    inset="#2A3D49",
    line="#3A4F5C",
    ink="#EDE8DC",
    soft="#A9B8C0",
    water="#62B4C4",
    pale="#244955",
    coral="#EE8268",
    moss="#86B878",
    sun="#E8B055",
    dyes={
        "indigo": "#8AA6E4",
        "madder": "#E98A7D",
        "cochineal": "#E894B6",
        "verdigris": "#6CC4B3",
        "weld": "#E3BE55",
        "walnut": "#C9A585",
        "logwood": "#C09BD6",
        "slate": "#A7B8C4",
    },
)

_now = DAY
_made: dict[tuple[str, int], QColor] = {}  # of the theme that is shown
TEXT, VALUES = "Karla", "JetBrains Mono"


def colors() -> Colors:
    """The theme that is shown."""
    return _now


def is_night() -> bool:
    """Whether the night theme is shown."""
    return _now is NIGHT


def color(name: str, alpha: int = 255) -> QColor:
    """A part's or a dye's color in this theme: the same one each time, so nobody changes it."""
    made = _made.get((name, alpha))
    if made is None:
        made = QColor(_now.dyes.get(name) or getattr(_now, name))
        made.setAlpha(alpha)
        _made[name, alpha] = made
    return made


def between(name: str, other: str, share: float) -> QColor:
    """So much of one color of the theme, and the rest of another."""
    both = zip(color(name).getRgb()[:3], color(other).getRgb()[:3], strict=True)
    return QColor(*(round(share * one + (1.0 - share) * two) for one, two in both))


def chosen_ground() -> QColor:
    """The ground under what is selected: pale water, thinned on the panel."""
    water, share = ((196, 222, 224), 95) if _now is DAY else ((98, 180, 196), 38)
    under = color("panel").getRgb()[:3]
    mixed = [round(u + (w - u) * share / 255) for u, w in zip(under, water, strict=True)]
    return QColor(*mixed)


@cache
def _load_fonts() -> None:
    for file in sorted((ASSETS / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(file))


def text_font(px: int = 13, bold: bool = False) -> QFont:
    """Karla."""
    font = QFont(TEXT)
    font.setPixelSize(px)
    font.setWeight(QFont.Weight.Bold if bold else QFont.Weight.Medium)
    return font


def value_font(px: int = 12) -> QFont:
    """The monospace, for values."""
    font = QFont(VALUES)
    font.setPixelSize(px)
    return font


def wants_night(choice: str) -> bool:
    """Whether a choice of `day`, `night` or `desktop` means night now."""
    if choice != "desktop":
        return choice == "night"
    hints = QApplication.styleHints()
    return hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark


def apply(app: QApplication, choice: str) -> None:
    """Takes a theme: palette and fonts of the application, style sheets of the rooms in sight."""
    global _now
    _load_fonts()
    _now = NIGHT if wants_night(choice) else DAY
    _made.clear()
    if app.font() != text_font():
        app.setFont(text_font())
    palette = QPalette()
    c = _now
    for role, name in (
        (QPalette.ColorRole.Window, c.paper),
        (QPalette.ColorRole.Base, c.panel),
        (QPalette.ColorRole.AlternateBase, c.inset),
        (QPalette.ColorRole.Button, c.panel),
        (QPalette.ColorRole.WindowText, c.ink),
        (QPalette.ColorRole.Text, c.ink),
        (QPalette.ColorRole.ButtonText, c.ink),
        (QPalette.ColorRole.ToolTipBase, c.ink),
        (QPalette.ColorRole.ToolTipText, c.panel),
        (QPalette.ColorRole.Highlight, c.pale),
        (QPalette.ColorRole.HighlightedText, c.ink),
        (QPalette.ColorRole.PlaceholderText, c.soft),
    ):
        palette.setColor(role, QColor(name))
    app.setPalette(palette)
    _rooms[:] = [room for room in _rooms if not sip.isdeleted(room)]
    for room in _rooms:
        if room.isVisible():
            dress(room)


_PLAIN_BUTTONS = "QDialogButtonBox, QMessageBox { dialogbuttonbox-buttons-have-icons: 0; }"

# Style sheets are set on rooms (the bars, each page) and not on the application: it takes 0.4 ms a
# widget, and what is not in sight can wait until it is shown. While the application has one, were
# it of one line, widgets take over their style anew with each parent that they, or those above
# them, get.
_DRESSED, _HOUSE = "dressed", "house"
_rooms: list[QWidget] = []


def plain_buttons(window: QWidget) -> None:
    """No icons in the buttons of a window's dialogs, which ask for the rule as they are made."""
    window.setStyleSheet(_PLAIN_BUTTONS)


def house(made: QWidget) -> None:
    """Gives a widget the style sheet of the theme that is shown now, for good.

    Rooms that are made inside of it need none of their own while that theme is shown: what comes
    into a house that is dressed costs a third of what it costs to dress it then. Once the theme
    changes, each has its own, and that one counts.
    """
    made.setProperty(_HOUSE, _name())
    made.setStyleSheet(_sheet(_now))


def room(made: QWidget) -> None:
    """Makes a widget one whose style sheet follows the theme, with all that is inside."""
    _rooms.append(made)
    above = made.parentWidget()
    if above is not None and above.property(_HOUSE) == _name():
        made.setProperty(_DRESSED, _name())
    dress(made)


def dress(made: QWidget) -> None:
    """Gives a widget the style sheet of the theme, unless it has it."""
    if made.property(_DRESSED) != _name():
        made.setProperty(_DRESSED, _name())
        made.setStyleSheet(_sheet(_now))


def _name() -> str:
    return "night" if is_night() else "day"


def dress_shown(shown: QWidget) -> None:
    """What comes into sight: a room that missed a change, a dialog or menu that is in no room."""
    known = shown.property(_DRESSED) is not None
    bare = shown.isWindow() and not isinstance(shown, QMainWindow) and not _is_inside(shown)
    if known or bare:
        dress(shown)


def _is_inside(shown: QWidget) -> bool:
    above = shown.parentWidget()
    while above is not None and above.property(_DRESSED) is None:
        above = above.parentWidget()
    return above is not None


@cache
def _sheet(c: Colors) -> str:
    return f"""
    QMainWindow, QDialog, #page {{ background: {c.paper}; }}
    #panel {{ background: {c.panel}; border: 1px solid {c.line}; border-radius: 9px; }}
    #bar, #shore {{ background: {c.panel}; }}
    #bar {{ border-bottom: 1px solid {c.line}; }}
    #shore {{ border-top: 1px solid {c.line}; }}
    #soft {{ color: {c.soft}; }}
    #title {{ font-weight: bold; font-size: 14px; }}
    #strong {{ font-weight: bold; }}
    #marked {{ color: {c.coral}; font-weight: bold; }}
    #quiet {{ background: transparent; border: 0; padding: 0; color: {c.soft};
        text-align: left; min-height: 14px; }}
    #quiet:hover {{ color: {c.water}; }}
    #quiet:focus {{ color: {c.water}; text-decoration: underline; }}
    #warning {{ color: {c.coral}; font-weight: bold; }}
    #notice {{ background: {c.pale}; border-radius: 8px; padding: 5px 10px; }}
    QPushButton {{ background: {c.panel}; border: 1px solid {c.line}; border-radius: 12px;
        padding: 3px 12px; min-height: 18px; outline: 0; }}
    QPushButton:hover {{ border-color: {c.water}; }}
    QPushButton:focus {{ border: 2px solid {c.water}; padding: 2px 11px; }}
    QPushButton:disabled {{ color: {c.soft}; border-color: {c.inset}; }}
    QPushButton:checked, #primary {{ background: {c.ink}; color: {c.panel};
        border-color: {c.ink}; }}
    #primary:focus {{ border: 2px solid {c.water}; padding: 2px 11px; }}
    #primary:disabled {{ background: {c.inset}; color: {c.soft}; border-color: {c.inset}; }}
    #toggle {{ background: {c.inset}; border: 1px solid {c.inset}; border-radius: 9px;
        padding: 1px 8px; min-height: 16px; max-height: 16px; font-size: 12px; }}
    #toggle:checked {{ background: {c.water}; color: {c.panel}; border-color: {c.water}; }}
    #toggle[records="true"]:checked {{ background: {c.coral}; border-color: {c.coral}; }}
    #toggle:focus {{ border: 1px solid {c.ink}; }}
    #round {{ min-height: 42px; padding: 0; border: 0; }}
    #tab {{ background: transparent; border: 1px solid transparent; color: {c.soft};
        font-weight: bold; padding: 3px 9px; }}
    #tab:checked {{ background: {c.inset}; color: {c.ink}; }}
    #tab:focus {{ border-color: {c.water}; }}
    #page_tab {{ background: transparent; border: 1px solid transparent; font-weight: bold;
        color: {c.soft}; padding: 3px 10px; }}
    #page_tab:hover {{ color: {c.ink}; }}
    #page_tab:checked {{ background: {c.ink}; color: {c.panel}; }}
    #page_tab:focus {{ border: 1px solid {c.water}; padding: 3px 10px; }}
    #whole_name {{ background: {c.panel}; border-radius: 4px; }}
    #finder {{ background: {c.panel}; border: 1px solid {c.line}; }}
    #flat {{ background: transparent; border: 1px solid transparent; padding: 1px 5px;
        text-align: left; }}
    #flat:hover {{ background: {c.inset}; }}
    #flat:focus {{ border-color: {c.water}; }}
    QLineEdit, QComboBox, QSpinBox {{ background: {c.panel}; border: 1px solid {c.line};
        border-radius: 8px; padding: 2px 8px; selection-background-color: {c.water};
        selection-color: {c.panel}; }}
    QComboBox {{ selection-background-color: {c.pale}; selection-color: {c.ink}; }}
    QLineEdit:focus, QComboBox:focus {{ border-color: {c.water}; }}
    QComboBox::drop-down {{ border: 0; width: 20px; }}
    QComboBox::down-arrow {{ image: url({(ASSETS / "down.svg").as_posix()}); width: 10px; }}
    QComboBox QAbstractItemView {{ background: {c.panel}; border: 1px solid {c.line};
        selection-background-color: {c.pale}; selection-color: {c.ink}; outline: 0; }}
    QMenu {{ background: {c.panel}; border: 1px solid {c.line}; padding: 5px; }}
    QMenu::item {{ padding: 4px 26px 4px 14px; border-radius: 6px; }}
    QMenu::item:selected {{ background: {c.pale}; color: {c.ink}; }}
    QMenu::item:disabled {{ color: {c.soft}; }}
    QMenu::separator {{ height: 1px; background: {c.line}; margin: 4px 8px; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: 0; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {c.line}; border-radius: 4px; min-height: 28px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 9px; }}
    QScrollBar::handle:horizontal {{ background: {c.line}; border-radius: 4px; }}
    QSplitter::handle {{ background: transparent; }}
    QToolTip {{ background: {c.ink}; color: {c.panel}; border: 0; padding: 5px 7px; }}
    QProgressBar {{ background: {c.inset}; border: 0; border-radius: 6px; height: 12px;
        text-align: center; }}
    QProgressBar::chunk {{ background: {c.water}; border-radius: 6px; }}
    #card {{ background: {c.panel}; border: 1px solid {c.line}; border-radius: 12px; padding: 0; }}
    #card:hover, #card:focus {{ border: 2px solid {c.water}; padding: 0; }}
    QTreeWidget {{ background: {c.panel}; border: 1px solid {c.line}; border-radius: 9px;
        outline: 0; }}
    QTreeWidget::item {{ padding: 3px 2px; min-height: 23px; }}
    QTreeWidget::item:selected {{ background: {c.pale}; color: {c.ink}; }}
    QTableView {{ background: {c.panel}; border: 0; outline: 0;
        selection-background-color: {c.pale}; selection-color: {c.ink}; }}
    QHeaderView::section {{ background: {c.inset}; color: {c.soft}; border: 0; padding: 4px 8px; }}
    QListWidget {{ background: transparent; border: 0; outline: 0; }}
    QListWidget::item {{ padding: 6px 8px; border-radius: 8px; }}
    QListWidget::item:selected {{ background: {c.pale}; color: {c.ink}; }}
    """
