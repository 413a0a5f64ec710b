"""Rings, prisms and copies round an axis against closed forms."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.crossings import self_crossings
from jukai.core.geometry.measures import signed_volume
from tests.common import check_sound
from tests.core.operators.curves.test_from_curves import at, made, polygon, warnings
from tests.core.operators.curves.test_from_curves import body as body_of
from tests.recipes import built


class Rings(unittest.TestCase):
    def test_evenly_set_and_apart(self) -> None:
        """Pappus: each ring's area times the way of its middle; tilted by 360 / count they come round."""
        found = built({"operator": "rings", "count": "n", "tilt": "360 / n", "diameter": 40, "gap": 2, "wire_diameter": 3, "sides": 12, "rows": 120},
                      dimensions={"n": 5})  # fmt: skip
        mesh = body_of(found)
        check_sound(self, mesh)
        self.assertEqual((int(mesh.pieces.max()) + 1, len(self_crossings(mesh).pairs)), (5, 0))
        area = 12 / 2 * math.sin(math.pi / 6) * 1.5**2
        exact = area * math.pi * sum(40 + 10 * i for i in range(5))
        self.assertAlmostEqual(signed_volume(mesh) / exact, 1, delta=1e-3)

    def test_twisted_square_wire(self) -> None:
        for twist, meets in ((90, True), (360, True), (100, False)):
            found = built(
                {
                    "operator": "rings",
                    "count": 2,
                    "section": "square",
                    "twist": twist,
                    "wire_diameter": 2,
                    "diameter": 30,
                }
            )
            self.assertEqual(bool(warnings(found)), not meets)
            self.assertTrue((body_of(found).connectivity.edge_sides == 2).all())

    def test_what_can_not_be(self) -> None:
        for values, words in (
            ({"wire_diameter": 25, "diameter": 20}, "fills a ring of 20 mm"),
            ({"tilt": 10, "over": 90}, "say the same thing"),
            ({"gap": -5, "wire_diameter": 2}, "inside the one before"),
        ):
            with self.assertRaisesRegex(CoreError, words):
                built({"operator": "rings", **values})
        near = built({"operator": "rings", "gap": -0.5, "wire_diameter": 2, "diameter": 30})
        self.assertIn("reach 0.5 mm into each other", warnings(near)[0])


class Prisms(unittest.TestCase):
    def test_volumes_under_draft(self) -> None:
        """Walls move parallel to themselves: regular polygons are frusta, h (A + sqrt(A B) + B) / 3, others by Simpson's rule."""
        for sides in (3, 4, 7, 48):
            for draft in (0.0, 12.0, -12.0):
                evaluation = made("prism", polygon(sides, 20.0, turned=0.3), height=10, draft=draft, rows=3)
                check_sound(self, body_of(evaluation))
                low = sides / 2 * 400 * math.sin(2 * math.pi / sides)
                inner = 20 - 10 * math.tan(math.radians(draft)) / math.cos(math.pi / sides)
                high = low * (inner / 20) ** 2
                frustum = 10 / 3 * (low + math.sqrt(low * high) + high)
                self.assertAlmostEqual(signed_volume(body_of(evaluation)) / frustum, 1, delta=1e-12)
        ell = at((0, 0), (30, 0), (30, 10), (10, 10), (10, 20), (0, 20))
        t = 10 * math.tan(math.radians(8))
        area = [(30 - 2 * s) * (10 - 2 * s) + (10 - 2 * s) * 10 for s in (0, t / 2, t)]
        mesh = body_of(made("prism", ell[::-1], height=10, draft=8))  # whichever way it is drawn
        check_sound(self, mesh)
        self.assertAlmostEqual(signed_volume(mesh), 10 / 6 * (area[0] + 4 * area[1] + area[2]), places=9)

    def test_draft_without_room_is_told_with_the_angle_that_fits(self) -> None:
        u = at((-10, -8), (10, -8), (10, 8), (2, 8), (2, 0), (-2, 0), (-2, 8), (-10, 8))
        for draft, most in ((30.0, math.degrees(math.atan(4 / 20))), (-30.0, math.degrees(math.atan(2 / 20)))):
            with self.assertRaises(CoreError) as told:
                made("prism", u, height=20, draft=draft)
            self.assertIn(f"{math.floor(most * 100) / 100:g}"[:5], str(told.exception.hint))
            mesh = body_of(made("prism", u, height=20, draft=math.copysign(most * 0.99, draft)))
            check_sound(self, mesh)
            self.assertEqual(len(self_crossings(mesh).pairs), 0)


class Copies(unittest.TestCase):
    def test_copies_stand_evenly_round_the_axis(self) -> None:
        section = at((10, 0), (14, 0), (14, 5), (10, 5))
        rows: tuple[tuple[int, dict[str, Any]], ...] = (
            (5, {"angle": 40}),
            (3, {"angle": 720, "rise": 60}),
            (7, {"angle": -50}),
        )
        for copies, values in rows:
            one = signed_volume(body_of(made("revolve", section, sides=8, **values)))
            mesh = body_of(made("revolve", section, sides=8, copies=copies, **values))
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), copies * one, places=8)
            self.assertLess(float(np.abs(mesh.points[:, :2].mean(axis=0)).max()), 1e-9)
        with self.assertRaisesRegex(CoreError, "more than a whole turn"):
            made("revolve", section, copies=4, angle=100)
        self.assertIn("touch each other", warnings(made("revolve", section, copies=4, angle=90))[0])
        near = warnings(made("revolve", section, copies=3, angle=720, rise=20, sides=8))
        self.assertIn("from copy to copy", near[0])


if __name__ == "__main__":
    unittest.main()
