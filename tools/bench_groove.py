"""Speed of Groove: drawing, events, and takes of single hits' own values."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

import numpy as np

from tools.bench_lines import RATE, line, timed


def _dense() -> tuple[object, object]:
    """64 steps by 48 lanes, half of the steps struck, from a seed."""
    from puddle.kit.model.document import Hit, Kit, Lane, Pad, Pattern

    chance = np.random.default_rng(1)
    pads = tuple(Pad(id=f"p{n}", name=f"Pad {n}", place=n) for n in range(48))

    def hits() -> tuple[Hit, ...]:
        return tuple(
            Hit(
                at=float(k),
                velocity=int(chance.integers(20, 127)),
                chance=float(chance.choice([100.0, 50.0])),
                roll=int(chance.choice([1, 1, 1, 3])),
            )
            for k in range(64)
            if chance.random() < 0.5
        )

    lanes = tuple(Lane(pad=pad.id, hits=hits()) for pad in pads)
    return Kit(name="", pads=pads), Pattern(id="a", name="A", length=64, lanes=lanes)


def drawing() -> None:
    """The grid of 64 steps by 48 lanes at 1640 by 1200 pixels."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtWidgets import QApplication

    from puddle.kit.edits.hits import Spot, taken_out
    from puddle.views.pattern import Rows, pattern_view
    from puddle.window import theme
    from puddle.window.widgets.drop_grid import DropGrid

    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    theme.apply(app, "day")
    kit, pattern = _dense()
    rows, grid = Rows(), DropGrid()
    grid.resize(1640, 1200)

    def show(shown: object) -> None:
        view = pattern_view(kit, shown, 120.0, lambda *_: True, rows)  # type: ignore[arg-type]
        grid.show_view(view, "p3")

    show(pattern)
    grid.show()
    app.processEvents()

    def whole() -> None:
        grid.forget()
        grid.repaint()

    line("Groove: the whole grid, 64 steps by 48 lanes", f"{timed(whole):.1f} ms", "8 ms")
    spans = [(0.0, 15.0), (0.0, 16.0)]

    def zoomed() -> None:
        spans.reverse()
        grid.show_span(*spans[0])
        whole()

    line("... zoomed, every row drawn anew", f"{timed(zoomed):.1f} ms", "a frame")
    first = pattern.lanes[3].hits[0]  # type: ignore[attr-defined]
    other = taken_out(pattern, [Spot("p3", first.at)])  # type: ignore[arg-type]
    states = [pattern, other]

    def step() -> None:
        states.reverse()
        show(states[0])
        grid.repaint()

    line("Groove: a step edited, view and picture", f"{timed(step):.1f} ms", "a frame")
    beats = iter(np.arange(0.0, 16.0, 0.25).tolist() * 4)

    def playhead() -> None:
        grid.show_playhead(next(beats))
        app.processEvents()

    line("Groove: the playhead one step on", f"{timed(playhead):.2f} ms", "1 ms")


def events() -> None:
    """What is reckoned when a step of a dense pattern with chance is edited while it plays."""
    from puddle.engine.engine import Engine

    kit, pattern = _dense()
    engine = Engine(RATE)
    engine.set_kit(kit, {}, pattern)  # type: ignore[arg-type]
    engine.play()
    engine.advance(np.zeros((4800, 2), np.float32))
    ms = timed(lambda: engine._publish([engine._events(kit, None)]), 9)  # type: ignore[arg-type]
    line("Groove: 128 beats of such a pattern sent anew", f"{ms:.1f} ms", "a frame")


def own_values() -> None:
    """A pattern of 128 steps whose every step has a decay of its own."""
    from puddle.demo.raingauge import demo_kit
    from puddle.engine.offline import bounce
    from puddle.formats.store import SampleStore
    from puddle.kit.model.address import Address
    from puddle.kit.model.document import Hit, Lane, OwnValue, Pattern
    from puddle.render.take import Takes

    with tempfile.TemporaryDirectory() as folder:
        store = SampleStore(Path(folder))
        kit = demo_kit(store)
        takes = Takes(store, RATE)
        bounce(kit, kit.patterns[0], 1, takes)
        pad = kit.pads[1]
        tune = Address(of="sound", pad=pad.id, field="start_ms")
        hits = tuple(Hit(at=n, values=(OwnValue(address=tune, value=0.1 * n),)) for n in range(128))
        pattern = Pattern(
            id="x", name="X", length=128, grid="1/32", lanes=(Lane(pad=pad.id, hits=hits),)
        )
        start = time.perf_counter()
        bounce(kit, pattern, 1, takes)
        seconds = time.perf_counter() - start
    line("Groove: 128 steps with own values, takes and bounce", f"{seconds:.2f} s", "2 s")


def groove() -> None:
    """Every line."""
    drawing()
    events()
    own_values()


if __name__ == "__main__":
    groove()
