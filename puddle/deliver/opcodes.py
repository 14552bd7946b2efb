"""What a pad is in the words of SFZ."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from puddle.kit.model.document import Pad
from puddle.kit.playing.key_tracking import shift_of, zone_at, zones_of

_SAME_DB = 1e-5  # a curve that lies so near to another is that one
_SILENT_DB = -144.0
_PER_LINE = 8


def number(value: float) -> str:
    """A number as short as it is to seven figures."""
    return f"{value:.7g}"


class KeyRange(msgspec.Struct, frozen=True):
    """Keys that play one sample; the zone is the semitones at which it was rendered."""

    low: int
    high: int
    zone: int = 0

    def opcodes(self, pad: Pad) -> dict[str, str]:
        """The keys, and how they move the pitch."""
        keys = (
            {"key": str(self.low)}
            if self.low == self.high
            else {"lokey": str(self.low), "hikey": str(self.high)}
        )
        if pad.tracking == 0.0:
            return keys | {"pitch_keytrack": "0"}
        keys |= {"pitch_keycenter": str(pad.root), "pitch_keytrack": number(pad.tracking)}
        return keys | ({"transpose": str(-self.zone)} if self.zone else {})


def key_ranges(pad: Pad) -> list[KeyRange]:
    """A pad's notes in ranges without gaps, each of which plays one zone."""
    zones = zones_of(pad)
    found: list[KeyRange] = []
    for note in sorted(set(pad.notes)):
        zone = zones[zone_at(zones, shift_of(pad, note))]
        if found and found[-1].high == note - 1 and found[-1].zone == zone:
            found[-1] = KeyRange(found[-1].low, note, zone)
        else:
            found.append(KeyRange(note, note, zone))
    return found


def pad_opcodes(pad: Pad, *, later: bool, looped: bool) -> dict[str, str]:
    """How a pad plays, chokes and lets go."""
    said: dict[str, str] = {}
    if pad.trigger == "one-shot":
        said["loop_mode"] = "one_shot"
    else:
        said["loop_mode"] = "loop_sustain" if looped else "no_loop"
        said |= {
            "ampeg_attack": number(pad.attack_ms / 1000.0),
            "ampeg_decay": number(pad.decay_ms / 1000.0),
            "ampeg_sustain": number(pad.sustain),
            "ampeg_release": number(pad.release_ms / 1000.0),
        }
    strikes = pad.chokes or pad.choke_group
    if strikes:
        said["group"] = str(strikes)
    if pad.choke_group:
        said |= {"off_by": str(pad.choke_group), "off_mode": "fast"}
    if later and pad.limit:
        said["polyphony"] = str(pad.limit)
    return said


def curve_opcodes(levels_db: Mapping[int, float]) -> list[str]:
    """How loud velocities are: by the power law, all alike, or each as it is."""
    from math import log10

    law = {v: 40.0 * log10(v / 127.0) for v in levels_db}
    if all(abs(db - law[v]) < _SAME_DB for v, db in levels_db.items()):
        return ["amp_veltrack=100"]
    if all(abs(db) < _SAME_DB for db in levels_db.values()):
        return ["amp_veltrack=0"]
    words = [
        f"amp_velcurve_{v}={number(10.0 ** (max(_SILENT_DB, db) / 20.0))}"
        for v, db in sorted(levels_db.items())
    ]
    lines = [" ".join(words[n : n + _PER_LINE]) for n in range(0, len(words), _PER_LINE)]
    return ["amp_veltrack=100", *lines]
