"""What shrank to nothing: closed stays closed, and nothing without area is left."""

from __future__ import annotations

import unittest
from itertools import pairwise
from typing import Any

import numpy as np

from jukai.core.geometry.bevel._joining import unrepeated
from jukai.core.geometry.bevel.cleaning import Body, cleaned
from jukai.core.geometry.measures import area, signed_volume, vector_areas
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.soundness import soundness
from jukai.core.geometry.triangulation import triangulate
from tests.common import cube, reference_mesh


def clean(points: Any, faces: list[list[int]], close: Any = ()) -> Mesh:
    mesh = Mesh.from_faces(points, faces)
    body = cleaned(Body(mesh.points, mesh.corners, mesh.offsets, None), 0, mesh.size, close)
    return Mesh(body.points, np.asarray(body.corners, np.int32), np.asarray(body.offsets, np.int32))


def cube_faces() -> list[list[int]]:
    mesh = cube()
    return [mesh.corners[a:b].tolist() for a, b in zip(mesh.offsets[:-1], mesh.offsets[1:], strict=True)]


class Repeated(unittest.TestCase):
    def test_as_compiled_and_as_written(self) -> None:
        """Random faces whose points become others, against a plain loop over lists."""
        rng = np.random.default_rng(3)
        for _ in range(60):
            sizes = rng.integers(1, 30, rng.integers(1, 12))
            corners = rng.integers(0, 25, sizes.sum()).astype(np.int32)
            offsets = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32)
            merged = np.minimum(np.arange(25), rng.integers(0, 25, 25)).astype(np.int64)
            kept, counts, twice = [], [], []
            for f, (a, b) in enumerate(pairwise(offsets.tolist())):
                ring = merged[corners[a:b]].tolist()
                stay = [i for i in range(b - a) if ring[i] != ring[i - 1]]
                kept += [a + i for i in stay]
                counts.append(len(stay))
                if len({ring[i] for i in stay}) < len(stay):
                    twice.append(f)
            for run in (unrepeated, unrepeated.plain):
                found = run(corners, offsets, merged)
                self.assertEqual([x.tolist() for x in found], [kept, counts, twice])


class Shrunk(unittest.TestCase):
    def split(self, *along: float) -> tuple[np.ndarray, list[list[int]]]:
        """Return a cube in one of whose edges there stands a flat face: the edge, and a path of points on it."""
        points = cube().points
        faces = cube_faces()
        a, b = faces[0][0], faces[0][1]
        extra = [points[a] + t * (points[b] - points[a]) for t in along]
        ids = list(range(8, 8 + len(along)))
        other = next(f for f in faces[1:] if a in f and b in f)
        i = other.index(b)
        other[i + 1 : i + 1] = ids[::-1]  # the neighbour runs from b over the points to a
        return np.concatenate([points, extra]), [*faces, [b, a, *ids]]

    def test_a_face_that_is_a_path_there_and_back_goes_and_its_points_stay(self) -> None:
        for along in ((0.5,), (0.2, 0.7), (0.1, 0.5, 0.9)):
            with self.subTest(along):
                out = clean(*self.split(*along))
                s = soundness(out)
                self.assertTrue(s.closed and s.manifold and s.oriented, [f.text for f in s.findings])
                self.assertEqual((out.n_faces, s.points), (6, 8 + len(along)))
                self.assertAlmostEqual(signed_volume(out), 1, places=12)
                self.assertAlmostEqual(area(out), 6, places=12)

    def test_points_at_one_place_become_one(self) -> None:
        points, faces = self.split(0.5)
        points[8] = points[faces[-1][0]] + 1e-13  # the path's point falls on an end of the edge
        out = clean(points, faces)
        self.assertEqual((out.n_faces, len(np.unique(out.corners))), (6, 8))
        con = out.connectivity
        self.assertTrue((con.edge_sides == 2).all() and not con.same_direction(out.corners).any())

    def test_a_face_that_meets_itself_becomes_two(self) -> None:
        """Two squares that touch in a corner, written as one face, over a body that has that corner twice."""
        points = np.array(
            [[0, 0, 0], [1, 0, 0], [1, 1, 0], [2, 1, 0], [2, 2, 0], [1, 2, 0], [1, 1 + 1e-14, 0], [0, 1, 0.0]]
        )
        out = clean(points, [[0, 1, 2, 3, 4, 5, 6, 7]], close=np.array([0]))
        self.assertEqual(sorted(out.sides.tolist()), [4, 4])
        self.assertAlmostEqual(area(out), 2, places=12)
        # a face round a hole has points twice from the start: it stays whole
        plate = reference_mesh("bridged_hole.obj")
        again = cleaned(Body(plate.points, plate.corners, plate.offsets, None), 0, plate.size, np.arange(plate.n_faces))
        np.testing.assert_array_equal(again.corners, plate.corners)

    def test_nothing_to_do_gives_the_body_itself(self) -> None:
        mesh = cube()
        body = Body(mesh.points, mesh.corners, mesh.offsets, None)
        self.assertIs(cleaned(body, 0, mesh.size), body)


class Straight(unittest.TestCase):
    def test_a_straight_corner_is_no_ear(self) -> None:
        """A square with points in its sides is cut into triangles that all have an area, whichever corner comes first."""
        ring = [[0, 0, 0], [1, 0, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0]]
        for shape in (
            ring,
            [*ring[:4]],
            [[0, 0, 0], [0.5, 0, 0], [1, 0, 0], [2, 0, 0], [2, 1, 0], [2, 2, 0], [0, 2, 0]],
        ):
            for first in range(len(shape)):
                mesh = Mesh.from_faces(np.roll(np.array(shape, dtype=float), first, axis=0), [list(range(len(shape)))])
                tri = mesh.points[triangulate(mesh).points(mesh)]
                areas = np.linalg.norm(np.cross(tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0]), axis=1) / 2
                self.assertGreater(areas.min(), 0.1)
                self.assertAlmostEqual(areas.sum(), float(np.linalg.norm(vector_areas(mesh)[0])), places=12)


if __name__ == "__main__":
    unittest.main()
