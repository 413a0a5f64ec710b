"""Shells that look the wrong way, beside sound ones and in each other."""

from __future__ import annotations

import unittest

import manifold3d
import numpy as np

from jukai.core.geometry.building import box_mesh
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.shells import shells_of
from jukai.core.geometry.soundness import soundness
from jukai.core.geometry.triangulation import triangulate

Box = tuple[float, float, bool]
"""Where a cube stands along X, how large it is, and whether it looks outward."""


def cubes(*boxes: Box, away: float = 0.0) -> Mesh:
    """Return cubes as one mesh, all about the same Y and Z."""
    points, corners = [], []
    for i, (x, size, outward) in enumerate(boxes):
        one = box_mesh(np.full(3, size), (1, 1, 1), "s1")
        faces = one.corners.reshape(-1, 4)
        middle = one.bounds.mean(axis=0)
        points.append(one.points - middle + [x + away, away, 0])
        corners.append((faces if outward else faces[:, ::-1]) + 8 * i)
    rows = np.concatenate(corners)
    return Mesh(np.concatenate(points), rows.ravel().astype(np.int32), np.arange(0, rows.size + 1, 4, dtype=np.int32))


CASES: tuple[tuple[str, tuple[Box, ...], int, int], ...] = (
    ("side by side", ((0, 2, True), (5, 2, True)), 0, 0),
    ("one of them inside out", ((0, 2, True), (5, 2, False)), 1, 0),
    ("a small sound one hides none that is large and inside out", ((0, 9, False), (20, 1, True)), 1, 0),
    ("a hollow", ((0, 9, True), (0, 5, False)), 0, 0),
    ("a body in a hollow", ((0, 9, True), (0, 5, False), (0, 2, True)), 0, 0),
    ("a hollow in a body in a hollow", ((0, 9, True), (0, 7, False), (0, 5, True), (0, 3, False)), 0, 0),
    ("outward in outward", ((0, 9, True), (0, 5, True)), 0, 1),
    ("a hollow in nothing but a hollow", ((0, 9, True), (0, 7, False), (0, 5, False)), 1, 0),
    ("twice too much", ((0, 9, True), (0, 5, True), (0, 2, True)), 0, 2),
    ("all inside out", ((0, 2, False), (5, 2, False)), 2, 0),
)


class InEachOther(unittest.TestCase):
    def test_each_is_held_against_those_around_it(self) -> None:
        for name, boxes, inward, doubled in CASES:
            for away in (0.0, 1e4):
                with self.subTest(name, away=away):
                    mesh = cubes(*boxes, away=away)
                    shells = shells_of(mesh)
                    assert shells is not None
                    self.assertEqual((int(shells.inward.sum()), int(shells.doubled.sum())), (inward, doubled))
                    np.testing.assert_allclose(
                        np.sort(np.abs(shells.volume)), np.sort([s**3 for _, s, _ in boxes]), rtol=1e-9
                    )
                    kinds = {f.kind for f in soundness(mesh).findings if f.level == "failure"}
                    self.assertEqual(
                        kinds, {k for k, n in (("inside_out", inward), ("shells_in_shells", doubled)) if n}
                    )
                    self.assertEqual(soundness(mesh).sound, not (inward or doubled))

    def test_sound_ones_are_what_another_library_makes_of_them(self) -> None:
        """manifold3d 3.5.4 keeps what winds once: of sound bodies that is all of their volume."""
        for name, boxes, inward, doubled in CASES:
            if inward or doubled:
                continue
            mesh = cubes(*boxes)
            tri = np.asarray(triangulate(mesh).points(mesh), dtype=np.uint64)
            solid = manifold3d.Manifold(manifold3d.Mesh64(mesh.points.copy(), tri))
            with self.subTest(name):
                self.assertAlmostEqual(solid.volume(), sum((1 if out else -1) * s**3 for _, s, out in boxes), places=6)

    def test_more_than_can_be_held_against_each_other_are_taken_as_a_whole(self) -> None:
        mesh = cubes(*((float(3 * i), 1.0, i > 0) for i in range(2001)))
        self.assertIsNone(shells_of(mesh))
        self.assertTrue(soundness(mesh).closed)


if __name__ == "__main__":
    unittest.main()
