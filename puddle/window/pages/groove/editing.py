"""What the hand does on the grid and the bars, as edits of the pattern that is shown."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.kit.edits import hits as editing
from puddle.kit.edits import patterns, shaping
from puddle.kit.edits.hits import Clip, Spot
from puddle.kit.edits.items import moved
from puddle.kit.edits.shaping import Kind
from puddle.kit.model.document import Hit, Kit, Pattern
from puddle.kit.model.pattern import grid_beats
from puddle.window.session.session import Session

replace = msgspec.structs.replace
_VELOCITY = 100


class HitEditing(QObject):
    """Edits of hits; a drag is one step, reckoned from where it began."""

    selected = pyqtSignal(object)  # hits that are to be selected

    def __init__(self, session: Session, rows: Callable[[], list[str]]) -> None:
        """`rows` gives the pads of the rows that are shown, from the top."""
        super().__init__()
        self._session, self._rows = session, rows
        self._began: Pattern | None = None  # the pattern as it was when the drag began
        self._spots: list[Spot] = []  # what is dragged, as it was then
        self.clip: Clip | None = None
        self.velocity = _VELOCITY  # of hits that are added

    # One place for all of them.

    def edit(
        self,
        name: str,
        change: Callable[[Kit, Pattern], Pattern],
        mark: object = None,
    ) -> bool:
        """Changes the pattern that is shown; where the kit has none yet, one is made."""
        shown = self._session.pattern
        wanted = shown.id if shown is not None else ""

        def done(kit: Kit) -> Kit:
            if kit.pattern(wanted) is None:
                kit, made = patterns.add_pattern(kit)
                return patterns.in_pattern(kit, made.id, lambda p: change(kit, p))
            return patterns.in_pattern(kit, wanted, lambda p: change(kit, p))

        return self._session.edit(name, done, mark)

    def settle(self) -> None:
        """The hand has let go."""
        self._began = None
        self._session.settle()

    def _name_of(self, pad_id: str) -> str:
        pad = self._session.kit.pad(pad_id)
        return pad.name if pad is not None else "Lane"

    # Hits.

    def add(self, pad_id: str, at: float) -> None:
        """A hit more, heard while the groove rests."""
        hit = Hit(at=at, velocity=self.velocity)
        self.edit(f"{self._name_of(pad_id)}: a hit", lambda _, p: editing.put(p, pad_id, (hit,)))
        if not self._session.player.playing:
            self._session.playing.strike(pad_id, float(self.velocity), by_hand=False)

    def remove(self, spots: list[Spot]) -> None:
        """Hits less."""
        if not spots:
            return
        name = self._name_of(spots[0].pad)
        what = "a hit" if len(spots) == 1 else f"{len(spots)} hits"
        self.edit(f"{name}: {what} taken out", lambda _, p: editing.taken_out(p, spots))

    def paint(self, pad_id: str, at: float) -> None:
        """A hit more while it is dragged across; those that stand are left alone."""
        shown = self._session.pattern
        if shown is not None and editing.hit_at(shown, Spot(pad_id, at)) is not None:
            return
        hit = Hit(at=at, velocity=self.velocity)
        self.edit(
            f"{self._name_of(pad_id)}: hits painted",
            lambda _, p: editing.put(p, pad_id, (hit,)),
            ("paint", pad_id),
        )

    def _beginning(self, spots: list[Spot]) -> Pattern | None:
        if self._began is None:
            self._began, self._spots = self._session.pattern, list(spots)
        return self._began

    def move_velocity(self, spots: list[Spot], by: int) -> None:
        """Velocities moved by so much from where the drag began."""
        began = self._beginning(spots)
        if began is None:
            return
        wanted = self._spots

        def louder(hit: Hit) -> Hit:
            return replace(hit, velocity=max(1, min(127, hit.velocity + by)))

        made = editing.with_each(began, wanted, louder)
        hit = editing.hit_at(made, wanted[0]) if wanted else None
        if hit is None:
            return
        said = f"{self._name_of(wanted[0].pad)}: velocity {hit.velocity}"
        self.edit(said, lambda _, p: _lanes_of(p, made), ("velocity", tuple(wanted)))

    def move(self, spots: list[Spot], beats: float, rows: int, copies: bool) -> None:
        """Hits moved, or copies of them, from where the drag began."""
        began = self._beginning(spots)
        if began is None:
            return
        wanted, pads = self._spots, self._rows()
        made, now = editing.moved_hits(began, wanted, beats, rows, pads, copy=copies)
        if not now:
            return
        said = f"{self._name_of(now[0].pad)}: hits {'copied' if copies else 'moved'}"
        if self.edit(said, lambda _, p: _lanes_of(p, made), "move hits"):
            self.selected.emit(frozenset(now))

    # The clipboard.

    def use_clip(self, what: str, selected: list[Spot], at: Spot | None, beat: float) -> None:
        """Copies, cuts, pastes or duplicates."""
        shown, pads = self._session.pattern, self._rows()
        if shown is None:
            return
        if what in ("copy", "cut", "duplicate"):
            if not selected:
                self._session.told.emit("Nothing is selected: Shift and drag around some hits.")
                return
            self.clip = editing.copied(shown, selected, pads)
        if what == "cut":
            self.remove(selected)
        elif what == "paste" and self.clip is not None:
            pad = at.pad if at is not None else self._session.pad_id
            self._paste(self.clip, pad, beat)
        elif what == "duplicate" and self.clip is not None:
            top = min(selected, key=lambda s: pads.index(s.pad) if s.pad in pads else 0)
            step = grid_beats(shown.grid)
            first = min(editing.beat_of(shown, s) for s in selected) // step * step
            self._paste(self.clip, top.pad, first + self.clip.beats)

    def _paste(self, clip: Clip, pad: str, beat: float) -> None:
        pads = self._rows()
        now: list[Spot] = []

        def paste(_: Kit, pattern: Pattern) -> Pattern:
            made, spots = editing.pasted(pattern, clip, pads, pad, beat)
            now.extend(spots)
            return made

        if self.edit(f"{len(clip.hits)} hits pasted", paste):
            self.settle()
            self.selected.emit(frozenset(now))

    # Lanes.

    def switch_lane(self, pad_id: str, field: str) -> None:
        """Mutes a lane or makes it solo, or no longer."""

        def change(_: Kit, pattern: Pattern) -> Pattern:
            lane = patterns.lane_in(pattern, pad_id)
            return patterns.with_lane(pattern, replace(lane, **{field: not getattr(lane, field)}))

        shown = self._session.pattern
        on = shown is not None and not getattr(patterns.lane_in(shown, pad_id), field)
        said = field if on else "unmute" if field == "mute" else "unsolo"
        self.edit(f"{self._name_of(pad_id)}: lane {said}", change)

    def move_lane(self, pad_id: str, to: int) -> None:
        """A lane at another row."""
        pads = self._rows()
        if pad_id not in pads:
            return
        order = moved(tuple(pads), pads.index(pad_id), to)

        def change(_: Kit, pattern: Pattern) -> Pattern:
            for pad in order:
                pattern = patterns.with_lane(pattern, patterns.lane_in(pattern, pad))
            return patterns.lanes_ordered(pattern, order)

        self.edit(f"{self._name_of(pad_id)}: lane moved", change, ("lane moved", pad_id))

    # Values.

    def draw(self, pad_id: str, kind: Kind, label: str, values: Mapping[float, float]) -> None:
        """Values drawn across bars."""
        self.edit(
            f"{self._name_of(pad_id)}: {label.lower()} drawn",
            lambda kit, p: shaping.draw(kit, p, pad_id, kind, values),
            ("draw", pad_id, kind),
        )

    def ramp(
        self, pad_id: str, kind: Kind, label: str, start: tuple[float, float],
        end: tuple[float, float],
    ) -> None:  # fmt: skip
        """A line of values, from where the drag began."""
        began = self._beginning([])
        if began is None:
            return

        def change(kit: Kit, pattern: Pattern) -> Pattern:
            return _lanes_of(pattern, shaping.ramp(kit, began, pad_id, kind, start, end))

        self.edit(f"{self._name_of(pad_id)}: {label.lower()} ramped", change, ("ramp", pad_id))


def _lanes_of(pattern: Pattern, made: Pattern) -> Pattern:
    """The pattern with the lanes of another state of it."""
    return replace(pattern, lanes=made.lanes)
