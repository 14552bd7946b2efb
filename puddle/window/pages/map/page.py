"""Map: which keys strike which pads, and what soft and hard strikes play."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from puddle.kit import edits
from puddle.kit.edits import velocities as splitting
from puddle.kit.model.document import Kit, Pad
from puddle.kit.playing.response import strength_of
from puddle.measure.ordering import Strength, soft_to_hard
from puddle.render.cache import RenderCache
from puddle.views.strengths import Measured, measured_rungs
from puddle.window.editors.alternate_lines import Sources
from puddle.window.pages.map.pad_panel import PadPanel
from puddle.window.session.session import Session
from puddle.window.widgets.controls import Aside, button, elided, label, panel
from puddle.window.widgets.keys_picture import Region
from puddle.window.widgets.keys_plane import KeysPlane
from puddle.window.widgets.ladder import Ladder
from puddle.window.widgets.page_view import PageView

_POLL_MS = 60
_BLEND = 12


class MapPage(PageView):
    """The keys plane, the selected pad's ladder, and the pad's properties."""

    wants_view = True  # its pad's pitch is measured with that

    def __init__(
        self,
        session: Session,
        sources: Sources,
        ask_copies: Callable[[], None],
        show_controllers: Callable[[], None],
    ) -> None:
        super().__init__()
        self._session = session
        self._show_controllers = show_controllers
        self._known: RenderCache[Strength | float | None] = RenderCache(512, lambda _: 1)
        self._measured: Measured | None = None
        self._strikes: dict[str, tuple[int, float]] | None = None
        self._played: dict[str, int] = {}  # the key that struck a pad last
        self._splits: dict[str, splitting.Split] = {}  # what each pad's layers were split like
        self._journal: object = None
        self._others: tuple[int, ...] | None = None  # a dragged pad's notes beside the region
        self.keys, self.ladder = KeysPlane(), Ladder()
        self.pad = PadPanel(session, sources, ask_copies)
        parts = (self._keys_panel(), self._ladder_panel(), self.pad)
        self.whole = self.side_by_side(parts, [545, 330, 355], growing=0)
        session.kit_changed.connect(self.show_kit)
        session.selection_changed.connect(self.show_kit)
        session.looks.view_ready.connect(lambda _: self._measure())
        self._poll = QTimer(self)
        self._poll.setInterval(_POLL_MS)
        self._poll.timeout.connect(self._look_for_hits)

    def _keys_panel(self) -> QWidget:
        side = QVBoxLayout()
        side.setContentsMargins(10, 10, 10, 8)
        head = QHBoxLayout()
        head.addWidget(label("Keys", "title"))
        head.addWidget(Aside("notes across, velocity upwards"), 1)
        head.addWidget(
            button(
                "Controllers",
                "Which note of what is connected strikes which pad.",
                self._show_controllers,
            )
        )
        head.addWidget(button("Show all", "Every note that strikes a pad.", self.keys.show_all))
        side.addLayout(head)
        side.addWidget(self.keys, 1)
        self.keys.pad_chosen.connect(self._choose)
        self.keys.region_moved.connect(self._move_region)
        self.keys.edge_moved.connect(self._move_edge_of)
        self.keys.settled.connect(self._settle)
        self.keys.key_struck.connect(self._strike_key)
        self.keys.key_let_go.connect(self._release_key)
        return panel(side)

    def _ladder_panel(self) -> QWidget:
        side = QVBoxLayout()
        side.setContentsMargins(10, 10, 10, 8)
        self._title = elided("", "title")
        side.addWidget(self._title)
        side.addWidget(self.ladder, 1)
        self.ladder.edge_moved.connect(
            lambda edge, to: self._move_edge_of(self._session.pad_id, edge, to)
        )
        self.ladder.settled.connect(self._session.settle)
        self.ladder.rung_chosen.connect(self._session.selection.select_layer)
        self.ladder.struck.connect(lambda v: self._session.playing.strike(self._session.pad_id, v))
        offers = (
            (
                "Split by loudness",
                "Orders the layers from soft to hard as they measure, and gives each velocities in "
                "proportion to how far apart they lie.",
                lambda: self.split(by_loudness=True),
            ),
            (
                "Split evenly",
                "Orders the layers from soft to hard as they measure, and gives each as many "
                "velocities.",
                lambda: self.split(by_loudness=False),
            ),
            ("Blend edges", "Neighbors go over into each other, at equal power.", self.blend),
            (
                "Round robin",
                "Plays the layers one after another instead, strike by strike.",
                self.as_turns,
            ),
            ("All at once", "Every strike plays every layer.", self.all_at_once),
            (
                "Velocities again",
                "Back to the split that the layers had before, with its edges where they were.",
                self.split_again,
            ),
        )
        self.buttons = {}
        for row in (offers[:2], offers[2:4], offers[4:]):
            line = QHBoxLayout()
            line.setSpacing(6)
            for name, says, done in row:
                self.buttons[name] = button(name, says, done)
                line.addWidget(self.buttons[name])
            line.addStretch(1)
            side.addLayout(line)
        return panel(side)

    # Showing.

    def splitters(self) -> dict[str, QSplitter]:
        """The one between keys, ladder and pad."""
        return {"map": self.whole}

    def show_gauges(self) -> None:
        """The kit's gauges."""
        self.pad.choose_tab("Gauges")

    def watch(self, seen: bool) -> None:
        """Follows hits and sounds while the page is seen."""
        if seen and not self._poll.isActive():
            self._poll.start()
            self.show_kit()
            self._measure()
        elif not seen:
            self._poll.stop()

    def show_kit(self) -> None:
        """Keys, ladder and pad as the kit has them, once somebody looks."""
        if not self._poll.isActive():
            return
        kit, pad = self._session.kit, self._session.pad
        fresh = self._journal is not self._session.file.journal  # another kit: all of it is shown
        self.keys.show_regions(_regions(kit), self._session.pad_id)
        if fresh:
            self._journal = self._session.file.journal
            self.keys.forget_hit()
            self.ladder.show_hit(None)
            self.pad.show_hit(None)
            self._played, self._splits = {}, {}
            self.keys.show_all()
        self._show_ladder()
        self.pad.show_kit()
        if pad is not None and not self._is_measured(pad):
            self._measure()

    def _is_measured(self, pad: Pad) -> bool:
        found = self._measured
        same = found is not None and found.velocity_amount == pad.velocity_amount
        return same and found is not None and found.sound is pad.sound

    def _measure(self) -> None:
        pad, session = self._session.pad, self._session
        if pad is None or not self._poll.isActive():
            return
        takes, known = session.renders.takes, self._known
        session.background.start(
            lambda: measured_rungs(takes, pad, known), self._take_in, key="rungs"
        )

    def _take_in(self, found: Measured) -> None:
        pad = self._session.pad
        if pad is not None and found.sound is pad.sound:
            self._measured = found
            self._show_ladder()

    def _show_ladder(self) -> None:
        pad, found = self._session.pad, self._measured
        several = pad is not None and len(pad.sound.layers) > 1
        for made in self.buttons.values():
            made.setEnabled(several)
        split = self._splits.get(pad.id) if pad is not None else None
        again = pad is not None and split is not None and split.fits(pad.sound)
        self.buttons["Velocities again"].setEnabled(
            again and pad is not None and splitting.split_of(pad.sound) is None
        )
        if pad is None:
            self._title.setText("No pad")
            self.ladder.show_rungs([], "madder", "")
            return
        if not self._is_measured(pad) or found is None:
            return
        count = len(found.rungs)
        velocities = f"{count} velocity range{'' if count == 1 else 's'}"
        turns = max((rung.turns for rung in found.rungs), default=0)
        more = f", round robin of {turns}" if turns > 1 else ""
        said = f"{velocities}{more}" if count else "no layers"
        self._title.setText(f"{pad.name}: {said}")
        self.ladder.show_rungs(list(found.rungs), pad.dye, self._session.selection.layer_id or "")

    # Hits.

    def _look_for_hits(self) -> None:
        """Marks the last strike, whoever made it."""
        strikes = self._session.player.strikes()
        before, self._strikes = self._strikes, strikes
        if before is None:
            return
        for pad in self._session.kit.pads:
            count, velocity = strikes.get(pad.id, (0, 0.0))
            if count and count != before.get(pad.id, (0, 0.0))[0]:
                note = self._played.get(pad.id) or (pad.notes[0] if pad.notes else None)
                if note is not None:
                    self.keys.show_hit(note, velocity)
                if pad.id == self._session.pad_id:
                    self.ladder.show_hit(strength_of(pad.response, velocity))
                    self.pad.show_hit(velocity)

    def _strike_key(self, note: int, velocity: float) -> None:
        if self._session.grooving.answer(note):
            return
        struck = [pad for pad in self._session.kit.pads if note in pad.notes]
        for pad in struck:
            self._played[pad.id] = note
            self._session.playing.strike(pad.id, velocity, note)
        if struck:
            self._choose(struck[0].id)

    def _release_key(self, note: int) -> None:
        for pad in self._session.kit.pads:
            if note in pad.notes:
                self._session.playing.release(pad.id, note)

    # Edits.

    def _choose(self, pad_id: str) -> None:
        if pad_id != self._session.pad_id:
            self.ladder.show_hit(None)
            self.pad.show_hit(None)
            self._session.selection.select_pad(pad_id)

    def _move_region(self, pad_id: str, was: tuple[int, int], to: tuple[int, int]) -> None:
        """A region goes over a pad's other notes without taking them away."""
        pad = edits.pad_of(self._session.kit, pad_id)
        if self._others is None:
            self._others = tuple(n for n in pad.notes if not was[0] <= n <= was[1])
        notes = tuple(sorted({*self._others, *range(to[0], to[1] + 1)}))
        self._session.edit(
            f"{pad.name}: plays on other notes",
            lambda kit: edits.set_pad(kit, pad_id, notes=notes),
            ("notes", pad_id),
        )

    def _settle(self) -> None:
        self._others = None
        self._session.settle()

    def _move_edge_of(self, pad_id: str, edge: int, to: int) -> None:
        kit = self._session.kit
        pad = kit.pad(pad_id)
        if pad is not None:
            self._session.edit(
                f"{pad.name}: edge at {to}",
                lambda kit: splitting.move_edge(kit, pad.id, edge, to),
                ("edge", pad.id),
            )

    def ordered_layers(self) -> tuple[Pad, list[str], list[float]] | None:
        """The pad, its layers from soft to hard, and their loudness; None while not measured."""
        pad, found = self._session.pad, self._measured
        if pad is None or found is None or found.sound is not pad.sound:
            return None
        ids = [layer.id for layer in pad.sound.layers]
        order = soft_to_hard([found.strengths[key] for key in ids])
        names = [ids[n] for n in order]
        return pad, names, sorted(found.strengths[key].loudness_lufs for key in ids)

    def split(self, *, by_loudness: bool) -> None:
        """The layers, ordered as they measure, each with strengths of its own."""
        known = self.ordered_layers()
        if known is None:
            return
        pad, names, levels = known
        how = "by loudness" if by_loudness else "evenly"
        self._session.edit(
            f"{pad.name}: velocities split {how}",
            lambda kit: splitting.as_grid(
                kit, pad.id, [[key] for key in names], levels, even=not by_loudness
            ),
        )

    def blend(self) -> None:
        """Every inner edge blended, or hard again."""
        pad = self._session.pad
        if pad is not None:
            hard = not any(k.blend_in or k.blend_out for k in pad.sound.layers)
            self._session.edit(
                f"{pad.name}: edges {'blended' if hard else 'hard'}",
                lambda kit: splitting.set_blend(kit, pad.id, _BLEND if hard else 0),
            )

    def as_turns(self) -> None:
        """The layers one after another, strike by strike."""
        known = self.ordered_layers()
        if known is None:
            return
        pad, names, _ = known
        self._note_split(pad)

        def make(kit: Kit) -> Kit:
            wide = splitting.together(kit, pad.id, names)
            return splitting.as_turns(wide, pad.id, names)

        self._session.edit(f"{pad.name}: layers in a round robin", make)

    def all_at_once(self) -> None:
        """Every strike plays every layer."""
        pad = self._session.pad
        if pad is not None:
            ids = [k.id for k in pad.sound.layers]
            self._note_split(pad)
            self._session.edit(
                f"{pad.name}: all layers at once",
                lambda kit: splitting.together(kit, pad.id, ids),
            )

    def _note_split(self, pad: Pad) -> None:
        """Keeps what a pad's layers are split like while they are played otherwise."""
        split = splitting.split_of(pad.sound)
        if split is not None:
            self._splits[pad.id] = split

    def split_again(self) -> None:
        """The layers split as they were before they were played otherwise."""
        pad = self._session.pad
        split = self._splits.get(pad.id) if pad is not None else None
        if pad is not None and split is not None:
            self._session.edit(
                f"{pad.name}: velocities split as before",
                lambda kit: splitting.with_split(kit, pad.id, split),
            )


def _regions(kit: Kit) -> list[Region]:
    """Every pad on every run of neighboring notes."""
    found = []
    for pad in kit.pads:
        ranges = tuple(
            (group[0].softest, max(group[0].softest, group[0].hardest))
            for group in splitting.rungs(pad.sound)
        )
        for low, high in runs(pad.notes):
            made = Region(pad.id, pad.name, pad.dye, low, high, ranges or ((1, splitting.HARDEST),))
            found.append(made)
    return found


def runs(notes: tuple[int, ...]) -> list[tuple[int, int]]:
    """Notes as runs of neighbors, rising."""
    found: list[tuple[int, int]] = []
    for note in sorted(set(notes)):
        if found and found[-1][1] == note - 1:
            found[-1] = (found[-1][0], note)
        else:
            found.append((note, note))
    return found
