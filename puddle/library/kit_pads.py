"""The pads of kits in the library's folders: whole sounds, with their recipes."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable
from pathlib import Path

import msgspec
import numpy as np

from puddle.errors import EditError, PuddleError
from puddle.files import scratch_folder, shown
from puddle.formats.kitfile import SUFFIX, open_kit
from puddle.formats.sound import Sound as SoundFile
from puddle.formats.sound import decoded_sound
from puddle.formats.store import SampleStore
from puddle.kit.edits.copying import CopiedPad, copied_pad
from puddle.kit.model.document import Content, Kit, Pad
from puddle.kit.playing.tempo import paced
from puddle.kit.playing.velocity import hardest
from puddle.library.record import Record, Unreadable, record_of
from puddle.render.take import Takes
from puddle.tasks import check_cancelled

RATE_HZ = 48000.0
_INSIDE = f"{SUFFIX}/".encode()
Add = Callable[[SoundFile, str], Content]


class PadRecord(msgspec.Struct, frozen=True):
    """What was measured of a pad."""

    id: str
    name: str
    record: Record


class KitPads(msgspec.Struct, frozen=True):
    """What was measured of a kit, and the hashes of the samples that it uses."""

    name: str
    pads: tuple[PadRecord, ...]
    contents: tuple[str, ...]


def is_kit(path: bytes) -> bool:
    """Whether a path is that of a kit file."""
    return path.lower().endswith(SUFFIX.encode())


def address(path: bytes) -> tuple[Path, str] | None:
    """The kit file and the pad's id of an entry that is a pad; None of any other."""
    kit, inside, pad = path.rpartition(_INSIDE)
    if not inside or not kit:
        return None
    return Path(os.fsdecode(kit + inside[:-1])), pad.decode()


def measured_kit(path: str | bytes) -> KitPads | Unreadable:
    """Every pad that makes a sound, at full strength."""
    try:
        with scratch_folder() as folder:
            store = SampleStore(folder)
            try:
                kit = open_kit(Path(os.fsdecode(path)), store).kit
                takes = Takes(store, RATE_HZ)
                pads = tuple(_measured(paced(kit), takes))
                return KitPads(kit.name, pads, tuple(c.hash for c in kit.contents))
            finally:
                store.close()
    except PuddleError as error:
        return Unreadable(str(error))
    except (MemoryError, ArithmeticError, ValueError) as error:  # whatever a hostile file provokes
        return Unreadable(f"{shown(path)} cannot be measured ({type(error).__name__}).")


def _measured(kit: Kit, takes: Takes) -> list[PadRecord]:
    found = []
    for pad in kit.pads:
        check_cancelled()
        audio = takes.sound(hardest(pad.sound)).audio
        if float(np.abs(audio).max(initial=0.0)) < 1e-5:
            continue
        name = hashlib.sha256(b"pad " + msgspec.json.encode(pad.sound)).hexdigest()
        record = record_of(audio, RATE_HZ, name)
        figures = {**record.figures, "role": pad.role}
        found.append(PadRecord(pad.id, pad.name, msgspec.structs.replace(record, figures=figures)))
    return found


def _opened(path: Path, pad_id: str, store: SampleStore) -> tuple[Kit, Pad]:
    kit = open_kit(path, store).kit
    pad = kit.pad(pad_id)
    if pad is None:
        raise EditError(f"{shown(path)} no longer has that pad.")
    return kit, pad


def pad_audio(path: Path, pad_id: str) -> np.ndarray:
    """A pad's sound at full strength and 48 kHz: float32 (frames, 2). Raises PuddleError."""
    with scratch_folder() as folder:
        store = SampleStore(folder)
        try:
            kit, pad = _opened(path, pad_id, store)
            heard = paced(kit).pad(pad.id) or pad
            return Takes(store, RATE_HZ).sound(hardest(heard.sound)).audio
        finally:
            store.close()


def taken_pad(path: Path, pad_id: str, add: Add) -> CopiedPad:
    """A pad of a kit, its samples handed to `add`. Raises PuddleError."""
    with scratch_folder() as folder:
        store = SampleStore(folder)
        try:
            kit, pad = _opened(path, pad_id, store)
            copied = copied_pad(kit, pad.id)
            for content in copied.contents:
                raw = store.as_it_came(content.hash)
                if raw is not None:
                    add(decoded_sound(raw, content.name, content.suffix), content.name)
            return copied
        finally:
            store.close()
