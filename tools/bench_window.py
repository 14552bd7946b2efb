"""Speed of the window: each figure is of a fresh process, offscreen, with the simulated card."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from tools.bench_lines import RATE, line


def start() -> None:
    """From the command to a painted window, and to the first strike's take."""
    code = (
        "import time, os, sys; t = float(sys.argv[1])\n"
        "from puddle.window.app import make_shell, show_first\n"
        "from puddle.home.settings import Settings\n"
        "from PyQt6.QtWidgets import QApplication\n"
        "s = make_shell(Settings(device='Simulated sound card'))\n"
        "s.session.background.workers.hold(); s.session.file.open_demo(); seen = []\n"
        "s.first_painted.connect(lambda: seen.append(time.time() - t)); show_first(s)\n"
        "while not seen: QApplication.processEvents()\n"
        "painted = seen[0]\n"
        "while 'pad1' not in s.session.renders.audio: QApplication.processEvents()\n"
        "while s.session.player.engine is None: QApplication.processEvents()\n"
        "QApplication.processEvents(); s.session.playing.strike('pad1', 127)\n"
        "while max(s.session.player.master_peaks()) < 0.01: time.sleep(0.001)\n"
        "print(painted, time.time() - t)\n"
        "s.session.history.mark_saved(s.session.kit); s.close()\n"
    )
    with tempfile.TemporaryDirectory() as home:
        runs = [_run_in_window(code, home, str(time.time())) for _ in range(6)][1:]
    painted, heard = (statistics.median(run[n] for run in runs) for n in (0, 1))
    line("start, warm: painted", f"{painted:.2f} s", "0.7 s")
    line("start, warm: first strike heard", f"{heard:.2f} s", "2.5 s")


def window() -> None:
    """What the window's thread costs, ringing and idle."""
    code = (
        "import time\n"
        "from puddle.window.app import make_shell, settle\n"
        "from puddle.home.settings import Settings\n"
        "from PyQt6.QtWidgets import QApplication\n"
        "s = make_shell(Settings(device='Simulated sound card', block=512))\n"
        "s.session.file.open_demo(); s.show(); settle(s); s.session.player.open()\n"
        "from PyQt6.QtCore import QTimer\n"
        "app = QApplication.instance()\n"
        "def ring():\n"
        "    for p in s.session.kit.pads: s.session.playing.strike(p.id, 90)\n"
        "beat = QTimer(); beat.timeout.connect(ring); beat.setInterval(200)\n"
        "def run(seconds, ringing):\n"
        "    beat.start() if ringing else beat.stop()\n"
        "    cpu = time.thread_time(); QTimer.singleShot(seconds * 1000, app.quit); app.exec()\n"
        "    return (time.thread_time() - cpu) / seconds\n"
        "run(1, True); a = run(4, True); s.session.player.silence(); run(3, False)\n"
        "b = run(4, False); print(a, b)\n"
        "s.session.history.mark_saved(s.session.kit); s.close()\n"
    )
    with tempfile.TemporaryDirectory() as home:
        ringing, idle = _run_in_window(code, home)
    line("window's thread, sixteen pads ringing", f"{100 * ringing:.0f} % of a core", "30 %")
    line(
        "window's thread, idle with the stream open",
        f"{100 * idle:.1f} % of a core",
        "2 %",
    )


def held() -> None:
    """For how long a moving control keeps the window from anything else.

    A gauge of the kick's voice and one of each kind of stage move 60 times, a frame apart, while
    all pads ring; between two looks at the clock lies one run of the event loop.
    """
    code = (
        "import time\n"
        "from puddle.window.app import make_shell, settle\n"
        "from puddle.home.settings import Settings\n"
        "from puddle.kit import edits; from puddle.kit.edits import rows\n"
        "from puddle.kit.edits.rows import RowPath\n"
        "from puddle.stages import PROCESSES\n"
        "from PyQt6.QtWidgets import QApplication\n"
        "s = make_shell(Settings(device='Simulated sound card', block=512)); app = QApplication\n"
        "from puddle.window.app import show_first\n"
        "s.session.background.workers.hold(); s.session.file.open_demo(); show_first(s)\n"
        "while s.session.player.engine is None: app.processEvents()\n"
        "settle(s); page = s.page.properties; times = []; work = []\n"
        "def timed(done):\n"
        "    start, own = time.perf_counter(), time.thread_time(); done()\n"
        "    times.append(time.perf_counter() - start); work.append(time.thread_time() - own)\n"
        "def turn(): timed(app.processEvents)\n"
        "def move(gauge):\n"
        "    p = gauge.parameter\n"
        "    for n in range(60):\n"
        "        if n % 12 == 0:\n"
        "            for pad in s.session.kit.pads: s.session.playing.strike(pad.id, 90)\n"
        "        timed(lambda: gauge.moved.emit(p.at(0.3 + 0.4 * n / 60)))\n"
        "        end = time.perf_counter() + 0.016\n"
        "        while time.perf_counter() < end:\n"
        "            turn(); time.sleep(0.001)\n"
        "    gauge.settled.emit()\n"
        "s.session.selection.select_layer('layer1'); page.choose_tab('Source')\n"
        "move(page._fields.gauge('decay_ms'))\n"
        "page.choose_tab('Stages'); row = RowPath(pad='pad1', layer='layer1')\n"
        "for kind in PROCESSES:\n"
        "    kit = rows.with_stages(s.session.kit, row, ())\n"
        "    kit, stage = rows.add_stage(kit, row, kind()); s.session.edit('x', kit)\n"
        "    page.stages.open(stage.id); app.processEvents()\n"
        "    fields = page.stages.cards[0].fields\n"
        "    for gauge in list(fields._gauges.values())[:1]: move(gauge)\n"
        "for t in (times, work): t.sort()\n"
        "print(times[-len(times) // 100 - 1], work[-len(work) // 100 - 1], work[-1])\n"
        "s.session.history.mark_saved(s.session.kit); s.close()\n"
    )
    with tempfile.TemporaryDirectory() as home:
        late, own, longest = (1000 * t for t in _run_in_window(code, home))
    found = f"99th percentile {late:.1f} ms by the clock, {own:.1f} ms of work, {longest:.1f} most"
    line("the window held by a moving control", found, "16 ms")


def large_kit() -> None:
    """Opening 96 pads of six strengths and two turns each in the running window, and striking them.

    Memory is what the process has grown by when every take is there, over the bytes of the distinct
    decoded samples and takes. A kit of one pad was open before: its code is loaded.
    """
    from puddle.formats.kitfile import save_kit
    from puddle.formats.sound import decoded_sound, wav_bytes
    from puddle.formats.store import SampleStore
    from puddle.kit.model.document import Kit, Layer, Pad, Sample, Sound

    code = (
        "import sys, time\n"
        "from pathlib import Path\n"
        "from puddle.kit.model.document import Sample\n"
        "from puddle.window.app import make_shell, show_first\n"
        "from puddle.home.settings import Settings\n"
        "from PyQt6.QtWidgets import QApplication\n"
        "s = make_shell(Settings(device='Simulated sound card')); show_first(s)\n"
        "def until(done):\n"
        "    while not done(): QApplication.processEvents(); time.sleep(0.001)\n"
        "def resident():\n"
        "    return int(Path('/proc/self/statm').read_text().split()[1]) * 4096\n"
        "player, renders = s.session.player, s.session.renders\n"
        "until(lambda: player.engine is not None)\n"
        "s.session.file.open_soon(Path(sys.argv[2]))\n"
        "until(lambda: renders.audio and renders.complete)\n"
        "end = time.time() + 1.0\n"
        "until(lambda: time.time() > end)\n"
        "before, t = resident(), time.time(); s.session.file.open_soon(Path(sys.argv[1]))\n"
        "until(lambda: len(s.session.kit.pads) == 96)\n"
        "until(lambda: 'pad1' in renders.audio); first = time.time() - t\n"
        "late, struck = player.device.late_blocks, 0\n"
        "def strike():\n"
        "    global struck\n"
        "    struck += 1\n"
        "    s.session.playing.strike('pad' + str(struck % 96 + 1), 30 + struck % 97)\n"
        "def played(done):\n"
        "    while not done():\n"
        "        strike(); QApplication.processEvents(); time.sleep(0.02)\n"
        "played(lambda: renders.ready(s.session.kit)); whole = time.time() - t\n"
        "sets = renders.sets\n"
        "played(lambda: sum(len(found.ready) for found in renders.sets.values()) == 1152)\n"
        "every = time.time() - t\n"
        "kit, store = s.session.kit, s.session.file.journal.store\n"
        "held = {}\n"
        "for found in renders.sets.values():\n"
        "    for take in found.ready.values(): held[take.ctypes.data] = take.nbytes\n"
        "for content in kit.contents:\n"
        "    audio = store.decoded(content.hash).audio; held[audio.ctypes.data] = audio.nbytes\n"
        "grown = (resident() - before) / sum(held.values())\n"
        "print(first, whole, every, grown, player.device.late_blocks - late)\n"
        "s.session.history.mark_saved(s.session.kit); s.close()\n"
    )
    rng = np.random.default_rng(0)
    fall = np.exp(-np.arange(24000) / 4000)[:, None]
    with tempfile.TemporaryDirectory() as home:
        store = SampleStore(Path(home) / "samples")
        pads, contents = [], []
        for p in range(96):
            layers = []
            for k in range(12):
                hit = (0.1 * fall * rng.standard_normal((24000, 2))).astype(np.float32)
                raw = wav_bytes(hit, RATE, "24")
                content = store.add(decoded_sound(raw, "a.wav", ".wav"), f"{p}-{k}.wav")
                contents.append(content)
                layer = Layer(
                    id=f"layer{k + 1}",
                    name=f"{k}",
                    source=Sample(content=content.hash, end_ms=content.length_ms),
                    softest=1 + 21 * (k // 2),
                    hardest=127 if k > 9 else 21 * (k // 2 + 1),
                    turn=k % 2 + 1,
                )
                layers.append(layer)
            sound = Sound(layers=tuple(layers))
            pads.append(Pad(id=f"pad{p + 1}", name=f"{p}", place=p, sound=sound))
        path = Path(home) / "large.puddle"
        save_kit(path, Kit(name="large", pads=tuple(pads), contents=tuple(contents)), store)
        small = Path(home) / "small.puddle"
        save_kit(small, Kit(name="small", pads=tuple(pads[:1]), contents=tuple(contents)), store)
        runs = [_run_in_window(code, home, str(path), str(small)) for _ in range(5)][1:]
    first, whole, every, grown, late = (statistics.median(run[n] for run in runs) for n in range(5))
    line("a kit of 1,152 samples: first pad playable", f"{first:.2f} s", "0.5 s")
    line("a kit of 1,152 samples: all pads", f"{whole:.2f} s", "3 s")
    line("a kit of 1,152 samples: all strengths and turns", f"{every:.2f} s", "3 s")
    line("its memory over its samples and takes", f"{grown:.2f} x", "1.3 x")
    line("late blocks while it loads and is struck", f"{late:.0f}", "none")


def strike() -> None:
    """From a key or a click until the engine has been told: what comes on top of one block."""
    code = (
        "import time\n"
        "from puddle.window.app import make_shell, settle\n"
        "from puddle.home.settings import Settings\n"
        "from PyQt6.QtCore import Qt\n"
        "from PyQt6.QtTest import QTest\n"
        "from PyQt6.QtWidgets import QApplication\n"
        "s = make_shell(Settings(device='Simulated sound card', block=128)); app = QApplication\n"
        "s.session.file.open_demo(); s.show(); settle(s); s.session.player.open()\n"
        "while s.session.player.engine is None: app.processEvents()\n"
        "engine = s.session.player.engine; told = []; real = engine.strike\n"
        "engine.strike = lambda *a, **k: (real(*a, **k), told.append(time.perf_counter()))\n"
        "times = []\n"
        "for n in range(200):\n"
        "    drop = s.shore.drops[n % 16]; start = time.perf_counter()\n"
        "    at = drop.center().toPoint()\n"
        "    if n % 2: QTest.mousePress(drop, Qt.MouseButton.LeftButton, pos=at)\n"
        "    else: QTest.keyClick(s, 'qwertyuiasdfghjk'[n % 16])\n"
        "    times.append(told[-1] - start); app.processEvents(); time.sleep(0.004)\n"
        "    if n % 2: QTest.mouseRelease(drop, Qt.MouseButton.LeftButton)\n"
        "times.sort(); print(times[100], times[-3])\n"
        "s.session.history.mark_saved(s.session.kit); s.close()\n"
    )
    with tempfile.TemporaryDirectory() as home:
        middle, longest = (1000 * t for t in _run_in_window(code, home))
    line(
        "a strike by key or mouse, on top of a block",
        f"{middle:.2f} ms, 99th {longest:.2f}",
        "1 ms",
    )


def switch() -> None:
    """From the key until the engine crosses over to what was heard before."""
    code = (
        "import time\n"
        "from puddle.window.app import make_shell, settle\n"
        "from puddle.home.settings import Settings\n"
        "from puddle.kit import edits\n"
        "from PyQt6.QtWidgets import QApplication\n"
        "s = make_shell(Settings(device='Simulated sound card', block=128)); app = QApplication\n"
        "s.session.file.open_demo(); s.show(); settle(s); s.session.player.open()\n"
        "while s.session.player.engine is None: app.processEvents()\n"
        "s.do('snapshot'); k = edits.set_source(s.session.kit, 'pad1', 'layer1', end_hz=50.0)\n"
        "s.session.edit('x', k); settle(s); s.do('switch')\n"
        "while not s.comparer.hearing: app.processEvents()\n"
        "settle(s); seen = []; real = s.session.player.cross\n"
        "s.session.player.cross = lambda n, a: (real(n, a), seen.append(time.perf_counter()))\n"
        "times = []\n"
        "for n in range(40):\n"
        "    start, count = time.perf_counter(), len(seen); s.do('switch')\n"
        "    while len(seen) == count: app.processEvents()\n"
        "    times.append(seen[-1] - start)\n"
        "    end = time.perf_counter() + 0.05\n"
        "    while time.perf_counter() < end: app.processEvents(); time.sleep(0.002)\n"
        "times.sort(); print(times[len(times) // 2], times[-1])\n"
        "s.session.history.mark_saved(s.session.kit); s.close()\n"
    )
    with tempfile.TemporaryDirectory() as home:
        middle, longest = (1000 * t for t in _run_in_window(code, home))
    line("a switch of what is heard", f"{middle:.1f} ms, {longest:.1f} most", "gap-free")


def _run_in_window(code: str, home: str, *words: str) -> list[float]:
    """Figures that a fresh process with a window prints."""
    environment = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "XDG_STATE_HOME": home,
        "XDG_CONFIG_HOME": home,
    }
    done = subprocess.run(
        [sys.executable, "-c", code, *words],
        stdout=subprocess.PIPE,
        text=True,
        env=environment,
        timeout=180,
    )
    return [float(word) for word in done.stdout.split()]
