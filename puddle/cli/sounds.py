"""Verbs that measure and sort sound files: inspect, align, order, sort."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from puddle.cli.told import print_figures, refused
from puddle.errors import PuddleError


def inspect(arguments: argparse.Namespace) -> int:
    """Measurements of sound files."""
    from puddle.files import shown
    from puddle.formats.sound import read_sound
    from puddle.measure.report import measured

    found: list[dict[str, Any]] = []
    failed = 0
    for name in arguments.files:
        entry: dict[str, Any] = {"file": shown(name)}
        try:
            sound = read_sound(name)
            entry.update(measured(sound.audio, sound.rate_hz))
        except PuddleError as error:
            failed = refused(str(error))
            entry["error"] = str(error)
        found.append(entry)
    if arguments.json:
        print(json.dumps(found, indent=1))
    else:
        for entry in found:
            print("\n".join(f"{key:18} {value}" for key, value in entry.items()), end="\n\n")
    return failed


def align(arguments: argparse.Namespace) -> int:
    """The shift and polarity of B that best adds to A."""
    from puddle.files import shown
    from puddle.formats.sound import read_sound
    from puddle.measure.alignment import NoAlignment, alignment
    from puddle.render.steps import converted

    first, second = (read_sound(name) for name in (arguments.first, arguments.second))
    other = converted(second.stereo, second.rate_hz, first.rate_hz, 1.0)
    found = alignment(first.stereo, other, first.rate_hz)
    if isinstance(found, NoAlignment):
        names = f"{shown(arguments.first)} and {shown(arguments.second)}"
        return refused(f"{names} cannot be aligned: {found.reason}.")
    told = {
        "shift_samples": found.shift_frames,
        "shift_ms": 1000.0 * found.shift_frames / first.rate_hz,
        "invert": found.invert,
        "gain_db": found.gain_db,
    }
    print_figures(told, as_json=arguments.json)
    return 0


def order(arguments: argparse.Namespace) -> int:
    """Files that are no sounds are named, and the others are ordered."""
    from puddle.errors import SoundFileError
    from puddle.files import shown
    from puddle.formats.sound import read_sound
    from puddle.measure.ordering import soft_to_hard, strength

    names, found, failed = [], [], 0
    for name in arguments.files:
        try:
            sound = read_sound(name)
        except SoundFileError as error:
            failed = refused(str(error))
            continue
        names.append(shown(name))
        found.append(strength(sound.stereo, sound.rate_hz))
    ordered = [names[n] for n in soft_to_hard(found)]
    loud = {name: round(s.loudness_lufs, 2) for name, s in zip(names, found, strict=True)}
    if arguments.json:
        print(json.dumps({"order": ordered, "loudness_lufs": loud}, indent=1))
    else:
        print("\n".join(f"{loud[name]:8.2f} LUFS  {name}" for name in ordered))
    return failed


def sort(arguments: argparse.Namespace) -> int:
    """Files that are no sounds are named, and the others are sorted into drums."""
    from puddle.files import scratch_folder
    from puddle.formats.kitfile import save_kit
    from puddle.formats.store import SampleStore
    from puddle.kit.edits.landing import landed, told
    from puddle.kit.model.document import Kit
    from puddle.library.intake import found_in, sorted_drums, sound_files

    failed, found = 0, []
    with scratch_folder() as folder:
        store = SampleStore(folder)
        try:
            for path in sound_files([Path(name) for name in arguments.paths]):
                try:
                    content = store.add_file(path)
                    decoded = store.decoded(content.hash)
                except PuddleError as error:
                    failed = refused(str(error))
                    continue
                if decoded is not None:
                    found.append(found_in(content, decoded.audio, decoded.rate_hz))
            landings = [drum.landing() for drum in sorted_drums(found)]
            if arguments.out and landings:
                kit, _ = landed(Kit(name=Path(arguments.out).stem), landings)
                save_kit(Path(arguments.out), kit, store)
        finally:
            store.close()
    drums = [
        {
            "name": one.name,
            "role": one.role,
            "taken_as": told(one),
            "velocities": [[one.contents[n].name for n in rung] for rung in one.rungs],
        }
        for one in landings
    ]
    if arguments.json:
        print(json.dumps(drums, indent=1))
    else:
        for one in landings:
            print(f"{one.name:24} {one.role:11} {told(one)}")
    return failed
