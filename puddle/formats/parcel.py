"""A pad on its way to another kit: a kit file of one pad, as bytes, with its samples."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass
from pathlib import Path

import msgspec

from puddle.errors import KitFileError
from puddle.formats.archive import Archive
from puddle.formats.kitfile import MOST_JSON, kit_bytes
from puddle.formats.sound import MOST_BYTES, decoded_sound
from puddle.formats.store import SampleStore, sample_name
from puddle.kit.document import Content, Kit, Pad
from puddle.kit.edits import pad_of
from puddle.kit.keys import with_known_keys
from puddle.kit.reading import kit_from_json

_NAME = "the pad"
replace = msgspec.structs.replace


def parcel(kit: Kit, pad_id: str, store: SampleStore) -> bytes:
    """A pad with its samples and the bus that it goes to. Raises EditError and KitFileError."""
    pad = pad_of(kit, pad_id)
    buses = tuple(replace(bus, stages=()) for bus in kit.buses if bus.id == pad.bus)
    alone = Kit(
        name=pad.name,
        pads=(replace(pad, link=None, snapshots=()),),
        buses=buses,
        contents=kit.contents,
    )
    return kit_bytes(with_known_keys(alone), store)[1]


@dataclass(frozen=True)
class Opened:
    """A pad that has come, and what it needs."""

    pad: Pad
    bus: str  # by name
    contents: tuple[Content, ...]  # they are in the store
    problems: tuple[str, ...]  # a sentence for each sample that is missing


def opened_parcel(data: bytes, store: SampleStore) -> Opened:
    """The pad of a parcel, its samples taken into a store.

    Raises KitFileError where it is no parcel, or a hostile one.
    """
    with tempfile.TemporaryDirectory(prefix="puddle-") as folder:
        path = Path(folder) / _NAME
        path.write_bytes(data)
        with Archive(path) as file:
            kit = kit_from_json(file.read("kit.json", MOST_JSON), _NAME)
            if len(kit.pads) != 1:
                raise KitFileError("What was dropped is no pad.")
            missing = []
            for content in kit.contents:
                if sample_name(content) not in file:
                    missing.append(f"The sample {content.name} is missing; its layers are silent.")
                else:
                    raw = file.read(sample_name(content), MOST_BYTES)
                    sound = decoded_sound(raw, content.name, content.suffix)
                    if store.add(sound, content.name).hash != content.hash:
                        raise KitFileError(f"The sample {content.name} is not what it says.")
    bus = kit.buses[0].name if kit.buses else ""
    return Opened(kit.pads[0], bus, kit.contents, tuple(missing))
