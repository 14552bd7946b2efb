"""What is selected on Groove, with its gauges: the pattern, the lane, the hits."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, cast

import msgspec
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from puddle.errors import PuddleError
from puddle.kit.edits import hits as editing
from puddle.kit.edits import patterns, shaping
from puddle.kit.edits.address import parameter_at
from puddle.kit.edits.hits import Spot
from puddle.kit.model.document import Flam, Hit, Kit, Lane, Pattern
from puddle.kit.model.pattern import GRIDS, MOST_FLAMS
from puddle.parameter import Parameter, changed, parameter
from puddle.window.files.midi_files import MidiFiles
from puddle.window.pages.groove.editing import HitEditing
from puddle.window.pages.groove.feel_lines import FeelLines
from puddle.window.pages.groove.tempo_lines import TempoLines
from puddle.window.pages.groove.under_lines import UnderLines
from puddle.window.session.session import Session
from puddle.window.session.under import UnderTheGroove
from puddle.window.widgets.controls import button, clear, column, elided, label, scrolled, tab
from puddle.window.widgets.fields import Fields
from puddle.window.widgets.gauge import Gauge

replace = msgspec.structs.replace
_AS_PATTERN = "the pattern's"
_QUANTIZE = parameter(Hit, "chance")


def _lines() -> QVBoxLayout:
    return column((8, 4, 8, 4), 4)


class PatternLines(QWidget):
    """The pattern: its length, step, meter and swing; the tempo, and tempos that are kept."""

    def __init__(self, session: Session, work: HitEditing) -> None:
        super().__init__()
        self._session, self._work = session, work
        lines = _lines()
        lines.setContentsMargins(0, 0, 0, 0)
        self.fields = Fields(Pattern(id="", name=""), self._change, work.settle)
        lines.addWidget(self.fields)
        self.tempo = TempoLines(session)
        lines.addWidget(self.tempo)
        lines.addStretch(1)
        self.setLayout(lines)

    def show_pattern(self, pattern: Pattern | None) -> None:
        """Sets the values."""
        self.fields.setEnabled(pattern is not None)
        if pattern is not None:
            self.fields.show_values(pattern)
        self.tempo.show_kit()

    def _change(self, field: str, value: Any, known: Parameter) -> None:
        text = known.text(value) if known.kind in ("number", "whole") else value

        def change(_: Kit, pattern: Pattern) -> Pattern:
            if field == "length":
                return editing.resized(pattern, round(value))
            return changed(pattern, **{field: value})

        self._work.edit(f"Pattern: {known.label.lower()} {text}", change, ("pattern", field))


class LaneLines(QWidget):
    """The selected pad's lane."""

    def __init__(self, session: Session, work: HitEditing, midi: MidiFiles) -> None:
        super().__init__()
        self._session, self._work = session, work
        lines = _lines()
        lines.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        row.setContentsMargins(2, 2, 2, 2)
        row.addWidget(label("Step", "soft"), 1)
        self.grid = QComboBox()
        self.grid.addItems([_AS_PATTERN, *GRIDS])
        self.grid.setAccessibleName("Step of the lane")
        self.grid.setToolTip("How long a step of this lane is; it may differ from the pattern's.")
        self.grid.textActivated.connect(self._set_grid)
        row.addWidget(self.grid)
        lines.addLayout(row)
        self.fields = Fields(Lane(pad=""), self._change, work.settle, leave_out=("mute", "solo"))
        lines.addWidget(self.fields)
        self.swing = Gauge(parameter(Pattern, "swing"), 50.0)
        self.swing.moved.connect(lambda value: self._set(f"swing {value:.0f} %", swing=value))
        self.swing.settled.connect(work.settle)
        lines.addWidget(self.swing)
        self.as_pattern = button(
            "Swing as the pattern", "The lane has no swing of its own.",
            self.drop_swing,
        )  # fmt: skip
        lines.addWidget(self.as_pattern)
        times = QHBoxLayout()
        self.exact = button(
            "To exact times", "Hits leave the grid: swing and nudges become part of their time.",
            self.convert,
        )  # fmt: skip
        self.quantize = button(
            "Quantize", "Draws the lane's hits half way to their steps.", self.draw_to_grid
        )
        times.addWidget(self.exact)
        times.addWidget(self.quantize)
        lines.addLayout(times)
        self.feel = FeelLines(session, work, midi)
        lines.addWidget(self.feel)
        lines.addStretch(1)
        self.setLayout(lines)

    def _lane(self) -> Lane:
        pattern = self._session.pattern
        pad = self._session.pad_id
        return patterns.lane_in(pattern, pad) if pattern is not None else Lane(pad=pad)

    def show_lane(self) -> None:
        """Sets the values."""
        lane, pattern, pad = self._lane(), self._session.pattern, self._session.pad
        self.setEnabled(pad is not None)
        self.fields.show_values(lane)
        follows = pad is not None and pad.tracking > 0.0
        self.fields.enable(
            "follow", follows, "" if follows else "Only pads that follow keys play chord tones."
        )
        self.grid.setCurrentText(lane.grid or _AS_PATTERN)
        usual = pattern.swing if pattern is not None else 50.0
        self.swing.set_value(usual if lane.swing is None else lane.swing)
        self.as_pattern.setEnabled(lane.swing is not None)
        self.feel.show_kit()
        self.exact.setText("To steps" if lane.exact else "To exact times")

    def _change(self, field: str, value: Any, known: Parameter) -> None:
        text = known.text(value) if known.kind in ("number", "whole") else value
        self._set(f"{known.label.lower()} {text}", **{field: value})

    def _set_grid(self, text: str) -> None:
        self._set(f"step {text}", grid=None if text == _AS_PATTERN else text)
        self._work.settle()

    def drop_swing(self) -> None:
        """The pattern's swing is the lane's."""
        self._set("swing as the pattern", swing=None)
        self._work.settle()

    def _set(self, said: str, **values: Any) -> None:
        pad = self._session.pad
        if pad is None:
            return
        pad_id = pad.id

        def change(_: Kit, pattern: Pattern) -> Pattern:
            lane = patterns.lane_in(pattern, pad_id)
            numbers = {k: v for k, v in values.items() if k not in ("grid", "swing")}
            made = changed(lane, **numbers) if numbers else lane
            others = {k: v for k, v in values.items() if k in ("grid", "swing")}
            return patterns.with_lane(pattern, replace(made, **others))

        self._work.edit(f"{pad.name}: {said}", change, ("lane", pad_id, tuple(values)))

    def convert(self) -> None:
        """Steps become exact times, exact times steps; what cannot be kept is told."""
        pad, lane = self._session.pad, self._lane()
        if pad is None:
            return
        pad_id, bpm, told = pad.id, self._session.kit.tempo_bpm, [""]

        def change(_: Kit, pattern: Pattern) -> Pattern:
            convert = editing.to_steps if lane.exact else editing.to_events
            made, told[0] = convert(pattern, pad_id, bpm)
            return made

        said = "steps" if lane.exact else "exact times"
        if self._work.edit(f"{pad.name}: to {said}", change) and told[0]:
            self._session.told.emit(f"{pad.name}: {told[0]}")

    def draw_to_grid(self) -> None:
        """Half of the way to the grid."""
        pad = self._session.pad
        if pad is None:
            return
        pad_id, bpm = pad.id, self._session.kit.tempo_bpm
        self._work.edit(
            f"{pad.name}: quantized by half",
            lambda _, p: editing.quantized(p, editing.spots_of(p, pad_id), 50.0, bpm),
        )


class HitLines(QWidget):
    """The hits that are selected, together."""

    def __init__(self, session: Session, work: HitEditing) -> None:
        super().__init__()
        self._session, self._work = session, work
        self._spots: tuple[Spot, ...] = ()
        lines = _lines()
        lines.setContentsMargins(0, 0, 0, 0)
        self.none = label("Shift and drag around hits to select them, or Shift and click.", "soft")
        self.none.setWordWrap(True)
        lines.addWidget(self.none)
        self.fields = Fields(Hit(at=0), self._change, work.settle)
        lines.addWidget(self.fields)
        row = QHBoxLayout()
        self.flam = button("Add a flam", "A grace stroke before each of them.", self.add_flam)
        self.no_flam = button("No flams", "Takes their grace strokes away.", self.drop_flams)
        row.addWidget(self.flam)
        row.addWidget(self.no_flam)
        lines.addLayout(row)
        self._own = column((0, 4, 0, 0), 2)
        lines.addLayout(self._own)
        lines.addStretch(1)
        self.setLayout(lines)

    def show_hits(self, spots: frozenset[Spot]) -> None:
        """Sets the values: those of the first one, where they differ."""
        pattern = self._session.pattern
        self._spots = tuple(sorted(spots, key=lambda s: (s.pad, s.at)))
        found = [
            hit
            for spot in self._spots
            if pattern is not None and (hit := editing.hit_at(pattern, spot)) is not None
        ]
        for part in (self.fields, self.flam, self.no_flam):
            part.setVisible(bool(found))
        self.none.setVisible(not found)
        clear(self._own)
        if not found:
            return
        self.fields.show_values(found[0])
        self.flam.setEnabled(any(len(hit.flams) < MOST_FLAMS for hit in found))
        self.no_flam.setEnabled(any(hit.flams for hit in found))
        addresses = dict.fromkeys(own.address for hit in found for own in hit.values)
        for address in addresses:
            self._add_own(address, found)

    def _add_own(self, address: Any, found: list[Hit]) -> None:
        kit = self._session.kit
        try:
            known = parameter_at(kit, address)
        except PuddleError:
            return
        value = next(o.value for h in found for o in h.values if o.address == address)
        row = QHBoxLayout()
        row.addWidget(elided(f"{known.label} {known.text(value)}", "soft"), 1)
        drop = partial(self._drop_own, address, known.label)
        row.addWidget(button("Remove", "The hits take the pad's own value again.", drop, flat=True))
        self._own.addLayout(row)

    def _drop_own(self, address: Any, name: str) -> None:
        self._each(f"no own {name.lower()}", lambda hit: shaping.without_value(hit, address))

    def _each(self, said: str, change: Callable[[Hit], Hit], mark: object = None) -> None:
        spots = self._spots
        what = "a hit" if len(spots) == 1 else f"{len(spots)} hits"
        self._work.edit(
            f"{what.capitalize()}: {said}",
            lambda _, p: editing.with_each(p, spots, change),
            mark,
        )

    def _change(self, field: str, value: Any, known: Parameter) -> None:
        def change(hit: Hit) -> Hit:
            return changed(hit, **{field: value})

        self._each(f"{known.label.lower()} {known.text(value)}", change, ("hits", field))

    def add_flam(self) -> None:
        """One grace stroke more, farther away than those that there are."""

        def change(hit: Hit) -> Hit:
            if len(hit.flams) >= MOST_FLAMS:
                return hit
            far = max((f.before_ms for f in hit.flams), default=0.0)
            level = min((f.level for f in hit.flams), default=70.0)
            made = Flam(before_ms=min(150.0, far + 25.0), level=max(10.0, level - 15.0))
            return replace(hit, flams=(made, *hit.flams))

        self._each("a flam", change)

    def drop_flams(self) -> None:
        """No grace strokes."""
        self._each("no flams", lambda hit: replace(hit, flams=()))


class GrooveProperties(QWidget):
    """Tabs for the pattern, the lane and the hits."""

    def __init__(
        self, session: Session, work: HitEditing, midi: MidiFiles, under: UnderTheGroove
    ) -> None:
        super().__init__()
        self._session = session
        self._spots: frozenset[Spot] = frozenset()
        # Made when they are first wanted: all at once they hold the window for a while.
        self._makers: dict[str, Callable[[], QWidget]] = {
            "Pattern": lambda: PatternLines(session, work),
            "Lane": lambda: LaneLines(session, work, midi),
            "Hits": lambda: HitLines(session, work),
            "Track": lambda: UnderLines(session, under),
        }
        self._parts: dict[str, QWidget] = {}
        lines = QVBoxLayout(self)
        lines.setContentsMargins(8, 8, 8, 8)
        self.title = elided("", "title")
        lines.addWidget(self.title)
        row = QHBoxLayout()
        row.setSpacing(2)
        self.pages = QStackedWidget()
        self.tabs = {}
        self._holders = {}
        for n, name in enumerate(self._makers):
            made = tab(name)
            made.clicked.connect(partial(self.choose, n))
            self.tabs[name] = made
            row.addWidget(made)
            self._holders[name] = column((0, 0, 0, 0), 0)
            self.pages.addWidget(scrolled(self._holders[name]))
        row.addStretch(1)
        lines.addLayout(row)
        lines.addWidget(self.pages, 1)
        self.choose(0)

    @property
    def pattern(self) -> PatternLines:
        """The pattern's tab."""
        return cast(PatternLines, self._part("Pattern"))

    @property
    def lane(self) -> LaneLines:
        """The lane's tab."""
        return cast(LaneLines, self._part("Lane"))

    @property
    def hits(self) -> HitLines:
        """The hits' tab."""
        return cast(HitLines, self._part("Hits"))

    @property
    def under(self) -> UnderLines:
        """The tab of what plays under the groove."""
        return cast(UnderLines, self._part("Track"))

    def _part(self, name: str) -> QWidget:
        if name not in self._parts:
            self._parts[name] = self._makers[name]()
            self._holders[name].addWidget(self._parts[name])
            self._show(name)
        return self._parts[name]

    def choose(self, n: int) -> None:
        """Shows a tab."""
        name = list(self.tabs)[n]
        self._part(name)
        self.pages.setCurrentIndex(n)
        self.tabs[name].setChecked(True)

    def show_all(self, spots: frozenset[Spot]) -> None:
        """Sets every value."""
        pattern, pad = self._session.pattern, self._session.pad
        name = f"Pattern {pattern.name}" if pattern is not None else "No pattern yet"
        self.title.setText(f"{name} · {pad.name}" if pad is not None else name)
        self._spots = spots
        for part in self._parts:
            self._show(part)

    def _show(self, name: str) -> None:
        part = self._parts[name]
        if isinstance(part, PatternLines):
            part.show_pattern(self._session.pattern)
        elif isinstance(part, LaneLines):
            part.show_lane()
        elif isinstance(part, HitLines):
            part.show_hits(self._spots)
        elif isinstance(part, UnderLines):
            part.show_kit()
