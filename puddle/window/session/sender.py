"""What leaves Cut: groups to pads, hits in their order with a pattern, files, MIDI and feels."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import EditError, PuddleError
from puddle.files import writable
from puddle.kit.edits import feels
from puddle.kit.edits.from_midi import PlayedNote
from puddle.kit.edits.landing import Landing, landed, landed_on, with_contents
from puddle.kit.edits.layers import add_layer
from puddle.kit.edits.patterns import add_pattern
from puddle.kit.edits.slices import Tempo, in_order, landing_of, stepped, timed_pattern
from puddle.kit.model.document import Kit, Likes, Pad, Pattern
from puddle.library.cut_timing import levels_of, timing
from puddle.library.hit_groups import hit_name, soft_to_hard
from puddle.library.sending import Sent, sent
from puddle.window.session.cutter import Cutter
from puddle.window.session.session import Session

Target = str  # a pad's id; "" for a new pad


@dataclass(frozen=True)
class Wanted:
    """A group that is sent, and where."""

    group: Likes
    target: Target = ""


class Sender(QObject):
    """Sends what the cutter shows."""

    working = pyqtSignal(object, float)  # a name, and how much of it is done
    written = pyqtSignal(str)

    def __init__(self, session: Session, cutter: Cutter) -> None:
        super().__init__(session)
        self._session, self._cutter = session, cutter
        self.whole = True  # whether the recording is kept whole, where a kit may hold it
        self._count = 0

    def names_of(self, groups: Sequence[Likes]) -> list[tuple[int, str]]:
        """Each hit that is sent with its name: its group's, and its number from soft to hard."""
        cut, shown = self._cutter.cut, self._cutter.recording
        if cut is None or shown is None:
            return []
        out = set(shown.left_out)
        found = []
        for group in groups:
            hits = [hit for hit in soft_to_hard(cut, group.hits) if hit not in out]
            found += [(hit, hit_name(group.name, n)) for n, hit in enumerate(hits)]
        return found

    def _send(
        self,
        names: Sequence[tuple[int, str]],
        then: Callable[[Sent], None],
        *,
        until_next: bool = False,
    ) -> None:
        """Takes hits into the kit's store, then `then` makes the step."""
        session, cutter = self._session, self._cutter
        known, cut, journal = cutter.known, cutter.cut_in_groups, session.file.journal
        if known is None or known.file is None or cut is None or journal is None:
            return
        if not names:
            session.told.emit("There are no hits to send: all are left out.")
            return
        file, whole = known.file, self.whole
        self._count += 1
        key = ("send", self._count)
        background = session.background

        def tell(share: float) -> None:
            background.hand_over(lambda _: self.working.emit(key, min(0.99, share)), None)

        def work() -> Sent | str:
            try:
                with journal.in_use() as store:
                    return sent(
                        file, cut, names, store.add,
                        whole=whole, until_next=until_next, tell=tell,
                    )  # fmt: skip
            except PuddleError as error:
                return str(error)

        def come(got: Sent | str) -> None:
            self.working.emit(key, 1.0)
            if isinstance(got, str):
                session.told.emit(got)
            elif session.file.journal is journal:
                then(got)

        background.ask(key, work, come)

    # Groups and hits.

    def send_groups(self, wanted: Sequence[Wanted], place: int = 0) -> None:
        """Groups to pads: strengths on velocities, takes of one strength as turns."""
        names = self.names_of([one.group for one in wanted])
        counts = [len(self.names_of([one.group])) for one in wanted]

        def put(got: Sent) -> None:
            landings, at = [], 0
            for one, count in zip(wanted, counts, strict=True):
                places = range(at, at + count)
                at += count
                if not count:
                    continue
                slices = [got.slices[n] for n in places]
                contents = {c.hash: c for c in got.contents}
                own = [contents[key] for key in dict.fromkeys(s.content for s in slices)]
                rungs = got.rungs(list(places))
                landing = landing_of(
                    one.group.name, one.group.role, slices, rungs, own, self._cutter.stages
                )
                landings.append((one.target, landing))
            self._put(landings, place, got)

        self._send(names, put)

    def _put(self, landings: Sequence[tuple[Target, Landing]], place: int, got: Sent) -> None:
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
        shown, cut, bpm = self._cutter.recording, self._cutter.cut, self._cutter.bpm
        if shown is None or cut is None:
            return
        out = set(shown.left_out)
        hits = [hit for hit in cut.starts.tolist() if hit not in out]
        names = [(hit, f"{shown.name} {n + 1}") for n, hit in enumerate(hits)]
        tempo = Tempo(bpm or self._session.kit.tempo_bpm, self._cutter.downbeat_s)
        seconds = cut.frames / cut.rate_hz

        stages = self._cutter.stages
        roles = {hit: group.role for group in self._cutter.groups for hit in group.hits}

        def put(got: Sent) -> None:
            slices = [
                dataclasses.replace(one, role=roles.get(hit, "percussion"))
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

    # Timing.

    def keep_pattern(self, targets: dict[str, Target], *, on_steps: bool = False) -> None:
        """The hits as a pattern, each group on its pad: at exact times, or on the nearest steps."""
        shown = self._cutter.recording
        if shown is not None:
            made = self._session.make(
                f"Timing of {shown.name}", lambda kit: self._timed(kit, targets, on_steps)
            )
            self._shown(made, f"The timing of {shown.name} is a pattern")

    def _timed(self, kit: Kit, targets: dict[str, Target], on_steps: bool) -> tuple[Kit, Pattern]:
        shown, cut = self._cutter.recording, self._cutter.cut
        assert shown is not None and cut is not None
        out, levels, hits = set(shown.left_out), levels_of(cut), []
        for group in self._cutter.groups:
            pad = kit.pad(targets.get(group.name, ""))
            for hit in group.hits:
                place = cut.place_of(hit)
                if pad is not None and place is not None and hit not in out:
                    hits.append((pad.id, hit / cut.rate_hz, levels[place]))
        if not hits:
            raise EditError("The groups have no pads yet: send them first, or choose one for each.")
        tempo = Tempo(self._cutter.bpm or kit.tempo_bpm, self._cutter.downbeat_s)
        pattern = timed_pattern(shown.name, hits, tempo, cut.frames / cut.rate_hz)
        if on_steps:
            pattern = stepped(pattern, tempo.bpm)
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
        cut, bpm = self._cutter.cut, self._cutter.bpm
        if cut is None or bpm <= 0.0:
            self._session.told.emit("There is no tempo yet: type it first.")
            return []
        since = cut.starts / cut.rate_hz - self._cutter.downbeat_s
        return [
            PlayedNote(
                beat=float(s) * bpm / 60.0,
                beats=0.25,
                note=36,
                velocity=max(1, round(127.0 * level**0.5)),
            )
            for s, level in zip(since, levels_of(cut), strict=True)
            if s >= -0.02
        ]

    # Files.

    def write_hits(self, folder: Path, kind: str, *, cue_points: bool = False) -> None:
        """Every hit that is not left out as a file, named by group and number."""
        from puddle.library.hit_files import write_hits

        cut, known, shown = self._cutter.cut_in_groups, self._cutter.known, self._cutter.recording
        if cut is None or known is None or known.file is None or shown is None:
            return
        file, name = known.file, writable(shown.name)
        cleaner = known.cleaner if shown.cleans else None
        names = self.names_of(self._cutter.groups)
        key = ("write", str(folder))

        def tell(share: float) -> None:
            self._session.background.hand_over(
                lambda _: self.working.emit(key, min(0.99, share)), None
            )

        def work() -> str:
            try:
                copy = folder / f"{name} with cue points.wav" if cue_points else None
                made = write_hits(file, cut, names, folder, kind, copy, tell, cleaner)
            except PuddleError as error:
                return str(error)
            return f"{len(made)} hits are in {folder.name}."

        def come(said: str) -> None:
            self.working.emit(key, 1.0)
            self._session.told.emit(said)
            self.written.emit(said)

        self._session.background.ask(key, work, come)

    def pattern_alone(self) -> tuple[Kit, Pattern] | None:
        """A kit and a pattern of nothing but the timing, for a MIDI file."""
        cut = self._cutter.cut
        if cut is None or self._cutter.bpm <= 0.0:
            self._session.told.emit("There is no tempo yet: type it first.")
            return None
        shown = self._cutter.recording
        assert shown is not None
        tempo = Tempo(self._cutter.bpm, self._cutter.downbeat_s)
        try:
            return timing(shown.name, cut, self._cutter.groups, tempo)
        except PuddleError as error:  # as while groups are still being found
            self._session.told.emit(str(error))
            return None


def _size(count: int) -> str:
    return f"{count / (1 << 20):.1f} MiB" if count >= 1 << 20 else f"{count >> 10} KiB"
