"""Faces drawn two or four as one: loops that close, bodies that stay closed whatever is left out, bytes as they are told."""

from __future__ import annotations

import itertools
import unittest

import numpy as np

from jukai.core.geometry.measures import face_normals, signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges
from jukai.core.geometry.strips import GENTLE, loops_to_leave_out, strip_bytes, strips_of
from jukai.core.geometry.triangulation import triangulate
from tests.drawn import drawn
from tests.recipes import body, turned

RING = {"operator": "torus", "major_radius": 20, "minor_radius": 6, "sides": 40, "minor_sides": 36}
BODIES = {
    "ring": body(RING),
    "ring of odd counts": body(RING | {"sides": 41, "minor_sides": 37}),
    "fine ring": body(RING | {"sides": 24, "minor_sides": 128}),
    "fine ring of odd counts": body(RING | {"sides": 23, "minor_sides": 131}),
    "ball": body({"operator": "sphere", "radius": 10, "sides": 48}),
    "cup": body(turned(sides=64), profile=[(10, 0), (10.2, 2), (10.3, 4), (10.3, 6), (10.2, 8), (10, 10)]),
    "rounded box": body(
        {"operator": "box", "size": [10, 12, 14], "counts": [6, 6, 6]},
        {"operator": "bevel", "width": 2, "segments": 12},
    ),
}


def left_out(mesh: Mesh, which: np.ndarray) -> Mesh:
    """Return the mesh as it is drawn when some of its loops are left out, from the layout of the bytes."""
    head, rungs, order, pairs = parsed(mesh)
    view = triangulate(mesh).corners[order]
    points = np.concatenate([mesh.points, pairs.reshape(-1, 3)])
    faces, at, pair = [], 0, mesh.n_points
    for k, (n, on) in enumerate(zip(rungs, which, strict=True)):
        triangles = (8 if k < head[5] else 4) * n
        if on:
            for j in range(n):
                u, w = pair + 2 * j, pair + 2 * j + 1
                faces += [[w, w + 2, u + 2], [w, u + 2, u]]
        else:
            faces += mesh.corners[view[at : at + triangles]].tolist()
        at += triangles
        pair += 2 * (n + 1)
    faces += mesh.corners[view[at:]].tolist()
    # the pairs stand where points of the mesh do
    _, same = np.unique(np.round(points.astype("<f4"), 3), axis=0, return_inverse=True)
    corners = same.ravel()[np.array(faces).ravel()]
    first = np.zeros(same.max() + 1, int)
    first[same.ravel()[::-1]] = np.arange(len(points))[::-1]
    used, corners = np.unique(corners, return_inverse=True)
    return Mesh(points[first[used]], corners.astype(np.int32), np.arange(0, len(corners) + 1, 3, dtype=np.int32))


def parsed(mesh: Mesh) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Return head, rungs, order and pairs of points, mm, of the bytes."""
    data = strip_bytes(mesh)
    head = np.frombuffer(data, "<u4", 6)
    vertices, triangles, strips = head[2:5]
    position = np.frombuffer(data, "<f4", 3 * vertices, 24).reshape(-1, 2, 3)
    order = np.frombuffer(data, "<u4", triangles, 24 + 12 * vertices)
    rungs = np.frombuffer(data, "<u4", strips, 24 + 12 * vertices + 4 * triangles)
    origin = drawn(mesh).origin
    assert len(data) == 24 + 20 * vertices + 4 * triangles + 8 * strips
    return head, rungs, order, position + origin


class Loops(unittest.TestCase):
    def test_every_other_loop_of_a_ring_is_left_out(self) -> None:
        for name, rows in (("ring", 18), ("ring of odd counts", 18)):
            along, starts, spacing = loops_to_leave_out(BODIES[name])
            # the finer way first: round the minor circle faces are 2 · 6 · sin(π / n) across
            self.assertEqual(len(starts) - 1, rows, name)
            self.assertEqual(set(np.diff(starts)), {40 if name == "ring" else 41})
            n = 36 if name == "ring" else 37
            np.testing.assert_allclose(spacing, 12 * np.sin(np.pi / n), rtol=1e-9)
            self.assertEqual(len(along), starts[-1])

    def test_what_is_left_out_is_smooth_and_apart(self) -> None:
        for name, mesh in BODIES.items():
            along, starts, _ = loops_to_leave_out(mesh)
            self.assertGreater(len(starts), 1, name)
            con = mesh.connectivity
            self.assertFalse(sharp_edges(mesh)[con.corner_edge[along]].any(), name)
            faces = np.concatenate([mesh.corner_faces[along], mesh.corner_faces[con.twins[along]]])
            self.assertEqual(len(np.unique(faces)), len(faces), name)
            self.assertTrue((mesh.sides[faces] == 4).all(), name)
            for a, b in itertools.pairwise(starts):
                loop = mesh.corners[along[a:b]]
                np.testing.assert_array_equal(mesh.corners[con.following[along[a:b]]], np.roll(loop, -1), name)

    def test_none_where_nothing_may_be(self) -> None:
        for mesh in (
            body({"operator": "box", "size": [1, 1, 1], "counts": [4, 4, 4]}),
            body({"operator": "cylinder", "radius": 3, "height": 5, "sides": 12}),
        ):
            head, rungs, order, _ = parsed(mesh)
            self.assertEqual((head[2], len(rungs)), (0, 0))
            np.testing.assert_array_equal(order, np.arange(head[3]))

    def test_strips_side_by_side_are_one_where_the_surface_hardly_bends(self) -> None:
        for name, wide, rows in (("fine ring", 32, 32), ("fine ring of odd counts", 32, 33), ("ring", 0, 18)):
            mesh = BODIES[name]
            strips = strips_of(mesh)
            self.assertEqual((strips.wide, len(strips.starts) - 1), (wide, rows), name)
            con = mesh.connectivity
            normals = face_normals(mesh)
            for k in range(strips.wide):
                part = slice(strips.starts[k], strips.starts[k + 1])
                left, right = strips.left[part], strips.right[part]
                four = np.stack(
                    [left, con.twins[left], con.twins[con.following[con.following[con.twins[left]]]], con.twins[right]]
                )
                faces = mesh.corner_faces[four]
                # four different faces of each rung, side by side, that turn by no more than they may at each edge
                self.assertEqual(len(np.unique(faces)), faces.size, name)
                np.testing.assert_array_equal(faces[2], mesh.corner_faces[right])
                turns = np.einsum("ijk,ijk->ij", normals[faces[:-1]], normals[faces[1:]])
                self.assertGreaterEqual(turns.min(), np.cos(np.radians(GENTLE)) - 1e-12)
                for loop in (left, right):
                    np.testing.assert_array_equal(
                        mesh.corners[con.following[loop]], np.roll(mesh.corners[loop], -1), name
                    )

    def test_no_loop_runs_along_two_finishes(self) -> None:
        self.one_finish(BODIES["ring"], 0)
        self.one_finish(BODIES["fine ring"], 2)

    def one_finish(self, mesh: Mesh, axis: int) -> None:
        half = (mesh.points[mesh.corners].reshape(-1, 4, 3).mean(axis=1)[:, axis] > 0).astype(np.int32)
        painted = mesh.with_changes(finishes=("Brass", "Steel"), face_finish=half)
        along, starts, _ = loops_to_leave_out(painted)
        self.assertGreater(len(starts), 1)
        for a, b in itertools.pairwise(starts):
            self.assertEqual(len(np.unique(half[painted.corner_faces[along[a:b]]])), 1)
        strips = strips_of(painted)
        finish = half[painted.corner_faces[np.stack([strips.left, strips.right])]]
        for a, b in itertools.pairwise(strips.starts):
            self.assertEqual(len(np.unique(finish[:, a:b])), 1)


class Drawn(unittest.TestCase):
    def test_bodies_stay_closed_whatever_is_left_out(self) -> None:
        rng = np.random.default_rng(4)
        for name, mesh in BODIES.items():
            strips = int(parsed(mesh)[0][4])
            choices = [np.zeros(strips, bool), np.ones(strips, bool), *(rng.random((3, strips)) < 0.5)]
            closed = bool((mesh.connectivity.edge_sides == 2).all())
            for which in choices:
                drawn = left_out(mesh, which)
                con = drawn.connectivity
                self.assertEqual(bool((con.edge_sides == 2).all()), closed, name)
                self.assertFalse(con.same_direction(drawn.corners).any(), name)
                # what is left out bends by no more than 12°, a sagitta of 3 % of its width; quads that are not flat are cut
                close = 0.02 if which.any() else 1e-5
                self.assertAlmostEqual(signed_volume(drawn) / signed_volume(mesh), 1.0, delta=close, msg=name)
                head, rungs, _, _ = parsed(mesh)
                fewer = np.where(np.arange(strips) < head[5], 6, 2)
                least = mesh.n_faces * 2 - int((rungs * fewer)[which].sum())
                self.assertEqual(drawn.n_faces, least - int((mesh.sides == 3).sum()) + (_more(mesh)), name)

    def test_all_triangles_stay_in_the_order(self) -> None:
        for name, mesh in BODIES.items():
            head, rungs, order, pairs = parsed(mesh)
            np.testing.assert_array_equal(np.sort(order), np.arange(head[3]), name)
            self.assertEqual(len(pairs), int((rungs + 1).sum()), name)
            ends = np.cumsum(rungs + 1) - 1
            np.testing.assert_array_equal(pairs[ends], pairs[ends - rungs], name)


def _more(mesh: Mesh) -> int:
    """Return by how many triangles many-sided faces have more than two."""
    return int(np.maximum(mesh.sides - 4, 0).sum())


if __name__ == "__main__":
    unittest.main()
