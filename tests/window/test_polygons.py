"""Polygons out of arrays hold the arrays' points."""

import unittest

import numpy as np

from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.time_axis import TimeAxis


class Polygons(unittest.TestCase):
    def test_points_in_their_order(self) -> None:
        rng = np.random.default_rng(1)
        for count in (0, 1, 7, 3000):
            xs, ys = rng.standard_normal(count), rng.standard_normal(count)
            made = polygon(xs, ys)
            self.assertEqual(len(made), count)
            found = [(point.x(), point.y()) for point in made]
            self.assertEqual(found, list(zip(xs.tolist(), ys.tolist(), strict=True)))

    def test_float32_and_strided_arrays(self) -> None:
        wide = np.arange(12, dtype=np.float32).reshape(6, 2)
        made = polygon(wide[::-1, 0], wide[:, 1])
        self.assertEqual((made[0].x(), made[0].y()), (10.0, 1.0))
        self.assertEqual((made[5].x(), made[5].y()), (0.0, 11.0))


class Axes(unittest.TestCase):
    def test_a_length_that_changes_a_little_moves_nothing(self) -> None:
        axis = TimeAxis()
        axis.set_whole(1861.0)
        told: list[float] = []
        axis.changed.connect(lambda: told.append(axis.last_ms))
        for length in (1862.0, 1899.0, 1851.0):
            axis.set_whole(length)
            self.assertGreaterEqual(axis.last_ms, length)
        self.assertEqual(told, [])
        axis.set_whole(1901.0)
        self.assertEqual(len(told), 1)
