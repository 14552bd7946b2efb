"""A kit at its tempo: what is counted in steps, in milliseconds."""

from __future__ import annotations

from typing import TypeVar

import msgspec

from puddle.kit.model.document import Bus, Kit, Layer, Master, Pad, Sound, Stage

H = TypeVar("H", Layer, Sound, Pad, Bus, Master)


class Pacer:
    """Paces kits; what did not change since the last one is the very same again."""

    def __init__(self) -> None:
        self._known: dict[str, tuple[Pad, float, Pad]] = {}
        self._last: tuple[Kit, Kit] | None = None

    def paced(self, kit: Kit) -> Kit:
        """The kit with every stage at its tempo; itself where none goes by it."""
        if self._last is None or self._last[0] is not kit:
            self._last = kit, self._made(kit)
        return self._last[1]

    def _made(self, kit: Kit) -> Kit:
        bpm = kit.tempo_bpm
        pads = tuple(self._pad(pad, bpm) for pad in kit.pads)
        buses = tuple(_row(bus, bpm) for bus in kit.buses)
        master = _row(kit.master, bpm)
        now, before = (*pads, *buses, master), (*kit.pads, *kit.buses, kit.master)
        if all(a is b for a, b in zip(now, before, strict=True)):
            return kit
        return msgspec.structs.replace(kit, pads=pads, buses=buses, master=master)

    def _pad(self, pad: Pad, bpm: float) -> Pad:
        known = self._known.get(pad.id)
        if known is None or known[0] is not pad or known[1] != bpm:
            made = _paced_pad(pad, bpm)
            if known is not None and known[2] == made:
                made = known[2]
            known = (pad, bpm, made)
            self._known[pad.id] = known
        return known[2]


def paced(kit: Kit) -> Kit:
    """The kit with every stage at its tempo."""
    return Pacer().paced(kit)


def _paced_pad(pad: Pad, bpm: float) -> Pad:
    sound = _row(pad.sound, bpm)
    layers = tuple(_row(layer, bpm) for layer in sound.layers)
    if any(a is not b for a, b in zip(layers, sound.layers, strict=True)):
        sound = msgspec.structs.replace(sound, layers=layers)
    if sound is not pad.sound:
        pad = msgspec.structs.replace(pad, sound=sound)
    return _row(pad, bpm)


def _row(holder: H, bpm: float) -> H:
    stages = tuple(_stage(stage, bpm) for stage in holder.stages)
    if all(a is b for a, b in zip(stages, holder.stages, strict=True)):
        return holder
    return msgspec.structs.replace(holder, stages=stages)


def _stage(stage: Stage, bpm: float) -> Stage:
    process = stage.process.at_tempo(bpm)
    if process is stage.process:
        return stage
    return msgspec.structs.replace(stage, process=process)
