"""The shore: pads, transport and meter along the bottom of every page."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QRect, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from puddle.kit.model.document import PADS_PER_BANK
from puddle.kit.model.tonality import NO_NOTE
from puddle.window import theme
from puddle.window.files.parcels import Parcels
from puddle.window.session.listening import Listening
from puddle.window.session.session import Session
from puddle.window.shore.banks import Banks
from puddle.window.shore.kit_gauges import GaugeStrip
from puddle.window.shore.letter_keys import LetterKeys
from puddle.window.shore.pad_drop import PadDrop
from puddle.window.shore.place_edits import PlaceEdits
from puddle.window.shore.scale_layout import ScaleLayout
from puddle.window.shore.transport_panel import TransportPanel
from puddle.window.widgets.controller_light import ControllerLight
from puddle.window.widgets.controls import button, label
from puddle.window.widgets.meter import Meter

_LEFT_PX = 92  # of the column of banks
_LEFT_SIGNS = 13  # that fit in it
_BANKS_PX = 52  # what it says of banks, and their dots
_RIGHT_PX = 152  # of tempo, position and card
_NAME_PX = 260  # of a name that is shown whole
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
        self._carried = parcels.mime
        self._edits = PlaceEdits(session, parcels)
        self.scale = ScaleLayout(session)
        self.scale.changed.connect(self.show_kit)
        self.setObjectName("shore")
        self.velocity = 100.0
        self._keys = LetterKeys()
        self._seen: dict[str, tuple[int, float]] = {}  # strikes, by pad
        self._struck = b""
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
        self.transport = TransportPanel(session, listening)
        outer.addWidget(self.transport)
        self.meter = Meter()
        outer.addWidget(self.meter)
        session.frames.passed.connect(self.tick)
        session.kit_changed.connect(self.show_kit)
        session.selection_changed.connect(lambda: self.show_pad(session.pad_id))
        session.player.device_changed.connect(self._forget_strikes)
        self.whole_name = label("", "whole_name")
        self.whole_name.setParent(self)
        self.whole_name.setFont(theme.text_font(11, bold=True))
        self.whole_name.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.whole_name.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.set_rows(session.settings.shore_rows)
        self._show_strength()

    def _left_column(self) -> QWidget:
        """Banks, the velocity of keys, the layout; as wide whatever it says."""
        made = QWidget()
        made.setFixedWidth(_LEFT_PX)
        left = QVBoxLayout(made)
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(4)
        self.banks = Banks(self._session, self.scale)
        self.banks.chosen.connect(self.show_kit)
        self.banks.scale_wanted.connect(lambda: self.command_wanted.emit("key"))
        left.addWidget(self.banks)
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
        line = QHBoxLayout()
        line.setSpacing(2)
        line.addWidget(self._layout, 1)
        self.controllers = ControllerLight()
        self._session.controller_came.connect(self.controllers.flash)
        self.controllers.clicked.connect(lambda: self.command_wanted.emit("controllers"))
        line.addWidget(self.controllers)
        left.addLayout(line)
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
        drop.dropped_sounds.connect(
            lambda ids: self._session.sounds_dropped.emit(ids, self._place(n))
        )
        drop.dropped_pad.connect(lambda data: self._edits.take(data, self._place(n)))
        drop.carried = self._carried
        drop.added.connect(lambda: self._select_beside(n, self._session.selection.add_pad))
        drop.reached.connect(lambda: self._select_beside(n, self._session.selection.select_range))
        drop.walked.connect(lambda across, down: self._walk(n, across, down))
        drop.mute_wanted.connect(lambda: self._edits.switch(self._place(n), "mute"))
        drop.solo_wanted.connect(lambda: self._edits.switch(self._place(n), "solo"))
        return drop

    # Places.

    def _place(self, n: int) -> int:
        return self.banks.bank * PADS_PER_BANK + n

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

    def show_kit(self) -> None:
        """Pads, tempo and banks as the kit has them."""
        kit = self._session.kit
        self.banks.show_kit()
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
            drop.show_pad(pad, self._keys.letters[n], chosen, also)
        self._make_stop(stop)
        self.gauges.show_kit()
        self._place_whole_name()
        self.transport.show_kit()

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

    def show_pad(self, pad_id: str) -> None:
        """The bank that a pad is in."""
        self.banks.follow(pad_id)
        self.show_kit()

    def _place_whole_name(self) -> None:
        """The selected pad's name, whole, over its neighbors' where its own place is too narrow."""
        drop = next((d for d in self.drops if d.cuts_its_name), None)
        self.whole_name.setVisible(drop is not None)
        if drop is None:
            return
        metrics = self.whole_name.fontMetrics()
        name = metrics.elidedText(drop.name, Qt.TextElideMode.ElideMiddle, _NAME_PX)
        self.whole_name.setText(name)
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
        self.whole_name.setGeometry(around)
        self.whole_name.raise_()

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
            self._session.frames.wake()
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

    def _dropped(self, n: int, names: list[str]) -> None:
        pad = self._session.kit.pad_at(self._place(n))
        paths = [Path(name) for name in names]
        self.files_dropped.emit(paths, pad.id if pad else "", self._place(n))

    def key_pressed(self, event: QKeyEvent) -> bool:
        """A letter key strikes its pad; brackets set the strength. True if it was one of them."""
        if event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier:
            return False
        if event.text() in ("[", "]"):
            self.velocity = min(127.0, max(8.0, self.velocity + (8 if event.text() == "]" else -8)))
            self._show_strength()
            return True
        n = self._keys.place(event)
        if n is None:
            return False
        if not event.isAutoRepeat():
            hard = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            velocity = ACCENT if hard else self.velocity
            self._strike(n, velocity, self._held)  # heard first, shown after
            if self._keys.learn(n, event.text()):
                self.show_kit()
            self._choose(n)
        return True

    def key_released(self, event: QKeyEvent) -> bool:
        """Lets a gated pad go."""
        n = self._keys.place(event)
        if n is None or event.isAutoRepeat():
            return False
        held = self._held.pop(n, None)
        if held is not None:
            self._session.playing.release(*held)
        return held is not None

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
        """Another engine counts anew."""
        self._seen = self._session.player.strikes()

    def tick(self) -> None:
        """One frame: rings, meter and position; slow while nothing moves."""
        player = self._session.player
        moving = False
        struck = player.struck()
        if struck != self._struck:
            self._struck = struck
            strikes, before = player.strikes(), self._seen
            for pad in self._session.kit.pads:
                count, velocity = strikes.get(pad.id, (0, 0.0))
                n = pad.place - self.banks.bank * PADS_PER_BANK
                fresh = count and count != before.get(pad.id, (0, 0.0))[0]
                if fresh and not self.scale.on and 0 <= n < PADS_PER_BANK:
                    self.drops[n].ring(velocity)
            self._seen = strikes
            moving = True
        ringing = [drop for drop in self.drops if drop.has_rings]
        now = time.monotonic()
        for drop in ringing:
            drop.show_rings(now)
        moving |= bool(ringing)
        moving |= self.meter.feed(*player.master_peaks(), player.safety_reduction_db())
        self.transport.tick()
        moving |= player.playing
        if moving:
            self._session.frames.want()
