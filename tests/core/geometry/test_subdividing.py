"""Catmull-Clark subdivision and its limit."""

from __future__ import annotations

import unittest

import numpy as np

from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges
from jukai.core.geometry.soundness import soundness
from jukai.core.geometry.subdividing import limit_positions, limit_surface, subdivided
from tests.common import check_sound, cube, reference, reference_mesh
from tests.recipes import body


def none(mesh: Mesh) -> np.ndarray:
    return np.zeros(mesh.connectivity.n_edges, dtype=bool)


class Limits(unittest.TestCase):
    def test_of_the_cube(self) -> None:
        # worked out by hand from Halstead, Kass and DeRose 1993: corners of the cube of half side 1 come to 1/2, the middles
        # of its faces to (16 + 12 + 20/9) / 36
        box = body({"operator": "box", "size": [2, 2, 2]})
        box = box.with_points(box.points - [0, 0, 1])
        fine, marks = subdivided(box, none(box))
        self.assertEqual((fine.n_points, fine.n_faces), (26, 24))
        places = limit_positions(fine, marks)
        np.testing.assert_allclose(np.abs(places[:8]), 0.5, atol=1e-14)
        np.testing.assert_allclose(np.abs(places[-6:]).max(axis=1), (16 + 12 + 20 / 9) / 36, atol=1e-14)

    def test_what_subdivision_comes_to(self) -> None:
        for name in ("cube.obj", *[r["file"] for r in reference("meshes/table.json")["rows"][:4]]):
            mesh = reference_mesh(name)
            fine, marks = subdivided(mesh, none(mesh))
            places = limit_positions(fine, marks)
            finer, more = fine, marks
            for _ in range(4):
                finer, more = subdivided(finer, more)
            # old points stand first in the finer mesh; the error falls by four a step
            off = np.abs(finer.points[: len(places)] - places).max()
            self.assertLess(off, 2e-3 * mesh.size, name)

    def test_the_limit_stays_when_subdivided(self) -> None:
        mesh = reference_mesh("cube.obj")
        fine, marks = subdivided(mesh, none(mesh))
        finer, more = subdivided(fine, marks)
        np.testing.assert_allclose(
            limit_positions(finer, more)[: fine.n_points], limit_positions(fine, marks), atol=1e-12
        )


class Sharp(unittest.TestCase):
    def test_a_box_keeps_its_sharp_edges(self) -> None:
        box = body({"operator": "box", "size": [4, 6, 8]})
        out = limit_surface(box, sharp_edges(box))
        np.testing.assert_array_equal(out.bounds, box.bounds)
        check_sound(self, out)
        self.assertAlmostEqual(float(out.points[:, 2].max()), 8)

    def test_a_sharp_ring_stays_in_its_plane(self) -> None:
        c = body({"operator": "cylinder", "radius": 5, "height": 10, "sides": 24})
        out = limit_surface(c, sharp_edges(c))
        top = out.points[np.abs(out.points[:, 2] - 10) < 1e-12]
        # uniform cubic B-spline of a regular polygon: its corners come to (a + 4 v + b) / 6
        radii = np.hypot(top[:, 0], top[:, 1])
        self.assertLess(np.abs(radii - 5 * (4 + 2 * np.cos(np.pi / 12)) / 6).min(), 1e-12)
        self.assertGreater(np.count_nonzero(np.abs(radii - radii.max()) < 1e-12), 11)
        check_sound(self, out)

    def test_closed_in_closed_out(self) -> None:
        for row in reference("meshes/table.json")["rows"]:
            mesh = reference_mesh(row["file"])
            if not soundness(mesh).manifold:
                continue
            for marks in (none(mesh), sharp_edges(mesh)):
                out, _ = subdivided(mesh, marks)
                self.assertTrue((out.sides == 4).all())
                self.assertEqual(out.n_faces, len(mesh.corners))
                open_before = (mesh.connectivity.edge_sides == 1).sum()
                self.assertEqual((out.connectivity.edge_sides == 1).sum(), 2 * open_before)

    def test_stops_before_it_is_too_much(self) -> None:
        mesh = limit_surface(cube(), none(cube()), most=100)
        self.assertEqual(mesh.n_faces, 96)
