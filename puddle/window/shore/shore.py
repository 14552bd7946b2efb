"""The shore: pads, transport and meter along the bottom of every page."""

from __future__ import annotations

import textwrap
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QMimeData, QPoint, QRect, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from puddle.kit import edits
from puddle.kit.edits.copying import duplicate_pad
from puddle.kit.model.document import PADS_PER_BANK, Kit
from puddle.kit.playing.key_tracking import NO_NOTE
from puddle.parameter import parameter
from puddle.window import theme
from puddle.window.editors.assigner import Assigner
from puddle.window.files.parcels import Parcels
from puddle.window.session.listening import Listening
from puddle.window.session.repeater import Plan, RepeatMenu
from puddle.window.session.session import Session
from puddle.window.shore.kit_gauges import GaugeStrip
from puddle.window.shore.pad_drop import PadDrop
from puddle.window.shore.scale_layout import ScaleLayout
from puddle.window.shore.transport import MOST_BANKS, BankDots, PlayButton
from puddle.window.widgets.controls import button, label, toggle
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.meter import Meter
from puddle.window.widgets.mime import PARCEL_MIME
from puddle.window.widgets.passing import popup_once

# Keyboard places of the two letter rows (X11 codes, which are evdev's plus 8), and the letters
# that stand there until a key tells another.
_PLACES = (24, 25, 26, 27, 28, 29, 30, 31, 38, 39, 40, 41, 42, 43, 44, 45)
_LETTERS = "QWERTYUIASDFGHJK"
FRAME_MS = 16
_LEFT_PX = 92  # of the column of banks
_LEFT_SIGNS = 13  # that fit in it
_BANKS_PX = 52  # what it says of banks, and their dots
_RIGHT_PX = 152  # of tempo, position and card
_NAME_PX = 260  # of a name that is shown whole
_IDLE_MS = 100
ACCENT = 127.0


class Shore(QFrame):
    """Sixteen pads, the transport and the meter."""

    files_dropped = pyqtSignal(list, str, int)  # paths, pad id or "", place
    menu_wanted = pyqtSignal(int, object)  # place, global point
    sound_wanted = pyqtSignal(int)  # an empty place
    command_wanted = pyqtSignal(str)  # the id of a command

    def __init__(self, session: Session, parcels: Parcels, listening: Listening) -> None:
        super().__init__()
        self._session = session
        self._listening = listening
        self._parcels = parcels
        self.scale = ScaleLayout(session)
        self.scale.changed.connect(self._show_scale)
        self.setObjectName("shore")
        self.bank = 0
        self._extra_banks = 0
        self._followed = ""  # the selected pad whose bank was shown last
        self.velocity = 100.0
        self._letters = list(_LETTERS)
        self._seen = np.zeros(416, np.int64)
        # Pad and note by place: a bank that is turned meanwhile changes nothing of what is held.
        self._held: dict[int, tuple[str, int]] = {}  # by keys
        self._pressed: dict[int, tuple[str, int]] = {}  # by the mouse
        self.rows = 1
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 6, 8, 4)
        whole.setSpacing(2)
        self.gauges = GaugeStrip(session)
        whole.addWidget(self.gauges)
        outer = QHBoxLayout()
        outer.setSpacing(6)
        whole.addLayout(outer)
        outer.addWidget(self._left_column())
        self._pads = QGridLayout()
        self._pads.setSpacing(1)
        self._pads.setContentsMargins(0, 0, 0, 0)
        outer.addLayout(self._pads, 1)
        self.drops: list[PadDrop] = [self._made_drop(n) for n in range(PADS_PER_BANK)]
        outer.addLayout(self._transport())
        self.meter = Meter()
        outer.addWidget(self.meter)
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self.tick)
        self._timer.start(_IDLE_MS)
        session.started.connect(self._forget_banks)
        session.kit_changed.connect(self.show_kit)
        session.selection_changed.connect(self._follow_selection)
        session.player.device_changed.connect(self._forget_strikes)
        self._whole_name = label("", "whole_name")
        self._whole_name.setParent(self)
        self._whole_name.setFont(theme.text_font(11, bold=True))
        self._whole_name.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._whole_name.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.set_rows(session.settings.shore_rows)
        self._show_strength()

    def _left_column(self) -> QWidget:
        """Banks, the velocity of keys, the layout; as wide whatever it says."""
        made = QWidget()
        made.setFixedWidth(_LEFT_PX)
        left = QVBoxLayout(made)
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(4)
        self._bank_told = button(
            "",
            "All banks, to choose among.",
            self._ask_bank,
            flat=True,
            name="Bank",
        )
        holder = QWidget()
        holder.setFixedHeight(_BANKS_PX)
        banks = QVBoxLayout(holder)
        banks.setContentsMargins(0, 0, 0, 0)
        banks.setSpacing(4)
        banks.addWidget(self._bank_told)
        self._scale_told = button(
            "",
            "The places play the selected pad along the kit's scale (F3); Ctrl+[ and Ctrl+] move "
            "it by octaves. A click offers other roots and scales.",
            lambda: self.command_wanted.emit("key"),
            flat=True,
            name="Scale on the pads",
        )
        self._scale_told.hide()
        banks.addWidget(self._scale_told)
        self.dots = BankDots()
        self.dots.chosen.connect(self.show_bank)
        banks.addWidget(self.dots)
        left.addWidget(holder)
        self._strength = button(
            "",
            "The velocity of the letter keys: [ softer, ] harder. Click to lock it for the "
            "mouse too.",
            self._lock,
            flat=True,
            name="Velocity of the keys",
        )
        self._strength.setCheckable(True)
        left.addWidget(self._strength)
        self._layout = button(
            "",
            "Shows the pads as one row, two rows of eight, or a square.",
            self.show_next_layout,
            flat=True,
            name="Pad layout",
        )
        left.addWidget(self._layout)
        left.addStretch(1)
        return made

    def _made_drop(self, n: int) -> PadDrop:
        drop = PadDrop(n)
        drop.struck.connect(lambda velocity: self._strike(n, velocity, self._pressed))
        drop.released.connect(lambda: self._release(n))
        drop.chosen.connect(lambda: self._choose(n))
        drop.menu_wanted.connect(lambda at: self.menu_wanted.emit(self._place(n), at))
        drop.sound_wanted.connect(lambda: self.sound_wanted.emit(self._place(n)))
        drop.dropped_files.connect(lambda names: self._dropped(n, names))
        drop.dropped_pad.connect(lambda data: self._take_pad(data, self._place(n)))
        drop.carried = self._parcels.mime
        drop.added.connect(lambda: self._select_beside(n, self._session.selection.add_pad))
        drop.reached.connect(lambda: self._select_beside(n, self._session.selection.select_range))
        drop.walked.connect(lambda across, down: self._walk(n, across, down))
        drop.mute_wanted.connect(lambda: self._switch(n, "mute"))
        drop.solo_wanted.connect(lambda: self._switch(n, "solo"))
        return drop

    def _transport(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(8)
        buttons = QVBoxLayout()
        buttons.setSpacing(7)
        buttons.setContentsMargins(0, 6, 0, 0)
        self.play = PlayButton()
        self.play.clicked.connect(self._session.player.toggle_play)
        buttons.addWidget(self.play, 0, Qt.AlignmentFlag.AlignHCenter)
        self.repeat = QPushButton("repeat")
        self.repeat.setObjectName("toggle")
        self.repeat.setCheckable(True)
        self.repeat.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.repeat.setAccessibleName("Repeat the selected pad")
        self.repeat.clicked.connect(lambda on: self.set_repeat(bool(on)))
        self.repeat_menu = RepeatMenu(self._session.player.repeater, self._keep_plan, self)
        self._how = button(
            "▾", "How often and how hard the pad is repeated.", self._ask_how, flat=True,
            name="How the pad is repeated",
        )  # fmt: skip
        both = QHBoxLayout()
        both.setSpacing(0)
        both.addWidget(self.repeat)
        both.addWidget(self._how)
        buttons.addLayout(both)
        settings = self._session.settings
        self._session.player.repeater.plan = Plan(
            settings.repeat_beats, settings.repeat_ms, settings.repeat_cycling
        )
        self._tell_plan()
        buttons.addStretch(1)
        line.addLayout(buttons)
        column = QVBoxLayout()
        column.setSpacing(2)
        column.setContentsMargins(0, 10, 0, 0)
        self.tempo = Gauge(parameter(Kit, "tempo_bpm"), 120.0, name_px=52)
        self.tempo.setFixedWidth(_RIGHT_PX)
        self.tempo.moved.connect(self._set_tempo)
        offers = Assigner(self._session, self).offers(of="kit")
        self.tempo.menu_wanted.connect(lambda menu: offers(menu, "tempo_bpm"))
        self.tempo.settled.connect(self._session.settle)
        column.addWidget(self.tempo)
        self.position = label("", "soft")
        self.position.setFont(theme.value_font(12))
        self.position.setAccessibleName("Position")
        column.addWidget(self.position)
        self.device = label("", "soft")
        self.device.setFont(theme.text_font(11))
        self.device.setFixedWidth(_RIGHT_PX)
        column.addWidget(self.device)
        listening = QHBoxLayout()
        listening.setSpacing(5)
        self.mono = toggle(
            "mono", "Hear both sides as one (F9). It is for the ear only and never exported."
        )
        self.small = toggle(
            "small speaker",
            "Hear it as a kitchen radio would play it (Shift+F9). Never exported.",
        )
        switches = (self._listening.switch_mono, self._listening.switch_small_speaker)
        for pill, switch in zip((self.mono, self.small), switches, strict=True):
            pill.clicked.connect(switch)
            listening.addWidget(pill)
        self._listening.changed.connect(self._show_listening)
        listening.addStretch(1)
        column.addLayout(listening)
        column.addStretch(1)
        line.addLayout(column)
        return line

    def _show_listening(self) -> None:
        """How it is listened to."""
        self.mono.setChecked(self._listening.mono)
        self.small.setChecked(self._listening.small_speaker)

    def set_repeat(self, on: bool) -> None:
        """Begins or ends striking the selected pad."""
        self.repeat.setChecked(on)
        self._session.player.repeater.set_on(on)

    def _ask_how(self) -> None:
        self.repeat_menu.popup(self._how.mapToGlobal(self._how.rect().topLeft()))

    def _keep_plan(self) -> None:
        plan, settings = self._session.player.repeater.plan, self._session.settings
        settings.repeat_beats, settings.repeat_ms = plan.beats, plan.ms
        settings.repeat_cycling = plan.cycling
        self._tell_plan()

    def _tell_plan(self) -> None:
        told = self._session.player.repeater.plan.told()
        self.repeat.setToolTip(f"Strikes the selected pad while you work on it (F4). {told}.")

    # Places.

    def _place(self, n: int) -> int:
        return self.bank * PADS_PER_BANK + n

    def set_rows(self, rows: int) -> None:
        """One row of sixteen, two rows of eight, or a square from the lower left corner."""
        self.rows = rows if rows in (1, 2, 4) else 1
        columns = PADS_PER_BANK // self.rows
        for drop in self.drops:
            self._pads.removeWidget(drop)
        for n, drop in enumerate(self.drops):
            drop.set_compact(self.rows == 4)
            row = self.rows - 1 - n // columns if self.rows == 4 else n // columns
            self._pads.addWidget(drop, row, n % columns)
        self._layout.setText({1: "one row", 2: "two rows", 4: "square"}[self.rows])
        self._session.settings.shore_rows = self.rows
        self.show_kit()

    def show_next_layout(self) -> None:
        """One row, two rows, a square, and so on."""
        self.set_rows({1: 2, 2: 4, 4: 1}[self.rows])

    def show_bank(self, bank: int) -> None:
        """Shows a bank; one past the last opens another."""
        self.bank = min(max(0, bank), MOST_BANKS - 1)
        self._extra_banks = max(self._extra_banks, self.bank + 1)
        self.show_kit()

    def _forget_banks(self) -> None:
        """Another kit begins in its first bank."""
        self.bank = self._extra_banks = 0
        self._followed = ""

    def bank_menu(self) -> QMenu:
        """Every bank, and what lies in it; at the end a new one."""
        menu, kit = QMenu(self), self._session.kit
        for bank in range(self.dots.banks):
            names = [p.name for p in kit.pads if p.place // PADS_PER_BANK == bank]
            told = ", ".join(names[:4]) + (" …" if len(names) > 4 else "") if names else "empty"
            action = menu.addAction(f"Bank {bank + 1}:  {told}")
            if action is not None:
                action.setCheckable(True)
                action.setChecked(bank == self.bank)
                action.triggered.connect(partial(self._choose_bank, bank))
        new = menu.addAction("A new bank")
        if new is not None:
            new.setEnabled(self.dots.can_grow)
            new.triggered.connect(partial(self._choose_bank, self.dots.banks))
        return menu

    def _choose_bank(self, bank: int, *_: object) -> None:
        self.show_bank(bank)

    def _ask_bank(self) -> None:
        self._banks = self.bank_menu()
        popup_once(self._banks, self._bank_told.mapToGlobal(self._bank_told.rect().topLeft()))

    def show_kit(self) -> None:
        """Pads, tempo and banks as the kit has them."""
        kit = self._session.kit
        if self._session.pad_id != self._followed:
            self._followed = self._session.pad_id
            self._show_bank_of(self._followed)
        banks = max(kit.banks, self._extra_banks, self.bank + 1)
        self.dots.show_banks(banks, self.bank)
        self._bank_told.setText(f"Bank {self.bank + 1} of {banks}")
        notes, selected = self.scale.notes(), self._session.selection.pads
        stop = 0
        for n, drop in enumerate(self.drops):
            pad = kit.pad_at(self._place(n))
            chosen = pad is not None and pad.id == self._session.pad_id
            if self.scale.on:
                note = notes[n]
                pad = self.scale.shown(note) if note is not None else None
                chosen = pad is not None and note == pad.root
            stop = n if chosen else stop
            also = pad is not None and not chosen and not self.scale.on and pad.id in selected
            drop.show_pad(pad, self._letters[n], chosen, also)
        self._make_stop(stop)
        self.gauges.show_kit()
        told = textwrap.fill(self.scale.told(), _LEFT_SIGNS)
        self._scale_told.setText(told)
        self._place_whole_name()
        self.tempo.set_value(kit.tempo_bpm)

    def _make_stop(self, stop: int) -> None:
        """One place for Tab to reach: the focused one, else the selected pad's."""
        focused = next((n for n, drop in enumerate(self.drops) if drop.hasFocus()), stop)
        for n, drop in enumerate(self.drops):
            one = n == focused
            drop.setFocusPolicy(Qt.FocusPolicy.TabFocus if one else Qt.FocusPolicy.NoFocus)

    def _walk(self, n: int, across: int, down: int) -> None:
        """The focus goes to the neighbor as it is laid out; a pad there is selected, not struck."""
        index = self._pads.indexOf(self.drops[n])
        row, column = self._pads.getItemPosition(index)[:2]
        item = self._pads.itemAtPosition(row + down, column + across)
        to = (
            item.widget() if item is not None and row + down >= 0 and column + across >= 0 else None
        )
        if isinstance(to, PadDrop):
            to.setFocus(Qt.FocusReason.TabFocusReason)
            to.chosen.emit()
            self._make_stop(self.drops.index(to))

    # Playing.

    def _show_scale(self) -> None:
        """The scale is told where the bank is told otherwise: nothing else moves."""
        for made in (self._bank_told, self.dots):
            made.setVisible(not self.scale.on)
        self._scale_told.setVisible(self.scale.on)
        self.show_kit()

    def scale_corner(self) -> QPoint:
        """Where on the screen the scale is told: what is chosen for it opens there."""
        return self._scale_told.mapToGlobal(self._scale_told.rect().topLeft())

    def _follow_selection(self) -> None:
        """The bank of the selected pad, wherever it was chosen."""
        self.show_pad(self._session.pad_id)

    def show_pad(self, pad_id: str) -> None:
        """The bank that a pad is in."""
        self._show_bank_of(pad_id)
        self.show_kit()

    def _show_bank_of(self, pad_id: str) -> None:
        pad = self._session.kit.pad(pad_id)
        if pad is not None:
            self.bank = pad.place // PADS_PER_BANK

    def _place_whole_name(self) -> None:
        """The selected pad's name, whole, over its neighbors' where its own place is too narrow."""
        drop = next((d for d in self.drops if d.cuts_its_name), None)
        self._whole_name.setVisible(drop is not None)
        if drop is None:
            return
        metrics = self._whole_name.fontMetrics()
        name = metrics.elidedText(drop.name, Qt.TextElideMode.ElideMiddle, _NAME_PX)
        self._whole_name.setText(name)
        wide = metrics.horizontalAdvance(name) + 8
        room = drop.name_room().translated(drop.pos())
        around = QRect(room.center().x() - wide // 2, room.top(), wide, room.height())
        rooms = [d.name_room().translated(d.pos()) for d in self.drops]
        touched = [r for r in rooms if r.intersects(around)]
        more = max(  # no part of a neighbor's name looks out
            around.left() - min(r.left() for r in touched),
            max(r.right() for r in touched) - around.right(),
        )
        around.adjust(-more, 0, more, 0)
        last = self.drops[-1].geometry().right()
        around.moveLeft(max(2, min(around.left(), last + 60 - around.width())))
        self._whole_name.setGeometry(around)
        self._whole_name.raise_()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Places have another width."""
        super().resizeEvent(event)
        QTimer.singleShot(0, self._place_whole_name)  # once the places have theirs

    def _played(self, n: int) -> tuple[str, int] | None:
        """The pad that a place strikes, and by which note."""
        if self.scale.on:
            note = self.scale.notes()[n]
            return (self._session.pad_id, note) if note is not None else None
        pad = self._session.kit.pad_at(self._place(n))
        return (pad.id, NO_NOTE) if pad is not None else None

    def _strike(self, n: int, velocity: float, held: dict[int, tuple[str, int]]) -> None:
        played = self._played(n)
        if played is not None:
            pad_id, note = held[n] = played
            self._session.playing.strike(pad_id, velocity, note)
            self._wake()
            if self.scale.on:
                self.drops[n].ring(velocity)

    def _release(self, n: int) -> None:
        pressed = self._pressed.pop(n, None)
        if pressed is not None:
            self._session.playing.release(*pressed)

    def _choose(self, n: int) -> None:
        if self.scale.on:
            return
        pad = self._session.kit.pad_at(self._place(n))
        if pad is not None:
            self._session.selection.select_pad(pad.id)

    def _select_beside(self, n: int, select: Callable[[str], None]) -> None:
        pad = self._session.kit.pad_at(self._place(n))
        if pad is not None and not self.scale.on:
            select(pad.id)

    def _switch(self, n: int, field: str) -> None:
        pad = self._session.kit.pad_at(self._place(n))
        if pad is not None:
            on = not getattr(pad, field)
            name = f"{pad.name}: {field if on else 'un' + field}"
            self._session.edit(name, lambda kit: edits.set_pad(kit, pad.id, **{field: on}))

    def _take_pad(self, data: QMimeData, place: int) -> None:
        """A pad dropped on a place: of this kit it moves there, of another it is copied.

        With Ctrl a copy is put on an empty place.
        """
        own = self._parcels.own(data)
        held = QApplication.keyboardModifiers()
        if own is not None and held & Qt.KeyboardModifier.ControlModifier:
            self._copy_pad(own, place)
        elif own is not None:
            self._move_pad(own, place)
        elif data.hasFormat(PARCEL_MIME):
            self._parcels.take_in(data.data(PARCEL_MIME).data(), place)

    def _copy_pad(self, pad_id: str, place: int) -> None:
        name = edits.pad_of(self._session.kit, pad_id).name
        self._session.edit(f"{name} duplicated", lambda kit: duplicate_pad(kit, pad_id, place)[0])

    def _move_pad(self, pad_id: str, place: int) -> None:
        pad = self._session.kit.pad(pad_id)
        if pad is not None and pad.place != place:
            self._session.edit(
                f"{pad.name}: to place {place + 1}", lambda kit: edits.move_pad(kit, pad_id, place)
            )

    def _dropped(self, n: int, names: list[str]) -> None:
        pad = self._session.kit.pad_at(self._place(n))
        paths = [Path(name) for name in names]
        self.files_dropped.emit(paths, pad.id if pad else "", self._place(n))

    def _set_tempo(self, bpm: float) -> None:
        self._session.edit(
            f"Tempo {bpm:.1f} bpm", lambda kit: edits.set_kit(kit, tempo_bpm=bpm), "tempo"
        )

    def key_pressed(self, event: QKeyEvent) -> bool:
        """A letter key strikes its pad; brackets set the strength. True if it was one of them."""
        if event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier:
            return False
        if event.text() in ("[", "]"):
            self.velocity = min(127.0, max(8.0, self.velocity + (8 if event.text() == "]" else -8)))
            self._show_strength()
            return True
        n = self._key_place(event)
        if n is None:
            return False
        if not event.isAutoRepeat():
            hard = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            velocity = ACCENT if hard else self.velocity
            self._strike(n, velocity, self._held)  # heard first, shown after
            self._learn(n, event.text())
            self._choose(n)
        return True

    def key_released(self, event: QKeyEvent) -> bool:
        """Lets a gated pad go."""
        n = self._key_place(event)
        if n is None or event.isAutoRepeat():
            return False
        held = self._held.pop(n, None)
        if held is not None:
            self._session.playing.release(*held)
        return held is not None

    def _key_place(self, event: QKeyEvent) -> int | None:
        """By place on the keyboard; by letter only where the system tells no place."""
        code = event.nativeScanCode()
        if code > 1:
            return _PLACES.index(code) if code in _PLACES else None
        letter = event.text().upper() or chr(event.key()) if 0 < event.key() < 128 else ""
        return self._letters.index(letter) if letter and letter in self._letters else None

    def _learn(self, n: int, text: str) -> None:
        """On another layout another letter stands there: show that one."""
        letter = text.upper()
        if len(letter) == 1 and letter.isprintable() and letter not in self._letters:
            self._letters[n] = letter
            self.show_kit()

    def _show_strength(self) -> None:
        locked = self._strength.isChecked()
        self._strength.setText(f"{'locked' if locked else 'velocity'} {self.velocity:.0f}")
        self._session.player.repeater.strength = self.velocity
        for drop in self.drops:
            drop.locked_velocity = self.velocity if locked else None

    def _lock(self) -> None:
        self._show_strength()

    # Moving.

    def _forget_strikes(self) -> None:
        player = self._session.player
        self._seen, _ = player.strikes()
        note, device = player.device_note, player.device
        name = device.name if device else "no sound"
        shown = "silent: simulated card" if note else name
        self.device.setText(
            self.device.fontMetrics().elidedText(shown, Qt.TextElideMode.ElideRight, _RIGHT_PX)
        )
        self.device.setToolTip(note or f"Playing to {name}.")

    def _wake(self) -> None:
        if self._timer.interval() != FRAME_MS:
            self._timer.setInterval(FRAME_MS)

    def tick(self) -> None:
        """One frame: rings, meter and position; slow while nothing moves."""
        player = self._session.player
        counts, strengths = player.strikes()
        moving = False
        if (counts != self._seen).any():
            kit = self._session.kit
            for index in np.flatnonzero(counts != self._seen).tolist():
                if index < len(kit.pads):
                    n = kit.pads[index].place - self.bank * PADS_PER_BANK
                    if not self.scale.on and 0 <= n < PADS_PER_BANK:
                        self.drops[n].ring(float(strengths[index]))
            self._seen = counts
            moving = True
        for drop in self.drops:
            if drop.has_rings:
                moving = True
                drop.update(drop.moving_part())
                drop.forget_rings()
        moving |= self.meter.feed(*player.master_peaks(), player.safety_reduction_db())
        self.play.show_playing(player.playing)
        self._show_position(player.playing, player.beat)
        moving |= player.playing
        self._timer.setInterval(FRAME_MS if moving else _IDLE_MS)

    def _show_position(self, playing: bool, beat: float) -> None:
        pattern = self._session.pattern
        name = pattern.name if pattern else "–"
        if playing:
            bar, rest = divmod(max(0.0, beat), 4.0)
            sixteenth = int((rest % 1.0) * 4.0) + 1
            text = f"pattern {name} · {int(bar) + 1}.{int(rest) + 1}.{sixteenth}"
        else:
            text = f"pattern {name} · stopped"
        if text != self.position.text():
            self.position.setText(text)
