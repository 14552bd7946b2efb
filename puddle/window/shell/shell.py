"""The window: top bar, page, shore, and what lies over them; one kit in one window."""

from __future__ import annotations

import base64
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QByteArray, QSize, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QKeySequence, QPaintEvent, QShortcut
from PyQt6.QtWidgets import QApplication, QMainWindow, QVBoxLayout, QWidget

from puddle.home.settings import save_settings
from puddle.kit import edits
from puddle.kit.model.document import Kit, Sample
from puddle.window import theme
from puddle.window.commands import Context
from puddle.window.editors.pad_copier import PadCopier
from puddle.window.files.exports import Exports
from puddle.window.files.incoming import Incoming
from puddle.window.files.kit_files import Kits
from puddle.window.files.midi_files import MidiFiles
from puddle.window.files.parcels import Parcels
from puddle.window.session.aligner import Aligner
from puddle.window.session.comparer import Comparer
from puddle.window.session.listening import Listening
from puddle.window.session.moves import Moves
from puddle.window.session.output_names import OutputNames
from puddle.window.session.printer import Printer
from puddle.window.session.recording import Recording
from puddle.window.session.session import Session
from puddle.window.session.trial import Trial
from puddle.window.session.under import UnderTheGroove
from puddle.window.shell.actions import Actions
from puddle.window.shell.compare_strip import CompareStrip
from puddle.window.shell.frame import Pages
from puddle.window.shell.keyboard import Keyboard
from puddle.window.shell.menus.table import COMMANDS, MENUS, PAGES
from puddle.window.shell.notices import Notice, Overlay
from puddle.window.shell.pad_menu import PadMenu
from puddle.window.shell.preparing import Preparing
from puddle.window.shell.revealer import Revealer
from puddle.window.shell.tab_order import step_focus
from puddle.window.shell.top_bar import TopBar
from puddle.window.shore.key_menu import KeyMenu
from puddle.window.shore.shore import Shore
from puddle.window.widgets.busy import BusyStrip

if TYPE_CHECKING:
    from puddle.window.session.controlling import Controlling

_TOLD_MS = 8000
_LIKED = QSize(1280, 800)
_ABOVE_PX = 8  # of the bar's foot, that a notice may cover
_FRAME = QSize(4, 40)  # of a window manager, at most


class Shell(QMainWindow):
    """Builds the parts of a window and lets them hear of each other."""

    first_painted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        theme.plain_buttons(self)
        self.setWindowTitle("Puddle")
        self.setMinimumSize(1000, 640)
        self.resize(self._first_size())
        self.context = Context()
        self.context.add(self, QMainWindow)
        self._add_parts()
        self.commands = self.context.add(Actions(COMMANDS, self.context, self))
        self.context.do = self.commands.do
        self.pages = self.context.add(Pages(PAGES, self.context))
        self.pages.shown.connect(self._show_page)
        self.shore = self.context.add(Shore(session, self.parcels, self.context.of(Listening)))
        self.pad_menu = PadMenu(session, self, self.incoming, self.parcels, self.do)
        self.context.add(KeyMenu(session, self, self.do))
        self.context.add(Revealer(session, self.pages, self.shore))
        self.top = TopBar(session, self.commands, PAGES, MENUS, self.kits.open)
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.top)
        column.addWidget(self.pages, 1)
        column.addWidget(self.shore)
        for room in (self.top, self.shore):
            theme.room(room)
        middle = QWidget()
        middle.setLayout(column)
        self.setCentralWidget(middle)
        menu_key = QShortcut(QKeySequence("F10"), self)
        menu_key.activated.connect(self.top.open_menu)
        self._add_overlay(middle)
        self._wire()
        self.keyboard = self.context.add(Keyboard(session, self, self.shore))
        session.around = self.keyboard.set_aside
        self._painted = False
        self._may_close = self._closing = False
        self._controlling: Controlling | None = None
        if session.settings.geometry:
            self.restoreGeometry(QByteArray(base64.b64decode(session.settings.geometry)))
        self._show_kit()

    def _add_parts(self) -> None:
        """What commands and pages work with, each made of those before it."""
        session, context = self.session, self.context
        context.add(session)
        self.kits = context.add(Kits(session, self))
        self.exports = context.add(Exports(session, self))
        self.incoming = context.add(Incoming(session, self, self.kits))
        self.parcels = context.add(Parcels(session))
        self.comparer = context.add(Comparer(session))
        trial = context.add(Trial(session))
        context.add(Aligner(session, trial))
        context.add(Printer(session))
        context.add(PadCopier(session, self))
        context.add(Listening(session.player))
        context.add(Moves(session, context.add(Recording(session))))
        context.add(UnderTheGroove(session))
        context.add(OutputNames(session))
        context.add(MidiFiles(session, self))

    def _add_overlay(self, middle: QWidget) -> None:
        """What comes and goes by itself, over the page's upper edge: between its buttons and those
        of the bar above there is room for a line."""
        session = self.session
        self.notice = Notice()
        self._notice_timer = QTimer(self)
        self._notice_timer.setSingleShot(True)
        self._notice_timer.timeout.connect(self.notice.hide)
        self.stretching = BusyStrip(
            "Stretching a sample", "Leaves it: the sample keeps its own length and pitch."
        )
        self.stretching.stopped.connect(self._leave_stretch)
        session.renders.stretched.connect(self.stretching.show_share)
        self.compare_strip = CompareStrip(session, self.comparer, lambda: self.do("compare"))
        self.overlay = Overlay(middle, self.top.height() - _ABOVE_PX)
        theme.room(self.overlay)
        self.preparing = Preparing(self)
        self.first_painted.connect(self.preparing.begin)
        session.player.device_changed.connect(self.preparing.compile_rest)
        session.player.device_changed.connect(self.pages.import_ahead)
        for strip in (self.notice, self.preparing.strip, self.stretching, self.compare_strip):
            strip.setObjectName("notice")
            self.overlay.add(strip)

    def _wire(self) -> None:
        session = self.session
        for differs in (
            session.kit_changed,
            session.selection_changed,
            session.saved,
            session.file.saving.changed,
        ):
            differs.connect(self._show_kit)
        session.saved.connect(self._show_copied)
        session.told.connect(self.tell)
        session.shape_wanted.connect(lambda: self.pages.show_page("shape"))
        session.recording_wanted.connect(self._show_recording)
        session.control_wanted.connect(lambda asked: self.read_controllers().ask_control(asked))
        session.sound_added.connect(self._show_added)
        session.player.device_changed.connect(self._show_device)
        self.context.of(Listening).changed.connect(self.commands.show_checked)
        self.shore.files_dropped.connect(self.incoming.drop)
        self.shore.command_wanted.connect(self.do)
        self.shore.menu_wanted.connect(self.pad_menu.open_at)
        self.shore.sound_wanted.connect(self.incoming.ask_voice_for)
        self.shore.gauges.wanted.connect(lambda _: self._show_gauges())
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.dataChanged.connect(self.parcels.note_clipboard)
            clipboard.dataChanged.connect(self._show_copied)

    def do(self, name: str) -> None:
        """Carries out a command by its id."""
        self.commands.do(name)

    def read_controllers(self) -> Controlling:
        """Reads controllers from now on, before anybody asks for their page."""
        from puddle.window.session.controlling import Controlling

        session = self.session
        self._controlling = self.context.of(Controlling, lambda: Controlling(session))
        self._controlling.start()
        return self._controlling

    # What is shown.

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
        if self.pages.current != "start":
            self.keyboard.play_again()
        self.keyboard.begin()
        self.first_painted.emit()

    def _show_kit(self) -> None:
        self.commands.show_enabled()
        self.top.show_kit()
        self.setWindowModified(self.session.history.edited)
        self.setWindowTitle(f"{self.session.kit.name}[*] – Puddle")

    def _show_copied(self) -> None:
        """The pad on the clipboard, named in the menu; another window's is not asked for here."""
        name = self.parcels.own_copy or "the copied pad"
        self.commands.by_id["take_over"].setText(f"Take over from {name} …")

    def _show_device(self) -> None:
        if self.session.player.device_note:
            self.tell(self.session.player.device_note)

    def tell(self, sentence: str) -> None:
        """Shows a sentence over the page for some seconds."""
        self.notice.setText(sentence)
        self.notice.show()
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

    def _show_page(self, page_id: str) -> None:
        self.top.show_page(page_id)
        self.commands.show_enabled()

    def _show_recording(self, path: Path) -> None:
        """A file is to be cut, wherever the person is."""
        from puddle.window.pages.cut.page import CutPage

        self.pages.show_page("cut")
        self.context.of(CutPage).cutter.bring(path)

    def _show_added(self) -> None:
        """A sound that came in: the person stays where they are, but not on the start page."""
        if self.pages.current == "start":
            self.pages.show_page("shape")

    def _show_gauges(self) -> None:
        """The kit's gauges on Map."""
        from puddle.window.pages.map.page import MapPage

        page = self.pages.page("map")
        assert isinstance(page, MapPage)
        page.show_gauges()
        self.pages.show_page("map")

    # Closing.

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
        self.pages.keep_places()
        save_settings(settings)
        self.keyboard.end()
        self.preparing.stop()
        self._notice_timer.stop()  # nothing rings after a window that is gone
        self.pages.stop()
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.dataChanged.disconnect(self.parcels.note_clipboard)
            clipboard.dataChanged.disconnect(self._show_copied)
        self.comparer.close()
        self.parcels.close()
        if self._controlling is not None:
            self._controlling.close(wait=False)
        self.session.close()
        event.accept()
