"""Controllers: from a note's arrival to the engine's ring, while the interpreter never rests."""

from __future__ import annotations

import time

import numpy as np

from tools.bench_lines import RATE, line

_NOTES, _EVERY_S, _PADS = 1000, 0.004, 8


def controllers() -> None:
    """A scripted port through the reading process; this process is kept busy meanwhile."""
    from puddle.engine.engine import Engine
    from puddle.kit.model.document import Kit, Pad
    from puddle.midi.controller_map import ControllerMap, table_of
    from puddle.midi.link import Link, read_wish
    from puddle.midi.wishes import Came, Told

    pads = tuple(Pad(id=f"p{n}", name=f"p{n}", place=n) for n in range(_PADS))
    made = ControllerMap(way="rising", first=36)
    wish = read_wish(
        "Bench", made, table_of(made, Kit(name="", pads=pads), lambda pad: int(pad[1:]))
    )
    engine, told = Engine(RATE), list[Told]()
    link = Link(engine.sender.rings.handle, told.append)
    try:
        script = [(_EVERY_S * n, bytes([0x99, 36 + n % _PADS, 1 + n % 127])) for n in range(_NOTES)]
        link.play({"Bench": script})
        link.read(wish)
        end = time.monotonic() + 2.0 * _NOTES * _EVERY_S + 10.0
        while len(told) < _NOTES and time.monotonic() < end:
            sum(n * n for n in range(2000))
    finally:
        link.close()
    late = 1000.0 * np.array([c.done_s - c.at_s for c in told if isinstance(c, Came)])
    middle, most = np.quantile(late, (0.5, 0.99))
    line(
        f"{late.size} notes struck beside a busy interpreter",
        f"{middle:.2f} ms, 99th percentile {most:.2f}",
        "1 ms",
    )


def jitter_of(block: int, *, at_once: bool) -> tuple[float, float]:
    """Delay and its standard deviation, in ms, from a note's scripted time to its first sample.

    The simulated card plays blocks of so many frames while this process never rests.
    """
    from puddle.engine.devices import SimulatedDevice
    from puddle.engine.engine import Engine
    from puddle.kit.model.document import Kit, Pad, Sound
    from puddle.midi.controller_map import ControllerMap, table_of
    from puddle.midi.link import Link, read_wish
    from puddle.midi.wishes import Came, Told

    engine, told = Engine(RATE), list[Told]()
    kit = Kit(name="", pads=(Pad(id="p0", name="p0", place=0, sound=Sound()),))
    engine.set_kit(kit, {"p0": np.full((8, 2), 0.5, np.float32)}, None)
    engine.play_stamped_at_once(at_once)
    made = ControllerMap(way="rising", first=36)
    wish = read_wish("Bench", made, table_of(made, kit, engine.slots.slot))
    device = SimulatedDevice(engine, block, record=True)
    link = Link(engine.sender.rings.handle, told.append)
    rng = np.random.default_rng(block)
    times = np.cumsum(rng.uniform(0.03, 0.06, 200)) + 0.5
    try:
        link.play({"Bench": [(float(at), bytes([0x99, 36, 100])) for at in times]})
        link.read(wish)
        end = time.monotonic() + 40.0
        while len([c for c in told if isinstance(c, Came)]) < 200 and time.monotonic() < end:
            sum(n * n for n in range(2000))
        time.sleep(0.3)
    finally:
        link.close()
        device.close()
    played = device.recorded()[:, 0]
    loud = np.flatnonzero(np.abs(played) > 0.01)
    onsets = loud[np.diff(loud, prepend=-10_000) > 400] / RATE
    came = np.array([c.at_s for c in told if isinstance(c, Came)]) - device.began_s
    came = came[np.diff(came, prepend=-1.0) > (0.015 if not at_once else 2.0 * block / RATE)]
    if device.late_blocks or not len(came) > 100:
        raise RuntimeError("the simulated card, or the script, was held up")
    late = 1000.0 * (onsets[np.searchsorted(onsets, came)] - came)
    return float(late.mean()), float(late.std())


def strikes_in_time() -> None:
    """Jitter of strikes, by their stamps and without."""
    for block in (64, 256, 1024):
        mean, spread = jitter_of(block, at_once=False)
        _, before = jitter_of(block, at_once=True)
        line(
            f"strike to sound, {block} frames, beside a busy interpreter",
            f"{mean:.2f} ms, standard deviation {spread:.3f} (without stamps {before:.2f})",
            "0.3 ms",
        )


if __name__ == "__main__":
    controllers()
    strikes_in_time()
