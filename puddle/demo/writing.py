"""Writes the demo: its kit, its recordings, and its groove."""

from __future__ import annotations

from pathlib import Path

from puddle.demo.raingauge import demo_kit
from puddle.demo.recordings import session_files
from puddle.engine.offline import bounce
from puddle.files import scratch_folder, write_aside
from puddle.formats.kitfile import SUFFIX, save_kit
from puddle.formats.sound import write_wav
from puddle.formats.store import SampleStore
from puddle.kit.playing.schedule import bars_of
from puddle.render.take import Takes

RATE_HZ = 48000.0


def write_demo(folder: Path) -> list[Path]:
    """The kit file and the recordings; returns the paths written."""
    written = []
    recordings = folder / "recordings"
    recordings.mkdir(parents=True, exist_ok=True)
    for name, data in session_files().items():
        write_aside(recordings / name, data)
        written.append(recordings / name)
    with scratch_folder() as place:
        store = SampleStore(place)
        path = folder / f"Rain Gauge{SUFFIX}"
        save_kit(path, demo_kit(store), store)
    return [path, *written]


def demo_groove(path: Path) -> None:
    """The groove, twice through, as a 24-bit WAV file."""
    with scratch_folder() as place:
        store = SampleStore(place)
        kit = demo_kit(store)
        pattern = kit.patterns[0]
        made = bounce(kit, pattern, 2 * bars_of(pattern), Takes(store, RATE_HZ))
        write_wav(path, made.master, made.rate_hz)
