"""The window: top bar, page, shore, and what the commands do."""

from __future__ import annotations

import base64
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QByteArray, QPoint, QSize, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QAction,
    QActionGroup,
    QCloseEvent,
    QKeySequence,
    QPaintEvent,
    QShortcut,
)
from PyQt6.QtWidgets import (
    QApplication,
    QMainWindow,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from puddle.home.settings import save_settings
from puddle.kit import edits
from puddle.kit.model.document import Kit, Sample
from puddle.window import theme
from puddle.window.commands import COMMANDS
from puddle.window.files.exports import Exports
from puddle.window.files.incoming import Incoming
from puddle.window.files.kit_files import Kits
from puddle.window.files.parcels import Parcels
from puddle.window.pages.shape.page import ShapePage
from puddle.window.pages.start.choices import Starting
from puddle.window.pages.start.page import StartPage
from puddle.window.session.comparer import Comparer
from puddle.window.session.session import Session
from puddle.window.shell.compare_strip import CompareStrip
from puddle.window.shell.finder import Finder
from puddle.window.shell.finder_entries import entries
from puddle.window.shell.keyboard import Keyboard
from puddle.window.shell.notices import Notice, Overlay
from puddle.window.shell.pad_commands import PadCommands
from puddle.window.shell.pad_menu import PadMenu
from puddle.window.shell.preferences import Preferences
from puddle.window.shell.preparing import Preparing
from puddle.window.shell.revealer import Revealer
from puddle.window.shell.shortcuts import Shortcuts
from puddle.window.shell.sound_commands import CompareCommands, SoundCommands
from puddle.window.shell.tab_order import step_focus
from puddle.window.shell.top_bar import TopBar
from puddle.window.shore.shore import Shore
from puddle.window.widgets.busy import BusyStrip
from puddle.window.widgets.passing import open_once

if TYPE_CHECKING:
    from puddle.window.pages.compare.page import ComparePage
    from puddle.window.pages.map.page import MapPage

_TOLD_MS = 8000
_LIKED = QSize(1280, 800)
_FRAME = QSize(4, 40)  # of a window manager, at most
_OF_A_PAD = (
    "print_sound", "snapshot", "switch", "conflicts", "copy_pad", "duplicate_pad", "move_left",
    "copy_to_pads",
    "move_right", "clear_pad", "remove_pad", "take_over", "sample_voice", "scale_layout",
)  # fmt: skip


class Shell(QMainWindow):
    """One kit in one window."""

    first_painted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWindowTitle("Puddle")
        self.setMinimumSize(1000, 640)
        self.resize(self._first_size())
        self.actions_by_id: dict[str, QAction] = {}
        self._made_actions()
        self.kits = Kits(session, self)
        self.exports = Exports(session, self)
        self.incoming = Incoming(session, self, self.kits)
        self.comparer = Comparer(session)
        self.sounds = SoundCommands(session, self)
        self.comparing = CompareCommands(session, self)
        self.pads = PadCommands(session, self)
        self.parcels = Parcels(session)
        self.page = ShapePage(session, self.incoming.drop, self.sounds.printer)
        self._compare_page: ComparePage | None = None
        self._map_page: MapPage | None = None
        self.start_page = StartPage()
        self.starting = Starting(session, self.start_page, self.kits)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.start_page)
        self.pages.addWidget(self.page)
        self.pages.currentChanged.connect(self._show_which)
        self.shore = Shore(session, self.parcels)
        self.pad_menu = PadMenu(session, self, self.incoming, self.exports, self.pads)
        self._notice = Notice()
        self._notice_timer = QTimer(self)
        self._notice_timer.setSingleShot(True)
        self._notice_timer.timeout.connect(self._notice.hide)
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.top = TopBar(session, self.actions_by_id, self.kits.open)
        column.addWidget(self.top)
        self.stretching = BusyStrip(
            "Stretching a sample", "Leaves it: the sample keeps its own length and pitch."
        )
        self.stretching.stopped.connect(self._leave_stretch)
        session.renders.stretched.connect(self.stretching.show_share)
        self.compare_strip = CompareStrip(session, self.comparer, lambda: self.do("compare"))
        column.addWidget(self.pages, 1)
        column.addWidget(self.shore)
        for room in (
            self.top,
            self.start_page,
            self.page,
            self.shore,
        ):
            theme.room(room)
        middle = QWidget()
        middle.setLayout(column)
        self.setCentralWidget(middle)
        self.revealer = Revealer(self)
        self._finder: Finder | None = None
        menu_key = QShortcut(QKeySequence("F10"), self)
        menu_key.activated.connect(self.top.open_menu)
        self.overlay = Overlay(middle, self.top.height() + 2)
        theme.room(self.overlay)
        self.preparing = Preparing(self)
        self.first_painted.connect(self.preparing.begin)
        session.player.device_changed.connect(self.preparing.compile_rest)
        for strip in (self._notice, self.preparing.strip, self.stretching, self.compare_strip):
            strip.setObjectName("notice")
            self.overlay.add(strip)
        self._wire()
        self.keyboard = Keyboard(session, self, self.shore)
        session.around = self.keyboard.set_aside
        self._painted = False
        self._may_close = self._closing = False
        self._restore()
        self._show_kit()

    def _wire(self) -> None:
        session = self.session
        session.kit_changed.connect(self._show_kit)
        session.selection_changed.connect(self._show_kit)
        session.saved.connect(self._show_kit)
        session.saved.connect(self._show_copied)
        session.saving.changed.connect(self._show_kit)
        session.told.connect(self.tell)
        session.shape_wanted.connect(self.show_shape)
        session.sound_added.connect(self._show_added)
        session.player.device_changed.connect(self._show_device)
        self.shore.files_dropped.connect(self.incoming.drop)
        self.shore.listening_wanted.connect(self.do)
        self.page.conflicts_wanted.connect(lambda: self.do("conflicts"))
        self.page.lanes.layer_wanted.connect(self.incoming.ask_voice)
        self.shore.menu_wanted.connect(self.pad_menu.open_at)
        self.shore.sound_wanted.connect(self.incoming.ask_voice_for)
        self.shore.gauges.wanted.connect(lambda _: self._show_gauges())
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.dataChanged.connect(self.parcels.note_clipboard)
            clipboard.dataChanged.connect(self._show_copied)
        self._live = QTimer(self)
        self._live.setInterval(100)
        self._live.timeout.connect(self.page.properties.show_live_reductions)
        self._live.start()

    def focusNextPrevChild(self, next: bool) -> bool:
        """Tab goes as the window is read."""
        return step_focus(self, forward=next)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Tells once that the window can be seen."""
        super().paintEvent(event)
        if not self._painted:
            self._painted = True
            QTimer.singleShot(0, self._tell_painted)

    def _tell_painted(self) -> None:
        if self.pages.currentWidget() is not self.start_page:
            self.keyboard.play_again()  # Qt gives the focus to the first button there is
        self.first_painted.emit()

    def _made_actions(self) -> None:
        themes = QActionGroup(self)
        for command in COMMANDS:
            action = QAction(command.title, self)
            action.setCheckable(command.checkable)
            if command.keys:
                action.setShortcut(QKeySequence(command.keys))
            action.setToolTip(command.says)
            action.setStatusTip(command.says)
            action.triggered.connect(lambda _, name=command.id: self.do(name))
            if command.id in ("day", "night", "desktop"):
                themes.addAction(action)
            self.actions_by_id[command.id] = action
            self.addAction(action)
        self.actions_by_id[self.session.settings.theme].setChecked(True)

    def do(self, name: str) -> None:
        """Carries out a command of the table."""
        self.doing(name)()

    def doing(self, name: str) -> Callable[[], Any]:
        """What carries it out: of the window, or of the rooms that it has for sounds."""
        rooms = (self, self.sounds, self.comparing, self.pads)
        made = next(getattr(r, f"do_{name}") for r in rooms if hasattr(r, f"do_{name}"))
        done: Callable[[], Any] = made
        return done

    def _show_kit(self) -> None:
        session = self.session
        self.top.show_kit()
        self.setWindowModified(session.history.edited)
        self.setWindowTitle(f"{session.kit.name}[*] – Puddle")
        has_pad, has_layer = session.pad is not None, session.layer is not None
        for name in ("remove_layer", "duplicate_layer", "align", "print_layer"):
            self.actions_by_id[name].setEnabled(has_layer)
        for name in _OF_A_PAD:
            self.actions_by_id[name].setEnabled(has_pad)
        several = session.pad is not None and len(session.pad.alternates) > 1
        for name in ("next_alternate", "previous_alternate"):
            self.actions_by_id[name].setEnabled(several)
        self.actions_by_id["reopen"].setEnabled(self.sounds.printer.recipe is not None)
        self.actions_by_id["export_sound"].setEnabled(has_pad)
        self.actions_by_id["rename"].setEnabled(has_pad)
        self.actions_by_id["export_groove"].setEnabled(session.pattern is not None)

    def _show_copied(self) -> None:
        """The pad on the clipboard, named in the menu; another window's is not asked for here."""
        name = self.parcels.own_copy or "the copied pad"
        self.actions_by_id["take_over"].setText(f"Take over from {name} …")

    def _show_device(self) -> None:
        if self.session.player.device_note:
            self.tell(self.session.player.device_note)

    def tell(self, sentence: str) -> None:
        """Shows a sentence over the page for some seconds."""
        self._notice.setText(sentence)
        self._notice.show()
        self._notice_timer.start(_TOLD_MS)

    def _leave_stretch(self, work: object) -> None:
        """Every layer whose sample waits for that stretch does without one."""

        def leave(kit: Kit) -> Kit:
            for pad in kit.pads:
                for layer in pad.sound.layers:
                    if isinstance(layer.source, Sample) and layer.source.stretching == work:
                        kit = edits.set_source(kit, pad.id, layer.id, stretch=100.0, pitch_st=0.0)
            return kit

        self.session.edit("stretch left", leave)

    # Pages.

    @property
    def compare_page(self) -> ComparePage:
        """Compare, made when it is first wanted: the first paint does not wait for it."""
        if self._compare_page is None:
            from puddle.window.pages.compare.page import ComparePage

            self._compare_page = ComparePage(self.session, self.comparer)
            theme.room(self._compare_page)
            self.pages.addWidget(self._compare_page)
            self._restore_splitters()
        return self._compare_page

    @property
    def map_page(self) -> MapPage:
        """Map, made when it is first wanted."""
        if self._map_page is None:
            from puddle.window.pages.map.page import MapPage

            self._map_page = MapPage(self.session, self.incoming, self.pads.copier.ask)
            theme.room(self._map_page)
            self.pages.addWidget(self._map_page)
            self._restore_splitters()
        return self._map_page

    def _show_which(self) -> None:
        """Which page is shown, on the top bar and to what only works while it is seen."""
        shown = self.pages.currentWidget()
        compares = shown is not None and shown is self._compare_page
        maps = shown is not None and shown is self._map_page
        names = {"shape": shown is self.page, "map": maps, "compare": compares}
        self.top.show_page(next((name for name, on in names.items() if on), ""))
        self.comparer.watch(compares)
        if self._map_page is not None:
            self._map_page.watch(maps)

    def show_shape(self) -> None:
        """Shows Shape."""
        self.pages.setCurrentWidget(self.page)
        self._show_which()

    def _show_added(self) -> None:
        """A sound that came in: the person stays where they are, but not on the start page."""
        if self.pages.currentWidget() is self.start_page:
            self.show_shape()

    def do_shape(self) -> None:
        """Shows Shape."""
        self.show_shape()

    def _show_gauges(self) -> None:
        """The kit's gauges on Map."""
        self.map_page.pad.choose_tab("Gauges")
        self.do_map()

    def do_map(self) -> None:
        """Shows Map."""
        self.pages.setCurrentWidget(self.map_page)
        self._show_which()

    def do_start(self) -> None:
        """Shows the start page."""
        self.starting.show()
        self.pages.setCurrentWidget(self.start_page)
        self._show_which()  # it may have been the current one from the beginning
        self.start_page.new.setFocus()

    def do_find(self) -> None:
        """Opens the finder, empty."""
        if self._finder is None:
            self._finder = Finder(self, lambda: entries(self))
        left = (self.width() - self._finder.width()) // 2
        self._finder.ask(self.mapToGlobal(QPoint(left, self.top.height() + 4)))

    # Kits.

    def do_template(self) -> None:
        """Asks how the kit is kept as a template."""
        self.kits.ask_template()

    def do_new(self) -> None:
        """A kit from the template that new kits start from."""
        self.kits.new()

    def do_open(self) -> None:
        """Asks for a kit file."""
        self.kits.ask_open()

    def do_demo(self) -> None:
        """Opens the demo."""
        self.kits.demo()

    def do_save(self) -> None:
        """Saves where the kit lies, or asks where."""
        self.kits.save()

    def do_save_as(self) -> None:
        """Asks where to save."""
        self.kits.save_as()

    def do_export_sound(self) -> None:
        """Asks where the selected sound goes."""
        self.exports.ask_sound()

    def do_export_groove(self) -> None:
        """Asks where the groove goes."""
        self.exports.ask_groove()

    def do_add_sample(self) -> None:
        """Asks for sound files."""
        self.incoming.ask_files()

    def do_quit(self) -> None:
        """Closes the window."""
        self.close()

    # Edits.

    def do_undo(self) -> None:
        """Takes the last step back, says what it was and shows where."""
        name = self.session.history.undo_name
        if name is not None:
            self.session.undo()
            self.tell(f"Undone: {name}.")

    def do_redo(self) -> None:
        """Brings it back."""
        name = self.session.history.redo_name
        if name is not None:
            self.session.redo()
            self.tell(f"Done again: {name}.")

    def do_rename(self) -> None:
        """Asks for another name."""
        self.page.properties.rename()

    def do_add_voice(self) -> None:
        """A synthesized voice, chosen by ear."""
        self.incoming.ask_voice()

    # Playing.

    def do_strike(self) -> None:
        """Strikes the selected pad."""
        self.session.strike(self.session.pad_id, self.shore.velocity)

    def do_play(self) -> None:
        """Starts or stops the groove."""
        self.session.player.toggle_play()

    def do_repeat(self) -> None:
        """The selected pad on every beat."""
        on = not self.session.player.repeater.on
        self.shore.set_repeat(on)
        self.actions_by_id["repeat"].setChecked(on)

    def do_silence(self) -> None:
        """Stops all that rings."""
        self.session.player.silence()

    def _step_pad(self, step: int) -> None:
        pads = sorted(self.session.kit.pads, key=lambda p: p.place)
        ids = [p.id for p in pads]
        if self.session.pad_id in ids:
            self.session.select_pad(ids[(ids.index(self.session.pad_id) + step) % len(ids)])

    def do_next_pad(self) -> None:
        """The next pad."""
        self._step_pad(1)

    def do_previous_pad(self) -> None:
        """The pad before."""
        self._step_pad(-1)

    # View.

    def _zoom(self, factor: float) -> None:
        axis = self.page.lanes.axis
        axis.zoom(factor, (axis.first_ms + axis.last_ms) / 2.0)

    def do_zoom_in(self) -> None:
        """Less time, larger."""
        self._zoom(1.5)

    def do_zoom_out(self) -> None:
        """More time, smaller."""
        self._zoom(1 / 1.5)

    def do_zoom_all(self) -> None:
        """The whole sound."""
        self.page.lanes.axis.show_all()

    def _dress(self, choice: str) -> None:
        self.session.settings.theme = choice
        app = QApplication.instance()
        if isinstance(app, QApplication):
            with self.keyboard.set_aside():
                theme.apply(app, choice)
        self.actions_by_id[choice].setChecked(True)
        self.page.properties.stages.show_stages((), self.session.renders.takes.rate_hz, [])
        self.page.lanes.show_kit()
        self.page.properties.show_kit()
        for widget in self.findChildren(QWidget):
            widget.update()

    def do_day(self) -> None:
        """Paper and ink."""
        self._dress("day")

    def do_night(self) -> None:
        """Deep ink."""
        self._dress("night")

    def do_desktop(self) -> None:
        """As the desktop has it."""
        self._dress("desktop")

    def do_pad_layout(self) -> None:
        """Another layout of the shore."""
        self.shore._next_layout()

    def do_shortcuts(self) -> None:
        """The shortcut list."""
        self.shortcuts = Shortcuts(self)
        open_once(self.shortcuts)

    def do_preferences(self) -> None:
        """Sound card, rate, block size."""
        self.preferences = Preferences(self.session, self)
        self.preferences.accepted.connect(self._prefer)
        open_once(self.preferences)

    def _prefer(self) -> None:
        self.preferences.apply()
        save_settings(self.session.settings)
        self.session.show_again()

    # Keys, closing.

    def _restore(self) -> None:
        settings = self.session.settings
        if settings.geometry:
            self.restoreGeometry(QByteArray(base64.b64decode(settings.geometry)))
        self._restore_splitters()

    def _restore_splitters(self) -> None:
        kept = self.session.settings.splitters
        for name, splitter in self._splitters().items():
            if name in kept:
                splitter.setSizes(kept[name])

    def _splitters(self) -> dict[str, QSplitter]:
        """By the names under which their places are kept."""
        found = {"left": self.page.left, "whole": self.page.whole}
        if self._map_page is not None:
            found["map"] = self._map_page.whole
        if self._compare_page is not None:
            found["compare"] = self._compare_page.whole
            found["compared"] = self._compare_page.middle
        return found

    def _first_size(self) -> QSize:
        """As large as the screen leaves, up to what looks best."""
        screen = self.screen()
        room = screen.availableSize() if screen is not None else _LIKED
        return _LIKED.boundedTo(room - _FRAME).expandedTo(self.minimumSize())

    def _let_close(self) -> None:
        """The kit may go; when that was found out later, closing begins once more."""
        self._may_close = True
        if not self._closing:
            self.close()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if not self._may_close:
            self._closing = True
            self.kits.leave(self._let_close)
            self._closing = False
        if not self._may_close:
            event.ignore()
            return
        settings = self.session.settings
        settings.geometry = base64.b64encode(self.saveGeometry().data()).decode()
        settings.splitters |= {k: splitter.sizes() for k, splitter in self._splitters().items()}
        save_settings(settings)
        self.keyboard.end()
        self.preparing.stop()
        # Nothing rings after a window that is gone.
        for timer in (self._notice_timer, self._live):
            timer.stop()
        if self._map_page is not None:
            self._map_page.watch(False)
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.dataChanged.disconnect(self.parcels.note_clipboard)
            clipboard.dataChanged.disconnect(self._show_copied)
        self.comparer.close()
        self.session.close()
        event.accept()
