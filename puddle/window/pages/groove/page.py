"""Groove: patterns of drops, the lane's values under them, and what is selected on the right."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QLineEdit, QSplitter, QVBoxLayout, QWidget

from puddle.kit.model.document import Lane, Pad, Pattern
from puddle.views.pattern import PatternView, Row, Rows, pattern_view
from puddle.window.files.midi_files import SUFFIXES, MidiFiles
from puddle.window.pages.groove.curves import CurveDrawing
from puddle.window.pages.groove.editing import HitEditing
from puddle.window.pages.groove.hit_menus import HitMenus
from puddle.window.pages.groove.melody import Melody
from puddle.window.pages.groove.pattern_actions import PatternActions
from puddle.window.pages.groove.pattern_bar import PatternBar
from puddle.window.pages.groove.properties import GrooveProperties
from puddle.window.pages.groove.values_panel import ValuesPanel
from puddle.window.session.session import Session
from puddle.window.session.under import UnderTheGroove
from puddle.window.widgets.controls import panel, toggle
from puddle.window.widgets.drop_grid import DropGrid
from puddle.window.widgets.file_drops import files_of, welcome_files
from puddle.window.widgets.page_view import PageView

_EMPTY_VIEW = PatternView((), 4.0, 4.0, 0.25, 4.0, 1.0)


class GroovePage(PageView):
    """The grid over the bars, and the properties beside them."""

    def __init__(self, session: Session, midi: MidiFiles, under: UnderTheGroove) -> None:
        super().__init__()
        self._session = session
        self.sought = ""  # part of a lane's name
        self.work = HitEditing(session, self._shown_pads)
        self.bar, self.grid = PatternBar(), DropGrid()
        self.values = ValuesPanel(
            lambda: session.kit, lambda: session.pad_id, lambda: session.pattern
        )
        self.curves = CurveDrawing(session, self.values.line)
        self.properties = GrooveProperties(session, self.work, midi, under)
        self.melody = Melody(session, self.work, self.values.roll)
        self.patterns = PatternActions(session, self.bar, self.work, self)
        self.menus = HitMenus(
            session, self.grid, self.work, self.values, self.properties, self.curves
        )
        session.frames.passed.connect(self._tick)
        self._seen = False
        self._rows = Rows()
        self._midi = midi
        self.setAcceptDrops(True)
        self._build()
        self._wire()

    def _build(self) -> None:
        self.seek = QLineEdit(self.grid)
        self.seek.setPlaceholderText("Find a lane")
        self.seek.setAccessibleName("Find a lane")
        self.seek.setToolTip("Shows only lanes whose name has this in it.")
        self.seek.setClearButtonEnabled(True)
        self.seek.setGeometry(8, 0, 112, 22)
        self.seek.textChanged.connect(self._seek)
        self.used = toggle("with hits", "Hides lanes without hits.", "Only lanes with hits")
        self.used.setParent(self.grid)
        self.used.setGeometry(124, 1, 72, 20)
        self.used.clicked.connect(self.menus.hide_empty)
        top = QVBoxLayout()
        top.setContentsMargins(0, 0, 0, 0)
        top.addWidget(self.bar)
        upper, lower = QVBoxLayout(), QVBoxLayout()
        for part, inside in ((upper, self.grid), (lower, self.values)):
            part.setContentsMargins(4, 4, 4, 4)
            part.addWidget(inside)
        self.down = QSplitter(Qt.Orientation.Vertical)
        self.down.addWidget(panel(upper))
        self.down.addWidget(panel(lower))
        self.down.setSizes([400, 150])
        self.down.setStretchFactor(0, 1)
        self.down.setHandleWidth(10)
        self.down.setChildrenCollapsible(False)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addWidget(panel(top))
        column.addWidget(self.down, 1)
        side = QVBoxLayout()
        side.setContentsMargins(0, 0, 0, 0)
        side.addWidget(self.properties)
        right = panel(side)
        right.setMinimumWidth(232)
        self.whole = self.side_by_side((left, right), [980, 264], growing=0)

    def _wire(self) -> None:
        session, grid, work = self._session, self.grid, self.work
        session.kit_changed.connect(self.show_kit)
        session.selection_changed.connect(self.show_kit)
        session.grooving.chosen.connect(self.show_kit)
        grid.pad_chosen.connect(session.selection.select_pad)
        grid.lane_switched.connect(work.switch_lane)
        grid.lane_moved.connect(work.move_lane)
        grid.added.connect(work.add)
        grid.removed.connect(work.remove)
        grid.painted.connect(work.paint)
        grid.velocity_moved.connect(work.move_velocity)
        grid.moved.connect(work.move)
        grid.settled.connect(work.settle)
        grid.selection_changed.connect(lambda _: self._show_selected())
        grid.span_changed.connect(self._show_span)
        work.selected.connect(grid.select)
        self.values.kind_changed.connect(self._show_values)
        self.values.bars.drawn.connect(self._draw)
        self.values.bars.ramped.connect(self._ramp)
        self.values.bars.settled.connect(work.settle)
        self.patterns.changed.connect(self.show_kit)
        self.bar.midi.carried = lambda sound: self._midi.carried(grid.selected, sound=sound)
        self.menus.hides.connect(self._show_hiding)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        welcome_files(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        """MIDI files become patterns; sounds run under the groove."""
        own = event is not None and event.source() is not None
        for path in files_of(event):
            if path.suffix.lower() in SUFFIXES:
                self._midi.take_in(path)
            elif own:  # written for the drag alone
                self._session.told.emit("Export it first: what is dragged from here is not kept.")
            else:
                self.properties.under.under.add(path)
                self.properties.choose(3)

    # Showing.

    def splitters(self) -> dict[str, QSplitter]:
        return {"groove": self.whole, "groove values": self.down}

    def watch(self, seen: bool) -> None:
        self._seen = seen
        if seen:
            self.show_kit()

    def end(self) -> None:
        self._midi.close()

    def dress(self) -> None:
        self.grid.forget()

    @property
    def pattern(self) -> Pattern | None:
        """The pattern that is shown: while a variation is tried, that one."""
        shown = self._session.pattern
        if shown is None or self.patterns.varying is None:
            return shown
        return self._session.heard.pattern(shown.id) or shown

    def _show_hiding(self, on: bool) -> None:
        self.used.setChecked(on)
        self.show_kit()

    def _seek(self, text: str) -> None:
        self.sought = text.strip()
        self.show_kit()

    def _shown_pads(self) -> list[str]:
        return [row.pad_id for row in self.grid.view.rows]

    def _shows(self, pad: Pad, lane: Lane) -> bool:
        if self.sought and self.sought.lower() not in pad.name.lower():
            return False
        return bool(lane.hits) or not self.menus.hides_empty

    def show_kit(self) -> None:
        """Everything, as the kit has it."""
        if not self._seen:
            return
        kit, shown = self._session.kit, self.pattern
        view = _EMPTY_VIEW
        drawn = shown if shown is not None else Pattern(id="", name="")
        if kit.pads:
            view = pattern_view(kit, drawn, kit.tempo_bpm, self._shows, self._rows)
        self.grid.show_view(view, self._session.pad_id)
        self._show_dots()
        self._show_span()
        self._show_selected()
        self.bar.metronome.setChecked(kit.metronome)

    def _show_selected(self) -> None:
        self.properties.show_all(self.grid.selected)
        self._show_values()

    def _show_dots(self) -> None:
        shown = self._session.pattern
        heard, _ = self._session.grooving.place()
        playing = self._session.player.playing
        self.bar.dots.show_patterns(
            self._session.kit.patterns,
            shown.id if shown is not None else "",
            heard.id if heard is not None and playing else "",
        )

    def _show_span(self) -> None:
        for part in (self.values.bars, self.values.roll, self.values.line):
            part.show_span(self.grid.first_beat, self.grid.shown_beats)

    def _row(self) -> Row | None:
        chosen = self._session.pad_id
        return next((row for row in self.grid.view.rows if row.pad_id == chosen), None)

    def _show_values(self) -> None:
        shown, pad = self.pattern, self._session.pad_id
        lane = shown.lane(pad) if shown is not None else None
        chosen = frozenset(spot.at for spot in self.grid.selected if spot.pad == pad)
        self.values.show_lane(self._row(), lane.hits if lane is not None else (), chosen)
        self.melody.show_lane(shown, self._session.pad)
        if self.values.curved is not None:
            self.curves.show(shown, self.values.curved)

    def _tick(self) -> None:
        if not self._seen:
            return
        grooving = self._session.grooving
        if not self._session.player.playing:
            if self.grid.playhead is not None:
                self._show_playhead(None)
                self._show_dots()
            return
        heard, beat = grooving.place()
        shown = self._session.pattern
        here = heard is not None and shown is not None and heard.id == shown.id
        self._show_playhead(beat if here else None)
        self._show_dots()

    def _show_playhead(self, beat: float | None) -> None:
        self.grid.show_playhead(beat)
        self.values.line.show_playhead(beat)

    # Values.

    def _draw(self, values: dict[float, float]) -> None:
        known = self.values.bars.known
        if known is not None:
            self.work.draw(self._session.pad_id, self.values.kind, known.label, values)

    def _ramp(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        known = self.values.bars.known
        if known is not None:
            self.work.ramp(self._session.pad_id, self.values.kind, known.label, start, end)
