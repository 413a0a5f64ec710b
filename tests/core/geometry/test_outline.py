"""What outlines are found from: on convex bodies they must be the hull of the projected points, whatever the eye."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.spatial import ConvexHull

from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges
from jukai.core.geometry.outline import outline_bytes, outline_edges
from tests.drawn import drawn
from tests.recipes import body

BALL = body({"operator": "sphere", "radius": 10, "sides": 48})
RING = body({"operator": "torus", "major_radius": 20, "minor_radius": 6, "sides": 64, "minor_sides": 48})


def parsed(mesh: Mesh) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return points, mm, planes and edges of the bytes."""
    data = outline_bytes(mesh)
    magic, version, points, faces, edges = np.frombuffer(data, "<u4", 5)
    assert (magic, version) == (0x314F4B4A, 1)
    assert len(data) == 20 + 12 * points + 16 * faces + 16 * edges
    origin = drawn(mesh).origin
    at = np.frombuffer(data, "<f4", 3 * points, 20).reshape(-1, 3) + origin
    planes = np.frombuffer(data, "<f4", 4 * faces, 20 + 12 * points).reshape(-1, 4).astype(float)
    planes[:, 3] -= planes[:, :3] @ origin
    return at, planes, np.frombuffer(data, "<u4", 4 * edges, 20 + 12 * points + 16 * faces).reshape(-1, 4)


def outline(mesh: Mesh, eye: np.ndarray, *, parallel: bool) -> tuple[np.ndarray, np.ndarray]:
    """Return the points, and the edges of which one face looks to the eye and the other away."""
    at, planes, edges = parsed(mesh)
    front = -(planes[:, :3] @ eye) > 0 if parallel else planes[:, :3] @ eye + planes[:, 3] > 0
    return at, edges[front[edges[:, 2]] != front[edges[:, 3]], :2]


class Outlines(unittest.TestCase):
    def test_of_a_convex_body_it_is_the_hull_of_what_is_seen(self) -> None:
        rng = np.random.default_rng(5)
        centre = BALL.points.mean(axis=0)
        for k in range(20):
            direction = rng.normal(size=3)
            direction /= np.linalg.norm(direction)
            across = np.linalg.svd(direction[None])[2][1:]
            for parallel in (True, False):
                eye = direction if parallel else centre - direction * rng.uniform(12, 60)
                at, edges = outline(BALL, eye, parallel=parallel)
                depth = np.ones(len(at)) if parallel else (at - eye) @ direction
                flat = (at - (0 if parallel else eye)) @ across.T / depth[:, None]
                hull = ConvexHull(flat)
                lengths = np.linalg.norm(flat[edges[:, 0]] - flat[edges[:, 1]], axis=1)
                # in two dimensions the library calls the perimeter area
                self.assertAlmostEqual(lengths.sum() / hull.area, 1.0, places=6, msg=(k, parallel))
                used = np.unique(edges)
                self.assertTrue(set(hull.vertices) <= set(used.tolist()))

    def test_it_is_made_of_loops_that_close(self) -> None:
        rng = np.random.default_rng(6)
        for eye in rng.normal(size=(20, 3)) * 60:
            _, edges = outline(RING, eye, parallel=False)
            self.assertGreater(len(edges), 100)
            self.assertTrue((np.bincount(edges.ravel()) % 2 == 0).all())

    def test_a_ring_from_above_has_its_two_circles(self) -> None:
        at, edges = outline(RING, np.array([0.0, 0.0, -1.0]), parallel=True)
        radii = np.linalg.norm(at[edges.ravel()][:, :2], axis=1)
        # both circles are rows of points of the ring
        np.testing.assert_allclose(np.unique(np.round(radii, 4)), [14, 26], atol=1e-4)
        self.assertEqual(len(edges), 2 * 64)

    def test_sharp_and_flat_edges_are_left_out(self) -> None:
        box = body({"operator": "box", "size": [4, 5, 6], "counts": [3, 3, 3]})
        self.assertEqual(len(outline_edges(box)[0]), 0)
        lid = body({"operator": "cylinder", "radius": 3, "height": 5, "sides": 32})
        points, faces = outline_edges(lid)
        self.assertEqual(len(points), 32)
        keys = {tuple(sorted(e)) for e in points.tolist()}
        sharp = {tuple(sorted(e)) for e in lid.connectivity.edges[sharp_edges(lid)].tolist()}
        self.assertFalse(keys & sharp)
        self.assertTrue((lid.sides[faces] == 4).all())

    def test_nothing_of_a_mesh_without_faces(self) -> None:
        at, planes, edges = parsed(Mesh(np.zeros((1, 3)), np.zeros(0, np.int32), np.zeros(1, np.int32)))
        self.assertEqual((len(at), len(planes), len(edges)), (1, 0, 0))


if __name__ == "__main__":
    unittest.main()
