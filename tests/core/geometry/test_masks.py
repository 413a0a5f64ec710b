"""Masks: what strokes leave, on which side of a wall, and where they are once the body has changed."""

from __future__ import annotations

import unittest

import numpy as np

from jukai.core.geometry.masks import Evened, Given, Stroke, painted
from jukai.core.geometry.mesh import Mesh
from tests.recipes import body, built


def slab(size: float = 40.0, thick: float = 1.0, cells: int = 40) -> Mesh:
    return body({"operator": "box", "size": [size, size, thick], "counts": [cells, cells, 1]})


def stroke(
    places: list[list[float]], radius: float = 5, soft: float = 1.0, how: str = "to", amount: float = 1.0
) -> Stroke:
    return Stroke(np.array(places, dtype=float), radius, soft, how, amount)


class Strokes(unittest.TestCase):
    def test_what_a_stroke_leaves(self) -> None:
        mesh = slab()
        top = np.isclose(mesh.points[:, 2], 1.0)
        away = np.linalg.norm(mesh.points - [0, 0, 1], axis=1)
        for soft in (0.0, 0.4, 1.0):
            for how, amount, base in (("to", 0.75, 0.0), ("by", 0.5, 0.25), ("by", -0.5, 1.0), ("to", 0.0, 1.0)):
                got = painted(mesh, [stroke([[0, 0, 1]], 8, soft, how, amount)], base)
                over = np.clip((away - 8 * (1 - soft)) / max(8 * soft, 1e-300), 0, 1)
                share = np.where(away <= 8, (1 - over**2) ** 2, 0)
                expected = base + share * (amount if how == "by" else amount - base)
                inside = top & (np.abs(mesh.points[:, :2]).max(axis=1) < 19)
                np.testing.assert_allclose(got[inside], np.clip(expected, 0, 1)[inside], atol=1e-9)

    def test_a_thin_wall_is_not_painted_through(self) -> None:
        mesh = slab(thick=0.5)
        got = painted(mesh, [stroke([[0, 0, 0.5]], 8)])
        inner = np.abs(mesh.points[:, :2]).max(axis=1) < 19
        self.assertEqual(float(got[inner & (mesh.points[:, 2] == 0)].max()), 0.0)
        self.assertEqual(float(got.max()), 1.0)

    def test_a_line_of_places_is_even_along_it(self) -> None:
        mesh = slab()
        line = [[x, 0, 1] for x in np.arange(-12, 12.01, 0.5)]
        got = painted(mesh, [stroke(line, 4)])
        on = np.isclose(mesh.points[:, 1], 2) & np.isclose(mesh.points[:, 2], 1) & (np.abs(mesh.points[:, 0]) <= 12)
        np.testing.assert_allclose(got[on], (1 - 0.25) ** 2, atol=1e-9)

    def test_evening_out(self) -> None:
        """All of it keeps its range, loses its steps, and leaves alone what is even."""
        mesh = slab()
        sharp = [stroke([[0, 0, 1]], 8, 0.0)]
        for more in (Evened(10), stroke([[0, 0, 1]], 30, 0.2, "even", 10)):
            edges = mesh.connectivity.edges
            before, after = painted(mesh, sharp), painted(mesh, [*sharp, more])
            step = [float(np.abs(w[edges[:, 0]] - w[edges[:, 1]]).max()) for w in (before, after)]
            self.assertLess(step[1], step[0] / 2)
            self.assertTrue(((after >= 0) & (after <= 1)).all())
        np.testing.assert_array_equal(painted(mesh, [Evened(5)], 0.5), 0.5)

    def test_a_pick_is_given_a_value_of_what_it_had(self) -> None:
        mesh = slab()
        half = mesh.points[:, 0] > 0
        spot = stroke([[0, 0, 1]], 12)
        before = painted(mesh, [spot])
        after = painted(mesh, [spot, Given(half, lambda m: m * 0.5, "half")])
        np.testing.assert_allclose(after[half], before[half] / 2)
        np.testing.assert_array_equal(after[~half], before[~half])

    def test_strokes_are_kept_and_the_order_counts(self) -> None:
        mesh, again = slab(), slab()
        layers = [
            stroke([[x, 0, 1]], 6, 0.5, how, a)
            for x, how, a in ((0, "to", 1.0), (4, "to", 0.2), (2, "by", 0.3), (0, "even", 4))
        ]
        for k in range(1, 5):
            step_by_step = painted(mesh, layers[:k])
        np.testing.assert_array_equal(step_by_step, painted(again, layers))
        self.assertFalse(np.array_equal(painted(mesh, layers[:2]), painted(mesh, layers[1::-1])))


class Upstream(unittest.TestCase):
    def test_strokes_go_along_when_the_body_changes(self) -> None:
        """A stroke on top stays on top where the body becomes higher, finer, or another shape."""
        mask = {"strokes": [{"places": [[0, 0, 10, 0, 0, 1]], "radius": 6, "soft": 0.5, "to": 1}]}
        lift = {
            "operator": "relief",
            "pattern": "noise",
            "depth": 4,
            "zero_at": -1,
            "axis": "z",
            "moves": "axis",
            "weights": mask,
        }
        for blank in (
            {"operator": "box", "size": [20, 20, 10], "counts": [10, 10, 2]},
            {"operator": "box", "size": [20, 20, 25], "counts": [20, 20, 2]},
            {"operator": "box", "size": [32, 14, 8], "counts": [16, 7, 2]},
        ):
            made = built(blank, lift).mesh
            assert made is not None
            plain = body(blank)
            moved = np.linalg.norm(made.points - plain.points, axis=1) > 1e-9
            self.assertTrue(moved.any(), blank)
            self.assertTrue((plain.points[moved, 2] > plain.bounds[1][2] - 8).all(), blank)


if __name__ == "__main__":
    unittest.main()
