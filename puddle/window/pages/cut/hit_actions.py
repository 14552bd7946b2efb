"""What is done to one hit: moved, added, joined, locked, left out, sent by itself, lifted."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from puddle.kit.edits import recordings
from puddle.kit.model.document import Likes, Pad
from puddle.measure.snap import nearest
from puddle.window.session.cut_hearing import CutHearing
from puddle.window.session.cutter import Cutter
from puddle.window.session.sender import Sender
from puddle.window.widgets.pads_menu import add_pads
from puddle.window.widgets.passing import popup_once, submenu

_SNAP_MS = 12.0


class HitActions:
    """Edits of the hit at hand, and its menu."""

    def __init__(
        self,
        cutter: Cutter,
        sender: Sender,
        hearing: CutHearing,
        parent: QWidget,
        pads: Callable[[], tuple[Pad, ...]],
    ) -> None:
        self._cutter, self._sender, self._hearing = cutter, sender, hearing
        self._parent, self._pads = parent, pads
        self._lifted = -1  # the frame of a hit that was lifted just now
        self._dragged = -1  # the frame at which the hit that is dragged began

    # Dragged.

    def move_start(self, at: int, to: int) -> None:
        """A mark follows the hand."""
        if self._dragged < 0:
            self._dragged = at
        self._cutter.change(
            "a mark moved",
            lambda recording: recordings.move_mark(recording, at, to),
            ("start", self._dragged),
            settle=False,
        )

    def move_end(self, at: int, to: int) -> None:
        """A hit's end follows the hand."""
        self._cutter.change(
            "an end moved",
            lambda recording: recordings.end_mark(recording, at, to),
            ("end", at),
            settle=False,
        )

    def move_downbeat(self, to: int) -> None:
        """The first bar begins at the nearest hit, or where the hand is."""
        cut = self._cutter.cut
        if cut is None:
            return
        reach = _SNAP_MS * cut.rate_hz / 1000.0
        found = nearest(cut.starts.tolist(), to, reach)
        at = int(found) if found is not None else to
        self._cutter.set("downbeat", at, "the first bar")

    def settle(self) -> None:
        """The hand has let go."""
        self._dragged = -1

    # At once.

    def add(self, frame: int) -> None:
        """A hit more: where something rises next to the hand, else right there."""
        known = self._cutter.known
        if known is None or known.noted is None:
            return
        risen = known.noted.risen.frames
        reach = _SNAP_MS * known.noted.rate_hz / 1000.0
        first, last = risen.searchsorted((frame - reach, frame + reach))
        found = nearest(risen[first:last].tolist(), frame, reach)
        at = int(found) if found is not None else frame
        self._cutter.change("a mark added", lambda r: recordings.add_mark(r, at))

    def remove(self, at: int) -> None:
        """A hit less."""
        self._cutter.change("a mark removed", lambda r: recordings.remove_mark(r, at))

    def join(self, at: int, joined: bool) -> None:
        """A flam: a hit belongs to the one before it."""
        said = "a hit joined to the one before" if joined else "a joined hit on its own"
        self._cutter.change(said, lambda r: recordings.join_mark(r, at, joined))

    def lock(self, at: int, locked: bool) -> None:
        """A hit that gauges leave alone."""
        said = "a mark locked" if locked else "a mark as it is found"
        self._cutter.change(said, lambda r: recordings.lock_mark(r, at, locked))

    def leave_out(self, at: int, out: bool) -> None:
        """A hit that is not sent."""
        said = "a hit left out" if out else "a hit no longer left out"
        self._cutter.change(said, lambda r: recordings.leave_out(r, at, out))

    def to_group(self, at: int, place: int | None) -> None:
        """A hit in another group, or in one of its own."""
        self._cutter.regroup("a hit regrouped", lambda r: recordings.group_hit(r, at, place))

    def send(self, at: int, target: str) -> None:
        """A hit by itself to a pad, or to a new one."""
        group = next((g for g in self._cutter.groups if at in g.hits), None)
        if group is not None:
            alone = Likes(name=group.name, role=group.role, hits=(at,), pad=target)
            self._sender.send_groups([alone])

    def send_layer(self, at: int, target: str) -> None:
        """A hit as another layer of a pad."""
        group = next((g for g in self._cutter.groups if at in g.hits), None)
        if group is not None:
            self._sender.send_layer(at, group, target)

    def ask_lift(self, at: int) -> None:
        """Asks how much of what lies over a hit is taken out of it."""
        shown = self._cutter.recording
        mark = recordings.mark_at(shown, at) if shown is not None else None
        now = round(mark.lift) if mark is not None else 0
        amount, done = QInputDialog.getInt(
            self._parent,
            "Lift",
            "How much of what rings on from before, or is played over it, is taken out, in %:",
            now or 100,
            0,
            100,
        )
        if done:
            self.lift(at, amount)

    def lift(self, at: int, amount: float) -> None:
        """Takes out of a hit what lies over it, by an amount in percent."""
        said = f"a hit lifted by {amount:.0f} %"
        if self._cutter.change(said, lambda r: recordings.lift_mark(r, at, amount)):
            self._lifted = at

    def follow(self) -> None:
        """Once a lift has come into the hits: it is heard, and how much it takes is said."""
        cut = self._cutter.cut
        place = cut.place_of(self._lifted) if cut is not None and self._lifted >= 0 else None
        if place is None or cut is None or cut.marks[place] is None:
            return
        self._lifted = -1
        self._hearing.hear(place)
        self._hearing.tell_lift(place)

    # The menu.

    def open_menu(self, where: QPoint, place: int, frame: int) -> None:
        """What can be done at a frame: to a hit, or between hits."""
        menu = QMenu(self._parent)
        cut, shown = self._cutter.cut, self._cutter.recording
        if cut is None or shown is None:
            return
        menu.addAction("Add a mark here", lambda: self.add(frame))
        menu.addAction(
            "The first bar begins here",
            lambda: self._cutter.set("downbeat", frame, "the first bar"),
        )
        near = nearest(cut.joined.tolist(), frame, 0.01 * cut.rate_hz)
        if near is not None:
            menu.addAction("Part it from the hit before", lambda: self.join(int(near), False))
        if place >= 0:
            menu.addSeparator()
            self._fill(menu, place)
        popup_once(menu, where)

    def open_hit_menu(self, where: QPoint, place: int) -> None:
        """What can be done to a hit, from its drop."""
        menu = QMenu(self._parent)
        self._fill(menu, place)
        popup_once(menu, where)

    def _fill(self, menu: QMenu, place: int) -> None:
        cut, shown = self._cutter.cut, self._cutter.recording
        assert cut is not None and shown is not None
        at = int(cut.starts[place])
        mark = cut.marks[place]
        menu.addAction("Hear it", lambda: self._hearing.hear(place))
        menu.addAction("Hear it and what follows", lambda: self._hearing.hear(place, goes_on=True))
        menu.addSeparator()
        menu.addAction("Remove the mark", lambda: self.remove(at))
        if place > 0:
            menu.addAction("Join to the one before", lambda: self.join(at, True))
        if mark is None:
            menu.addAction("Lock", lambda: self.lock(at, True))
        else:
            menu.addAction("As it is found", lambda: self.lock(at, False))
        if mark is not None and mark.end is not None:
            menu.addAction(
                "End where it has died away",
                lambda: self._cutter.change("an end", lambda r: recordings.end_mark(r, at, None)),
            )
        out = at in shown.left_out
        menu.addAction(
            "Leave it out" if not out else "Send it again", lambda: self.leave_out(at, not out)
        )
        menu.addAction("Lift what lies over it …", lambda: self.ask_lift(at))
        if mark is not None and mark.lift > 0.0:
            menu.addAction(
                "Hear it without the lift", lambda: self._hearing.hear(place, plain=True)
            )
            menu.addAction("No lift", lambda: self.lift(at, 0.0))
        menu.addSeparator()
        groups = submenu(menu, "To group")
        for n, group in enumerate(self._cutter.groups):
            if at not in group.hits:
                groups.addAction(group.name, partial(self.to_group, at, n))
        groups.addAction("one of its own", partial(self.to_group, at, None))
        sends = submenu(menu, "Send to")
        sends.addAction("a new pad", partial(self.send, at, ""))
        add_pads(sends, self._pads(), partial(self.send, at))
        layers = submenu(menu, "As a layer of")
        add_pads(layers, self._pads(), partial(self.send_layer, at))
        layers.setEnabled(bool(self._pads()))
