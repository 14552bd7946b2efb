"""Damaged and hostile files for every reader: ``python -m tools.fuzz --minutes 5``.

Kits, sounds, voices, stage sets, journals, copied pads and preferences are made, then damaged: bits
flipped, cut off, parts doubled or moved, numbers and names of the JSON replaced. Every reader must
refuse with one sentence of Puddle's own, or open what can be opened, and take no longer than a few
seconds; a kit that opens must be saved and opened again as it is, and play without a word that is
not a number.
"""

from __future__ import annotations

import argparse
import io
import json
import random
import sys
import tempfile
import time
import traceback
import zipfile
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from puddle.demo.raingauge import demo_kit
from puddle.errors import KitFileError, PuddleError
from puddle.formats.archive import Archive
from puddle.formats.journal import lost_journals, new_journal, recovered
from puddle.formats.kitfile import kit_bytes, open_kit, save_kit
from puddle.formats.ownfile import StagesFile, VoiceFile, own_from_json, read_own, write_own
from puddle.formats.parcel import opened_parcel, parcel
from puddle.formats.sound import decoded_sound
from puddle.formats.store import SampleStore
from puddle.home.settings import settings_of
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.edits.copying import copied_pad
from puddle.kit.presets.stage_sets import shipped
from puddle.render.take import Takes
from puddle.voices import STARTING_POINTS

_SLOW_S = 5.0
_ODD: tuple[Any, ...] = (
    0, -1, 1e308, 1e-308, 2**63, "", "\0", "x" * 5000, None, True, [], {}, [[]], "pad1", -0.0,
    "../../etc/passwd", "/dev/zero", 10**30, {"type": "branch"}, "\ud800",
)  # fmt: skip


@dataclass
class Outcome:
    """How many were tried, refused and opened, and what went wrong."""

    tried: Counter[str] = field(default_factory=Counter)
    opened: Counter[str] = field(default_factory=Counter)
    faults: list[str] = field(default_factory=list)


class Fuzzer:
    """Damages what was made, and gives it to its reader."""

    def __init__(self, folder: Path, seed: int) -> None:
        self.folder = folder
        self.chance = random.Random(seed)
        self.outcome = Outcome()
        store = SampleStore(folder / "made")
        kit = demo_kit(store)
        self.kit_zip = kit_bytes(kit, store)
        self.kit_json = kit_json(kit)
        self.parcel = parcel(copied_pad(kit, kit.pads[1].id), store)
        self.sounds = [s for c in kit.contents if (s := store.raw(c.hash)) is not None]
        self.sounds += list(_other_formats(self.sounds[0]))
        voice = next(iter(next(iter(STARTING_POINTS.values())).values()))
        write_own(folder / "v", VoiceFile(name="v", voice=voice))
        write_own(folder / "s", StagesFile(name="s", stages=next(iter(shipped().values()))))
        self.voice, self.stages = (folder / "v").read_bytes(), (folder / "s").read_bytes()
        store.close()
        self.readers: list[tuple[int, str, Callable[[], object]]] = [
            (4, "kit", self.kit),
            (6, "kit.json", self.document),
            (8, "sound", self.sound),
            (2, "parcel", self.copied),
            (1, "journal", self.journal),
            (3, "own file", self.own),
            (3, "settings", self.settings),
        ]

    def run(self, seconds: float) -> Outcome:
        """For so long."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            _, name, read = self.chance.choices(self.readers, [w for w, _, _ in self.readers])[0]
            self.outcome.tried[name] += 1
            state, start = self.chance.getstate(), time.monotonic()
            try:
                read()
                self.outcome.opened[name] += 1
            except PuddleError as error:
                if "\n" in str(error) or not str(error):
                    self._fault(name, f"no sentence: {str(error)!r}")
            except Exception:
                self._fault(name, traceback.format_exc())
            if time.monotonic() - start > _SLOW_S:
                self._fault(name, f"took {time.monotonic() - start:.1f} s ({hash(state)})")
        return self.outcome

    def _fault(self, name: str, text: str) -> None:
        self.outcome.faults.append(f"{name}: {text}")

    # Damage.

    def damaged(self, data: bytes) -> bytes:
        """Bytes flipped, cut off, doubled, moved or filled."""
        made, chance = bytearray(data), self.chance
        for _ in range(chance.choice((1, 1, 2, 5, 20))):
            if not made:
                break
            at = chance.randrange(len(made))
            size = min(chance.choice((1, 2, 4, 16, 400)), len(made) - at)
            way = chance.randrange(6)
            if way == 0:
                made[at] ^= 1 << chance.randrange(8)
            elif way == 1:
                made[at : at + size] = chance.randbytes(size)
            elif way == 2:
                del made[at:]
            elif way == 3:
                made[at:at] = made[at : at + size]
            elif way == 4:
                made[at : at + size] = bytes(size)
            else:
                made[at : at + size] = b"\xff" * size
        return bytes(made)

    def edited(self, text: bytes) -> bytes:
        """JSON with some of its values replaced, taken out or repeated."""
        tree = json.loads(text)
        for _ in range(self.chance.choice((1, 1, 2, 4))):
            holder: Any = tree
            while True:
                keys = list(holder) if isinstance(holder, dict) else range(len(holder))
                if not keys:
                    break
                key = self.chance.choice(list(keys))
                inner = holder[key]
                if isinstance(inner, dict | list) and inner and self.chance.random() < 0.85:
                    holder = inner
                    continue
                way = self.chance.randrange(4)
                if way == 0:
                    holder[key] = self.chance.choice(_ODD)
                elif way == 1:
                    del holder[key]
                elif way == 2 and isinstance(holder, list):
                    holder.extend([inner] * self.chance.choice((1, 100, 3000)))
                elif isinstance(inner, int | float) and not isinstance(inner, bool):
                    holder[key] = inner * self.chance.choice((-1, 0, 1.5, 1e6, 1e300))
                break
        return json.dumps(tree).encode("utf-8", "surrogatepass")

    # Readers.

    def kit(self) -> None:
        """A kit file; one that opens is saved, opened again and played."""
        data = self.kit_zip
        if self.chance.random() < 0.5:
            data = self.damaged(data)
        else:
            data = _rezipped(data, {"kit.json": self.edited(self.kit_json)})
        path = self.folder / "a.puddle"
        path.write_bytes(data)
        with tempfile.TemporaryDirectory(dir=self.folder) as place:
            store = SampleStore(Path(place))
            try:
                opened = open_kit(path, store)
                self._played(opened.kit, store)
                try:
                    save_kit(self.folder / "b.puddle", opened.kit, store)
                except KitFileError:
                    return  # samples are missing: said so
                with Archive(self.folder / "b.puddle") as file:
                    kit_from_json(file.read("kit.json", 1 << 26), "b")
            finally:
                store.close()

    def _played(self, kit: Any, store: SampleStore) -> None:
        takes = Takes(store, 48000.0)
        for pad in self.chance.sample(kit.pads, min(2, len(kit.pads))):
            audio = takes.sound(pad.sound).audio
            if not np.isfinite(audio).all():
                self._fault("kit", f"{pad.name} plays what is not a number")

    def document(self) -> None:
        """The document alone: what opens is written and read again as it is."""
        text = self.edited(self.kit_json)
        if self.chance.random() < 0.2:
            text = self.damaged(text)
        kit = kit_from_json(text, "a kit")
        if kit_from_json(kit_json(kit), "again") != kit:
            self._fault("kit.json", "it is read as another one than was written")

    def sound(self) -> None:
        """A sound file of any format."""
        decoded_sound(self.damaged(self.chance.choice(self.sounds)), "a.wav", ".wav")

    def copied(self) -> None:
        """A pad on the clipboard."""
        with tempfile.TemporaryDirectory(dir=self.folder) as place:
            store = SampleStore(Path(place))
            try:
                opened_parcel(self.damaged(self.parcel), store)
            finally:
                store.close()

    def journal(self) -> None:
        """The journal of a process that died."""
        root = self.folder / "journals"
        made = new_journal(root)
        where = json.dumps({"name": "a", "path": "/a", "time": 1.0, "stamp": [1, 2, 3, 4]}).encode()
        (made.folder / "kit.json").write_bytes(self.edited(self.kit_json))
        (made.folder / "where.json").write_bytes(self.edited(where))
        made.abandon()
        try:
            for lost in lost_journals(root):
                recovered(lost)[1].close()
        finally:
            for lost in lost_journals(root):
                (lost.folder / "kit.json").unlink()
            lost_journals(root)

    def own(self) -> None:
        """A voice or a stage set, as a file or on the clipboard."""
        kind, text = self.chance.choice(((VoiceFile, self.voice), (StagesFile, self.stages)))
        text = self.edited(text) if self.chance.random() < 0.7 else self.damaged(text)
        (self.folder / "own").write_bytes(text)
        read_own(self.folder / "own", kind)
        own_from_json(text, kind, "the clipboard")

    def settings(self) -> None:
        """Preferences: each that is wrong falls back alone."""
        found = {
            "theme": "night", "block": 256, "rate_hz": 44100, "middle_c": 3, "recent": ["/a"],
            "splitters": {"left": [1, 2]}, "geometry": "AAAA", "shore_rows": 2, "device": "x",
        }  # fmt: skip
        settings, bad = settings_of(json.loads(self.edited(json.dumps(found).encode())))
        again, still = settings_of({k: getattr(settings, k) for k in found})
        if still or again != settings:
            self._fault("settings", f"{still} after {bad}")


def _rezipped(data: bytes, other: dict[str, bytes]) -> bytes:
    """A kit file with some of its entries replaced."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as source, zipfile.ZipFile(out, "w") as made:
        for info in source.infolist():
            made.writestr(info, other.get(info.filename, source.read(info)))
    return out.getvalue()


def _other_formats(raw: bytes) -> list[bytes]:
    """The same sound as other files."""
    import soundfile

    audio, rate = soundfile.read(io.BytesIO(raw), dtype="float32", always_2d=True)
    made = []
    for kind, subtype in (("FLAC", "PCM_16"), ("AIFF", "PCM_24"), ("OGG", "VORBIS")):
        out = io.BytesIO()
        soundfile.write(out, audio, rate, subtype, format=kind)
        made.append(out.getvalue())
    return made


def main() -> int:
    """Fuzzes, and tells what came of it; 1 where anything was wrong."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=1.0)
    parser.add_argument("--seed", type=int, default=1)
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="fuzz-") as folder:
        outcome = Fuzzer(Path(folder), arguments.seed).run(60.0 * arguments.minutes)
    for name, count in outcome.tried.most_common():
        print(f"{count:8} {name}, {outcome.opened[name]} of them opened")
    print(f"{len(outcome.faults)} faults")
    for fault in outcome.faults[:8]:
        print(fault)
    return 1 if outcome.faults else 0


if __name__ == "__main__":
    sys.exit(main())
