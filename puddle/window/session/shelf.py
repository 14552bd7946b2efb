"""The shelf of the selected pad: what its sound can be held against, and how that gets there."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import msgspec
from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import PuddleError
from puddle.kit.edits import pad_of, snapshots
from puddle.kit.model.document import Content, Kit, Pad, Sound
from puddle.kit.model.reference import FileReference, Reference
from puddle.kit.playing.compared import dry, of_file, stages_on, without_stage
from puddle.views.comparison import likely_part
from puddle.window.session.session import Session

OTHER_DYE = "weld"  # of whatever one's own, in ink, is held against
_Part = tuple[float, float, int]  # from, to, beats


class Entry(msgspec.Struct, frozen=True):
    """Something on the shelf."""

    key: str
    kind: str  # "dry", "without", "snapshot", "pad" or "file"
    name: str
    about: str
    dye: str
    sound: Sound | None  # None where it cannot be had, or not yet
    id: str = ""  # of the snapshot or reference
    beats: int = 0  # of a loop, which is held against the groove
    length_ms: float = 0.0  # of a file
    problem: str = ""


class Shelf(QObject):
    """Entries in the order in which they are shown."""

    changed = pyqtSignal()
    came = pyqtSignal(str)  # the key of an entry that was put there by hand

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.entries: list[Entry] = []
        self._files: dict[str, Content | str] = {}  # by path; a sentence where it cannot be read
        self._asked: set[str] = set()
        self._journal = session.file.journal
        self._sounds: dict[str, tuple[object, Sound]] = {}  # by key, with what it was made of

    def entry(self, key: str) -> Entry | None:
        """The entry of a key."""
        return next((e for e in self.entries if e.key == key), None)

    def likely(self) -> str:
        """What is most likely wanted: the newest snapshot, else a reference, else the dry sound."""
        for kind in ("snapshot", "file", "pad", "dry", "without"):
            for entry in self.entries:
                if entry.kind == kind and not entry.problem:
                    return entry.key
        return ""

    def refresh(self) -> None:
        """The shelf as the kit has it."""
        kit, pad = self._session.kit, self._session.pad
        if (
            self._session.file.journal is not self._journal
        ):  # files that were read lie in another store
            self._journal = self._session.file.journal
            self._files, self._asked, self._sounds = {}, set(), {}
        entries = [] if pad is None else [*self._own_entries(pad), *self._kept_entries(kit, pad)]
        keys = {e.key for e in entries}
        self._sounds = {k: made for k, made in self._sounds.items() if k in keys}
        if entries != self.entries:
            self.entries = entries
            self.changed.emit()

    def _own_entries(self, pad: Pad) -> list[Entry]:
        sound, made = pad.sound, []
        on = stages_on(sound)
        if len(on) > 1:
            dried = self._made("dry", sound, partial(dry, sound))
            made.append(Entry("dry", "dry", "dry", "all stages bypassed", OTHER_DYE, dried))
        names = {k.id: k for k in sound.layers}
        for layer_id, stage in on:
            key = f"without {layer_id} {stage.id}"
            bare = self._made(key, sound, partial(without_stage, sound, layer_id, stage.id))
            of = f"of {names[layer_id].name}" if layer_id else "of the whole sound"
            name = f"without {stage.process.noun}"
            made.append(Entry(key, "without", name, of, OTHER_DYE, bare))
        return made

    def _kept_entries(self, kit: Kit, pad: Pad) -> list[Entry]:
        made = [
            Entry(
                f"snapshot {s.id}",
                "snapshot",
                s.name,
                "taken by itself" if s.by_itself else "snapshot",
                OTHER_DYE,
                s.sound,
                s.id,
            )
            for s in reversed(pad.snapshots)
        ]
        for reference in kit.references:
            if isinstance(reference, FileReference):
                made.append(self._file_entry(kit, reference))
            elif reference.pad != pad.id:
                other = pad_of(kit, reference.pad)
                key = f"reference {reference.id}"
                made.append(
                    Entry(key, "pad", other.name, "pad", other.dye, other.sound, reference.id)
                )
        return made

    def _file_entry(self, kit: Kit, reference: FileReference) -> Entry:
        key, found = f"reference {reference.id}", self._files.get(reference.path)
        about = "loop" if reference.beats else "file"
        entry = Entry(key, "file", reference.name, about, OTHER_DYE, None, reference.id)
        entry = replace(entry, beats=reference.beats)
        if found is None:
            self._load(reference.path)
            return replace(entry, about="reading …")
        if isinstance(found, str):
            return replace(entry, about="cannot be read", problem=found)
        bpm, content = kit.tempo_bpm, found
        sound = self._made(key, (reference, bpm), lambda: of_file(reference, content, bpm))
        return replace(entry, sound=sound, length_ms=content.length_ms)

    def _made(self, key: str, of: object, make: Callable[[], Sound]) -> Sound:
        """An entry's sound: the very same as long as what it is made of is the same."""
        known = self._sounds.get(key)
        if known is not None and (known[0] is of or known[0] == of):
            return known[1]
        made = make()
        self._sounds[key] = (of, made)
        return made

    def _load(self, path: str) -> None:
        journal = self._session.file.journal
        if journal is None or path in self._asked:
            return
        self._asked.add(path)

        def work() -> Content | str:
            try:
                return journal.store.add_file(path)
            except PuddleError as error:
                return str(error)

        def then(found: Content | str) -> None:
            if journal is self._session.file.journal:
                self._files[path] = found
                self.refresh()

        self._session.background.start(work, then, key=("reference", path))

    # What is kept on it.

    def keep_snapshot(self) -> None:
        """The selected sound as it is now, by the time of day."""
        session, pad = self._session, self._session.pad
        if pad is None or not pad.sound.layers:
            session.told.emit("There is no sound to keep a snapshot of.")
            return
        name = f"snapshot {1 + sum(not s.by_itself for s in pad.snapshots)}"
        made = session.make(
            f"{pad.name}: {name} kept", lambda kit: snapshots.take_snapshot(kit, pad.id, name)
        )
        if made is None:
            return
        session.settle()
        self.refresh()
        self.came.emit(f"snapshot {made.id}")
        session.told.emit(f"{pad.name} is kept as {name}. F5 switches to it and back.")

    def restore(self, entry: Entry) -> None:
        """The pad's sound becomes the snapshot's; what it was goes to the shelf."""
        session, pad = self._session, self._session.pad
        if pad is not None and entry.kind == "snapshot":
            session.edit(
                f"{pad.name}: back to {entry.name}",
                lambda kit: snapshots.restore_snapshot(kit, pad.id, entry.id),
                large=True,
            )

    def rename(self, entry: Entry, name: str) -> None:
        """Another name for a snapshot."""
        session, pad = self._session, self._session.pad
        if pad is not None and entry.kind == "snapshot" and name.strip():
            session.edit(
                f"{entry.name}: called {name.strip()}",
                lambda kit: snapshots.rename_snapshot(kit, pad.id, entry.id, name.strip()),
            )
            self.refresh()

    def remove(self, entry: Entry) -> None:
        """Takes a snapshot or a reference from the shelf."""
        session, pad = self._session, self._session.pad
        if pad is None or not entry.id:
            return
        session.edit(
            f"{entry.name} taken from the shelf",
            lambda kit: (
                snapshots.remove_snapshot(kit, pad.id, entry.id)
                if entry.kind == "snapshot"
                else snapshots.remove_reference(kit, entry.id)
            ),
        )
        self.refresh()

    def add_pad(self, pad_id: str) -> None:
        """Another pad's sound as a reference."""
        session = self._session
        made = session.make(
            f"{pad_of(session.kit, pad_id).name} on the shelf",
            lambda kit: snapshots.add_pad_reference(kit, pad_id),
        )
        if made is None:
            return
        self.refresh()
        self.came.emit(f"reference {made.id}")

    def add_files(self, paths: list[Path]) -> None:
        """Sound files as references: read on a worker, then on the shelf; loops are guessed."""
        session, journal = self._session, self._session.file.journal
        if journal is None or not paths:
            return
        bpm = session.kit.tempo_bpm

        def work() -> list[tuple[Path, Content | str, _Part]]:
            found: list[tuple[Path, Content | str, _Part]] = []
            for path in paths:
                try:
                    content = journal.store.add_file(path)
                    decoded = journal.store.decoded(content.hash)
                    assert decoded is not None  # it was just read
                    part = likely_part(decoded.audio, decoded.rate_hz, bpm)
                    found.append((path, content, part))
                except PuddleError as error:
                    found.append((path, str(error), (0.0, 0.0, 0)))
            return found

        def then(found: list[tuple[Path, Content | str, _Part]]) -> None:
            if journal is session.file.journal:
                self._take_files(found)

        session.background.start(work, then, key="references")

    def _take_files(self, found: list[tuple[Path, Content | str, _Part]]) -> None:
        session = self._session
        refused = [content for _, content, _ in found if isinstance(content, str)]
        read = [(path, content, part) for path, content, part in found if content not in refused]
        self._files |= {str(path): content for path, content, _ in read}

        def add(kit: Kit) -> tuple[Kit, list[Reference]]:
            """As many as there is room for."""
            made: list[Reference] = []
            for path, _, (start, end, beats) in read:
                try:
                    kit, one = snapshots.add_file_reference(
                        kit, path.stem, str(path), start, end, beats
                    )
                except PuddleError as error:
                    refused.append(str(error))
                    break
                made.append(one)
            return kit, made

        names = ", ".join(path.stem for path, _, _ in read[:3])
        made = session.make(f"{names} on the shelf", add)
        if made:
            self.refresh()
            self.came.emit(f"reference {made[-1].id}")
        if refused:
            session.told.emit(refused[0])

    def set_region(self, entry: Entry, field: str, value: float, text: str) -> None:
        """The part of a file that is compared, or its beats."""
        session = self._session
        what = {"start_ms": "from", "end_ms": "to"}.get(field, field)
        session.edit(
            f"{entry.name}: {what} {text}",
            lambda kit: snapshots.set_file_reference(kit, entry.id, **{field: value}),
            ("reference", entry.id, field),
        )
        self.refresh()
