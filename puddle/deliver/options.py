"""What leaves and how: the choices of a delivery, as they are kept."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

What = Literal["one-shots", "instrument", "groove", "stems", "midi", "kit"]
WHAT: dict[What, str] = {
    "one-shots": "One-shots",
    "instrument": "Instrument",
    "groove": "Grooves",
    "stems": "Stems",
    "midi": "MIDI",
    "kit": "Kit",
}
Source = Literal["dry", "live", "bus", "master"]
SOURCES: dict[Source, str] = {
    "dry": "dry",
    "live": "with live stages",
    "bus": "through buses",
    "master": "through the master",
}
Format = Literal["wav 24", "wav 16", "wav 32f", "flac", "aiff"]
FORMATS: dict[Format, str] = {
    "wav 24": "WAV 24",
    "wav 16": "WAV 16",
    "wav 32f": "WAV float",
    "flac": "FLAC",
    "aiff": "AIFF",
}
RATES = (44100, 48000, 88200, 96000)
Folders = Literal["by role", "by pad", "none"]
Loudness = Literal["as it is", "peak", "by role"]
Tails = Literal["ring out", "wrapped"]
NAME_SCHEME = "{kit} {pad} {note} v{velocity} r{turn}"


class Options(msgspec.Struct, frozen=True):
    """The choices; each has the value that most deliveries want."""

    what: tuple[What, ...] = ("one-shots", "instrument", "kit")
    scheme: Annotated[str, msgspec.Meta(max_length=200)] = NAME_SCHEME
    folders: Folders = "by role"
    source: Source = "dry"
    format: Format = "wav 24"
    rate_hz: Annotated[int, msgspec.Meta(ge=8000, le=384000)] = 48000
    loudness: Loudness = "as it is"
    peak_db: Annotated[float, msgspec.Meta(ge=-24, le=0)] = -1.0
    role_lufs: dict[str, float] = {}  # of roles, where they are not those that ship
    strengths: Literal["each", "hardest"] = "each"
    turns: bool = True
    alternates: bool = True
    mono: bool = True  # one channel where both sides are equal
    tail_db: Annotated[float, msgspec.Meta(ge=-120, le=-40)] = -90.0
    fade_ms: Annotated[float, msgspec.Meta(ge=0, le=500)] = 20.0
    loops: bool = True  # root keys, loops and tempo in chunks of their own
    later_opcodes: bool = True  # of SFZ: polyphony
    tails: Tails = "ring out"
    tempos: tuple[Annotated[float, msgspec.Meta(ge=20, le=300)], ...] = ()  # none: the kit's
    stems_by: Literal["bus", "lane"] = "bus"
    bars: Annotated[int, msgspec.Meta(ge=0, le=999)] = 0  # of grooves; 0 for all of a pattern

    @property
    def suffix(self) -> str:
        """Of sound files."""
        return {"flac": ".flac", "aiff": ".aif"}.get(self.format, ".wav")

    @property
    def bits(self) -> Literal["16", "24", "32f"]:
        """How samples are written."""
        found: dict[Format, Literal["16", "24", "32f"]] = {"wav 16": "16", "wav 32f": "32f"}
        return found.get(self.format, "24")


def options_from(raw: object) -> Options:
    """Options as they were kept; the values that most want where they cannot be read."""
    try:
        return msgspec.convert(raw, Options)
    except msgspec.ValidationError:
        return Options()


def as_kept(options: Options) -> dict[str, object]:
    """What `options_from` reads."""
    kept = msgspec.to_builtins(options)
    assert isinstance(kept, dict)
    return kept
