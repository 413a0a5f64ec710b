"""Catmull-Clark subdivision and its limit."""

from __future__ import annotations

import unittest

import numpy as np

from jukai.core.geometry import _subdivision, subdividing
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges
from jukai.core.geometry.soundness import soundness
from jukai.core.geometry.subdividing import ALWAYS, limit_positions, limit_surface
from tests.common import check_sound, cube, reference, reference_mesh
from tests.recipes import body


def none(mesh: Mesh) -> np.ndarray:
    return np.zeros(mesh.connectivity.n_edges, dtype=bool)


def subdivided(mesh: Mesh, sharp: np.ndarray, levels: int = 1) -> tuple[Mesh, np.ndarray]:
    """Return the finer mesh, and which of its edges are sharp."""
    done = subdividing.subdivided(mesh, np.where(sharp, ALWAYS, 0.0), levels, corners_stay=False)
    con = done.mesh.connectivity
    marks = np.zeros(con.n_edges, dtype=bool)
    marks[con.between(done.edges[done.sharpness > 0])] = True
    return done.mesh, marks


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
            finer, more = subdivided(finer, more, 4)
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

    def test_levels_are_steps_one_after_another(self) -> None:
        """The numbers of edges are handed on from step to step; found anew they come to the same bodies, compiled or not."""
        mesh = body({"operator": "torus", "sides": 30, "minor_sides": 12})
        marks = sharp_edges(mesh) | (np.arange(mesh.connectivity.n_edges) % 7 == 0)
        once = subdivided(*subdivided(mesh, marks))[0]
        np.testing.assert_allclose(
            subdivided(mesh, marks, 2)[0].points[: mesh.n_points], once.points[: mesh.n_points], atol=1e-13
        )
        args = (mesh.points, mesh.corners, mesh.offsets, mesh.connectivity.edges, mesh.connectivity.corner_edge,
                np.where(marks, 0.4, 0.0), True)  # fmt: skip
        np.testing.assert_array_equal(_subdivision.divide(*args), _subdivision.divide.plain(*args))

    def test_semi_sharp_edges(self) -> None:
        """DeRose, Kass and Truong 1998: sharpness 1 is one step of sharp and then smooth, 1/2 the mean of sharp and smooth."""
        mesh = reference_mesh("cube.obj")
        e = mesh.connectivity.n_edges
        by = {s: subdividing.subdivided(mesh, np.full(e, s)).mesh.points for s in (0.0, 0.5, 1.0, 3.0)}
        np.testing.assert_allclose(by[0.5], (by[0.0] + by[1.0]) / 2, atol=1e-14)
        np.testing.assert_array_equal(by[1.0], by[3.0])
        done = subdividing.subdivided(mesh, np.full(e, 1.0))
        self.assertEqual(float(done.sharpness.max()), 0.0)
        two = subdividing.subdivided(mesh, np.full(e, 2.0), 3).mesh
        again = subdividing.subdivided(subdividing.subdivided(mesh, np.full(e, ALWAYS), 2).mesh, np.zeros(96 * 2)).mesh
        np.testing.assert_allclose(np.sort(two.points, axis=0), np.sort(again.points, axis=0), atol=1e-12)

    def test_what_faces_and_points_carry(self) -> None:
        """Texture coordinates of a flat sheet stay those of its places; corners of its rim stay or are rounded."""
        sheet = body({"operator": "sheet", "size": [6, 4], "counts": [3, 2]})
        sheet = sheet.with_changes(point_data={"w": sheet.points[:, 0].copy()}, edge_pairs=sheet.connectivity.edges[:3],
                                   edge_data={"sharp": np.ones(3, bool)})  # fmt: skip
        done = subdividing.subdivided(sheet, np.zeros(sheet.connectivity.n_edges), 2)
        out = done.mesh
        self.assertEqual((out.n_faces, len(out.edge_pairs)), (6 * 16, 12))  # type: ignore[arg-type]
        self.assertTrue((out.connectivity.between(out.edge_pairs) >= 0).all())  # type: ignore[arg-type]
        np.testing.assert_allclose(out.bounds, sheet.bounds, atol=1e-12)
        inner = np.abs(out.points[out.corners][:, :2]) < [1, 0.5]
        places = (out.uv - 0.5) * [6, 4]  # type: ignore[operator]
        np.testing.assert_allclose(
            places[inner.all(axis=1)], out.points[out.corners][inner.all(axis=1)][:, :2], atol=1e-12
        )
        np.testing.assert_allclose(
            out.point_data["w"][np.abs(out.points[:, 0]) < 1], out.points[np.abs(out.points[:, 0]) < 1, 0], atol=1e-12
        )
        rounded = subdividing.subdivided(sheet, np.zeros(sheet.connectivity.n_edges), 2, corners_stay=False).mesh
        self.assertGreater(np.abs(rounded.points[:, :2] - [3, 2]).sum(axis=1).min(), 0.1)

    def test_stops_before_it_is_too_much(self) -> None:
        mesh = limit_surface(cube(), none(cube()), most=100)
        self.assertEqual(mesh.n_faces, 96)


class Poles(unittest.TestCase):
    def test_the_report_lists_them_with_their_edges(self) -> None:
        """Eight of three edges on a ball of six patches, two of all its sides on one with poles; none across sharp edges."""
        for start, text in (
            ({"operator": "quad_sphere", "counts": 5}, "8 poles on smooth surfaces: 8 of 3 edges."),
            ({"operator": "sphere", "sides": 24, "rows": 12}, "2 poles on smooth surfaces: 2 of 8 or more edges."),
            ({"operator": "box", "counts": [3, 3, 3]}, None),
        ):
            found = {f.kind: f for f in soundness(body(start)).findings}
            if text is None:
                self.assertNotIn("poles", found)
            else:
                self.assertEqual((found["poles"].text, found["poles"].level), (text, "info"))
                self.assertEqual(len(found["poles"].places), found["poles"].count)


if __name__ == "__main__":
    unittest.main()
