"""The window: top bar, page, shore, and what the commands do."""

from __future__ import annotations

import base64
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QByteArray, QEvent, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QAction, QActionGroup, QCloseEvent, QKeyEvent, QKeySequence, QPaintEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMenu,
    QMenuBar,
    QMessageBox,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from puddle.errors import PuddleError
from puddle.formats.journal import Lost, lost_journals
from puddle.formats.kitfile import SUFFIX
from puddle.formats.sound import SUFFIXES
from puddle.kit import edits
from puddle.kit.document import Sample, Sound
from puddle.voices import STARTING_POINTS, AnyVoice, Hat, Kick, Snare
from puddle.window import theme
from puddle.window.commands import COMMANDS, Command
from puddle.window.dialogs import Preferences, Shortcuts, Working, with_suffix
from puddle.window.pages.shape import ShapePage
from puddle.window.pages.start import Mark, StartPage
from puddle.window.parts.controls import button, label
from puddle.window.session import Session
from puddle.window.settings import journal_root, save_settings
from puddle.window.shore import Shore, pad_menu

Work = Callable[[Callable[[float], bool]], Any]
_MENUS = ("Kit", "Edit", "Sound", "Play", "View", "Help")
_TOLD_MS = 8000
_WIDTHS = {
    "WAV, 24 bits (*.wav)": "24",
    "WAV, 16 bits with dither (*.wav)": "16",
    "WAV, 32-bit float (*.wav)": "32f",
}
_MOST_DROPPED = 64


class Shell(QMainWindow):
    """One kit in one window."""

    first_painted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWindowTitle("Puddle")
        self.setMinimumSize(1000, 640)
        self.resize(1280, 800)
        self.actions_by_id: dict[str, QAction] = {}
        self._made_actions()
        self.page = ShapePage(session, self.drop_files)
        self.start_page = StartPage()
        self.pages = QStackedWidget()
        self.pages.addWidget(self.start_page)
        self.pages.addWidget(self.page)
        self.shore = Shore(session)
        self._notice = QLabel()
        self._notice.setObjectName("notice")
        self._notice.setWordWrap(True)
        self._notice_timer = QTimer(self)
        self._notice_timer.setSingleShot(True)
        self._notice_timer.timeout.connect(lambda: self._notice_room.hide())
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._top_bar())
        notice = QHBoxLayout()
        notice.setContentsMargins(12, 8, 12, 0)
        notice.addWidget(self._notice)
        self._notice_room = QWidget()
        self._notice_room.setLayout(notice)
        self._notice_room.hide()
        column.addWidget(self._notice_room)
        column.addWidget(self.pages, 1)
        column.addWidget(self.shore)
        middle = QWidget()
        middle.setObjectName("page")
        middle.setLayout(column)
        self.setCentralWidget(middle)
        self._wire()
        app = QApplication.instance()
        if app is not None:
            app.installEventFilter(self)
        self._painted = False
        self._restore()
        self._show_kit()

    def _wire(self) -> None:
        session = self.session
        session.kit_changed.connect(self._show_kit)
        session.selection_changed.connect(self._show_kit)
        session.saved.connect(self._show_kit)
        session.told.connect(self.tell)
        session.opened.connect(self.show_shape)
        session.player.device_changed.connect(self._show_device)
        self.shore.files_dropped.connect(self._dropped_on_pad)
        self.shore.menu_wanted.connect(self._pad_menu)
        start = self.start_page
        start.new_wanted.connect(self.do_new)
        start.open_wanted.connect(self.do_open)
        start.demo_wanted.connect(self.do_demo)
        start.kit_wanted.connect(lambda name: self.open_kit(Path(name)))
        start.recover_wanted.connect(self.recover)
        self._live = QTimer(self)
        self._live.setInterval(100)
        self._live.timeout.connect(self.page.properties.show_live_reductions)
        self._live.start()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Tells once that the window can be seen."""
        super().paintEvent(event)
        if not self._painted:
            self._painted = True
            QTimer.singleShot(0, self._tell_painted)

    def _tell_painted(self) -> None:
        self.first_painted.emit()

    # The top bar.

    def _made_actions(self) -> None:
        themes = QActionGroup(self)
        for command in COMMANDS:
            action = QAction(command.title, self)
            action.setCheckable(command.checkable)
            if command.keys:
                action.setShortcut(QKeySequence(command.keys))
            action.setToolTip(command.says)
            action.setStatusTip(command.says)
            done: Callable[[], Any] = getattr(self, f"do_{command.id}")
            action.triggered.connect(lambda _, done=done: done())
            if command.id in ("day", "night", "desktop"):
                themes.addAction(action)
            self.actions_by_id[command.id] = action
            self.addAction(action)
        self.actions_by_id[self.session.settings.theme].setChecked(True)

    def _top_bar(self) -> QFrame:
        bar = QFrame()
        bar.setObjectName("bar")
        bar.setFixedHeight(46)
        line = QHBoxLayout(bar)
        line.setContentsMargins(14, 0, 14, 0)
        line.setSpacing(9)
        line.addWidget(Mark(27))
        mark = label("Puddle")
        mark.setFont(theme.text_font(16, bold=True))
        line.addWidget(mark)
        line.addSpacing(8)
        self._kit_name = label("", "title")
        line.addWidget(self._kit_name)
        self._state = label("", "soft")
        line.addWidget(self._state)
        line.addSpacing(14)
        self.shape_tab = QPushButton("Shape")
        self.shape_tab.setCheckable(True)
        self.shape_tab.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.shape_tab.setChecked(True)
        self.shape_tab.setToolTip("The layers and stages of the selected sound.")
        self.shape_tab.clicked.connect(self.show_shape)
        line.addWidget(self.shape_tab)
        line.addStretch(1)
        menus = QMenuBar()
        menus.setNativeMenuBar(False)
        made = {name: menus.addMenu(name) for name in _MENUS}
        for command in COMMANDS:
            self._add_to_menu(made[command.menu], command)
        line.addWidget(menus)
        line.addSpacing(6)
        self.undo = button("↶ Undo", "", self.do_undo, name="Undo")
        self.redo = button("Redo ↷", "", self.do_redo, name="Redo")
        line.addWidget(self.undo)
        line.addWidget(self.redo)
        return bar

    def _add_to_menu(self, menu: QMenu | None, command: Command) -> None:
        if menu is None:
            return
        if command.after_line:
            menu.addSeparator()
        menu.addAction(self.actions_by_id[command.id])
        if command.id == "open":
            self._recent = QMenu("Open recent", menu)
            self._recent.aboutToShow.connect(self._fill_recent)
            menu.addMenu(self._recent)

    def _fill_recent(self) -> None:
        self._recent.clear()
        names = [n for n in self.session.settings.recent if Path(n).exists()]
        for name in names:
            action = self._recent.addAction(Path(name).stem)
            if action is not None:
                action.setToolTip(name)
                action.triggered.connect(lambda _, name=name: self.open_kit(Path(name)))
        if not names:
            empty = self._recent.addAction("none yet")
            if empty is not None:
                empty.setEnabled(False)

    def _show_kit(self) -> None:
        session = self.session
        self._kit_name.setText(session.kit.name)
        edited = session.history.edited
        self._state.setText("· edited" if edited else "· saved" if session.path else "· not saved")
        self.setWindowModified(edited)
        self.setWindowTitle(f"{session.kit.name}[*] – Puddle")
        for name, made, what in (
            ("undo", self.undo, session.history.undo_name),
            ("redo", self.redo, session.history.redo_name),
        ):
            made.setEnabled(what is not None)
            verb = name.capitalize()
            made.setToolTip(f"{verb}: {what}" if what else f"Nothing to {name}.")
            action = self.actions_by_id[name]
            action.setEnabled(what is not None)
            action.setText(f"{verb} {what}" if what else verb)
        has_pad, has_layer = session.pad is not None, session.layer is not None
        self.actions_by_id["remove_layer"].setEnabled(has_layer)
        self.actions_by_id["export_sound"].setEnabled(has_pad)
        self.actions_by_id["rename"].setEnabled(has_pad)
        self.actions_by_id["export_groove"].setEnabled(session.pattern is not None)

    def _show_device(self) -> None:
        if self.session.player.device_note:
            self.tell(self.session.player.device_note)

    def tell(self, sentence: str) -> None:
        """Shows a sentence over the page for some seconds."""
        self._notice.setText(sentence)
        self._notice_room.show()
        self._notice_timer.start(_TOLD_MS)

    # Pages.

    def show_shape(self) -> None:
        """Shows Shape."""
        self.pages.setCurrentWidget(self.page)
        self.shape_tab.setChecked(True)

    def do_shape(self) -> None:
        """Shows Shape."""
        self.show_shape()

    def do_start(self) -> None:
        """Shows the start page."""
        self.start_page.show_offers(self.session.settings.recent, lost_journals(journal_root()))
        self.pages.setCurrentWidget(self.start_page)
        self.shape_tab.setChecked(False)
        self.start_page.new.setFocus()

    # Kits.

    def _may_leave(self) -> bool:
        """Asks what to do with edits; False when the person wants to stay."""
        session = self.session
        nothing_made = session.path is None and session.history.undo_name is None
        if not session.history.edited or nothing_made:
            return True
        box = QMessageBox(self)
        box.setWindowTitle("Puddle")
        box.setText(f"Save the changes to {session.kit.name}?")
        kinds = QMessageBox.StandardButton
        box.setStandardButtons(kinds.Save | kinds.Discard | kinds.Cancel)
        answer = box.exec()
        if answer == kinds.Save:
            path = session.path or self._ask_path()
            return self.save_to(path) if path is not None else False
        return bool(answer == kinds.Discard)

    def do_new(self) -> None:
        """An empty kit."""
        if self._may_leave():
            self.session.new()
            self.show_shape()

    def do_open(self) -> None:
        """Asks for a kit file."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Open a kit", self.session.settings.last_folder, f"Puddle kits (*{SUFFIX})"
        )
        if name:
            self.open_kit(Path(name))

    def open_kit(self, path: Path) -> None:
        """Opens a kit file, or says why not; then the kit that was open stays."""
        if not self._may_leave():
            return
        self.session.settings.last_folder = str(path.parent)
        self.session.open_soon(path)

    def do_demo(self) -> None:
        """Opens the demo."""
        if self._may_leave():
            self.session.open_soon(None)

    def recover(self, lost: Lost) -> None:
        """Opens what a process that died had not saved."""
        try:
            self.session.recover(lost)
        except PuddleError as error:
            self.tell(str(error))
            return
        self.show_shape()
        self.tell(f"{lost.name} is back as it was. Save it to keep it.")

    def do_save(self) -> None:
        """Saves where the kit lies, on a worker; asks where if it lies nowhere."""
        path = self.session.path or self._ask_path()
        if path is not None:
            self._name_after(path)
            self.session.save_soon(path)

    def do_save_as(self) -> None:
        """Asks where to save."""
        path = self._ask_path()
        if path is not None:
            self._name_after(path)
            self.session.save_soon(path)

    def _ask_path(self) -> Path | None:
        folder = Path(self.session.settings.last_folder or Path.home())
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Save the kit",
            str(folder / f"{self.session.kit.name}{SUFFIX}"),
            f"Puddle kits (*{SUFFIX})",
        )
        return with_suffix(name, SUFFIX) if name else None

    def _name_after(self, path: Path) -> None:
        """A kit without a name takes its file's."""
        self.session.settings.last_folder = str(path.parent)
        if self.session.path != path and self.session.kit.name in ("Untitled", ""):
            named = edits.set_kit(self.session.kit, name=path.stem[:120])
            self.session.edit(f"Kit called {path.stem}", named)

    def save_to(self, path: Path) -> bool:
        """Saves at once, or says why not: before the window closes."""
        self._name_after(path)
        try:
            self.session.save(path)
        except PuddleError as error:
            self.tell(str(error))
            return False
        self.tell(f"Saved to {path}.")
        return True

    def do_quit(self) -> None:
        """Closes the window."""
        self.close()

    # Exports.

    def _ask_wav(self, title: str, name: str) -> Path | None:
        """Asks for a place and a width; remembers the width."""
        folder = Path(self.session.settings.last_folder or Path.home())
        chosen, width = QFileDialog.getSaveFileName(
            self, title, str(folder / f"{name}.wav"), ";;".join(_WIDTHS)
        )
        if not chosen:
            return None
        self.session.settings.export_bits = _WIDTHS.get(width, "24")
        return with_suffix(chosen, ".wav")

    def do_export_sound(self) -> None:
        """Asks where the selected sound goes."""
        pad = self.session.pad
        path = self._ask_wav("Export this sound", pad.name) if pad else None
        if path is not None:
            self.export_sound(path, self.session.settings.export_bits)

    def export_sound(self, path: Path, bits: Any) -> None:
        """Writes the selected pad's strike at full strength."""
        from puddle.engine.offline import strike
        from puddle.formats.sound import write_wav
        from puddle.measure.levels import peak_dbfs

        pad, takes = self.session.pad, self.session.takes
        if pad is None:
            return

        over: list[float] = []

        def work(progress: Callable[[float], bool]) -> None:
            audio = strike(pad, takes, 127.0)
            over.append(peak_dbfs(audio))
            write_wav(path, audio, takes.rate_hz, bits)
            progress(1.0)

        def said() -> str:
            if over and over[0] > 0.0 and bits != "32f":
                return (
                    f"{pad.name} is in {path}, but clipped: it peaks {over[0]:.1f} dB over full "
                    "scale. Lower it, or export 32-bit float."
                )
            return f"{pad.name} is in {path}."

        self._work(f"Exporting {pad.name} …", work, said)

    def do_export_groove(self) -> None:
        """Asks where the groove goes."""
        pattern = self.session.pattern
        if pattern is None:
            return
        path = self._ask_wav("Export the groove", f"{self.session.kit.name} {pattern.name}")
        if path is not None:
            self.export_groove(path, self.session.settings.export_bits)

    def export_groove(self, path: Path, bits: Any) -> None:
        """Writes the groove, once through, through the mix."""
        from puddle.engine.offline import bars_of, bounce
        from puddle.formats.sound import write_wav

        kit, takes, pattern = self.session.kit, self.session.takes, self.session.pattern
        if pattern is None:
            return

        def work(progress: Callable[[float], bool]) -> None:
            made = bounce(kit, pattern, bars_of(pattern), takes, progress)
            write_wav(path, made.master, made.rate_hz, bits)

        self._work("Exporting the groove …", work, lambda: f"The groove is in {path}.")

    def _work(self, title: str, work: Work, said: Callable[[], str]) -> None:
        def done(error: str | None) -> None:
            if error is None:
                self.tell(said())
            elif error:
                self.tell(error)

        self.working = Working(title, work, done, self)
        self.working.open()

    # Edits.

    def do_undo(self) -> None:
        """Takes the last step back."""
        self.session.undo()

    def do_redo(self) -> None:
        """Brings it back."""
        self.session.redo()

    def do_rename(self) -> None:
        """Asks for another name."""
        self.page.properties.rename()

    def _add_voice(self, kind: type[AnyVoice]) -> None:
        session = self.session
        name, voice = next(iter(STARTING_POINTS[kind].items()))
        if session.pad is None:
            self._pad_from_voice(kind, None)
            return
        kit, layer = edits.add_layer(session.kit, session.pad_id, name, voice)
        session.edit(f"{session.pad.name}: {kind.noun} layer", kit)
        session.select_layer(layer.id)

    def _pad_from_voice(self, kind: type[AnyVoice], place: int | None) -> None:
        session = self.session
        name, voice = next(iter(STARTING_POINTS[kind].items()))
        role = _role(kind.noun)
        layer = edits.new_layer((), name, voice)
        kit, pad = edits.add_pad(session.kit, name, role, Sound(layers=(layer,)), place)
        session.edit(f"New {kind.noun}", kit)
        session.select_pad(pad.id)
        self.show_shape()

    def do_add_kick(self) -> None:
        """A synthesized kick."""
        self._add_voice(Kick)

    def do_add_snare(self) -> None:
        """A synthesized snare."""
        self._add_voice(Snare)

    def do_add_hat(self) -> None:
        """A synthesized hat."""
        self._add_voice(Hat)

    def do_add_sample(self) -> None:
        """Asks for sound files."""
        pattern = " ".join(f"*{s}" for s in SUFFIXES)
        names, _ = QFileDialog.getOpenFileNames(
            self, "Add sound files", self.session.settings.last_folder, f"Sounds ({pattern})"
        )
        if names:
            self.session.settings.last_folder = str(Path(names[0]).parent)
            self.drop_files([Path(n) for n in names], self.session.pad_id, None)

    def do_remove_layer(self) -> None:
        """Takes the selected layer out."""
        layer, kit, pad = self.session.layer, self.session.kit, self.session.pad_id
        if layer is not None:
            self.session.try_edit(
                f"{layer.name} out", lambda: edits.remove_layer(kit, pad, layer.id)
            )

    def do_select_whole(self) -> None:
        """Shows the whole sound."""
        self.session.select_layer(None)

    def _step_layer(self, step: int) -> None:
        pad = self.session.pad
        ids: list[str | None] = [None, *(k.id for k in pad.sound.layers)] if pad else [None]
        now = ids.index(self.session.layer_id) if self.session.layer_id in ids else 0
        self.session.select_layer(ids[(now + step) % len(ids)])

    def do_next_layer(self) -> None:
        """The layer below."""
        self._step_layer(1)

    def do_previous_layer(self) -> None:
        """The layer above."""
        self._step_layer(-1)

    # Files dropped.

    def _dropped_on_pad(self, paths: list[Path], pad_id: str, place: int) -> None:
        self.drop_files(paths, pad_id, place)

    def drop_files(self, paths: list[Path], pad_id: str, place: int | None) -> None:
        """Kits open; sounds become layers of a pad, or pads at empty places.

        Decoding happens on a worker; files that are no sounds are named, and the rest land.
        """
        kits = [p for p in paths if p.suffix.lower() == SUFFIX]
        if kits:
            self.open_kit(kits[0])
            return
        if len(paths) > _MOST_DROPPED:
            self.tell(f"{len(paths)} files are too many at once: up to {_MOST_DROPPED} land.")
            paths = paths[:_MOST_DROPPED]
        journal = self.session.journal
        if journal is None or not paths:
            return
        landed: list[tuple[Any, str, bool]] = []
        refused: list[str] = []

        def work(progress: Callable[[float], bool]) -> None:
            from puddle.measure.report import measured

            for n, path in enumerate(paths):
                if not progress(n / len(paths)):
                    return
                try:
                    content = journal.store.add_file(path)
                    decoded = journal.store.decoded(content.hash)
                    found = measured(decoded.audio, decoded.rate_hz) if decoded else {}
                    landed.append((content, str(found.get("role", "percussion")), True))
                except PuddleError as error:
                    refused.append(str(error))

        def done(error: str | None) -> None:
            self._land(landed, pad_id, place)
            if refused:
                more = f" And {len(refused) - 1} more." if len(refused) > 1 else ""
                self.tell(refused[0] + more)
            elif error:
                self.tell(error)

        self.working = Working("Taking in sounds …", work, done, self)
        if len(paths) > 2:
            self.working.open()

    def _land(self, landed: list[tuple[Any, str, bool]], pad_id: str, place: int | None) -> None:
        session = self.session
        kit, chosen, last = session.kit, "", None
        for content, role, _ in landed:
            kit = edits.add_content(kit, content)
            name = content.name.rsplit(".", 1)[0] or content.name
            source = Sample(content=content.hash, end_ms=content.length_ms)
            if kit.pad(pad_id) is not None:
                kit, layer = edits.add_layer(kit, pad_id, name, source)
                chosen, last = pad_id, layer.id
            else:
                made = Sound(layers=(edits.new_layer((), name, source),))
                free = place if place is not None and kit.pad_at(place) is None else None
                kit, pad = edits.add_pad(kit, name, _role(role), made, free)
                chosen, last = pad.id, None
        if landed:
            count = len(landed)
            name = landed[0][0].name if count == 1 else f"{count} files"
            session.edit(f"{name} dropped", kit)
            session.select_pad(chosen)
            session.select_layer(last)
            self.show_shape()

    def _pad_menu(self, place: int, at: Any) -> None:
        session = self.session
        pad = session.kit.pad_at(place)
        kit = session.kit
        if pad is None:
            self.menu = pad_menu(
                self,
                at,
                [
                    ("New kick here", lambda: self._pad_from_voice(Kick, place)),
                    ("New snare here", lambda: self._pad_from_voice(Snare, place)),
                    ("New hat here", lambda: self._pad_from_voice(Hat, place)),
                    ("", None),
                    ("Sound file …", lambda: self._file_to_place(place)),
                ],
            )
            return

        def flip(field: str) -> Callable[[], None]:
            on = not getattr(pad, field)
            word = field if on else f"un{field}"
            return lambda: session.try_edit(
                f"{pad.name}: {word}", lambda: edits.set_pad(kit, pad.id, **{field: on})
            )

        self.menu = pad_menu(
            self,
            at,
            [
                ("Unmute" if pad.mute else "Mute", flip("mute")),
                ("Unsolo" if pad.solo else "Solo", flip("solo")),
                ("", None),
                ("Rename …", self.do_rename),
                ("Export this sound …", self.do_export_sound),
                ("", None),
                (
                    f"Remove {pad.name}",
                    lambda: session.try_edit(
                        f"{pad.name} removed", lambda: edits.remove_pad(kit, pad.id)
                    ),
                ),
            ],
        )

    def _file_to_place(self, place: int) -> None:
        pattern = " ".join(f"*{s}" for s in SUFFIXES)
        names, _ = QFileDialog.getOpenFileNames(
            self, "Sound files", self.session.settings.last_folder, f"Sounds ({pattern})"
        )
        if names:
            self.drop_files([Path(n) for n in names], "", place)

    # Playing.

    def do_strike(self) -> None:
        """Strikes the selected pad."""
        self.session.strike(self.session.pad_id, self.shore.velocity)

    def do_play(self) -> None:
        """Starts or stops the groove."""
        self.session.player.toggle_play()

    def do_repeat(self) -> None:
        """The selected pad on every beat."""
        on = not self.session.player.repeating
        self.session.player.set_repeat(on)
        self.shore.repeat.setChecked(on)
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
            theme.apply(app, choice)
        self.actions_by_id[choice].setChecked(True)
        self.page.properties.stages.show_stages((), self.session.takes.rate_hz)
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
        self.shortcuts.open()

    def do_preferences(self) -> None:
        """Sound card, rate, block size."""
        self.preferences = Preferences(self.session, self)
        self.preferences.accepted.connect(self._prefer)
        self.preferences.open()

    def _prefer(self) -> None:
        self.preferences.apply()
        save_settings(self.session.settings)

    # Keys, closing.

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Letter keys strike pads wherever the focus is, but never while text is typed."""
        if isinstance(event, QKeyEvent) and self.isActiveWindow():
            focused = QApplication.focusWidget()
            editors = (QLineEdit, QComboBox, QAbstractSpinBox)
            typing = isinstance(focused, editors) or isinstance(watched, editors)
            busy = QApplication.activeModalWidget() or QApplication.activePopupWidget()
            if not typing and not busy and isinstance(watched, QWidget):
                if event.type() == QEvent.Type.ShortcutOverride:
                    return self._space_presses(watched, event)
                if event.type() == QEvent.Type.KeyPress and self.shore.key_pressed(event):
                    return True
                if event.type() == QEvent.Type.KeyRelease and self.shore.key_released(event):
                    return True
        return super().eventFilter(watched, event)

    def _space_presses(self, watched: QWidget, event: QKeyEvent) -> bool:
        """On a button that was reached by Tab, Space presses it and does not play the groove."""
        plain = event.key() == Qt.Key.Key_Space and not event.modifiers()
        if plain and isinstance(watched, QAbstractButton) and watched.hasFocus():
            event.accept()
            return True
        return False

    def _restore(self) -> None:
        settings = self.session.settings
        if settings.geometry:
            self.restoreGeometry(QByteArray(base64.b64decode(settings.geometry)))
        for name, splitter in (("left", self.page.left), ("whole", self.page.whole)):
            if name in settings.splitters:
                splitter.setSizes(settings.splitters[name])

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if not self._may_leave():
            event.ignore()
            return
        settings = self.session.settings
        settings.geometry = base64.b64encode(self.saveGeometry().data()).decode()
        settings.splitters = {"left": self.page.left.sizes(), "whole": self.page.whole.sizes()}
        save_settings(settings)
        app = QApplication.instance()
        if app is not None:
            app.removeEventFilter(self)
        self.session.close()
        event.accept()


def _role(name: str) -> Any:
    """A measured role, or percussion."""
    from puddle.kit.roles import ROLES

    return name if name in ROLES else "percussion"
