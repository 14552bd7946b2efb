"""A pad on its way to another kit: a kit file of one pad, as bytes, with its samples."""

from __future__ import annotations

import msgspec

from puddle.errors import KitFileError
from puddle.formats.archive import Archive
from puddle.formats.kitfile import kit_bytes
from puddle.formats.sound import MOST_BYTES, decoded_sound
from puddle.formats.store import SampleStore, sample_name
from puddle.kit.codec.reading import MOST_JSON_BYTES, kit_from_json
from puddle.kit.edits.copying import CopiedPad, copied_pad
from puddle.kit.edits.side_chains import rekeyed
from puddle.kit.model.document import Bus, Kit, Pad

_NAME = "the copied pad"
replace = msgspec.structs.replace


def parcel(copied: CopiedPad, store: SampleStore) -> bytes:
    """A pad with its samples and the names of the buses that it goes to. Raises KitFileError."""
    names = {copied.pad.bus: copied.bus} if copied.pad.bus else {}
    for send, name in zip(copied.pad.sends, copied.sends, strict=True):
        names.setdefault(send.bus, name)
    alone = Kit(
        name=copied.kit_name,
        pads=(_alone(copied.pad),),
        buses=tuple(Bus(id=bus_id, name=name) for bus_id, name in names.items()),
        contents=copied.contents,
    )
    return kit_bytes(alone, store)


def _alone(pad: Pad) -> Pad:
    """What its live stages are keyed by is another pad there, if anything: they forget it."""
    return replace(pad, link=None, snapshots=(), stages=rekeyed(pad.stages, {}))


class Opened(msgspec.Struct, frozen=True):
    """A pad that has come, its samples in the store, and a sentence for each that is missing."""

    copied: CopiedPad
    problems: tuple[str, ...]


def opened_parcel(data: bytes, store: SampleStore) -> Opened:
    """The pad of a parcel, its samples taken into a store.

    Raises KitFileError where it is no parcel, or a hostile one.
    """
    missing = []
    with Archive(data, _NAME) as file:
        kit = kit_from_json(file.read("kit.json", MOST_JSON_BYTES), _NAME)
        if len(kit.pads) != 1:
            raise KitFileError("What was dropped is no pad.")
        for content in kit.contents:
            if sample_name(content) not in file:
                missing.append(f"The sample {content.name} is missing; its layers are silent.")
            else:
                raw = file.read(sample_name(content), MOST_BYTES)
                sound = decoded_sound(raw, content.name, content.suffix)
                if store.add(sound, content.name).hash != content.hash:
                    raise KitFileError(f"The sample {content.name} is not what it says.")
    return Opened(copied_pad(kit, kit.pads[0].id), tuple(missing))
