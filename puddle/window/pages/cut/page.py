"""Cut: a recording over its hits, the groups that sound alike, and what is sent of them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from platformdirs import user_cache_path
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QHBoxLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from puddle.demo.session import write_session
from puddle.errors import PuddleError
from puddle.kit import edits
from puddle.kit.edits import recordings
from puddle.kit.model.document import Recording
from puddle.library.hit_groups import hit_name, soft_to_hard
from puddle.window.files.asking_files import ask_sounds
from puddle.window.files.cut_files import CutFiles
from puddle.window.files.record_dialog import RecordDialog
from puddle.window.pages.cut.bar import RecordingBar
from puddle.window.pages.cut.detail import DetailReader
from puddle.window.pages.cut.groups_panel import NOT_SENT, GroupsPanel, dye_of, role_named
from puddle.window.pages.cut.hit_actions import HitActions
from puddle.window.pages.cut.slots_panel import SlotsPanel
from puddle.window.pages.cut.timing_panel import TimingPanel
from puddle.window.session.cutter import Cutter
from puddle.window.session.sender import Sender, Wanted
from puddle.window.session.session import Session
from puddle.window.widgets.busy import BusyStrip
from puddle.window.widgets.controls import button, column, label, panel, tab
from puddle.window.widgets.file_drops import files_of, welcome_files
from puddle.window.widgets.page_view import PageView
from puddle.window.widgets.passing import open_once
from puddle.window.widgets.recording_overview import RecordingOverview
from puddle.window.widgets.recording_picture import WaveLook
from puddle.window.widgets.recording_span import RecordingSpan
from puddle.window.widgets.recording_wave import RecordingWave

_EMPTY = (
    "Hits and loops are cut out of recordings: an hour of playing, a walk with a recorder, a loop. "
    "Drop one here, or open it. The file stays as it is."
)
_TABS = (
    ("Hits that sound alike", "Groups, and the pads that they go to."),
    ("Slices in order", "The slices of a pattern, to be played otherwise."),
)
_SEEN_S = 6.0  # of a long recording at first


class CutPage(PageView):
    """The wave over groups and timing."""

    def __init__(self, session: Session, do: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._do = session, do
        self.cutter = Cutter(session)
        self.sending = Sender(session, self.cutter)
        self.files = CutFiles(session, self.cutter, self.sending, self)
        self.span = RecordingSpan()
        self.overview, self.wave = RecordingOverview(self.span), RecordingWave(self.span)
        self.bar = RecordingBar(self.ask, self.record)
        self.groups, self.timing = GroupsPanel(), TimingPanel()
        self.groups.carried = self.files.carried
        self.marks = HitActions(self.cutter, self.sending, self, lambda: session.kit.pads)
        self.slots = SlotsPanel(session)
        self.slots.wants_groove = lambda: do("groove")
        self.detail = DetailReader(session, self.cutter, self.span)
        self.busy = BusyStrip("Working", "Stops it.")
        self.looking = BusyStrip("Finding the hits", "Leaves what was not looked at yet.")
        self._chosen = -1  # the frame of the chosen hit
        self._begun = ("", 0)  # the recording and length that the span was begun with
        self._look = WaveLook()
        self._seen = False
        self.setAcceptDrops(True)
        self._build()
        self._wire()

    def _build(self) -> None:
        top = column((0, 0, 0, 0), 0)
        top.addWidget(self.bar)
        upper = column((12, 10, 12, 6), 6)
        upper.addWidget(self.overview)
        upper.addWidget(self.wave, 1)
        upper.addWidget(self.looking)
        upper.addWidget(self.busy)
        left, right = column((0, 0, 0, 0), 0), column((0, 0, 0, 0), 0)
        self.tabs = {}
        names = QHBoxLayout()
        names.setContentsMargins(10, 6, 10, 0)
        for n, (text, says) in enumerate(_TABS):
            made = tab(text)
            made.setToolTip(says)
            made.clicked.connect(lambda _, place=n: self.show_tab(place))
            names.addWidget(made)
            self.tabs[text] = made
        names.addStretch(1)
        left.addLayout(names)
        self.left = QStackedWidget()
        self.left.addWidget(self.groups)
        self.left.addWidget(self.slots)
        left.addWidget(self.left, 1)
        self.tabs[_TABS[0][0]].setChecked(True)
        right.addWidget(self.timing)
        side = panel(right)
        side.setMinimumWidth(286)
        self.across = QSplitter(Qt.Orientation.Horizontal)
        self.across.addWidget(panel(left))
        self.across.addWidget(side)
        self.across.setSizes([880, 364])
        self.across.setStretchFactor(0, 1)
        self.across.setHandleWidth(12)
        self.across.setChildrenCollapsible(False)
        self.down = QSplitter(Qt.Orientation.Vertical)
        self.down.addWidget(panel(upper))
        self.down.addWidget(self.across)
        self.down.setSizes([306, 262])
        self.down.setStretchFactor(0, 1)
        self.down.setHandleWidth(10)
        self.down.setChildrenCollapsible(False)
        whole = QWidget()
        lines = QVBoxLayout(whole)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.setSpacing(10)
        lines.addWidget(panel(top))
        lines.addWidget(self.down, 1)
        self.stack = QStackedWidget()
        self.stack.addWidget(panel(self._empty_state()))
        self.stack.addWidget(whole)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 12, 12, 10)
        outer.addWidget(self.stack)

    def _empty_state(self) -> QVBoxLayout:
        lines = column((24, 24, 24, 24), 10)
        lines.addStretch(1)
        said = label(_EMPTY, "soft")
        said.setWordWrap(True)
        said.setAlignment(Qt.AlignmentFlag.AlignCenter)
        lines.addWidget(said)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(button("Open a recording …", "A sound file of up to two hours.", self.ask))
        row.addWidget(button("Record …", "An input of the sound card.", self.record))
        row.addWidget(
            button(
                "Open the boathouse session",
                "Forty hits on five things, made by Puddle, to try it with.",
                self.open_session,
            )
        )
        row.addStretch(1)
        lines.addLayout(row)
        lines.addStretch(2)
        return lines

    def _wire(self) -> None:
        cutter, wave, marks = self.cutter, self.wave, self.marks
        cutter.changed.connect(self.show_kit)
        cutter.looked.connect(lambda share: self.looking.show_share("look", share))
        self.looking.stopped.connect(lambda _: cutter.stop_looking())
        self.sending.working.connect(self.busy.show_share)
        self.bar.chosen.connect(cutter.choose)
        self.bar.moved.connect(cutter.set)
        self.bar.settled.connect(self._session.settle)
        wave.chosen.connect(self.choose)
        wave.goes_on.connect(lambda place: self.choose(place, goes_on=True))
        wave.start_moved.connect(self._move_start)
        wave.end_moved.connect(marks.move_end)
        wave.downbeat_moved.connect(marks.move_downbeat)
        wave.added.connect(marks.add)
        wave.walked.connect(self.walk)
        wave.wanted.connect(self._do_key)
        wave.settled.connect(self._settle)
        wave.menu_wanted.connect(marks.open_menu)
        self.groups.hit_chosen.connect(self.choose_frame)
        self.groups.hit_moved.connect(marks.to_group)
        self.groups.hit_menu.connect(self._open_hit_menu)
        self.groups.renamed.connect(
            lambda n, name: cutter.regroup(
                f"group {name}", lambda r: recordings.set_group(r, n, name=name)
            )
        )
        self.groups.role_chosen.connect(
            lambda n, role: cutter.regroup(
                f"a group is {role}", lambda r: recordings.set_group(r, n, role=role_named(role))
            )
        )
        self.groups.refound.connect(
            lambda: cutter.change("groups found anew", lambda r: recordings.with_groups(r, ()))
        )
        self.timing.asked.connect(self._do_asked)
        self.timing.tempo_set.connect(lambda value, said: cutter.set("bpm", value, f"tempo {said}"))
        self.timing.settled.connect(self._session.settle)
        self.timing.whole_chosen.connect(self._keep_whole)
        self.timing.cleaning_chosen.connect(
            lambda on: cutter.set("cleans", on, f"hum and rumble {'cut' if on else 'left'}")
        )
        self.detail.ready.connect(self._show_detail)

    # Files.

    def ask(self) -> None:
        """Asks for recordings."""
        for path in ask_sounds(self, "A recording to cut", self._session.settings):
            self.cutter.bring(path)

    def record(self) -> None:
        """Records an input, and brings what was recorded."""
        open_once(RecordDialog(self._session, self.cutter.bring, self))

    def relocate(self) -> None:
        """Asks where the recording that is shown lies now."""
        found = ask_sounds(self, "Where the recording lies now", self._session.settings)
        if found:
            self.cutter.relocate(found[0])

    def open_session(self) -> None:
        """Makes the demo's session where there is none yet, and opens it."""
        folder = user_cache_path("puddle") / "Boathouse"

        def work() -> list[Path] | str:
            try:
                return write_session(folder)
            except (PuddleError, OSError) as error:
                return str(error)

        def come(made: list[Path] | str) -> None:
            if isinstance(made, str):
                self._session.told.emit(made)
                return
            for path in reversed(made):
                self.cutter.bring(path)

        self._session.background.ask(("cut", "demo"), work, come)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        welcome_files(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Sound files become recordings to cut."""
        if event is not None and event.source() is not None:
            return  # written for a drag alone
        for path in files_of(event):
            self.cutter.bring(path)

    # Showing.

    def splitters(self) -> dict[str, QSplitter]:
        return {"cut": self.across, "cut down": self.down}

    def show_tab(self, place: int) -> None:
        """Groups, or slices."""
        self.left.setCurrentIndex(place)
        self.tabs[_TABS[place][0]].setChecked(True)
        self.slots.watch(self._seen and place == 1)

    def watch(self, seen: bool) -> None:
        self._seen = seen
        self.slots.watch(seen and self.left.currentIndex() == 1)
        if seen:
            self.cutter.follow()

    def end(self) -> None:
        self.files.close()
        self.cutter.close()

    def dress(self) -> None:
        self.overview.dress()

    @property
    def place(self) -> int:
        """The chosen hit's place; -1 where none is."""
        cut = self.cutter.cut
        found = cut.place_of(self._chosen) if cut is not None else None
        return -1 if found is None else found

    def show_kit(self) -> None:
        """Everything, as the kit and the recording have it."""
        if not self._seen:
            return
        self.marks.follow()
        shown, known = self.cutter.recording, self.cutter.known
        self.stack.setCurrentIndex(0 if shown is None else 1)
        if shown is None:
            return
        if known is not None and known.file is not None:
            self._begin(shown, known.file.frames, known.file.rate_hz)
        cut = self.cutter.cut
        count = len(cut) if cut is not None else None
        self.bar.show_recording(self._session.kit.recordings, shown, known, count)
        if known is not None and known.error:
            self.bar.facts.setText(known.error)
        starts = cut.starts if cut is not None else np.zeros(0, np.int64)
        self.overview.show_recording(known.outline if known is not None else None, starts)
        self._show_wave(shown)
        groups = self.cutter.groups
        self.groups.show_groups(
            groups, cut, self._session.kit.pads, frozenset(shown.left_out), self._chosen,
            busy=self.cutter.grouping and cut is not None, kept=bool(shown.groups),
        )  # fmt: skip
        self.timing.show_cutter(self.cutter, len(self._wanted()))

    def _begin(self, shown: Recording, frames: int, rate_hz: float) -> None:
        if self._begun == (shown.path, frames):
            return
        self._begun = shown.path, frames
        self._chosen = -1
        self.span.begin(frames, rate_hz)
        if frames > 2.0 * _SEEN_S * rate_hz:
            self.span.show(0.0, _SEEN_S * rate_hz)

    def _show_wave(self, shown: Recording) -> None:
        cutter, known = self.cutter, self.cutter.known
        dyes: dict[int, str] = {}
        names: dict[int, str] = {}
        for n, group in enumerate(cutter.groups):
            for k, hit in enumerate(soft_to_hard(cutter.cut, group.hits) if cutter.cut else ()):
                dyes[hit] = dye_of(n)
                names[hit] = hit_name(group.name, k)
        bpm = cutter.bpm if cutter.has_tempo else 0.0
        rate = known.file.rate_hz if known is not None and known.file is not None else 48000.0
        self._look = WaveLook(
            outline=known.outline if known is not None else None,
            detail=self.detail.detail,
            cut=cutter.cut,
            dyes=dyes,
            names=names,
            left_out=frozenset(shown.left_out),
            chosen=self.place,
            downbeat=round(cutter.downbeat_s * rate) if bpm > 0.0 else None,
            beat_frames=rate * 60.0 / bpm if bpm > 0.0 else 0.0,
        )
        self.wave.show_look(self._look)

    def _show_detail(self) -> None:
        self._look.detail = self.detail.detail
        self.wave.show_look(self._look)

    # The hit at hand.

    def choose(self, place: int, *, goes_on: bool = False) -> None:
        """Chooses a hit and plays it; shows it where it is out of sight."""
        cut = self.cutter.cut
        if cut is None or not 0 <= place < len(cut):
            return
        self._chosen = int(cut.starts[place])
        self.cutter.hear(place, goes_on=goes_on)
        self.span.reveal(
            float(cut.starts[place]),
            float(min(cut.ends[place], cut.starts[place] + self.span.count)),
        )
        self.show_kit()

    def choose_frame(self, frame: int) -> None:
        """Chooses the hit that begins at a frame."""
        cut = self.cutter.cut
        place = cut.place_of(frame) if cut is not None else None
        if place is not None:
            self.choose(place)

    def walk(self, by: int) -> None:
        """The next hit, or the one before; from what is seen where none is chosen."""
        cut = self.cutter.cut
        if cut is None or not len(cut):
            return
        now = self.place
        if now < 0:
            now = int(np.searchsorted(cut.starts, self.span.first)) - (1 if by > 0 else 0)
        self.choose(min(len(cut) - 1, max(0, now + by)))

    def _move_start(self, at: int, to: int) -> None:
        if self._chosen == at:
            self._chosen = to
        self.marks.move_start(at, to)

    def _settle(self) -> None:
        self.marks.settle()
        self._session.settle()

    def _do_key(self, name: str) -> None:
        place = self.place
        if place < 0:
            return
        if name == "remove":
            self.marks.remove(self._chosen)
        else:
            self.cutter.hear(place, goes_on=name == "go on")

    def _open_hit_menu(self, where: object, frame: int) -> None:
        cut = self.cutter.cut
        place = cut.place_of(frame) if cut is not None else None
        if place is not None:
            self.marks.open_hit_menu(where, place)  # type: ignore[arg-type]

    # Sending.

    def _keep_whole(self, whole: bool) -> None:
        self.sending.whole = whole

    def _wanted(self) -> list[Wanted]:
        found = [Wanted(g, self.groups.target_of(g)) for g in self.cutter.groups if g.hits]
        return [one for one in found if one.target != NOT_SENT]

    def send(self) -> None:
        """Every group to its pad."""
        self.sending.send_groups(self._wanted())

    def send_in_order(self) -> None:
        """Each hit on a pad of its own, with a pattern; its slices are shown then."""
        self.sending.send_in_order()
        self.show_tab(1)

    def keep_pattern(self, *, on_steps: bool = False) -> None:
        """The timing as a pattern of the groups' pads."""
        self.sending.keep_pattern(self._pads_of_groups(), on_steps=on_steps)

    def _pads_of_groups(self) -> dict[str, str]:
        """By the names of groups: the pad that each was aimed at, or that has its name."""
        named = {pad.name: pad.id for pad in self._session.kit.pads}
        own = {g.name: named[g.name] for g in self.cutter.groups if g.name in named}
        return {**own, **self.groups.targets()}

    def ask_midi(self) -> None:
        """Asks where the timing goes as a MIDI file."""
        self.files.ask_midi()

    def ask_write(self) -> None:
        """Asks where the hits go as files."""
        self.files.ask_hits()

    def _take_tempo(self) -> None:
        bpm = min(300.0, max(20.0, self.cutter.bpm))
        self._session.edit(f"Tempo {bpm:.2f} bpm", lambda kit: edits.set_kit(kit, tempo_bpm=bpm))

    def _do_asked(self, name: str) -> None:
        does: dict[str, Callable[[], None]] = {
            "send": self.send,
            "order": self.send_in_order,
            "pattern": self.keep_pattern,
            "steps": partial(self.keep_pattern, on_steps=True),
            "feel": self.sending.keep_feel,
            "midi": self.ask_midi,
            "write": self.ask_write,
            "tempo": self._take_tempo,
        }
        does[name]()
