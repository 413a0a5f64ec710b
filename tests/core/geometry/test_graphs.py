"""Graphs along a run against closed forms; picking faces out of a body; places at a level."""

from __future__ import annotations

import random
import unittest

import numpy as np

from jukai.core.geometry.graphs import Graph
from jukai.core.geometry.levels import Levels, rows_between
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.selecting import faces_of
from jukai.core.geometry.soundness import soundness
from tests.recipes import body

NONE = np.full((2, 2), np.nan)


def smooth(at: list[float], value: list[float]) -> Graph:
    none = np.full((len(at), 2), np.nan)
    return Graph(np.array(at), np.array(value), np.ones(len(at), dtype=bool), none, none)


class Graphs(unittest.TestCase):
    def test_corners_are_joined_straight(self) -> None:
        g = Graph.straight(np.array([0, 0.25, 1.0]), np.array([1.0, 3.0, 0.0]))
        x = np.linspace(-0.5, 1.5, 81)
        np.testing.assert_allclose(g(x), np.interp(x, g.at, g.value), atol=1e-12)

    def test_smooth_ones_are_those_of_fritsch_and_butland(self) -> None:
        """SciPy's PCHIP has the same inner tangents; at the ends ours leave along the chord, so inner pieces are compared."""
        from scipy.interpolate import PchipInterpolator

        at, value = [0, 0.2, 0.35, 0.7, 1.0], [0, 1, 1.5, 1.2, 3.0]
        x = np.linspace(0.2, 0.7, 301)
        np.testing.assert_allclose(smooth(at, value)(x), PchipInterpolator(at, value)(x), atol=1e-12)

    def test_handles_are_a_cubic_bezier(self) -> None:
        """At parameter t the curve passes ((1-t)³, 3(1-t)²t, 3(1-t)t², t³) of its four points."""
        out, into = np.array([[0.1, 2.0], [np.nan, np.nan]]), np.array([[np.nan, np.nan], [-0.6, 1.0]])
        g = Graph(np.array([0.0, 1.0]), np.array([1.0, 2.0]), np.zeros(2, dtype=bool), into, out)
        t = np.linspace(0, 1, 101)
        x = 3 * (1 - t) ** 2 * t * 0.1 + 3 * (1 - t) * t**2 * 0.4 + t**3
        y = (1 - t) ** 3 * 1 + 3 * (1 - t) ** 2 * t * 3 + 3 * (1 - t) * t**2 * 3 + t**3 * 2
        np.testing.assert_allclose(g(x), y, atol=1e-9)

    def test_between_two_points_a_smooth_graph_stays_between_their_values(self) -> None:
        rng = np.random.default_rng(3)
        for _ in range(200):
            n = int(rng.integers(2, 9))
            at = np.sort(rng.choice(np.arange(1, 1000), n, replace=False) / 1000)
            value = rng.uniform(-5, 5, n)
            g = smooth(at.tolist(), value.tolist())
            x = np.linspace(at[0], at[-1], 400)
            piece = np.clip(np.searchsorted(at, x, side="right") - 1, 0, n - 2)
            low, high = np.minimum(value[piece], value[piece + 1]), np.maximum(value[piece], value[piece + 1])
            self.assertTrue(((g(x) >= low - 1e-9) & (g(x) <= high + 1e-9)).all())
            np.testing.assert_array_equal(g(at), value)

    def test_one_point_is_level(self) -> None:
        np.testing.assert_array_equal(
            Graph.straight(np.array([0.3]), np.array([4.0]))(np.array([0, 0.3, 1])), [4, 4, 4]
        )


class Selecting(unittest.TestCase):
    def test_whole_pieces_stay_closed(self) -> None:
        one = body(
            {"operator": "box", "size": [2, 2, 2]}, {"operator": "bevel", "width": 0.2, "shading": "strips_stand_apart"}
        )
        from jukai.core.geometry.mesh import join_meshes

        both = join_meshes([one, one.with_points(one.points + 5)])
        first = np.arange(both.n_faces) < one.n_faces
        alone = faces_of(both, first)
        np.testing.assert_array_equal(alone.points, one.points)
        np.testing.assert_array_equal(alone.corners, one.corners)
        self.assertTrue(soundness(alone).sound)
        self.assertIs(faces_of(both, np.ones(both.n_faces, dtype=bool)), both)

    def test_attributes_come_along(self) -> None:
        mesh: Mesh = body(
            {"operator": "box", "size": [2, 2, 2], "counts": [2, 2, 2]},
            {"operator": "bevel", "width": 0.2, "shading": "strips_stand_apart"},
        )
        chance = np.random.default_rng(1)
        for _ in range(20):
            pick = chance.random(mesh.n_faces) < 0.4
            part = faces_of(mesh, pick)
            self.assertEqual(part.n_faces, int(pick.sum()))
            assert mesh.uv is not None and part.uv is not None and part.edge_pairs is not None
            np.testing.assert_array_equal(part.uv, mesh.uv[pick[mesh.corner_faces]])
            np.testing.assert_array_equal(part.points[part.corners], mesh.points[mesh.corners[pick[mesh.corner_faces]]])
            self.assertTrue(part.used_points.all())
            self.assertTrue((part.edge_pairs < part.n_points).all())


class AtLevels(unittest.TestCase):
    def test_on_the_edges_at_the_level(self) -> None:
        chance = random.Random(2)
        mesh = body({"operator": "cone", "bottom_radius": 8, "top_radius": 2, "height": 12, "sides": 16, "rows": 3})
        z = np.array([0, 0, 1.0])
        for _ in range(50):
            level, turn = chance.uniform(0, 12), chance.uniform(0, 6.28)
            toward = np.array([np.cos(turn), np.sin(turn), 0])
            at = Levels(mesh, mesh.connectivity.edges, np.zeros(3), z).farthest(level, toward)
            self.assertAlmostEqual(float(at[2]), level)
            reach = 8 - 6 * level / 12
            self.assertLessEqual(float(np.hypot(*at[:2])), reach + 1e-9)
            self.assertGreaterEqual(float(at @ toward), reach * np.cos(np.pi / 16) - 1e-9)
        self.assertAlmostEqual(
            float(Levels(mesh, mesh.connectivity.edges, np.zeros(3), z).farthest(99, toward)[2]), 12.0
        )
        self.assertEqual(rows_between(mesh.points[:, 2], 0.0, 12.0), 4)


if __name__ == "__main__":
    unittest.main()
