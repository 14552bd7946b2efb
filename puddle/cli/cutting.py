"""The verb that cuts: hits out of a recording."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from puddle.cli.told import folder_at


def cut(arguments: argparse.Namespace) -> int:
    """Onsets of a recording; with a folder its hits as WAV files, and their timing as MIDI."""
    from puddle.files import shown
    from puddle.formats.recording_file import RecordingFile
    from puddle.kit.edits.recordings import add_recording, set_recording
    from puddle.kit.model.document import Kit
    from puddle.library.cut_timing import levels_of
    from puddle.library.cutting import looked_at
    from puddle.library.marked import marked

    path = Path(arguments.recording)
    with RecordingFile(path) as file:
        noted, _ = looked_at(file)
        kit, recording = add_recording(Kit(name=""), path.stem, str(path.absolute()))
        values = {"sensitivity": 100.0 * arguments.sensitivity, "gap_ms": arguments.gap}
        kit = set_recording(kit, recording.id, **values)
        found = marked(noted, kit.recordings[0])
        if arguments.out:
            _write(arguments, file, path.stem, found)
    seconds = [round(n / found.rate_hz, 6) for n in found.starts.tolist()]
    levels = [round(level, 4) for level in levels_of(found)]
    if arguments.json:
        print(json.dumps({"file": shown(path), "onsets_s": seconds, "strength": levels}))
    else:
        for at, level in zip(seconds, levels, strict=True):
            print(f"{at:12.6f} s  {level:6.3f}")
    return 0


def _write(arguments: argparse.Namespace, file: object, stem: str, found: object) -> None:
    from puddle.files import writable
    from puddle.formats.midi import write_midi
    from puddle.formats.recording_file import RecordingFile
    from puddle.kit.edits.slices import Tempo
    from puddle.kit.playing.schedule import pattern_beats
    from puddle.library.cut_timing import timing
    from puddle.library.hit_files import write_hits
    from puddle.library.hit_groups import HeardHits, found_groups, hit_name, soft_to_hard
    from puddle.library.marked import Marked
    from puddle.measure.beats import beats_of

    assert isinstance(file, RecordingFile) and isinstance(found, Marked)
    out = folder_at(arguments.out)
    groups = found_groups(HeardHits(file), found)
    names = [
        (hit, hit_name(group.name, n))
        for group in groups
        for n, hit in enumerate(soft_to_hard(found, group.hits))
    ]
    write_hits(file, found, names, out)
    if names:
        beats = beats_of(found.starts / found.rate_hz, found.peaks)
        tempo = Tempo(beats.bpm, beats.downbeat_s) if beats is not None else Tempo(120.0, 0.0)
        kit, pattern = timing(stem, found, groups, tempo)
        write_midi(out / f"{writable(stem)}.mid", kit, pattern, pattern_beats(pattern))
