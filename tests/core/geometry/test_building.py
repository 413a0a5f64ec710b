"""Boxes and sheets: the compiled way and the array way make the same bytes."""

from __future__ import annotations

import unittest
from unittest.mock import patch

import numpy as np

from jukai.core.geometry import _box, building
from jukai.core.operators.blanks import sheet as sheets
from jukai.core.operators.registry import operators
from tests.recipes import body


class BothWays(unittest.TestCase):
    def test_boxes(self) -> None:
        for counts in ((1, 1, 1), (3, 1, 2), (4, 5, 6), (1, 7, 1)):
            made = []
            for few in (0, 10**9):
                with patch.object(building, "FEW", few):
                    made.append(building.box_mesh(np.array([3.0, 2.0, 5.0]), counts, "s1"))
            a, b = made
            for name in ("points", "corners", "offsets", "uv", "face_lineage"):
                np.testing.assert_array_equal(getattr(a, name), getattr(b, name), err_msg=f"{counts} {name}")
            self.assertEqual(a.digest(), b.digest())

    def test_sheets(self) -> None:
        operators()
        made = []
        for few in (0, 10**9):
            with patch.object(sheets, "FEW", few):
                made.append(body({"operator": "sheet", "size": [3, 7], "counts": [4, 5]}))
        self.assertEqual(made[0].digest(), made[1].digest())

    def test_lattice_numbers_and_points_on_a_ball(self) -> None:
        counts = (3, 4, 2)
        grid = [
            (x, y, z) for x in range(4) for y in range(5) for z in range(3) if x in (0, 3) or y in (0, 4) or z in (0, 2)
        ]
        numbers = sorted(_box.lattice_number.plain(*p, *counts) for p in grid)
        self.assertEqual(numbers, list(range(len(grid))))  # each place of the surface once
        points = np.random.default_rng(1).normal(size=(50, 3))
        one, two = points.copy(), points.copy()
        _box.onto_ball(one, 3.0)
        _box.onto_ball.plain(two, 3.0)
        np.testing.assert_array_equal(one, two)
        np.testing.assert_allclose(np.linalg.norm(one, axis=1), 3, rtol=1e-15)


if __name__ == "__main__":
    unittest.main()
