"""What stays on this machine: preferences and recent kits, in the desktop's folders."""

from __future__ import annotations

import os
from pathlib import Path

import msgspec
from platformdirs import user_config_path, user_state_path

from puddle.errors import SoundFileError
from puddle.formats.sound import write_aside
from puddle.units import Octaves

MOST_RECENT = 12
MIDDLE_C = (3, 4, 5)


class Settings(msgspec.Struct):
    """Preferences; unknown fields of a newer Puddle are passed over."""

    device: str = ""
    rate_hz: int = 48000
    block: int = 128
    theme: str = "day"
    recent: list[str] = []
    geometry: str = ""
    splitters: dict[str, list[int]] = {}
    shore_rows: int = 1
    last_folder: str = ""
    export_bits: str = "24"
    repeat_beats: float = 1.0
    repeat_ms: float = 1000.0
    repeat_cycling: bool = False
    template: str = "Empty"  # that new kits start from
    straight: bool = False  # to a new kit, instead of the start page
    middle_c: int = 4  # the octave that MIDI note 60 is shown in


def config_file() -> Path:
    """Where preferences lie."""
    return user_config_path("puddle") / "settings.json"


def journal_root() -> Path:
    """Where open kits keep their journals."""
    return user_state_path("puddle") / "journals"


def load_settings() -> Settings:
    """The preferences; the defaults where there are none or they are damaged."""
    try:
        settings = msgspec.json.decode(config_file().read_bytes(), type=Settings)
    except (OSError, msgspec.MsgspecError, UnicodeDecodeError):
        return Settings()
    return settings


def heed(settings: Settings) -> None:
    """Lets what is shown follow the preferences."""
    Octaves.middle = settings.middle_c if settings.middle_c in MIDDLE_C else 4


def save_settings(settings: Settings) -> None:
    """Writes them; a disk that refuses is no reason to stop."""
    path = config_file()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_aside(path, msgspec.json.format(msgspec.json.encode(settings)))
    except (OSError, SoundFileError):
        return


def remember_kit(settings: Settings, path: Path) -> None:
    """Puts a kit at the head of the recent ones."""
    name = os.fspath(path.absolute())
    settings.recent = [name, *(r for r in settings.recent if r != name)][:MOST_RECENT]
    save_settings(settings)
