"""Cut: a recording over its hits, the groups that sound alike, and what is sent of them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QSplitter

from puddle.kit.edits import recordings
from puddle.kit.model.document import Recording
from puddle.library.hit_groups import hit_name, soft_to_hard
from puddle.window.files.cut_files import CutFiles
from puddle.window.pages.cut.bringing import Bringing
from puddle.window.pages.cut.detail import DetailReader
from puddle.window.pages.cut.groups_panel import dye_of, role_named
from puddle.window.pages.cut.hit_actions import HitActions
from puddle.window.pages.cut.layout import TABS, CutLayout
from puddle.window.pages.cut.sends import Sends
from puddle.window.session.cut_hearing import CutHearing
from puddle.window.session.cutter import Cutter
from puddle.window.session.sender import Sender
from puddle.window.session.session import Session
from puddle.window.widgets.file_drops import files_of, welcome_files
from puddle.window.widgets.recording_picture import WaveLook

_SEEN_S = 6.0  # of a long recording at first


class CutPage(CutLayout):
    """The wave over groups and timing."""

    def __init__(self, session: Session, do: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._do = session, do
        self.cutter = Cutter(session)
        self.sending = Sender(session, self.cutter)
        self.hearing = CutHearing(session, self.cutter)
        self.files = CutFiles(session, self.cutter, self.sending, self)
        self.bringing = Bringing(session, self.cutter, self)
        self.lay_out(session, self.bringing)
        self.groups.carried = self.files.carried
        self.slots.wants_groove = lambda: do("groove")
        self.marks = HitActions(
            self.cutter, self.sending, self.hearing, self, lambda: session.kit.pads
        )
        self.sends = Sends(session, self.cutter, self.sending, self.files, lambda: self.show_tab(1))
        self.detail = DetailReader(session, self.cutter, self.span)
        self._chosen = -1  # the frame of the chosen hit
        self._begun = ("", 0)  # the recording and length that the span was begun with
        self._look = WaveLook()
        self._seen = False
        self.setAcceptDrops(True)
        self._wire()

    def _wire(self) -> None:
        cutter, wave, marks = self.cutter, self.wave, self.marks
        cutter.changed.connect(self.show_kit)
        self.tab_wanted.connect(self.show_tab)
        cutter.looks.progressed.connect(lambda share: self.looking.show_share("look", share))
        self.looking.stopped.connect(lambda _: cutter.stop_looking())
        self.sending.working.connect(self.busy.show_share)
        self.busy.stopped.connect(self.sending.stop)
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
        self.groups.aimed.connect(
            lambda n, pad, sent: cutter.regroup(
                "where a group goes", lambda r: recordings.set_group(r, n, pad=pad, sent=sent)
            )
        )
        self.groups.refound.connect(
            lambda: cutter.change("groups found anew", lambda r: recordings.with_groups(r, ()))
        )
        self.timing.asked.connect(self.sends.do)
        self.timing.tempo_set.connect(lambda value, said: cutter.set("bpm", value, f"tempo {said}"))
        self.timing.settled.connect(self._session.settle)
        self.timing.whole_chosen.connect(
            lambda on: cutter.set("keeps_whole", on, f"{'all' if on else 'only hits'} kept of it")
        )
        self.timing.cleaning_chosen.connect(
            lambda on: cutter.set("cleans", on, f"hum and rumble {'cut' if on else 'left'}")
        )
        self.detail.ready.connect(self._show_detail)

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
        self.tabs[TABS[place][0]].setChecked(True)
        self.slots.watch(self._seen and place == 1)

    def watch(self, seen: bool) -> None:
        self._seen = seen
        self.slots.watch(seen and self.left.currentIndex() == 1)
        self.cutter.watch(seen)

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
        self.timing.show_cutter(self.cutter, len(self.sends.groups))

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
        bpm = cutter.tempo.bpm if cutter.tempo.fits else 0.0
        rate = known.file.rate_hz if known is not None and known.file is not None else 48000.0
        self._look = WaveLook(
            outline=known.outline if known is not None else None,
            detail=self.detail.detail,
            cut=cutter.cut,
            dyes=dyes,
            names=names,
            left_out=frozenset(shown.left_out),
            chosen=self.place,
            downbeat=round(cutter.tempo.downbeat_s * rate) if bpm > 0.0 else None,
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
        self.hearing.hear(place, goes_on=goes_on)
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
            self.hearing.hear(place, goes_on=name == "go on")

    def _open_hit_menu(self, where: object, frame: int) -> None:
        cut = self.cutter.cut
        place = cut.place_of(frame) if cut is not None else None
        if place is not None:
            self.marks.open_hit_menu(where, place)  # type: ignore[arg-type]
