"""Standard MIDI Files: a pattern's notes, each pad by its first note."""

from __future__ import annotations

import io
from pathlib import Path

from puddle.errors import FileError
from puddle.files import shown, write_aside
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.playing.schedule import strokes_until

TICKS_PER_BEAT = 960
_CHANNEL = 9  # the general MIDI percussion channel


def midi_bytes(kit: Kit, pattern: Pattern, bars: int) -> bytes:
    """A type-0 file of some bars of four beats, at the kit's tempo."""
    import mido

    notes = {pad.id: pad.notes[0] for pad in kit.pads if pad.notes}
    timed: list[tuple[int, int, str, int, int]] = []
    for stroke in strokes_until(pattern, 4.0 * bars):
        if stroke.pad in notes:
            start = round(stroke.beat * TICKS_PER_BEAT)
            end = start + max(1, round(stroke.beats * TICKS_PER_BEAT))
            timed.append((start, 1, "note_on", notes[stroke.pad], stroke.velocity))
            timed.append((end, 0, "note_off", notes[stroke.pad], 0))
    file = mido.MidiFile(type=0, ticks_per_beat=TICKS_PER_BEAT)
    track = file.add_track(pattern.name)
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(kit.tempo_bpm)))
    now = 0
    for tick, _, kind, note, velocity in sorted(timed):
        track.append(
            mido.Message(kind, channel=_CHANNEL, note=note, velocity=velocity, time=tick - now)
        )
        now = tick
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def write_midi(path: Path, kit: Kit, pattern: Pattern, bars: int) -> None:
    """Writes the file aside, then puts it in place. Raises FileError."""
    if bars < 1:
        raise FileError(f"{shown(path)}: at least one bar is needed.")
    write_aside(path, midi_bytes(kit, pattern, bars))
