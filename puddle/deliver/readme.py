"""The README of a delivery: what is in it, pitches, tempo, and how it may be used."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence

from puddle.deliver.making import Making
from puddle.deliver.options import FORMATS, SOURCES
from puddle.deliver.plan import Planned
from puddle.kit.model.document import Pad
from puddle.units import ascii_note_name

_KINDS = {
    "one-shots": "one-shots",
    "instrument": "files of an SFZ instrument",
    "groove": "grooves",
    "stems": "stems",
    "midi": "MIDI files",
}


def readme(making: Making, files: Sequence[Planned], told: Sequence[str]) -> str:
    """Plain text, lines of at most some eighty letters where names allow it."""
    kit, options = making.kit, making.options
    lines = [kit.name, "=" * len(kit.name), ""]
    if kit.author.strip():
        lines += [f"By {kit.author.strip()}.", ""]
    if kit.notes.strip():
        lines += [kit.notes.strip(), ""]
    counts = Counter(one.what for one in files)
    lines += ["What is here", "------------"]
    lines += [f"{counts[kind]:6d} {noun}" for kind, noun in _KINDS.items() if counts[kind]]
    lines += [
        f"Sounds are {FORMATS[options.format]}, {options.rate_hz / 1000:g} kHz, "
        f"{SOURCES[options.source]}.",
        f"Tempo: {kit.tempo_bpm:g} bpm. Key: {_key(making)}.",
        "",
        "Pads",
        "----",
        *_table(making),
        "",
    ]
    if told:
        lines += ["What the instrument leaves out", "------------------------------"]
        lines += [f"- {sentence}" for sentence in told]
        lines.append("")
    said = kit.license.strip() or "Nothing was said of it: ask whoever made it."
    lines += ["How it may be used", "------------------", said, ""]
    return "\n".join(lines)


def _key(making: Making) -> str:
    key = making.kit.key
    return "none" if key.scale == "chromatic" else f"{key.root} {key.scale}"


def _table(making: Making) -> Iterator[str]:
    pads = making.pads()
    wide = max((len(pad.name) for pad in pads), default=0)
    for pad in pads:
        line = f"{pad.place + 1:3d}  {pad.name:{wide}}  {pad.role:10}  {_pitch(making, pad)}"
        yield line.rstrip()


def _pitch(making: Making, pad: Pad) -> str:
    keys = " ".join(ascii_note_name(note) for note in pad.notes[:6])
    note = making.pitch(pad)
    if note is None:
        return f"keys {keys}" if keys else ""
    cents = round(100.0 * (note - round(note)))
    sounds = f"sounds {ascii_note_name(round(note))} {cents:+d} ct"
    return f"keys {keys}, {sounds}" if keys else sounds
