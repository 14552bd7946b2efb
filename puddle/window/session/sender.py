"""What leaves Cut: groups to pads, hits in their order with a pattern, files, MIDI and feels."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, TypeVar

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import EditError, PuddleError
from puddle.files import unused_folder, writable
from puddle.kit.edits import feels
from puddle.kit.edits.from_midi import PlayedNote
from puddle.kit.edits.landing import Landing, landed, landed_on, with_contents
from puddle.kit.edits.layers import add_layer
from puddle.kit.edits.patterns import add_pattern
from puddle.kit.edits.slices import Tempo, in_order, landing_of, stepped, timed_pattern, velocity_of
from puddle.kit.model.document import Kit, Likes, Pad, Pattern, Stage
from puddle.library.cut_timing import levels_of, timing
from puddle.library.hit_groups import hit_name, soft_to_hard
from puddle.library.sending import Sent, sent
from puddle.tasks import Task, report
from puddle.window.session.cutter import Cutter
from puddle.window.session.session import Session

T = TypeVar("T")
_NOT_YET = "Its hits are not found yet: try again in a moment."
_EARLY_S = 0.02  # by which a stroke may come before the downbeat that it is on


class Sender(QObject):
    """Sends what the cutter shows."""

    working = pyqtSignal(object, float)  # which work, and how much of it is done
    written = pyqtSignal(str)

    def __init__(self, session: Session, cutter: Cutter) -> None:
        super().__init__(session)
        self._session, self._cutter = session, cutter
        self._count = 0
        self._tasks: dict[int, Task[Any]] = {}

    def names_of(self, groups: Sequence[Likes]) -> list[tuple[int, str]]:
        """The hits of groups with their names: the group's, and a number from soft to hard."""
        cut = self._cutter.cut
        if cut is None:
            return []
        return [
            (hit, hit_name(group.name, n))
            for group in groups
            for n, hit in enumerate(soft_to_hard(cut, group.hits))
        ]

    # Work that takes longer than a blink.

    def _run(self, work: Callable[[Callable[[float], None]], T], then: Callable[[T], None]) -> None:
        """Runs long work, which is given what takes its progress."""
        self._count += 1
        number = self._count

        def end() -> None:
            self._tasks.pop(number, None)
            self.working.emit(number, 1.0)

        self._tasks[number] = self._session.background.start(
            lambda: work(report),
            then,
            priority="long",
            progress=lambda share: self.working.emit(number, min(0.99, share)),
            ended=end,
        )

    def stop(self, key: int) -> None:
        """Leaves some work; what it has written goes again."""
        if key in self._tasks:
            self._tasks[key].cancel()

    def _send(
        self,
        names: Sequence[tuple[int, str]],
        then: Callable[[Sent], None],
        *,
        until_next: bool = False,
    ) -> None:
        """Takes hits into the kit's store, then `then` makes the step."""
        session, cutter = self._session, self._cutter
        known, cut, shown = cutter.known, cutter.cut_in_groups, cutter.recording
        journal = session.file.journal
        if known is None or known.file is None or cut is None or shown is None or journal is None:
            session.told.emit(_NOT_YET)
            return
        if not names:
            session.told.emit("There are no hits to send: all are left out.")
            return
        file, whole = known.file, shown.keeps_whole

        def work(tell: Callable[[float], None]) -> Sent:
            with journal.in_use() as store:
                return sent(file, cut, names, store, whole=whole, until_next=until_next, tell=tell)

        def put(got: Sent) -> None:
            if session.file.journal is journal:  # else another kit is open by now
                then(got)

        self._run(work, put)

    # Groups and hits.

    def send_groups(self, groups: Sequence[Likes], place: int = 0) -> None:
        """Groups to their pads: strengths on velocities, takes of one strength as turns."""
        names, stages = self.names_of(groups), self._stages()

        def put(got: Sent) -> None:
            contents = {content.hash: content for content in got.contents}
            landings, at = [], 0
            for group in groups:
                places = range(at, at + len(group.hits))
                at += len(group.hits)
                slices = [got.slices[n] for n in places]
                own = [contents[key] for key in dict.fromkeys(one.content for one in slices)]
                rungs = got.rungs(list(places))
                landing = landing_of(group.name, group.role, slices, rungs, own, stages)
                landings.append((group.pad, landing))
            self._put(landings, place, got)

        self._send(names, put)

    def _put(self, landings: Sequence[tuple[str, Landing]], place: int, got: Sent) -> None:
        def change(kit: Kit) -> tuple[Kit, list[Pad]]:
            fresh = [landing for target, landing in landings if kit.pad(target) is None]
            for target, landing in landings:
                if kit.pad(target) is not None:
                    kit = landed_on(kit, target, landing)
            return landed(kit, fresh, place)

        count = sum(len(landing.sources) for _, landing in landings)
        names = [landing.name for _, landing in landings]
        said = names[0] if len(names) == 1 else f"{len(names)} groups"
        made = self._session.make(f"{said} to pads", change)
        if made is not None:
            self._session.settle()
            if made:
                self._session.selection.select_pad(made[0].id)
            self._session.sound_added.emit()
            self._session.told.emit(
                f"{count} {'hit' if count == 1 else 'hits'} sent; the kit keeps {_size(got.bytes)} "
                f"of the recording. Undo takes them back."
            )

    def send_layer(self, at: int, group: Likes, pad_id: str) -> None:
        """A hit as a layer more of a pad."""
        pad = self._session.kit.pad(pad_id)
        place = soft_to_hard(self._cutter.cut, group.hits).index(at) if self._cutter.cut else 0
        name = hit_name(group.name, place)
        if pad is None:
            return

        def put(got: Sent) -> None:
            def change(kit: Kit) -> Kit:
                kit = with_contents(kit, got.contents)
                return add_layer(kit, pad_id, name, got.slices[0].source())[0]

            if self._session.edit(f"{pad.name}: {name} as a layer", change):
                self._session.settle()
                self._session.told.emit(f"{pad.name}: {name} as a layer. Undo takes it back.")

        self._send([(at, name)], put)

    def send_in_order(self) -> None:
        """Each hit on a pad of its own, and a pattern that plays the recording again."""
        shown, cut = self._cutter.recording, self._cutter.cut
        if shown is None or cut is None:
            self._session.told.emit(_NOT_YET)
            return
        out = set(shown.left_out)
        hits = [hit for hit in cut.starts.tolist() if hit not in out]
        names = [(hit, f"{shown.name} {n + 1}") for n, hit in enumerate(hits)]
        tempo, stages = self._tempo(), self._stages()
        seconds = cut.frames / cut.rate_hz
        roles = {hit: group.role for group in self._cutter.groups for hit in group.hits}

        def put(got: Sent) -> None:
            slices = [
                msgspec.structs.replace(one, role=roles.get(hit, "percussion"))
                for one, (hit, _) in zip(got.slices, names, strict=True)
            ]
            made = self._session.make(
                f"{shown.name} in order",
                lambda kit: in_order(kit, slices, got.contents, shown.name, tempo, seconds, stages),
            )
            self._shown(made, f"{len(names)} slices, and pattern {made.name if made else ''}")

        self._send(names, put, until_next=True)

    def _shown(self, made: Pattern | None, said: str) -> None:
        if made is not None:
            self._session.settle()
            self._session.grooving.choose(made.id)
            self._session.told.emit(f"{said}. Undo takes it back.")

    def _stages(self) -> tuple[Stage, ...]:
        """What is put on pads that hits are sent to."""
        cleaner = self._cutter.cleaner
        return (Stage(id="stage1", process=cleaner),) if cleaner is not None else ()

    # Timing.

    def _tempo(self) -> Tempo:
        found = self._cutter.tempo
        return Tempo(found.bpm or self._session.kit.tempo_bpm, found.downbeat_s)

    def keep_pattern(self, *, on_steps: bool = False) -> None:
        """The hits as a pattern, each group on its pad: at exact times, or on the nearest steps."""
        shown = self._cutter.recording
        if shown is not None:
            made = self._session.make(
                f"Timing of {shown.name}", lambda kit: self._timed(kit, on_steps)
            )
            self._shown(made, f"The timing of {shown.name} is a pattern")

    def _timed(self, kit: Kit, on_steps: bool) -> tuple[Kit, Pattern]:
        shown, cut = self._cutter.recording, self._cutter.cut
        if shown is None or cut is None:
            raise EditError(_NOT_YET)
        levels = dict(zip(cut.starts.tolist(), levels_of(cut), strict=True))
        hits: list[tuple[str, float, float]] = []
        for group in self._cutter.kept_groups:
            pad = kit.pad(group.pad) or next((p for p in kit.pads if p.name == group.name), None)
            if pad is not None and group.sent:
                hits += [(pad.id, hit / cut.rate_hz, levels[hit]) for hit in group.hits]
        if not hits:
            raise EditError("The groups have no pads yet: send them first, or choose one for each.")
        pattern = timed_pattern(shown.name, hits, self._tempo(), cut.frames / cut.rate_hz)
        if on_steps:
            pattern = stepped(pattern, self._tempo().bpm)
        return add_pattern(kit, pattern)

    def keep_feel(self) -> None:
        """The timing and strengths of the hits as a feel, for any lane."""
        shown, notes = self._cutter.recording, self._notes()
        if shown is None or not notes:
            return
        made = self._session.make(
            f"Feel {shown.name} kept",
            lambda kit: feels.keep_feel(kit, shown.name, feels.feel_of_notes(notes)),
        )
        if made is not None:
            self._session.told.emit(f"The kit keeps the feel of {shown.name}: it is on Groove.")

    def _notes(self) -> list[PlayedNote]:
        cut, shown, bpm = self._cutter.cut, self._cutter.recording, self._cutter.tempo.bpm
        if cut is None or shown is None or bpm <= 0.0:
            self._session.told.emit("There is no tempo yet: type it first.")
            return []
        out = set(shown.left_out)
        return [
            PlayedNote(
                beat=(hit / cut.rate_hz - self._cutter.tempo.downbeat_s) * bpm / 60.0,
                beats=0.25,
                note=36,
                velocity=velocity_of(level),
            )
            for hit, level in zip(cut.starts.tolist(), levels_of(cut), strict=True)
            if hit not in out and hit / cut.rate_hz >= self._cutter.tempo.downbeat_s - _EARLY_S
        ]

    # Files.

    def write_hits(self, folder: Path, kind: str, *, cue_points: bool = False) -> None:
        """Every hit that is not left out as a file, in a new folder inside `folder`."""
        from puddle.library.hit_files import write_hits

        cut, known, shown = self._cutter.cut_in_groups, self._cutter.known, self._cutter.recording
        if cut is None or known is None or known.file is None or shown is None:
            self._session.told.emit(_NOT_YET)
            return
        file, cleaner = known.file, self._cutter.cleaner
        names = self.names_of(self._cutter.kept_groups)
        copy = f"{shown.name} with cue points" if cue_points else ""
        stem = f"{writable(shown.name)} hits"

        def work(tell: Callable[[float], None]) -> str:
            own = unused_folder(folder / stem)
            made = write_hits(file, cut, names, own, kind, copy, tell, cleaner)
            return f"{len(made)} hits are in {own.name}, a new folder in {folder.name}."

        def come(said: str) -> None:
            self._session.told.emit(said)
            self.written.emit(said)

        self._run(work, come)

    def pattern_alone(self) -> tuple[Kit, Pattern] | None:
        """A kit and a pattern of nothing but the timing, for a MIDI file."""
        cut, shown = self._cutter.cut, self._cutter.recording
        if cut is None or shown is None or self._cutter.tempo.bpm <= 0.0:
            self._session.told.emit("There is no tempo yet: type it first.")
            return None
        try:
            return timing(shown.name, cut, self._cutter.kept_groups, self._tempo())
        except PuddleError as error:  # as while groups are still being found
            self._session.told.emit(str(error))
            return None


def _size(count: int) -> str:
    return f"{count / (1 << 20):.1f} MiB" if count >= 1 << 20 else f"{count >> 10} KiB"
