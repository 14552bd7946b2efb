"""What stays on this machine: preferences and recent kits, in the desktop's folders."""

from __future__ import annotations

import base64
import binascii
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
from platformdirs import user_config_path, user_state_path

from puddle.engine.devices import BLOCKS, RATES
from puddle.errors import FileError
from puddle.files import read_regular, shown, write_aside
from puddle.kit.model.bus import OUTPUTS
from puddle.units import Octaves

MOST_RECENT = 12
MIDDLE_C = (3, 4, 5)
THEMES = ("day", "night", "desktop")
_MOST_BYTES = 1 << 20
_MOST_TEXT = 4096


class Settings(msgspec.Struct):
    """Preferences; unknown fields of a newer Puddle are passed over."""

    device: str = ""
    rate_hz: int = 48000
    block: int = 128
    listening_output: str = "flows on"  # of what is listened to: with the master, or a pair
    click_output: str = "flows on"  # of the metronome: where one listens, or a pair
    theme: str = "day"
    recent: list[str] = []
    geometry: str = ""
    splitters: dict[str, list[int]] = {}
    shore_rows: int = 1
    last_folder: str = ""
    export_bits: str = "24"
    record_quantize: float = 100.0  # % of the way to the grid
    record_replaces: bool = False  # what is played anew takes the place of what stands
    repeat_beats: float = 1.0
    repeat_ms: float = 1000.0
    repeat_cycling: bool = False
    repeat_held: bool = False  # what is held is repeated, instead of what is selected
    midi_at_once: bool = False  # strikes of controllers as soon as possible, with jitter
    template: str = "Empty"  # that new kits start from
    straight: bool = False  # to a new kit, instead of the start page
    trim_starts: bool = True  # of new samples, to their onset
    controllers: dict[str, str] = {}  # by port, the name of its map
    follows: str = ""  # the port whose clock the groove follows, or JACK's transport
    leads_jack: bool = False
    sends: dict[str, list[str]] = {}  # by port what leaves: groove, clock, lights, how
    check_limits: dict[str, float] = {}  # thresholds of rules that are not those of the table
    check_off: list[str] = []  # rules that are not looked at
    role_lufs: dict[str, float] = {}  # how loud roles are to be, where not as it ships
    deliver: dict[str, Any] = {}  # how kits are delivered: deliver.options reads it
    deliver_folder: str = ""
    deliver_there: str = "keep both"
    middle_c: int = 4  # the octave that MIDI note 60 is shown in


def _is_text(value: Any) -> bool:
    return isinstance(value, str) and len(value) <= _MOST_TEXT and "\0" not in value


def _is_geometry(value: Any) -> bool:
    try:
        base64.b64decode(value, validate=True)
    except (binascii.Error, ValueError, TypeError):
        return False
    return _is_text(value)


def _are_sizes(value: Any) -> bool:
    """What splitters can take: a few widths in pixels by name."""
    return isinstance(value, dict) and all(
        isinstance(sizes, list)
        and len(sizes) <= 16
        and all(isinstance(s, int) and 0 <= s < 100_000 for s in sizes)
        for sizes in value.values()
    )


def _is_one_of(*choices: Any) -> Callable[[Any], bool]:
    return lambda value: not isinstance(value, float) and value in choices


def _is_number(low: float, high: float) -> Callable[[Any], bool]:
    return lambda value: low <= value <= high


# What each setting may be beside its type; one that may not falls back alone.
_VALID: dict[str, Callable[[Any], bool]] = {
    "device": _is_text,
    "rate_hz": _is_one_of(*RATES),
    "block": _is_one_of(*BLOCKS),
    "listening_output": _is_one_of(*OUTPUTS),
    "click_output": _is_one_of(*OUTPUTS),
    "theme": _is_one_of(*THEMES),
    "recent": lambda value: len(value) <= 1000 and all(map(_is_text, value)),
    "geometry": _is_geometry,
    "splitters": _are_sizes,
    "shore_rows": _is_one_of(1, 2, 4),
    "last_folder": _is_text,
    "export_bits": _is_one_of("16", "24", "32f"),
    "record_quantize": _is_number(0.0, 100.0),
    "repeat_beats": _is_number(1.0 / 64.0, 64.0),
    "repeat_ms": _is_number(1.0, 60_000.0),
    "template": _is_text,
    "controllers": lambda value: (
        len(value) <= 1000 and all(_is_text(k) and _is_text(v) for k, v in value.items())
    ),
    "follows": _is_text,
    "sends": lambda value: (
        len(value) <= 1000
        and all(_is_text(k) and len(v) <= 8 and all(map(_is_text, v)) for k, v in value.items())
    ),
    "check_limits": lambda value: len(value) <= 100 and all(map(_is_text, value)),
    "check_off": lambda value: len(value) <= 100 and all(map(_is_text, value)),
    "role_lufs": lambda value: (
        len(value) <= 100 and all(_is_text(k) and -60.0 <= v <= 0.0 for k, v in value.items())
    ),
    "deliver": lambda value: len(value) <= 100 and all(map(_is_text, value)),
    "deliver_folder": _is_text,
    "deliver_there": _is_text,
    "middle_c": _is_one_of(*MIDDLE_C),
}


def config_file() -> Path:
    """Where preferences lie."""
    return user_config_path("puddle") / "settings.json"


def journal_root() -> Path:
    """Where open kits keep their journals."""
    return user_state_path("puddle") / "journals"


def load_settings() -> tuple[Settings, str]:
    """The preferences, and a sentence where some of them could not be used.

    Each falls back to its default by itself; the file that held it is kept aside.
    """
    path = config_file()
    if not os.path.lexists(path):
        return Settings(), ""
    try:
        found = msgspec.json.decode(read_regular(path, _MOST_BYTES))
        if not isinstance(found, dict):
            raise TypeError("not an object")
    except FileError as error:
        return Settings(), f"The preferences are as new. {error}"
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError, TypeError):
        return Settings(), f"The preferences were damaged and are as new.{_kept_aside(path)}"
    settings, bad = settings_of(found)
    if not bad:
        return settings, ""
    return settings, f"These preferences could not be used: {', '.join(bad)}.{_kept_aside(path)}"


def settings_of(found: dict[str, Any]) -> tuple[Settings, list[str]]:
    """Settings from what a file holds, and the names of those that are not valid."""
    settings, bad = Settings(), []
    for field in msgspec.structs.fields(Settings):
        if field.name not in found:
            continue
        try:
            value = msgspec.convert(found[field.name], type=field.type)
            valid = _VALID.get(field.name, lambda _: True)(value)
        except (msgspec.MsgspecError, TypeError, ValueError):
            valid = False
        if valid:
            setattr(settings, field.name, value)
        else:
            bad.append(field.name)
    return settings, bad


def _kept_aside(path: Path) -> str:
    aside = path.with_name(f"{path.name}.damaged")
    try:
        os.replace(path, aside)
    except OSError:
        return ""
    return f" What they were is in {shown(aside)}."


def heed(settings: Settings) -> None:
    """Applies preferences of how values are written."""
    Octaves.middle = settings.middle_c


def save_settings(settings: Settings) -> None:
    """Writes them; a disk that refuses is no reason to stop."""
    path = config_file()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_aside(path, msgspec.json.format(msgspec.json.encode(settings)))
    except (OSError, FileError):
        return


def remember_kit(settings: Settings, path: Path) -> None:
    """Puts a kit at the head of the recent ones."""
    name = os.fspath(path.absolute())
    settings.recent = [name, *(r for r in settings.recent if r != name)][:MOST_RECENT]
    save_settings(settings)
