"""Places on bodies at levels along an axis: closed forms, and the loops against the array code."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np

from jukai.core.geometry import kernels, levels
from jukai.core.geometry.levels import Levels, lines_at, misses
from jukai.core.geometry.mesh import Mesh
from tests.common import reference_mesh
from tests.recipes import body

AXES = ([0.0, 0, 1], [1.0, 0, 0], [0.6, 0, 0.8], [0.36, 0.48, 0.8])


def bodies() -> dict[str, Mesh]:
    names = ("mixed_corner_3.obj", "open_box.obj", "genus_2_plate.obj", "pole_sphere.obj", "cube.obj")
    return {name: reference_mesh(name) for name in names}


class LevelsTest(unittest.TestCase):
    def test_a_cylinder_is_met_in_its_circle(self) -> None:
        for sides, rows in ((24, 3), (400, 30)):  # by array code, and by the loops
            with self.subTest(sides):
                mesh = body({"operator": "cylinder", "radius": 5, "height": 12, "sides": sides, "rows": rows})
                z = mesh.points[:, 2]
                lines = lines_at(mesh, z, 7.3, mesh.points)
                self.assertEqual(len(lines), sides)
                ends = lines.reshape(-1, 3)
                np.testing.assert_allclose(ends[:, 2], 7.3, atol=1e-12)
                np.testing.assert_allclose(np.hypot(ends[:, 0], ends[:, 1]), 5, atol=1e-12)
                chords = np.linalg.norm(lines[:, 3:] - lines[:, :3], axis=1)
                self.assertAlmostEqual(chords.sum(), 2 * sides * 5 * np.sin(np.pi / sides), places=10)
                find = Levels(mesh, mesh.connectivity.edges, np.zeros(3), np.array([0, 0, 1.0]))
                np.testing.assert_allclose(find.farthest(7.3, np.array([1.0, 0, 0])), [5, 0, 7.3], atol=1e-12)
                np.testing.assert_allclose(find.farthest(99.0, np.array([0, 1.0, 0])), [0, 5, 12], atol=1e-12)

    def test_loops_find_what_array_code_finds(self) -> None:
        rng = np.random.default_rng(3)
        for name, mesh in bodies().items():
            shown = mesh.points + rng.normal(size=mesh.points.shape)
            edges = mesh.connectivity.edges
            for axis in AXES:
                way = np.array(axis)
                along = mesh.points @ way
                for share in (-0.2, 0.0, 0.25, 0.5, 0.77, 1.0, 1.2):
                    level = float(along.min() + share * np.ptp(along))
                    with self.subTest(name, axis=axis, share=share):
                        found = []
                        for few in (kernels.FEW, 0):
                            with mock.patch.object(levels, "FEW", few):
                                find = Levels(mesh, edges, np.zeros(3), way, shown)
                                found.append(
                                    (
                                        find.farthest(level, np.array([0.3, 0.9, 0.1])),
                                        lines_at(mesh, along, level, shown),
                                        misses(mesh.points, shown, edges, lambda p: p * 1.1),
                                    )
                                )
                        (far, lines, off), (other, same, too) = found
                        np.testing.assert_allclose(far, other, atol=1e-12)
                        np.testing.assert_allclose(lines, same, atol=1e-12)
                        self.assertAlmostEqual(off, too, places=12)

    def test_an_edge_misses_its_arc_by_its_rise(self) -> None:
        """A chord of an arc of radius r over an angle a lies r (1 - cos(a / 2)) off its middle."""
        angle, radius = 0.4, 7.0
        flat = np.array([[0.0, 0, radius], [0, radius * angle, radius]])

        def bent(p: np.ndarray) -> np.ndarray:
            a = p[:, 1] / radius
            return np.column_stack([p[:, 0], radius * np.sin(a), radius * np.cos(a)])

        for copies in (1, 6000):
            edges = np.tile(np.array([[0, 1]], np.int32), (copies * 2, 1))
            self.assertAlmostEqual(misses(flat, bent(flat), edges, bent), radius * (1 - np.cos(angle / 2)), places=12)


if __name__ == "__main__":
    unittest.main()
