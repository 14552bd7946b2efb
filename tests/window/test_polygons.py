"""Polygons out of arrays hold the arrays' points; lines are as thick as they are asked for."""

import math
import unittest

import numpy as np
from PyQt6.QtGui import QColor, QImage, QPainter

from puddle.window.app import make_app
from puddle.window.widgets.polygons import polygon, under
from puddle.window.widgets.strokes import stroke
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

    def test_the_area_between_a_line_and_a_height(self) -> None:
        found = [(p.x(), p.y()) for p in under(np.array([1.0, 2.0, 4.0]), np.array([7, 8, 5]), 9.5)]
        self.assertEqual(found, [(1.0, 7.0), (2.0, 8.0), (4.0, 5.0), (4.0, 9.5), (1.0, 9.5)])


class Strokes(unittest.TestCase):
    def test_a_line_has_the_ink_of_its_width_on_the_mean_of_all_directions(self) -> None:
        """Per pixel of its length; a diagonal of Qt's thin lines has less of it."""
        make_app()
        for width, delta in ((1.0, 0.2), (2.0, 0.1)):
            inks = [_ink(math.radians(angle), width) for angle in range(0, 180, 15)]
            with self.subTest(width):
                self.assertAlmostEqual(sum(inks) / len(inks), width, delta=delta)
                self.assertGreater(min(inks), 0.65 * width)


def _ink(angle: float, width: float) -> float:
    """How much black a line at an angle leaves on white, in pixels for each of its length."""
    image = QImage(400, 400, QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    along = np.linspace(-120.0, 120.0, 40)
    line = polygon(200.3 + along * math.cos(angle), 200.2 + along * math.sin(angle))
    stroke(painter, line, QColor("black"), width)
    painter.end()
    seen = np.frombuffer(image.constBits().asstring(image.sizeInBytes()), np.uint8)
    return float((255.0 - seen.reshape(400, 400, 4)[:, :, 0]).sum()) / 255.0 / 240.0


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
