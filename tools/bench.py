"""Speed: a line for each budget, with the median of what was measured on this machine.

``make bench``. Ours and a C++ effects library's runs alternate, so that a busy machine is busy for
both; where that library is not installed, ours runs alone.
"""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tools.bench_cut import cut
from tools.bench_deliver import deliver
from tools.bench_groove import groove
from tools.bench_lines import RATE, line, timed
from tools.bench_midi import controllers, strikes_in_time
from tools.bench_window import held, large_kit, pages, start, strike, switch, window

if TYPE_CHECKING:
    from puddle.kit.model.document import Kit


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

        line("a moved control of the demo's three-layer kick", f"{timed(again, 25):.2f} ms", "5 ms")


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
        ("equalizer, six bands", equalizer, board and board["equalizer"], "the library's / 2.5"),
        ("compressor", Compressor(), board and board["compressor"], "the library's / 2.5"),
        ("limiter, true peak", Limiter(ceiling_db=-6), board and board["limiter"], "the library's"),
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
    line("the whole chain, 1 s stereo", _in_pairs(whole, theirs), "the library's / 1.2")


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
    """128 voices, buses with equalizer and compressor, a limiter; rooms and delays too."""
    from puddle.kit.model.bus import SendTo
    from puddle.kit.model.document import Bus, Kit, Master, Pad, Sound, Stage
    from puddle.stages import Compressor, Delay, Equalizer, Limiter, Reverb

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
        _live(
            f"live, 128 voices at {what}, 4 buses, limiter",
            Kit(name="", pads=pads, buses=buses, master=master),
            "9 %, 13 %",
        )
    sends = tuple(SendTo(bus=f"r{n}") for n in range(5))
    mixed = tuple(Bus(id=f"b{n}", name=f"b{n}", stages=chain, sends=sends) for n in range(8))
    rooms = tuple(
        Bus(id=f"r{n}", name=f"r{n}", stages=(Stage(id="r", process=process),))
        for n, process in enumerate(
            (Reverb(kind="room"), Reverb(), Reverb(kind="metal"), Delay(), Delay())
        )
    )
    pads = tuple(
        Pad(id=f"p{n}", name="", place=n, sound=Sound(), bus=f"b{n % 8}") for n in range(128)
    )
    _live(
        "live, 128 voices, 8 buses, 3 reverbs, 2 delays, limiter",
        Kit(name="", pads=pads, buses=(*mixed, *rooms), master=master),
        "10 %, 15 %",
    )


def _live(what: str, kit: Kit, budget: str) -> None:
    """What each pad of a kit struck once costs, in blocks of 128 frames."""
    from puddle.engine.engine import Engine

    rng = np.random.default_rng(0)
    take = (0.02 * rng.standard_normal((48000 * 30, 2))).astype(np.float32)
    engine = Engine(RATE)
    engine.set_kit(kit, {pad.id: take for pad in kit.pads}, None)
    for n in range(len(kit.pads)):
        engine.strike(n, 100)
    out = np.zeros((128, 2), np.float32)
    shares = []
    for n in range(6000):
        start = time.perf_counter()
        engine.advance(out)
        if n > 200:
            shares.append((time.perf_counter() - start) / (128 / RATE))
    median, late = (100 * float(np.quantile(shares, q)) for q in (0.5, 0.99))
    line(what, f"{median:.1f} %, 99th {late:.1f} % of a core", budget)


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
            "60 x",
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


def comparing() -> None:
    """What follows a drag on Shape and on Compare, an alignment, and a switch of what is heard."""
    from puddle.demo.raingauge import demo_kit
    from puddle.formats.store import SampleStore
    from puddle.kit import edits
    from puddle.measure.alignment import alignment
    from puddle.measure.comparing import Figures
    from puddle.render.cache import RenderCache
    from puddle.render.take import Takes
    from puddle.views.comparison import of_sounds
    from puddle.views.sound import SoundView, sound_view

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


def measures() -> None:
    """Everything that `inspect` prints, on one second."""
    from puddle.measure.onsets import onsets
    from puddle.measure.pitch import fundamental
    from puddle.measure.report import measured
    from puddle.voices import Kick, Snare

    audio = Kick(decay_ms=600.0).render(RATE, 1.0)
    line("fundamental of a 1 s kick", f"{timed(lambda: fundamental(audio, RATE), 7):.1f} ms", "-")
    line("all measures of a 1 s kick", f"{timed(lambda: measured(audio, RATE), 5):.1f} ms", "-")
    hit = Snare().render(RATE, 1.0)
    line("a file of 0.4 s measured", f"{timed(lambda: measured(hit, RATE), 9):.1f} ms", "12 ms")
    line("onsets of 1 s", f"{timed(lambda: onsets(audio, RATE), 9):.1f} ms", "none yet")


def main() -> None:
    """Every line."""
    moved_control()
    stages()
    stretching()
    live()
    bounce()
    groove()
    cut()
    controllers()
    strikes_in_time()
    deliver()
    hour()
    start()
    large_kit()
    strike()
    window()
    pages()
    held()
    comparing()
    measures()
    voices()


if __name__ == "__main__":
    main()
