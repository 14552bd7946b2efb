"""The kit as JSON: written canonically, read strictly."""

from __future__ import annotations

from typing import Any

import msgspec

from puddle.errors import KitFileError
from puddle.kit.codec.migrations import migrated
from puddle.kit.edits.mixes import playing
from puddle.kit.model.document import KIT_VERSION, Kit, Sample, SendTo, Sound
from puddle.kit.model.limits import excess
from puddle.kit.model.pad import kept_sounds
from puddle.kit.model.reference import PadReference
from puddle.kit.playing.flow import has_loop

_NULL = b"\\u0000"
MOST_JSON_BYTES = 64 * 1024 * 1024


class _Version(msgspec.Struct):
    version: int = 0


def kit_json(kit: Kit) -> bytes:
    """The kit as indented UTF-8 JSON; equal kits give equal bytes."""
    return msgspec.json.format(msgspec.json.encode(kit, order="deterministic"), indent=1)


def kit_from_json(text: bytes, where: str) -> Kit:
    """The kit that a JSON text describes. Raises KitFileError, naming `where`."""
    if len(text) > MOST_JSON_BYTES:
        raise KitFileError(f"{where}: the kit's description is larger than 64 MiB.")
    try:
        version = msgspec.json.decode(text, type=_Version).version
        if version > KIT_VERSION:
            raise KitFileError(
                f"{where} was saved by a newer Puddle (file version {version}, this one reads "
                f"up to {KIT_VERSION})."
            )
        kit = _read(text, version)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise KitFileError(f"{where} is not a kit that can be read: {error}.") from None
    too_much = excess(kit)
    if too_much:
        raise KitFileError(f"{where} is not a kit that can be read: {too_much}.")
    if _NULL in text:
        _check_names(msgspec.to_builtins(kit), where)
    _check_references(kit, where)
    return kit


def _check_names(node: Any, where: str) -> None:
    """No name or path holds a null character: no file's name can, and windows cut it there."""
    if isinstance(node, str):
        if "\0" in node:
            shown = node.replace("\0", "\ufffd")[:60]
            raise KitFileError(f"{where}: the name “{shown}” holds a null character.")
    elif isinstance(node, dict):
        for value in node.values():
            _check_names(value, where)
    elif isinstance(node, list | tuple):
        for value in node:
            _check_names(value, where)


def _read(text: bytes, version: int) -> Kit:
    """The kit, brought up to this version first."""
    if version >= KIT_VERSION:
        return msgspec.json.decode(text, type=Kit)
    raw = msgspec.json.decode(text)
    return msgspec.convert(migrated(raw, version), type=Kit)


def _check_references(kit: Kit, where: str) -> None:
    """Ids are unique, places too, and whatever is named exists."""
    _unique([p.id for p in kit.pads], "pad", where)
    _unique([str(p.place) for p in kit.pads], "place", where)
    _unique([b.id for b in kit.buses], "bus", where)
    _unique([p.id for p in kit.patterns], "pattern", where)
    _unique([c.hash for c in kit.contents], "sample", where)
    buses = {"", *(b.id for b in kit.buses)}
    known = {c.hash for c in kit.contents}
    for pad in kit.pads:
        if pad.bus not in buses:
            raise KitFileError(f"{where}: {pad.name} goes to a bus “{pad.bus}” that is missing.")
        _check_sends(pad.sends, buses, pad.name, where)
        _check_sound(pad.sound, known, pad.name, where)
        _unique([snapshot.id for snapshot in pad.snapshots], f"snapshot of {pad.name}", where)
        _unique([one.id for one in pad.alternates], f"alternate of {pad.name}", where)
        for name, sound in kept_sounds(pad):
            _check_sound(sound, known, f"{pad.name}, {name}", where)
        if pad.alternate >= max(1, len(pad.alternates)):
            raise KitFileError(f"{where}: {pad.name} plays an alternate that is missing.")
    for bus in kit.buses:
        if bus.into not in buses:
            raise KitFileError(f"{where}: {bus.name} goes to a bus “{bus.into}” that is missing.")
        _check_sends(bus.sends, buses, bus.name, where)
    if has_loop(kit):
        raise KitFileError(f"{where}: one of its buses flows back into itself.")
    _check_mixes(kit, where)
    for content in kit.contents:
        if content.printed is not None:
            _check_sound(content.printed.sound, known, f"the recipe of {content.name}", where)
    _unique([r.id for r in kit.references], "reference", where)
    _unique([g.id for g in kit.gauges], "kit gauge", where)
    pads = {p.id for p in kit.pads}
    for play in kit.order:
        if kit.pattern(play.pattern) is None:
            raise KitFileError(f"{where}: its play order names a pattern that is missing.")
    for reference in kit.references:
        if isinstance(reference, PadReference) and reference.pad not in pads:
            raise KitFileError(f"{where}: it is compared with a pad that is missing.")
    for pattern in kit.patterns:
        _unique([lane.pad for lane in pattern.lanes], f"lane of {pattern.name}", where)
        for lane in pattern.lanes:
            if lane.pad not in pads:
                raise KitFileError(
                    f"{where}: pattern {pattern.name} has a lane for a pad that is missing."
                )


def _check_mixes(kit: Kit, where: str) -> None:
    """Each mix flows as it should, whichever pads there are."""
    _unique([one.id for one in kit.mixes], "mix", where)
    if kit.mix >= max(1, len(kit.mixes)) or len(kit.mixes) == 1:
        raise KitFileError(f"{where}: it plays a mix that is missing.")
    for one in kit.mixes:
        _unique([own.pad for own in one.pads], f"pad in {one.name}", where)
        _unique([bus.id for bus in one.buses], f"bus in {one.name}", where)
        buses = {"", *(bus.id for bus in one.buses)}
        for name, into, sends in (
            *((own.pad, own.bus, own.sends) for own in one.pads),
            *((bus.name, bus.into, bus.sends) for bus in one.buses),
        ):
            if into not in buses:
                raise KitFileError(f"{where}: in {one.name} {name} goes to a bus that is missing.")
            _check_sends(sends, buses, f"{name} in {one.name}", where)
        if has_loop(playing(kit, one)):
            raise KitFileError(f"{where}: in {one.name} a bus flows back into itself.")


def _check_sends(sends: tuple[SendTo, ...], buses: set[str], whose: str, where: str) -> None:
    _unique([send.bus for send in sends], f"send of {whose}", where)
    for send in sends:
        if send.bus not in buses:
            raise KitFileError(f"{where}: {whose} is sent to a bus “{send.bus}” that is missing.")


def _check_sound(sound: Sound, known: set[str], whose: str, where: str) -> None:
    _unique([layer.id for layer in sound.layers], f"layer in {whose}", where)
    for layer in sound.layers:
        if isinstance(layer.source, Sample) and layer.source.content not in known:
            raise KitFileError(f"{where}: {whose}, {layer.name}: its sample is not listed.")


def _unique(names: list[str], what: str, where: str) -> None:
    seen: set[str] = set()
    for name in names:
        if name in seen:
            raise KitFileError(f"{where}: the {what} “{name}” is there twice.")
        seen.add(name)


def kit_schema() -> dict[str, Any]:
    """The JSON Schema of `kit.json`, with units, ranges and sentences."""
    schema: dict[str, Any] = msgspec.json.schema(Kit)
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = f"Puddle kit, version {KIT_VERSION}"
    return schema
