"""What is measured of a body: of some faces, and of all its points, by loops as by array code."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from jukai.core.geometry.measures import areas_among, face_normals, vector_areas
from tests.recipes import body


class Measures(unittest.TestCase):
    def test_some_faces_have_the_areas_that_all_have(self) -> None:
        rng = np.random.default_rng(5)
        for counts in ([3, 4, 5], [30, 40, 50]):
            mesh = body({"operator": "box", "size": [3, 4, 5], "counts": counts}, {"operator": "twist", "turn": 50})
            mesh = replace(mesh, _cache={})  # the twist keeps those from before its faces began elsewhere
            for share in (0.02, 0.2, 0.9):
                some = np.flatnonzero(rng.random(mesh.n_faces) < share)
                areas, normals = areas_among(replace(mesh, _cache={}), some)
                np.testing.assert_array_equal(areas[some], vector_areas(mesh)[some])
                np.testing.assert_array_equal(normals[some], face_normals(mesh)[some])

    def test_bounds_are_of_points_that_faces_use(self) -> None:
        for counts in ([3, 4, 5], [50, 50, 50]):
            mesh = body({"operator": "box", "size": [3, 4, 5], "counts": counts})
            stray = replace(
                mesh,
                points=np.concatenate([mesh.points, [[99, -99, 99.0]]]),
                _cache={},
                _topology=type(mesh._topology)(),
            )
            for m in (mesh, stray):
                np.testing.assert_array_equal(m.bounds, [mesh.points.min(axis=0), mesh.points.max(axis=0)])


if __name__ == "__main__":
    unittest.main()
