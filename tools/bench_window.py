"""Speed of the window: each figure is of a fresh process, offscreen, with the simulated card."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tools.bench_lines import line


def start() -> None:
    """From the command to a painted window, and to the first strike's take."""
    with tempfile.TemporaryDirectory() as home:
        runs = [_run_in_window("start", home, str(time.time())) for _ in range(6)][1:]
    painted, heard = (statistics.median(run[n] for run in runs) for n in (0, 1))
    line("start, warm: painted", f"{painted:.2f} s", "0.7 s")
    line("start, warm: first strike heard", f"{heard:.2f} s", "2 s")


def window() -> None:
    """What the window's thread costs, ringing and idle."""
    with tempfile.TemporaryDirectory() as home:
        ringing, idle = _run_in_window("window", home)
    line("window's thread, sixteen pads ringing", f"{100 * ringing:.0f} % of a core", "30 %")
    line(
        "window's thread, idle with the stream open",
        f"{100 * idle:.1f} % of a core",
        "2 %",
    )


def pages() -> None:
    """What the window's thread costs on pages that move while the demo plays, the shore with it."""
    with tempfile.TemporaryDirectory() as home:
        groove, mix = _run_in_window("pages", home)
    line("window's thread, Groove while the demo plays", f"{100 * groove:.0f} % of a core", "15 %")
    line("window's thread, Mix while the demo plays", f"{100 * mix:.0f} % of a core", "15 %")


def held() -> None:
    """For how long a moving control keeps the window from anything else.

    A gauge of the kick's voice and one of each kind of stage move 60 times, a frame apart, while
    all pads ring; between two looks at the clock lies one run of the event loop.
    """
    with tempfile.TemporaryDirectory() as home:
        late, own, longest = (1000 * t for t in _run_in_window("held", home))
    found = f"99th percentile {late:.1f} ms by the clock, {own:.1f} ms of work, {longest:.1f} most"
    line("the window held by a moving control", found, "16 ms")


def large_kit() -> None:
    """Opening 96 pads of six strengths and two turns each in the running window, and striking them.

    Memory is what the process has grown by when every take is there, over the bytes of the distinct
    decoded samples and takes. A kit of one pad was open before: its code is loaded.
    """
    from puddle.formats.kitfile import save_kit
    from puddle.formats.store import SampleStore
    from puddle.kit.model.document import Kit
    from tools.bench_kits import large_pads

    with tempfile.TemporaryDirectory() as home:
        store = SampleStore(Path(home) / "samples")
        pads, contents = large_pads(store)
        path = Path(home) / "large.puddle"
        save_kit(path, Kit(name="large", pads=tuple(pads), contents=tuple(contents)), store)
        small = Path(home) / "small.puddle"
        save_kit(small, Kit(name="small", pads=tuple(pads[:1]), contents=tuple(contents)), store)
        runs = [_run_in_window("large_kit", home, str(path), str(small)) for _ in range(5)][1:]
    first, whole, every, grown, late = (statistics.median(run[n] for run in runs) for n in range(5))
    line("a kit of 1,152 samples: first pad playable", f"{first:.2f} s", "0.3 s")
    line("a kit of 1,152 samples: all pads", f"{whole:.2f} s", "2.5 s")
    line("a kit of 1,152 samples: all strengths and turns", f"{every:.2f} s", "2.5 s")
    line("its memory over its samples and takes", f"{grown:.2f} x", "1.3 x")
    line("late blocks while it loads and is struck", f"{late:.0f}", "none")


def strike() -> None:
    """From a key or a click until the engine has been told: what comes on top of one block."""
    with tempfile.TemporaryDirectory() as home:
        middle, longest = (1000 * t for t in _run_in_window("strike", home))
    line(
        "a strike by key or mouse, on top of a block",
        f"{middle:.2f} ms, 99th {longest:.2f}",
        "1 ms",
    )


def switch() -> None:
    """From the key until the engine crosses over to what was heard before."""
    with tempfile.TemporaryDirectory() as home:
        middle, longest = (1000 * t for t in _run_in_window("switch", home))
    line("a switch of what is heard", f"{middle:.1f} ms, {longest:.1f} most", "gap-free")


def _run_in_window(run: str, home: str, *words: str) -> list[float]:
    """Figures that a fresh process with a window prints."""
    environment = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "XDG_STATE_HOME": home,
        "XDG_CONFIG_HOME": home,
    }
    done = subprocess.run(
        [sys.executable, "-m", "tools.bench_inside", run, *words],
        stdout=subprocess.PIPE,
        text=True,
        env=environment,
        timeout=180,
        check=True,
    )
    return [float(word) for word in done.stdout.split()]
