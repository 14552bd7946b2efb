"""Speed: a line for each budget, with the median of what was measured on this machine.

``make bench``. Ours and a C++ effects library's runs alternate, so that a busy machine is busy for
both; where that library is not installed, ours runs alone.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

RATE = 48000.0


def timed(work: Callable[[], object], runs: int = 15) -> float:
    """The median in ms, after two runs that are not counted."""
    times = []
    for n in range(runs + 2):
        start = time.perf_counter()
        work()
        if n >= 2:
            times.append(1000.0 * (time.perf_counter() - start))
    return statistics.median(times)


def line(what: str, found: str, budget: str) -> None:
    """Prints one line."""
    print(f"{what:52} {found:34} budget: {budget}", flush=True)


def voices() -> None:
    """Every starting point, per second of sound."""
    from puddle.voices import STARTING_POINTS

    for kind, points in STARTING_POINTS.items():
        for name, voice in points.items():
            seconds = len(voice.render(RATE, 1.0)) / RATE
            ms = timed(lambda voice=voice: voice.render(RATE, 1.0), 7)
            budget = 15 if kind.noun in ("cymbal", "membrane", "bar") else 5
            line(f"voice {kind.noun}: {name}", f"{ms / seconds:.2f} ms per s", f"{budget} ms per s")


def moved_control() -> None:
    """The demo's kick, one parameter of one voice moved each time."""
    from puddle.demo.raingauge import demo_kit
    from puddle.formats.store import SampleStore
    from puddle.kit import edits
    from puddle.render.take import Takes

    with tempfile.TemporaryDirectory() as folder:
        store = SampleStore(Path(folder))
        kit = demo_kit(store)
        takes = Takes(store, RATE)
        takes.sound(kit.pads[0].sound)
        step = [0]

        def again() -> None:
            step[0] += 1
            moved = edits.set_source(kit, "pad1", "layer1", end_hz=43.0 + 0.01 * step[0])
            takes.sound(moved.pads[0].sound)

        line(
            "a moved control of the demo's three-layer kick", f"{timed(again, 25):.2f} ms", "10 ms"
        )


def stages() -> None:
    """One second of stereo noise, in pairs with the library."""
    from puddle.stages import PROCESSES, Compressor, Equalizer, Limiter, Process

    rng = np.random.default_rng(0)
    x = (0.3 * rng.standard_normal((48000, 2))).astype(np.float32)
    equalizer = Equalizer(
        low_cut_on=True, low_shelf_db=3, bell1_db=4, bell2_db=-5, bell3_db=2, high_shelf_db=3
    )
    board = _library()
    cases: list[tuple[str, Process, Any, str]] = [
        ("equalizer, six bands", equalizer, board and board["equalizer"], "half the library's"),
        ("compressor", Compressor(), board and board["compressor"], "half the library's"),
        ("limiter, true peak", Limiter(ceiling_db=-6), board and board["limiter"], "none yet"),
    ]
    planes = np.ascontiguousarray(x.T)
    for name, process, other, budget in cases:
        theirs = other and partial(other, planes, RATE, reset=True)
        found = _in_pairs(partial(_bare, process, x), theirs)
        line(f"stage {name}, 1 s stereo", found, budget)
    for kind in PROCESSES:
        if not isinstance(kind(), (Equalizer, Compressor, Limiter)):
            ms = timed(lambda kind=kind: _bare(kind(), x), 7)
            line(f"stage {kind.noun}, 1 s stereo", f"{ms:.2f} ms", "none yet")
    _whole_chain(equalizer, x, planes, board)


def stretching() -> None:
    """A hit of one second made twice as long at the same pitch."""
    from puddle.measure.onsets import onsets
    from puddle.render.stretching import stretched

    rng = np.random.default_rng(0)
    fall = np.exp(-np.arange(48000) / 9600)[:, None]
    x = (0.3 * fall * rng.standard_normal((48000, 2))).astype(np.float32)
    ms = timed(lambda: stretched(x, RATE, 2.0, onsets(x, RATE), 20.0), 7)
    line("one second stretched to two", f"{ms:.0f} ms", "none yet")


def _whole_chain(equalizer: Any, x: np.ndarray, planes: np.ndarray, board: Any) -> None:
    """Equalizer, compressor, saturator, plate and limiter in a row, against the library's."""
    from puddle.stages import Compressor, Limiter, Reverb, Saturator

    chain = (equalizer, Compressor(), Saturator(), Reverb(), Limiter(ceiling_db=-6))

    def whole() -> None:
        y = x
        for process in chain:
            y = _bare(process, y)

    theirs = board and partial(board["chain"], planes, RATE, reset=True)
    line("the whole chain, 1 s stereo", _in_pairs(whole, theirs), "the library's")


def _in_pairs(ours: Callable[[], Any], theirs: Callable[[], Any] | None) -> str:
    """Medians of both, run in turns so that a slow moment falls on both, and of their ratios."""
    own, other = [], []
    for n in range(17):
        start = time.perf_counter()
        ours()
        middle = time.perf_counter()
        if theirs is not None:
            theirs()
        end = time.perf_counter()
        if n >= 2:
            own.append(1000 * (middle - start))
            other.append(1000 * (end - middle))
    found = f"{statistics.median(own):.2f} ms"
    if theirs is not None:
        ratio = statistics.median(t / o for o, t in zip(own, other, strict=True))
        found += f", library {statistics.median(other):.2f} ms ({ratio:.1f} x)"
    return found


def _bare(process: Any, x: np.ndarray) -> np.ndarray:
    """A stage over a copy of the audio, without a tail."""
    from puddle.kernels.blocks import run_stage

    y = x.copy()
    run_stage(process.entry(), np.zeros(process.cells(RATE)), process.coefficients(RATE), y)
    return y


def _library() -> dict[str, Any] | None:
    try:
        import pedalboard as p
    except ImportError:
        return None
    bands = [
        p.HighpassFilter(30),
        p.LowShelfFilter(100, 3),
        p.PeakFilter(110, 4),
        p.PeakFilter(350, -5),
        p.PeakFilter(1200, 2),
        p.HighShelfFilter(7000, 3),
    ]
    return {
        "equalizer": p.Pedalboard(bands),
        "compressor": p.Pedalboard([p.Compressor(-18, 4, 12, 90)]),
        "limiter": p.Pedalboard([p.Limiter(-6, 60)]),
        "chain": p.Pedalboard(
            [
                *bands,
                p.Compressor(-18, 4, 12, 90),
                p.Distortion(9),
                p.Reverb(0.5),
                p.Limiter(-6, 60),
            ]
        ),
    }


def live() -> None:
    """128 voices, four buses with equalizer and compressor, a limiter; blocks of 128 frames."""
    from puddle.engine.engine import Engine
    from puddle.kit.document import Bus, Kit, Master, Pad, Sound, Stage
    from puddle.stages import Compressor, Equalizer, Limiter

    rng = np.random.default_rng(0)
    take = (0.02 * rng.standard_normal((48000 * 30, 2))).astype(np.float32)
    chain = (
        Stage(
            id="e",
            process=Equalizer(
                low_cut_on=True,
                low_shelf_db=2,
                bell1_db=3,
                bell2_db=-3,
                bell3_db=2,
                high_shelf_db=2,
            ),
        ),
        Stage(id="c", process=Compressor(threshold_db=-24)),
    )
    buses = tuple(Bus(id=f"b{n}", name=f"b{n}", stages=chain) for n in range(4))
    master = Master(stages=(Stage(id="l", process=Limiter(ceiling_db=-1)),))
    for tune, what in ((0.0, "rate 1"), (0.37, "gliding")):
        pads = tuple(
            Pad(id=f"p{n}", name="", place=n, sound=Sound(), bus=f"b{n % 4}", tune_st=tune)
            for n in range(128)
        )
        engine = Engine(RATE)
        engine.set_kit(
            Kit(name="", pads=pads, buses=buses, master=master), {p.id: take for p in pads}, None
        )
        for n in range(128):
            engine.strike(n, 100)
        out = np.zeros((128, 2), np.float32)
        shares = []
        for n in range(6000):
            start = time.perf_counter()
            engine.advance(out)
            if n > 200:
                shares.append((time.perf_counter() - start) / (128 / RATE))
        median, late = (100 * float(np.quantile(shares, q)) for q in (0.5, 0.99))
        line(
            f"live, 128 voices at {what}, 4 buses, limiter",
            f"{median:.1f} %, 99th {late:.1f} % of a core",
            "10 %, 15 % (with reverbs)",
        )


def bounce() -> None:
    """The demo's groove with stems."""
    from puddle.demo.raingauge import demo_kit
    from puddle.engine.offline import bounce as run
    from puddle.formats.store import SampleStore
    from puddle.render.take import Takes

    with tempfile.TemporaryDirectory() as folder:
        store = SampleStore(Path(folder))
        kit = demo_kit(store)
        takes = Takes(store, RATE)
        seconds = len(run(kit, kit.patterns[0], 8, takes).master) / RATE
        ms = timed(lambda: run(kit, kit.patterns[0], 8, takes), 5)
        line(
            "bounce of the demo's groove with stems",
            f"{1000 * seconds / ms:.0f} x real time",
            "25 x",
        )


def hour() -> None:
    """An hour of the demo's groove with a level moved and a take made anew every second."""
    import resource

    from puddle.demo.raingauge import demo_kit
    from puddle.engine.engine import Engine
    from puddle.formats.store import SampleStore
    from puddle.kit import edits
    from puddle.render.take import Takes

    def now_mib() -> float:
        pages = int(Path("/proc/self/statm").read_text().split()[1])
        return pages * resource.getpagesize() / (1 << 20)

    with tempfile.TemporaryDirectory() as folder:
        store = SampleStore(Path(folder))
        kit = demo_kit(store)
        takes = Takes(store, RATE, most_bytes=64 << 20)
        engine = Engine(RATE)
        out = np.zeros((128, 2), np.float32)
        audio = {pad.id: takes.sound(pad.sound).audio for pad in kit.pads}
        engine.set_kit(kit, audio, kit.patterns[0])
        engine.play()
        settled = 0.0
        for second in range(3600):
            moved = edits.set_bus(kit, kit.buses[0].id, level_db=-float(second % 7))
            moved = edits.set_source(moved, "pad1", "layer1", end_hz=43.0 + 0.01 * (second % 500))
            audio = {**audio, "pad1": takes.sound(moved.pads[0].sound).audio}
            engine.set_kit(moved, audio, moved.patterns[0])
            for _ in range(375):
                engine.advance(out)
            if second == 600:
                settled = now_mib()
        grown = now_mib() - settled
        line("an hour of playing and editing, after ten minutes", f"{grown:+.1f} MiB", "no growth")


def start() -> None:
    """From the command to a painted window, and to the first strike's take."""
    code = (
        "import time, os, sys; t = float(sys.argv[1])\n"
        "from puddle.window.app import make_shell, show_first\n"
        "from puddle.window.settings import Settings\n"
        "from PyQt6.QtWidgets import QApplication\n"
        "s = make_shell(Settings(device='Simulated sound card'))\n"
        "s.session.background.workers.hold(); s.session.open_demo(); seen = []\n"
        "s.first_painted.connect(lambda: seen.append(time.time() - t)); show_first(s)\n"
        "while not seen: QApplication.processEvents()\n"
        "painted = seen[0]\n"
        "while 'pad1' not in s.session.renders.audio: QApplication.processEvents()\n"
        "while s.session.player.engine is None: QApplication.processEvents()\n"
        "QApplication.processEvents(); s.session.strike('pad1', 127)\n"
        "while max(s.session.player.master_peaks()) < 0.01: time.sleep(0.001)\n"
        "print(painted, time.time() - t)\n"
        "s.session.history.mark_saved(s.session.kit); s.close()\n"
    )
    with tempfile.TemporaryDirectory() as home:
        runs = [_run_in_window(code, home, str(time.time())) for _ in range(6)][1:]
    painted, heard = (statistics.median(run[n] for run in runs) for n in (0, 1))
    line("start, warm: painted", f"{painted:.2f} s", "0.8 s")
    line("start, warm: first strike heard", f"{heard:.2f} s", "2.5 s")


def window() -> None:
    """What the window's thread costs, ringing and idle."""
    code = (
        "import time\n"
        "from puddle.window.app import make_shell, settle\n"
        "from puddle.window.settings import Settings\n"
        "from PyQt6.QtWidgets import QApplication\n"
        "s = make_shell(Settings(device='Simulated sound card', block=512))\n"
        "s.session.open_demo(); s.show(); settle(s); s.session.player.open()\n"
        "from PyQt6.QtCore import QTimer\n"
        "app = QApplication.instance()\n"
        "def ring():\n"
        "    for p in s.session.kit.pads: s.session.strike(p.id, 90)\n"
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
        "from puddle.window.settings import Settings\n"
        "from puddle.kit import edits, rows\n"
        "from puddle.kit.rows import RowPath\n"
        "from puddle.stages import PROCESSES\n"
        "from PyQt6.QtWidgets import QApplication\n"
        "s = make_shell(Settings(device='Simulated sound card', block=512)); app = QApplication\n"
        "from puddle.window.app import show_first\n"
        "s.session.background.workers.hold(); s.session.open_demo(); show_first(s)\n"
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
        "            for pad in s.session.kit.pads: s.session.strike(pad.id, 90)\n"
        "        timed(lambda: gauge.moved.emit(p.at(0.3 + 0.4 * n / 60)))\n"
        "        end = time.perf_counter() + 0.016\n"
        "        while time.perf_counter() < end:\n"
        "            turn(); time.sleep(0.001)\n"
        "    gauge.settled.emit()\n"
        "s.session.select_layer('layer1'); page.choose_tab('Source')\n"
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
    """Opening 96 pads of twelve samples each in the running window."""
    from puddle.formats.kitfile import save_kit
    from puddle.formats.sound import decoded_sound, wav_bytes
    from puddle.formats.store import SampleStore
    from puddle.kit.document import Kit, Layer, Pad, Sample, Sound

    code = (
        "import sys, time\n"
        "from pathlib import Path\n"
        "from puddle.window.app import make_shell, show_first\n"
        "from puddle.window.settings import Settings\n"
        "from PyQt6.QtWidgets import QApplication\n"
        "s = make_shell(Settings(device='Simulated sound card')); show_first(s)\n"
        "def until(done):\n"
        "    while not done(): QApplication.processEvents(); time.sleep(0.001)\n"
        "until(lambda: s.session.player.engine is not None)\n"
        "t = time.time(); s.session.open_soon(Path(sys.argv[1]))\n"
        "until(lambda: 'pad1' in s.session.renders.audio); first = time.time() - t\n"
        "until(lambda: s.session.renders.ready(s.session.kit)); print(first, time.time() - t)\n"
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
                source = Sample(content=content.hash, end_ms=content.length_ms)
                layers.append(Layer(id=f"layer{k + 1}", name=f"{k}", source=source))
            sound = Sound(layers=tuple(layers))
            pads.append(Pad(id=f"pad{p + 1}", name=f"{p}", place=p, sound=sound))
        path = Path(home) / "large.puddle"
        save_kit(path, Kit(name="large", pads=tuple(pads), contents=tuple(contents)), store)
        runs = [_run_in_window(code, home, str(path)) for _ in range(5)][1:]
    first, whole = (statistics.median(run[n] for run in runs) for n in (0, 1))
    line("a kit of 1,152 samples: first pad playable", f"{first:.2f} s", "0.5 s")
    line("a kit of 1,152 samples: all", f"{whole:.2f} s", "3 s")


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


def comparing() -> None:
    """What follows a drag on Shape and on Compare, an alignment, and a switch of what is heard."""
    from puddle.demo.raingauge import demo_kit
    from puddle.formats.store import SampleStore
    from puddle.kit import edits
    from puddle.measure.alignment import alignment
    from puddle.measure.comparing import Figures
    from puddle.render.cache import RenderCache
    from puddle.render.take import Takes
    from puddle.window.comparison import of_sounds
    from puddle.window.views import SoundView, sound_view

    with tempfile.TemporaryDirectory() as folder:
        store = SampleStore(Path(folder))
        kit = demo_kit(store)
        takes = Takes(store, RATE)
        known: RenderCache[Figures] = RenderCache(128, lambda _: 1)
        seen: list[SoundView | None] = [None]
        step = [0]

        def moved() -> Any:
            step[0] += 1
            after = edits.set_source(kit, "pad1", "layer1", end_hz=43.0 + 0.01 * step[0])
            takes.sound(after.pads[0].sound)  # the ear's part is a line of its own
            return after.pads[0].sound

        def look() -> float:
            sound = moved()
            start = time.perf_counter()
            seen[0] = sound_view(takes, sound, seen[0])
            return 1000.0 * (time.perf_counter() - start)

        def compare() -> float:
            sound = moved()
            start = time.perf_counter()
            of_sounds(takes, sound, kit.pads[13].sound, known, whole=False)
            return 1000.0 * (time.perf_counter() - start)

        for what, work in (("agreement, spectra and figures", look), ("a comparison", compare)):
            ms = statistics.median([work() for _ in range(22)][2:])
            line(f"{what} after a moved control", f"{ms:.1f} ms", "50 ms")
        sound = kit.pads[0].sound
        four = edits.copy_layers(kit, "pad1", sound.layers[:1]).pads[0].sound
        parts = [takes.placed(four, layer) for layer in four.layers]
        rest = np.zeros((max(len(p) for p in parts), 2), np.float32)
        for part in parts[1:]:
            rest[: len(part)] += part
        ms = timed(lambda: alignment(rest, parts[0], RATE), 9)
        line("align in a sound of four layers", f"{ms:.0f} ms", "200 ms")
    switch()


def switch() -> None:
    """From the key until the engine crosses over to what was heard before."""
    code = (
        "import time\n"
        "from puddle.window.app import make_shell, settle\n"
        "from puddle.window.settings import Settings\n"
        "from puddle.kit import edits\n"
        "from PyQt6.QtWidgets import QApplication\n"
        "s = make_shell(Settings(device='Simulated sound card', block=128)); app = QApplication\n"
        "s.session.open_demo(); s.show(); settle(s); s.session.player.open()\n"
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


def measures() -> None:
    """Everything that `inspect` prints, on one second."""
    from puddle.measure.pitch import fundamental
    from puddle.measure.report import measured
    from puddle.voices import Kick

    audio = Kick(decay_ms=600.0).render(RATE, 1.0)
    line("fundamental of a 1 s kick", f"{timed(lambda: fundamental(audio, RATE), 7):.1f} ms", "-")
    line("all measures of a 1 s kick", f"{timed(lambda: measured(audio, RATE), 5):.1f} ms", "-")


def main() -> None:
    """Every line."""
    moved_control()
    stages()
    stretching()
    live()
    bounce()
    hour()
    start()
    large_kit()
    window()
    held()
    comparing()
    measures()
    voices()


if __name__ == "__main__":
    main()
