"""Standard MIDI Files: patterns written with a track for each lane, and notes read from them."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import msgspec

from puddle.errors import FileError
from puddle.files import read_regular, shown, write_aside
from puddle.kit.edits.from_midi import PlayedNote
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.schedule import LATE_BEATS, Part, Stroke, ended, listed

TICKS_PER_BEAT = 960
MOST_NOTES = 200_000
_MOST_BYTES = 16 << 20
_PERCUSSION = 9  # the general MIDI percussion channel
_MELODIC = 0


def midi_bytes(kit: Kit, pattern: Pattern, beats: float) -> bytes:
    """A type-1 file of some beats at the kit's tempo: a track of tempo and meter, one each lane.

    A pad sounds by its first note on the percussion channel, a hit with a note of its own by that
    one on the first channel.
    """
    import mido

    file = mido.MidiFile(type=1, ticks_per_beat=TICKS_PER_BEAT, charset="utf-8")
    head = file.add_track(pattern.name)
    head.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(kit.tempo_bpm)))
    count, unit = pattern.meter.split("/")
    head.append(mido.MetaMessage("time_signature", numerator=int(count), denominator=int(unit)))
    by_lane: dict[str, list[Stroke]] = {lane.pad: [] for lane in pattern.lanes}
    for stroke in listed(ended((Part(pattern),), beats), kit.tempo_bpm, 0.0, beats + LATE_BEATS):
        by_lane[stroke.pad].append(stroke)
    for pad_id, strokes in by_lane.items():
        pad = kit.pad(pad_id)
        if pad is not None and strokes:
            note = pad.notes[0] if pad.notes else None
            _add_track(file.add_track(pad.name), strokes, note)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _add_track(track: Any, strokes: Sequence[Stroke], note: int | None) -> None:
    import mido

    timed: list[tuple[int, int, int, int, int]] = []  # tick, off before on, note, velocity, channel
    for stroke in strokes:
        own = stroke.note != NO_NOTE
        key = stroke.note if own else note
        if key is None:
            continue
        channel = _MELODIC if own else _PERCUSSION
        start = round(stroke.beat * TICKS_PER_BEAT)
        end = start + max(1, round(stroke.beats * TICKS_PER_BEAT))
        timed += [(start, 1, key, stroke.velocity, channel), (end, 0, key, 0, channel)]
    now = 0
    for tick, on, key, velocity, channel in sorted(timed):
        kind = "note_on" if on else "note_off"
        track.append(
            mido.Message(kind, channel=channel, note=key, velocity=velocity, time=tick - now)
        )
        now = tick


def write_midi(path: Path, kit: Kit, pattern: Pattern, beats: float) -> None:
    """Writes the file aside, then puts it in place. Raises FileError."""
    if not beats > 0.0:
        raise FileError(f"{shown(path)}: at least one bar is needed.")
    write_aside(path, midi_bytes(kit, pattern, beats))


def left_out(pattern: Pattern) -> str:
    """What of a pattern a MIDI file cannot hold, in a sentence; empty where it holds all."""
    owned = sum(bool(hit.values) for lane in pattern.lanes for hit in lane.hits)
    parts = [
        f"{count} {one if count == 1 else many}"
        for count, one, many in (
            (len(pattern.curves), "curve", "curves"),
            (owned, "hit's own values", "hits' own values"),
        )
        if count
    ]
    if not parts:
        return ""
    verb = "stays" if parts == ["1 curve"] else "stay"
    return f"{' and '.join(parts)} {verb} in the kit: MIDI has notes only."


class MidiNotes(msgspec.Struct, frozen=True):
    """What a file holds, in order of time; and what was wrong with it, in words."""

    notes: tuple[PlayedNote, ...]
    bpm: float | None
    meter: str | None
    problems: tuple[str, ...] = ()


class _Reading(msgspec.Struct):
    """What was found so far."""

    notes: list[PlayedNote] = msgspec.field(default_factory=list)
    bpm: float | None = None
    meter: str | None = None
    hanging: int = 0


def read_midi(path: Path) -> MidiNotes:
    """Notes of a Standard MIDI File of type 0 or 1. Raises FileError.

    A note without an end lasts a sixteenth. A broken track gives what could be read of it.
    """
    data = read_regular(path, _MOST_BYTES)
    try:
        return parsed_midi(data)
    except FileError as error:
        raise FileError(f"{shown(path)}: {error}") from None


def parsed_midi(data: bytes) -> MidiNotes:
    """The same, of a file's bytes."""
    import mido

    if data[:4] != b"MThd":
        raise FileError("it is no Standard MIDI File.")
    try:
        try:
            file = mido.MidiFile(file=io.BytesIO(data), clip=True, charset="utf-8")
        except UnicodeDecodeError:
            file = mido.MidiFile(file=io.BytesIO(data), clip=True)  # Latin-1, as of old
    except (OSError, EOFError, ValueError, KeyError, IndexError, TypeError) as error:
        why = str(error) or "it ends early"
        raise FileError(f"it is damaged, and cannot be read ({why}).") from None
    if file.type == 2:
        raise FileError("it is of type 2, whose tracks have no common time.")
    if not 0 < file.ticks_per_beat < 0x8000:
        raise FileError("its time is counted in frames, not in beats.")
    found = _Reading()
    for track in file.tracks:
        _read_track(track, file.ticks_per_beat, found)
    found.notes.sort(key=lambda n: (n.beat, n.note))
    problems = []
    if found.hanging:
        count = "1 note has" if found.hanging == 1 else f"{found.hanging} notes have"
        problems.append(f"{count} no end: a sixteenth was taken.")
    return MidiNotes(tuple(found.notes), found.bpm, found.meter, tuple(problems))


def _read_track(track: Any, per_beat: int, found: _Reading) -> None:
    tick = 0
    began: dict[tuple[int, int], list[tuple[int, int]]] = {}  # by channel and note
    for message in track:
        tick += message.time
        if message.type == "set_tempo" and found.bpm is None and message.tempo > 0:
            found.bpm = 60e6 / message.tempo
        elif message.type == "time_signature" and found.meter is None:
            found.meter = f"{message.numerator}/{message.denominator}"
        elif message.type == "note_on" and message.velocity > 0:
            began.setdefault((message.channel, message.note), []).append((tick, message.velocity))
        elif message.type in ("note_off", "note_on"):
            waiting = began.get((message.channel, message.note))
            if waiting:
                start, velocity = waiting.pop(0)
                _keep(found, message.note, velocity, start / per_beat, (tick - start) / per_beat)
    for (_, note), waiting in began.items():
        for start, velocity in waiting:
            found.hanging += 1
            _keep(found, note, velocity, start / per_beat, 0.25)


def _keep(found: _Reading, note: int, velocity: int, beat: float, beats: float) -> None:
    if len(found.notes) >= MOST_NOTES:
        raise FileError(f"it holds more than {MOST_NOTES:,} notes.")
    found.notes.append(PlayedNote(beat, max(beats, 1.0 / TICKS_PER_BEAT), note, velocity))
