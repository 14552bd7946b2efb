"""The grid of drops: whatever was done to it, it looks like one that is drawn anew."""

import os
import random
import unittest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QEvent
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication

from puddle.kit.edits.hits import Spot, spots_of, taken_out, with_each
from puddle.kit.model.document import Kit, Pad
from puddle.kit.model.pattern import Hit, Lane, Pattern
from puddle.parameter import changed
from puddle.views.pattern import Rows, pattern_view
from puddle.window import theme
from puddle.window.app import make_app
from puddle.window.widgets.drop_grid import DropGrid

_LANES, _STEPS = 14, 32


def dense(rng: random.Random) -> tuple[Kit, Pattern]:
    """Many lanes with chances, rolls and flams."""
    pads = tuple(Pad(id=f"p{n}", name=f"Pad {n}", place=n) for n in range(_LANES))

    def hit(step: int) -> Hit:
        return Hit(
            at=float(step),
            velocity=rng.randint(1, 127),
            chance=rng.choice((100.0, 100.0, 40.0)),
            roll=rng.choice((1, 1, 3)),
        )

    lanes = tuple(
        Lane(pad=pad.id, hits=tuple(hit(step) for step in range(_STEPS) if rng.random() < 0.5))
        for pad in pads
    )
    return Kit(name="", pads=pads), Pattern(id="a", name="A", length=_STEPS, lanes=lanes)


class Looks(unittest.TestCase):
    def setUp(self) -> None:
        self.app = make_app()
        theme.apply(self.app, "day")
        self.addCleanup(theme.apply, self.app, "day")
        self.rng = random.Random(3)
        self.kit, self.pattern = dense(self.rng)
        self.chosen, self.rows = "p3", Rows()
        self.grid = self.made()
        self.show_in(self.grid)

    def made(self) -> DropGrid:
        grid = DropGrid()
        grid.resize(900, 300)
        grid.show()
        self.addCleanup(self.dropped, grid)
        return grid

    def dropped(self, grid: DropGrid) -> None:
        grid.close()
        grid.deleteLater()
        QApplication.sendPostedEvents(grid, QEvent.Type.DeferredDelete)

    def show_in(self, grid: DropGrid, rows: Rows | None = None) -> None:
        view = pattern_view(self.kit, self.pattern, 120.0, lambda *_: True, rows or self.rows)
        grid.show_view(view, self.chosen)

    def on_screen(self) -> QImage:
        """What stands in the window after what was painted in parts, one over another."""
        QApplication.processEvents()
        screen = self.app.primaryScreen()
        assert screen is not None
        return screen.grabWindow(self.grid.winId()).toImage()

    def drawn_anew(self) -> QImage:
        fresh, old = self.made(), self.grid
        self.show_in(fresh, Rows())
        fresh.show_span(old.first_beat, old.shown_beats)
        fresh.scroll_px, fresh.selected = old.scroll_px, old.selected
        fresh.playhead = old.playhead
        fresh.forget()
        return fresh.grab().toImage()

    def change(self) -> str:
        """One thing that a person, or the groove, does to it."""
        spots = spots_of(self.pattern)
        what = self.rng.choice(
            ("play", "play", "select", "take", "louder", "pad", "scroll", "zoom", "theme", "play")
        )
        if what == "play":
            self.grid.show_playhead(self.rng.choice((None, *range(8))))
        elif what == "select":
            self.grid.select(frozenset(self.rng.sample(spots, 12)))
        elif what == "take":
            self.pattern = taken_out(self.pattern, self.rng.sample(spots, 2))
        elif what == "louder":
            self.pattern = with_each(
                self.pattern, self.rng.sample(spots, 3), lambda hit: changed(hit, velocity=127)
            )
        elif what == "pad":
            self.chosen = self.rng.choice(self.kit.pads).id
        elif what == "scroll":
            self.grid.scroll_px = self.rng.uniform(0.0, self.grid.most_scroll())
            self.grid.forget()
        elif what == "zoom":
            self.grid.show_span(self.rng.choice((0.0, 2.0)), self.rng.choice((4.0, 5.5)))
            self.grid.forget()
        else:
            theme.apply(self.app, self.rng.choice(("day", "night")))
            self.grid.forget()
        self.show_in(self.grid)
        return what

    def test_like_one_that_is_drawn_anew(self) -> None:
        done = []
        for _ in range(60):
            done.append(self.change())
            self.assertEqual(self.on_screen(), self.drawn_anew(), done)
        self.assertGreater(len(set(done)), 6)

    def test_rings_reach_into_the_rows_beside(self) -> None:
        """Rows lie close: of a loud hit's arc nothing is cut off."""
        loud = Hit(at=4.0, velocity=127, chance=95.0)
        self.pattern = Pattern(id="a", name="A", length=16, lanes=(Lane(pad="p5", hits=(loud,)),))
        self.show_in(self.grid)
        with_it = self.on_screen()
        row = self.grid.row_rect(5)
        self.pattern = taken_out(self.pattern, [Spot("p5", 4.0)])
        self.show_in(self.grid)
        without = self.on_screen()
        rows = [
            y
            for y in range(with_it.height())
            if any(with_it.pixel(x, y) != without.pixel(x, y) for x in range(with_it.width()))
        ]
        self.assertLess(rows[0], row.top())
        self.assertGreater(rows[-1], row.bottom() - 1)
        self.assertAlmostEqual(row.center().y() - rows[0], rows[-1] + 1 - row.center().y(), delta=1)


if __name__ == "__main__":
    unittest.main()
