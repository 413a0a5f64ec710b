"""Corners that are mitred, and strips of different widths."""

from __future__ import annotations

import unittest
from itertools import pairwise
from unittest import mock

import numpy as np
from scipy.spatial import ConvexHull, HalfspaceIntersection

from jukai.core.geometry.bevel import patches
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.rounding import round_edges
from jukai.core.geometry.building import box_mesh
from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.geometry.measures import edge_turns, face_normals, signed_volume
from tests.bevels import box, lengths, rounded
from tests.common import check_sound, cube
from tests.solids import PLATONIC, platonic


class Mitres(unittest.TestCase):
    def test_chamfers_are_half_spaces(self) -> None:
        """One segment, mitred: the body is what the planes of its faces and chamfers leave (Qhull's intersection of half-spaces)."""
        for name in PLATONIC:
            mesh = platonic(name)
            out = rounded(mesh, 0.12, segments=1, mitre=True)
            self.assertEqual((out.mitred, out.patched), (mesh.n_points, 0))
            check_sound(self, out.mesh)
            normals = face_normals(mesh)
            corner = mesh.points[mesh.corners[mesh.offsets[:-1]]]
            faces = np.column_stack([normals, -np.einsum("ij,ij->i", normals, corner)])
            con = mesh.connectivity
            one = np.flatnonzero(con.twins > np.arange(len(con.twins)))
            both = normals[mesh.corner_faces[one]] + normals[mesh.corner_faces[con.twins[one]]]
            both /= np.linalg.norm(both, axis=1)[:, None]
            ends = mesh.points[con.edges[con.corner_edge[one]]].mean(axis=1)
            deep = 0.12 * np.sin(edge_turns(mesh)[con.corner_edge[one]] / 2)  # the chamfer's plane below the edge
            cuts = np.column_stack([both, deep - np.einsum("ij,ij->i", both, ends)])
            hull = ConvexHull(
                HalfspaceIntersection(np.concatenate([faces, cuts]), mesh.points.mean(axis=0)).intersections
            )
            self.assertAlmostEqual(signed_volume(out.mesh), hull.volume, places=12)

    def test_rounded_boxes_have_the_corners_of_three_cylinders(self) -> None:
        """Mitred rounds meet as three cylinders at right angles do: 8 (2 - √2) r³ in the corners (Moore 1974, Steinmetz solids)."""
        a, b, c, r = 4.0, 3.0, 2.0, 0.5
        inner = [x - 2 * r for x in (a, b, c)]
        exact = (
            inner[0] * inner[1] * inner[2] + 2 * r * (inner[0] * inner[1] + inner[1] * inner[2] + inner[2] * inner[0])
            + np.pi * r * r * sum(inner) + 8 * (2 - np.sqrt(2)) * r**3
        )  # fmt: skip
        errors = []
        for segments in (4, 8, 16):
            out = rounded(box(a, b, c), r, segments=segments, mitre=True)
            check_sound(self, out.mesh)
            self.assertEqual(set(out.mesh.sides.tolist()), {4})
            errors.append(abs(signed_volume(out.mesh) - exact))
        for coarse, fine in pairwise(errors):
            self.assertAlmostEqual(coarse / fine, 4, delta=0.25)

    def test_strips_that_meet_in_no_line_keep_a_patch(self) -> None:
        mesh = box(4, 3, 2)
        width = np.where(np.arange(12) % 3 == 0, 0.1, 0.5)
        out = round_edges(mesh, np.ones(12, bool), width, Bevel(4, mitre=True), "s9")
        self.assertEqual(out.mitred + out.patched, 8)
        self.assertGreater(out.patched, 0)
        check_sound(self, out.mesh)


class Widths(unittest.TestCase):
    def test_each_edge_has_its_own(self) -> None:
        """Three chamfers of different widths: what is left of each face is a rectangle, its borders where they were asked for."""
        mesh = box(4, 3, 2)
        ends = mesh.points[mesh.connectivity.edges]
        axis = np.argmax(np.abs(ends[:, 1] - ends[:, 0]), axis=1)
        width = np.array([0.1, 0.2, 0.4])[axis]
        for segments in (1, 3):
            out = round_edges(mesh, np.ones(12, bool), width, Bevel(segments), "s9").mesh
            check_sound(self, out)
            kept = ~out.group_faces("s9", "strips") & ~out.group_faces("s9", "corners")
            for f in np.flatnonzero(kept):
                p = out.points[out.corners[out.offsets[f] : out.offsets[f + 1]]]
                n = int(np.argmin(np.ptp(p, axis=0)))
                u, v = (n + 1) % 3, (n + 2) % 3
                size = np.array([4, 3, 2.0])
                np.testing.assert_allclose(
                    np.ptp(p, axis=0)[[u, v]],
                    [size[u] - 2 * [0.1, 0.2, 0.4][v], size[v] - 2 * [0.1, 0.2, 0.4][u]],
                    atol=1e-12,
                )

    def test_a_loop_along_unequal_faces_has_an_even_width(self) -> None:
        """The rungs of a prism whose walls are of any length stand at right angles to the loop: its borders are parallel to it."""
        mesh = turn([Section(np.array([[10, 0], [10, 8], [10, 11], [10, 20.0]]))], Turning(sides=14), "s1")
        uneven = mesh.with_points(mesh.points * [1, 0.4, 1])
        ends = uneven.points[uneven.connectivity.edges]
        for height in (8.0, 11.0):
            loop = (ends[:, :, 2] == height).all(axis=1)
            out = rounded(uneven, 0.7, loop, segments=2)
            check_sound(self, out.mesh)
            self.assertFalse(out.stopped.any())
            new = np.setdiff1d(np.unique(np.round(out.mesh.points[:, 2], 9)), [0, 8, 11, 20])
            np.testing.assert_allclose(new, [height - 0.7, height + 0.7], atol=1e-9)
        # rungs that lean: the point on the rung keeps both strips nearest to their widths
        leaning = uneven.with_points(uneven.points + 0.15 * uneven.points[:, [2]] * [0.0, 1.0, 0.0])
        loop = (ends[:, :, 2] == 8.0).all(axis=1)
        leant = rounded(leaning, 0.7, loop, segments=1).mesh
        check_sound(self, leant)
        strips = leant.group_faces("s9", "strips")
        border = np.unique(leant.corners[np.repeat(strips, leant.sides)])
        line = leaning.points[leaning.connectivity.edges[loop]]
        gaps = [
            min(float(np.linalg.norm(np.cross(p - a, b - a)) / np.linalg.norm(b - a)) for a, b in line)
            for p in leant.points[border]
        ]
        np.testing.assert_allclose(gaps, 0.7, atol=0.07)

    def test_patches_are_the_same_few_or_many(self) -> None:
        """Very many patches are worked out by a loop, few by array code: the same points, on a body of all kinds of corners."""
        rng = np.random.default_rng(12)
        flat = box_mesh(np.array([6.0, 5.0, 4.0]), (12, 10, 8), "s1")
        bent = flat.with_points(flat.points + rng.uniform(-0.08, 0.08, flat.points.shape))
        n = bent.connectivity.n_edges
        picked = rng.random(n) < 0.9
        for mesh, width in ((flat, np.full(n, 0.05)), (bent, rng.uniform(0.03, 0.06, n))):
            for segments, roundness in ((2, 1.0), (3, 0.5), (4, 1.0), (4, 0.0), (2, -1.0)):
                with self.subTest(segments=segments, roundness=roundness):
                    options = Bevel(segments, roundness=roundness)
                    few, many = (mock.patch.object(patches, "_MANY", least) for least in (10**9, 3))
                    # none made before others: it is the patches that are compared
                    with few:
                        one = round_edges(mesh, picked, width, options, "s9", turns=0).mesh
                    with many:
                        two = round_edges(mesh, picked, width, options, "s9", turns=0).mesh
                    np.testing.assert_array_equal(one.corners, two.corners)
                    np.testing.assert_allclose(one.points, two.points, atol=1e-12)

    def test_round_strips_leave_flat_faces_ever_more_gently(self) -> None:
        """The angle between a flat face and its strip is that of half a chord: φ / 2n, so it halves when segments double."""
        for segments in (1, 2, 4, 8, 16, 32):
            out = rounded(cube(), 0.2, np.eye(12, dtype=bool)[0], segments=segments).mesh
            turns = edge_turns(out)
            strips = out.group_faces("s9", "strips")
            con = out.connectivity
            border = np.flatnonzero(strips[out.corner_faces] & ~strips[out.corner_faces[con.twins]])
            long = lengths(out)[con.corner_edge[border]] > 0.99
            np.testing.assert_allclose(turns[con.corner_edge[border[long]]], np.pi / 4 / segments, atol=1e-12)


if __name__ == "__main__":
    unittest.main()
