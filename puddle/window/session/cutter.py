"""A recording that is cut: looked at on threads of its own, its hits found as its gauges stand.

The kit holds what a hand decides; everything that is found follows from the recording and from
that, so undo needs no word here: the kit changes, and what is shown follows.
"""

from __future__ import annotations

from pathlib import Path

import msgspec
from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import PuddleError
from puddle.kit.edits import recordings
from puddle.kit.model.document import Likes, Recording
from puddle.library.hit_groups import found_groups, standing_groups
from puddle.library.marked import Marked, marked
from puddle.measure.beats import Beats, beats_of
from puddle.measure.hits import Noted
from puddle.stages import Equalizer
from puddle.window.session.cut_tempo import CutTempo, tempo_of
from puddle.window.session.recording_looks import Looked, RecordingLooks
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after

_GROUP_MS = 350


class Cutter(QObject):
    """The recording that is shown, its hits, their groups and their tempo."""

    changed = pyqtSignal()  # anything that is shown

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._chosen = ""
        self.looks = RecordingLooks(session.background, self)
        self.looks.outlined.connect(lambda _: self.changed.emit())
        self.looks.looked.connect(self._take_look)
        self._cut: tuple[Recording, Marked] | None = None
        self._asked: Recording | None = None
        self._finding = False  # whether marks are being found
        self._found: tuple[Likes, ...] = ()
        self._found_of: Marked | None = None
        self.beats: Beats | None = None
        self._grouping = once_after(self, _GROUP_MS, self._ask_more)
        self._watched = False
        session.started.connect(self.close)

    # What is shown.

    @property
    def recording(self) -> Recording | None:
        """The recording that is shown: the chosen one, or the kit's last."""
        kit = self._session.kit
        found = kit.recording(self._chosen)
        return found or (kit.recordings[-1] if kit.recordings else None)

    @property
    def known(self) -> Looked | None:
        """What is known of its file."""
        shown = self.recording
        return self.looks.of(shown.path) if shown is not None else None

    @property
    def cut(self) -> Marked | None:
        """Its hits, as far as they were found for how it stands."""
        shown = self.recording
        if shown is None or self._cut is None or self._cut[0].id != shown.id:
            return None
        return self._cut[1]

    @property
    def cut_in_groups(self) -> Marked | None:
        """Its hits, with which of them are of one drum."""
        cut = self.cut
        if cut is None:
            return None
        return msgspec.structs.replace(cut, groups=tuple(group.hits for group in self.groups))

    @property
    def groups(self) -> list[Likes]:
        """Its hits by what sounds alike."""
        shown, cut = self.recording, self.cut
        if shown is None or cut is None:
            return []
        if shown.groups or self._found_of is cut:
            return standing_groups(shown, cut, self._found)
        return standing_groups(recordings.with_groups(shown, self._found), cut, ())

    @property
    def kept_groups(self) -> list[Likes]:
        """The groups with the hits that are not left out; none that has none."""
        shown = self.recording
        out = set(shown.left_out) if shown is not None else set()
        kept = [
            replace(group, hits=tuple(hit for hit in group.hits if hit not in out))
            for group in self.groups
        ]
        return [group for group in kept if group.hits]

    @property
    def grouping(self) -> bool:
        """Whether groups are still being found."""
        shown = self.recording
        return shown is not None and not shown.groups and self._found_of is not self.cut

    @property
    def cleaner(self) -> Equalizer | None:
        """What takes hum and rumble out, where that is wanted."""
        shown, known = self.recording, self.known
        return known.cleaner if shown is not None and known is not None and shown.cleans else None

    @property
    def tempo(self) -> CutTempo:
        """Its tempo and downbeat: as a hand has set them, or as they were found."""
        shown, known = self.recording, self.known
        rate_hz = known.noted.rate_hz if known is not None and known.noted is not None else 0.0
        return tempo_of(shown, self.beats, rate_hz)

    # Bringing a recording.

    def bring(self, path: Path) -> None:
        """Takes a sound file as a recording to cut; the kit names it, the file stays."""
        made = self._session.make(
            f"{path.name} to be cut",
            lambda kit: recordings.add_recording(kit, path.stem, str(path.absolute())),
        )
        if made is not None:
            self.choose(made.id)

    def choose(self, recording_id: str) -> None:
        """Shows another recording of the kit."""
        self._chosen = recording_id
        self.follow()
        self.changed.emit()

    def remove(self) -> None:
        """The recording that is shown is no longer named by the kit; the file stays."""
        shown = self.recording
        if shown is not None:
            self._session.edit(
                f"{shown.name} put away",
                lambda kit: recordings.remove_recording(kit, shown.id),
            )

    def relocate(self, path: Path) -> None:
        """The recording lies elsewhere now."""
        shown = self.recording
        if shown is not None:
            self._session.edit(
                f"{shown.name} is at {path.name}",
                lambda kit: recordings.set_recording(kit, shown.id, path=str(path.absolute())),
            )

    def look_again(self) -> None:
        """Looks at the file anew, as after it has grown."""
        shown = self.recording
        if shown is not None:
            self.looks.forget(shown.path)
            self._asked = None
            self.follow()
            self.changed.emit()

    def follow(self) -> None:
        """Looks at what was not looked at yet, and finds its hits as the kit says now."""
        shown = self.recording
        if shown is None:
            self.changed.emit()
            return
        known = self.looks.of(shown.path)
        if known is None:
            self.looks.look(shown.path)
        elif known.noted is not None and shown is not self._asked:
            self._ask_marks(shown, known.noted)
        self.changed.emit()

    def watch(self, seen: bool) -> None:
        """Follows the kit only while somebody sees it: a kit that is opened has nothing read."""
        if seen == self._watched:
            return
        self._watched = seen
        if seen:
            self._session.kit_changed.connect(self.follow)
            self.follow()
        else:
            self._session.kit_changed.disconnect(self.follow)

    def _take_look(self, path: str) -> None:
        self._asked = None
        self.follow()

    def stop_looking(self) -> None:
        """Leaves the look at the recording that is shown."""
        shown = self.recording
        if shown is not None:
            self.looks.leave(shown.path)

    def _ask_marks(self, shown: Recording, noted: Noted) -> None:
        """One at a time, so that marks follow a gauge that never rests: what came is shown."""
        if self._finding:
            return
        self._finding, self._asked = True, shown

        def work() -> Marked | Exception:
            try:
                return marked(noted, shown)
            except Exception as error:  # told below: marks must be found again after it
                return error

        def come(found: Marked | Exception) -> None:
            self._finding = False
            if isinstance(found, Exception):
                raise found
            self._cut = shown, found
            self._grouping.start()
            if self.recording is shown:
                self.changed.emit()
            else:
                self.follow()

        self._session.background.start(work, come, key=("cut", "marks"))

    def _ask_more(self) -> None:
        """The tempo, and groups: once the gauges rest."""
        shown, cut, known = self.recording, self.cut, self.known
        if shown is None or cut is None or known is None or known.heard is None:
            return
        heard, kept = known.heard, bool(shown.groups)

        def come_beats(found: Beats | None) -> None:
            self.beats = found
            self.changed.emit()

        self._session.background.start(
            lambda: beats_of(cut.starts / cut.rate_hz, cut.peaks), come_beats, key=("cut", "beats")
        )
        if kept:
            return

        def work() -> tuple[Likes, ...]:
            try:
                return found_groups(heard, cut)
            except PuddleError:
                return ()

        def come(found: tuple[Likes, ...]) -> None:
            self._found, self._found_of = found, cut
            self.changed.emit()

        self._session.background.start(work, come, key=("cut", "groups"), priority="low")

    # What a hand does to it.

    def change(
        self, name: str, change: recordings.Change, mark: object = None, *, settle: bool = True
    ) -> bool:
        """Changes the recording that is shown, as a step; with a mark, as more of one drag."""
        shown = self.recording
        if shown is None:
            return False
        key = None if mark is None else ("recording", shown.id, mark)
        done = self._session.edit(
            f"{shown.name}: {name}",
            lambda kit: recordings.in_recording(kit, shown.id, change),
            key,
        )
        if done and settle:
            self._session.settle()
        return done

    def set(self, field: str, value: object, text: str) -> None:
        """Another value for a gauge."""
        shown = self.recording
        if shown is not None:
            self._session.edit(
                f"{shown.name}: {text}",
                lambda kit: recordings.set_recording(kit, shown.id, **{field: value}),
                ("recording", shown.id, field),
            )

    def regroup(self, name: str, change: recordings.Change) -> bool:
        """Changes groups by hand: they are kept from then on as they stand."""
        standing = self.groups

        def kept(recording: Recording) -> Recording:
            # Kept ones hold hits that the gauges do not find now; the last has those they do.
            own = recording.groups
            return change(recordings.with_groups(recording, (*own, *standing[len(own) :])))

        return self.change(name, kept)

    # Ending.

    def close(self) -> None:
        """Lets all files go: another kit comes, or the window closes."""
        self.looks.close()
        self._asked = None
        self._chosen, self._cut, self._found, self._found_of = "", None, (), None
        self.beats = None
