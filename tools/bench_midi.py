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


if __name__ == "__main__":
    controllers()
