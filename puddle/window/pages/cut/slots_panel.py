"""Playing with slices: the shown pattern's places, and what is done with what falls on them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPoint, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QVBoxLayout, QWidget

from puddle.errors import PuddleError
from puddle.kit.edits import slots
from puddle.kit.edits.patterns import Change, in_pattern
from puddle.kit.model.document import Pattern, Sample
from puddle.window.pages.cut.slot_strip import Block, SlotStrip
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, label
from puddle.window.widgets.pads_menu import add_pads
from puddle.window.widgets.passing import popup_once, submenu

_TICK_MS = 30
_NONE = (
    "Send a recording in order first: its slices stand here then, to be moved, repeated, shuffled "
    "and played backwards while the groove goes on."
)


class SlotsPanel(QWidget):
    """The strip, and buttons for all of it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._seed = 0
        self._places: list[slots.Slot] = []
        self._blocks: list[Block] = []
        self._shown: tuple[object, ...] = ()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 8, 12, 8)
        outer.setSpacing(6)
        self.said = label("", "soft")
        self.said.setWordWrap(True)
        outer.addWidget(self.said)
        self.strip = SlotStrip()
        outer.addWidget(self.strip)
        row = QHBoxLayout()
        row.setSpacing(6)
        for text, says, done in (
            ("Shuffle", "Another order each time; undo goes back.", self.shuffle),
            ("Turn around", "The last slice first.", self.turn_around),
            ("To Groove", "The same pattern in the grid.", self._to_groove),
        ):
            row.addWidget(button(text, says, done))
        row.addStretch(1)
        self.row = QWidget()
        row.setContentsMargins(0, 0, 0, 0)
        self.row.setLayout(row)
        outer.addWidget(self.row)
        outer.addStretch(1)
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self.show_kit)
        self.strip.chosen.connect(self.hear)
        self.strip.moved.connect(
            lambda place, to: self._edit("a slice moved", lambda p: slots.moved(p, place, to))
        )
        self.strip.wanted.connect(self._do)
        self.strip.menu_wanted.connect(self._open_menu)
        self.wants_groove: Callable[[], None] = lambda: None

    def _to_groove(self) -> None:
        self.wants_groove()

    def watch(self, seen: bool) -> None:
        """Follows what sounds only while it is seen."""
        if seen:
            self._timer.start()
            self.show_kit()
        else:
            self._timer.stop()

    @property
    def pattern(self) -> Pattern | None:
        """The shown pattern, if it is one of slices."""
        shown = self._session.pattern
        return shown if shown is not None and slots.is_sliced(shown) else None

    def show_kit(self) -> None:
        """The places as the pattern has them, and which one sounds."""
        shown, kit = self.pattern, self._session.kit
        key = (shown, kit.pads)
        if key != self._shown:
            self._shown = key
            self._places = slots.slots_of(shown) if shown is not None else []
            self._blocks = [self._block(slot) for slot in self._places]
            self.strip.setVisible(bool(self._places))
            self.row.setVisible(bool(self._places))
            told = f"Pattern {shown.name}, {len(self._places)} slices" if shown else _NONE
            self.said.setText(told)
        self.strip.show_blocks(self._blocks, self._sounding())

    def _block(self, slot: slots.Slot) -> Block:
        pad = self._session.kit.pad(slot.hits[0][0]) if slot.hits else None
        if pad is None:
            return Block(slot.beat, slot.beats, "silence", "slate")
        sources = [layer.source for layer in pad.sound.layers]
        back = any(isinstance(s, Sample) and s.reverse for s in sources)
        return Block(slot.beat, slot.beats, pad.name, pad.dye, back)

    def _sounding(self) -> int:
        session = self._session
        if not session.player.playing:
            return -1
        heard, beat = session.grooving.place()
        if heard is None or self.pattern is None or heard.id != self.pattern.id:
            return -1
        now = [n for n, slot in enumerate(self._places) if slot.beat <= beat]
        return now[-1] if now else -1

    # What a hand does.

    def _edit(self, name: str, change: Change) -> None:
        shown = self.pattern
        if shown is not None:
            self._session.edit(
                f"{shown.name}: {name}", lambda kit: in_pattern(kit, shown.id, change)
            )
            self._session.settle()
            self.show_kit()

    def hear(self, place: int) -> None:
        """Strikes the pad of a place."""
        if 0 <= place < len(self._places) and self._places[place].hits:
            pad, hit = self._places[place].hits[0]
            self._session.playing.strike(pad, float(hit.velocity), by_hand=False)

    def shuffle(self) -> None:
        """Another order."""
        self._seed += 1
        seed = self._seed
        self._edit(f"shuffled, {seed}", lambda p: slots.shuffled(p, seed))

    def turn_around(self) -> None:
        """The last first."""
        self._edit("turned around", slots.turned_around)

    def _do(self, name: str, place: int) -> None:
        if name == "hear":
            self.hear(place)
        elif name == "repeat":
            self._edit("a slice repeated", lambda p: slots.repeated(p, place))
        elif name == "silence":
            self._edit("a slice silenced", lambda p: slots.silenced(p, place))
        else:
            self._turn(place)

    def _turn(self, place: int) -> None:
        if self._places[place].hits:
            pad = self._places[place].hits[0][0]
            self._session.edit("A slice backwards", lambda kit: slots.reversed_slice(kit, pad))
            self._session.settle()
            self.show_kit()

    def _open_menu(self, where: QPoint, place: int) -> None:
        menu = QMenu(self)
        menu.addAction("Hear it", partial(self.hear, place))
        menu.addAction("Repeat it on the next place", partial(self._do, "repeat", place))
        menu.addAction("Silence", partial(self._do, "silence", place))
        menu.addAction("Backwards, or forwards again", partial(self._turn, place))
        others = submenu(menu, "Another sound here")
        add_pads(others, self._session.kit.pads, partial(self.replace, place))
        popup_once(menu, where)

    def replace(self, place: int, pad_id: str) -> None:
        """Another pad's sound on a place."""
        try:
            self._edit("another sound", lambda p: slots.replaced(p, place, pad_id))
        except PuddleError as error:
            self._session.told.emit(str(error))
