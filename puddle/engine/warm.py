"""Compiles and caches every kernel, at set-up: ``python -m puddle.engine.warm``."""

from __future__ import annotations

import sys
import threading

from puddle.kernels.warmth import is_warm, note_warm, share_done
from puddle.parameter import changed


def warm_engine() -> None:
    """Compiles what an engine needs to be handed a kit, which the window does on its own thread."""
    import numpy as np

    from puddle.engine.devices import SimulatedDevice
    from puddle.engine.engine import Engine
    from puddle.kit.model.document import Bus, Hit, Kit, Lane, Master, Pad, Pattern, Sound, Stage
    from puddle.stages import PROCESSES, Branch, Gain

    kinds = [kind() for kind in PROCESSES if kind is not Branch]
    row = tuple(Stage(id=f"s{n}", process=kind) for n, kind in enumerate(kinds))
    blended = tuple(Stage(id=f"d{n}", process=kind, dry=40.0) for n, kind in enumerate(kinds))
    branch = Stage(id="b", process=Branch(stages=(Stage(id="i", process=Gain()),)))
    pads = tuple(
        Pad(id=f"p{n}", name="", place=n, sound=Sound(), bus="x", stages=stages)
        for n, stages in enumerate((row, blended, (branch,)))
    )
    pattern = Pattern(id="a", name="a", lanes=(Lane(pad="p0", hits=(Hit(at=0),)),))
    kit = Kit(
        name="",
        pads=pads,
        buses=(Bus(id="x", name="x", stages=row),),
        master=Master(stages=row),
        patterns=(pattern,),
    )
    engine = Engine(48000.0)
    for tempo in (120.0, 121.0):  # the second time over the first, as an edit does
        engine.set_kit(changed(kit, tempo_bpm=tempo), {}, pattern)
        engine.advance(np.zeros((64, 2), np.float32))
        engine.deliver(np.zeros((64, 2), np.float32))
        engine.deliver_outputs(np.zeros((64, 4), np.float32))
    SimulatedDevice(engine, 64).close()


def _warm_library() -> None:
    """Compiles what a library is searched with."""
    import numpy as np

    from puddle.kernels.nearness import city_block_among, folded
    from puddle.kernels.sieve import sieved
    from puddle.measure.likeness import WIDTH

    ids, lengths = np.arange(2), np.ones(2, np.float32)
    city_block_among(np.zeros((2, WIDTH), np.float32), ids, np.zeros(WIDTH, np.float32))
    folded(np.zeros((2, WIDTH), np.float32), ids, lengths, 1.0, 1.0, 1)
    figures, bins = np.zeros((2, 3), np.float32), np.zeros((3, 2), np.uint8)
    ends = np.zeros(2, np.float32)
    sieved(figures, bins, np.ones(3, np.bool_), ends, ends, ends > 0.0, 4)


def _warm_cutting() -> None:
    """Compiles what long recordings are looked at with."""
    import numpy as np

    from puddle.kernels.hit_ends import level_by_ms, outline_of, peaks_and_ends
    from puddle.measure.onsets import onsets

    onsets(np.random.default_rng(1).standard_normal((4800, 2)).astype(np.float32), 48000.0)
    levels, few, ends = np.zeros(8, np.float32), np.arange(1), np.zeros(1, np.int64)
    share, rooms, peaks = np.float32(0.1), np.zeros(1, np.float32), np.zeros(1, np.float32)
    peaks_and_ends(levels, few, few + 4, share, rooms, 2, peaks, ends)
    for channels in (1, 2):
        audio = np.zeros((64, channels), np.float32)
        level_by_ms(audio, 0, 8, levels, np.zeros(8, np.uint8))
        outline_of(audio, 8, levels, np.zeros(8, np.float32))


def warm() -> None:
    """Runs everything once, in the types in which it is used."""
    import numpy as np

    from puddle.engine.devices import SimulatedDevice
    from puddle.engine.engine import Engine
    from puddle.engine.mixer import callback
    from puddle.engine.offline import bounce, strike
    from puddle.kernels.jack_events import MEMORY, put_event
    from puddle.kit.model.document import Hit, Kit, Lane, Layer, Master, Pad, Pattern, Sound, Stage
    from puddle.measure.report import measured
    from puddle.render.samples import NoSamples
    from puddle.render.steps import converted
    from puddle.render.stretching import stretched
    from puddle.render.take import Takes
    from puddle.stages import PROCESSES
    from puddle.voices import STARTING_POINTS

    takes = Takes(NoSamples(), 48000.0)
    stages = tuple(Stage(id=f"s{n}", process=kind()) for n, kind in enumerate(PROCESSES))
    layers = tuple(
        Layer(id=f"l{n}", name="", source=points[name], offset_ms=0.33 * n)
        for n, points in enumerate(STARTING_POINTS.values())
        for name in points
    )
    pad = Pad(id="p", name="p", place=0, sound=Sound(layers=layers, stages=stages), tune_st=1.0)
    pattern = Pattern(id="a", name="a", lanes=(Lane(pad="p", hits=(Hit(at=0),)),))
    kit = Kit(name="", pads=(pad,), master=Master(stages=stages), patterns=(pattern,))
    audio = strike(pad, takes, 100.0)
    bounce(kit, pattern, 1, takes)
    converted(audio[:2000], 44100.0, 48000.0, 1.1)
    stretched(audio[:9600], 48000.0, 1.1, [480], 20.0)
    measured(audio, 48000.0)
    put_event(np.zeros(MEMORY, np.int64), 0, 0, 0)
    measured(audio[:, :1], 48000.0)
    _warm_library()
    _warm_cutting()
    engine = Engine(48000.0)
    engine.advance(np.zeros((64, 2), np.float32))
    engine.deliver(np.zeros((64, 2), np.float32))
    engine.deliver_outputs(np.zeros((64, 4), np.float32))
    engine.levels()
    engine.master_peaks()
    SimulatedDevice(engine, 64).close()
    callback.address  # noqa: B018  compiled when it is imported
    note_warm()


def warm_aloud() -> None:
    """The same where nobody has a window to see: says on stderr what takes so long, and how far."""
    if is_warm():
        return
    done = threading.Event()

    def tell() -> None:
        while not done.wait(2.0):
            print(f"\r  {100.0 * share_done():.0f} %", end="", file=sys.stderr, flush=True)

    print(
        "Puddle compiles its sound engine, once on this machine: a minute or two ...",
        file=sys.stderr,
        flush=True,
    )
    teller = threading.Thread(target=tell, name="puddle-told", daemon=True)
    if sys.stderr.isatty():
        teller.start()
    try:
        warm()
    finally:
        done.set()
    print("\r  done", file=sys.stderr)


if __name__ == "__main__":
    warm()
