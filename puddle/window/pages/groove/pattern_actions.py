"""What is done with whole patterns: made, chosen, ordered, started from, varied, filled."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QObject, QPoint, pyqtSignal
from PyQt6.QtWidgets import QMenu, QWidget

from puddle.kit.edits import patterns
from puddle.kit.edits.hits import Spot
from puddle.kit.edits.variations import filled, last_bar
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.model.roles import DYES
from puddle.kit.presets.grooves import STARTS, Start, started
from puddle.window.pages.groove.editing import HitEditing
from puddle.window.pages.groove.ordering import Ordering
from puddle.window.pages.groove.pattern_bar import PatternBar
from puddle.window.pages.groove.varying import Varying
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_other_name
from puddle.window.widgets.passing import open_once, popup_once, submenu

replace = msgspec.structs.replace


class PatternActions(QObject):
    """Works on the kit's patterns and on the one that is shown."""

    changed = pyqtSignal()  # another variation is heard

    def __init__(self, session: Session, bar: PatternBar, work: HitEditing, owner: QWidget) -> None:
        super().__init__(owner)
        self._session, self.bar, self.work, self._owner = session, bar, work, owner
        self.varying: Varying | None = None
        self._before = ""  # the pattern that was shown before this one
        self._fills = 0
        dots = bar.dots
        dots.chosen.connect(self.choose)
        dots.added.connect(self.add)
        dots.moved.connect(self._move)
        dots.renamed.connect(self.rename)
        dots.menu_wanted.connect(self._open_menu)

    def choose(self, pattern_id: str) -> None:
        """Shows another pattern; it plays from the next bar, beat or at once."""
        shown = self._session.pattern
        if shown is not None and shown.id != pattern_id:
            self._before = shown.id
        self._session.grooving.choose(pattern_id)

    def swap(self) -> None:
        """The pattern that was shown before this one: A against B by one key."""
        kit, shown = self._session.kit, self._session.pattern
        other = kit.pattern(self._before)
        if other is None and shown is not None and len(kit.patterns) > 1:
            at = kit.patterns.index(shown)
            other = kit.patterns[(at + 1) % len(kit.patterns)]
        if other is not None:
            self.choose(other.id)

    def add(self) -> None:
        """A new pattern, empty, as long as the one that is shown."""
        shown = self._session.pattern
        like = Pattern(id="", name="")
        if shown is not None:
            like = replace(
                like, length=shown.length, grid=shown.grid, meter=shown.meter, swing=shown.swing
            )
        made = self._session.make("New pattern", lambda kit: patterns.add_pattern(kit, like))
        if made is not None:
            self.choose(made.id)

    def duplicate(self) -> None:
        """A copy of the pattern that is shown, after it."""
        shown = self._session.pattern
        if shown is None:
            return
        made = self._session.make(
            f"Pattern {shown.name} duplicated",
            lambda kit: patterns.duplicate_pattern(kit, shown.id),
        )
        if made is not None:
            self.choose(made.id)

    def remove(self, pattern_id: str = "") -> None:
        """The pattern goes; the one beside it is shown."""
        kit, shown = self._session.kit, self._session.pattern
        gone = kit.pattern(pattern_id) or shown
        if gone is None:
            return
        at = kit.patterns.index(gone)
        rest = [p for p in kit.patterns if p is not gone]
        if shown is gone and rest:
            self.choose(rest[min(at, len(rest) - 1)].id)
        self._session.edit(
            f"Pattern {gone.name} removed", lambda kit: patterns.remove_pattern(kit, gone.id)
        )

    def _move(self, pattern_id: str, to: int) -> None:
        self._session.edit(
            "Patterns ordered", lambda kit: patterns.move_pattern(kit, pattern_id, to), "order"
        )

    def rename(self, pattern_id: str) -> None:
        pattern = self._session.kit.pattern(pattern_id)
        name = ask_other_name(self._owner, pattern.name) if pattern is not None else None
        if name:
            self._session.edit(
                f"Pattern named {name}",
                lambda kit: patterns.set_pattern(kit, pattern_id, name=name),
            )

    def _open_menu(self, pattern_id: str, at: QPoint) -> None:
        self.choose(pattern_id)
        self.menu = QMenu(self._owner)
        for text, done in (
            ("Duplicate", self.duplicate),
            ("Rename …", lambda: self.rename(pattern_id)),
            ("Remove", lambda: self.remove(pattern_id)),
        ):
            action = self.menu.addAction(text)
            if action is not None:
                action.triggered.connect(lambda _, d=done: d())
        inner = submenu(self.menu, "Color")
        for dye in DYES:
            action = inner.addAction(dye)
            if action is not None:
                action.triggered.connect(lambda _, d=dye: self._set_dye(pattern_id, d))
        self.menu.addSeparator()
        for when in ("next bar", "next beat", "at once"):
            action = self.menu.addAction(f"Changes at the {when}" if when != "at once" else
                                         "Changes at once")  # fmt: skip
            if action is not None:
                action.setCheckable(True)
                action.setChecked(self._session.grooving.when == when)
                action.triggered.connect(lambda _, w=when: self._set_when(w))
        popup_once(self.menu, at)

    def _set_dye(self, pattern_id: str, dye: str) -> None:
        self._session.edit(
            f"Pattern: {dye}", lambda kit: patterns.set_pattern(kit, pattern_id, dye=dye)
        )

    def _set_when(self, when: str) -> None:
        self._session.grooving.when = when  # type: ignore[assignment]

    def ask_start(self) -> None:
        """Patterns of ours, by meter."""
        self.menu = QMenu(self._owner)
        inner: dict[str, QMenu] = {}
        for start in STARTS:
            if start.meter not in inner:
                inner[start.meter] = submenu(self.menu, start.meter)
            under = inner[start.meter]
            action = under.addAction(f"{start.name}: {start.says}")
            if action is not None:
                action.triggered.connect(lambda _, s=start: self.start_from(s))
        made = self.bar.buttons["pattern_start"]
        popup_once(self.menu, made.mapToGlobal(QPoint(0, made.height())))

    def start_from(self, start: Start) -> None:
        """A pattern of ours: in the place of an empty one, else as a new one."""
        missing: list[str] = []
        shown = self._session.pattern
        empty = shown is not None and not any(lane.hits for lane in shown.lanes)

        def put(kit: Kit) -> tuple[Kit, Pattern]:
            made, gone = started(kit, start)
            missing.extend(gone)
            if shown is not None and empty:
                taken = replace(made, id=shown.id, dye=shown.dye)
                return patterns.in_pattern(kit, shown.id, lambda _: taken), taken
            return patterns.add_pattern(kit, made, shown.id if shown is not None else "")

        made = self._session.make(f"Pattern {start.name}", put)
        if made is not None:
            self.choose(made.id)
        if missing:
            self._session.told.emit(f"{start.name}: this kit has no pad for {', '.join(missing)}.")

    def vary(self, chosen_hits: frozenset[Spot]) -> None:
        """Opens the variations of the selected lanes, or of all."""
        shown = self._session.pattern
        if shown is None or self.varying is not None:
            return
        chosen = {spot.pad for spot in chosen_hits}

        def pads() -> list[str]:
            kept = [lane.pad for lane in shown.lanes if lane.hits]
            return [pad for pad in kept if pad in chosen] or kept

        self.varying = Varying(self._session, shown.id, pads, self._owner)
        self.varying.tried.connect(self.changed)
        self.varying.finished.connect(self._end_varying)
        open_once(self.varying)
        self.changed.emit()

    def _end_varying(self) -> None:
        self.varying = None
        self.changed.emit()

    def ask_fill(self) -> None:
        """A fill in the last beat or bar."""
        shown = self._session.pattern
        if shown is None:
            return
        self.menu = QMenu(self._owner)
        bar = last_bar(shown)
        for text, beats in (("In the last beat", 1.0), ("In the last two beats", 2.0),
                            ("In the last bar", bar)):  # fmt: skip
            action = self.menu.addAction(text)
            if action is not None:
                action.triggered.connect(lambda _, b=beats: self.fill(b))
        made = self.bar.buttons["pattern_fill"]
        popup_once(self.menu, made.mapToGlobal(QPoint(0, made.height())))

    def fill(self, beats: float) -> None:
        """Writes a fill; the same again writes another one."""
        self._fills += 1
        seed = self._fills
        self.work.edit("Fill", lambda kit, p: filled(kit, p, beats, seed))

    def order(self) -> None:
        """Opens the play order."""
        open_once(Ordering(self._session, self._owner))
