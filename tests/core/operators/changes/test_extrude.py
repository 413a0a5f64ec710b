"""Extruding and insetting: Euler's counts, closed forms, even widths, where they stop."""

from __future__ import annotations

import math
import unittest
from typing import Any
from unittest.mock import patch

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.measures import area, face_normals, signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.selecting import faces_of
from jukai.core.operators import pulling
from tests.common import check_sound
from tests.recipes import built

BOX = {"operator": "box", "size": [20, 16, 10], "counts": [4, 4, 2]}
ALL = {"rule": "everything"}
L_SHAPE = [[0, 0], [30, 0], [30, 10], [10, 10], [10, 30], [0, 30]]


def group(name: str, step: str = "s1") -> dict[str, Any]:
    return {"rule": "group", "step": step, "name": name}


TOP = group("top")


def made(*steps: Any, **bench: Any) -> Mesh:
    mesh = built(*steps, **bench).mesh
    assert mesh is not None
    return mesh


def extrude(**values: Any) -> dict[str, Any]:
    return {"operator": "extrude", "pick": TOP} | values


def notes(evaluation: Any) -> list[str]:
    return [n.text for s in evaluation.steps for n in s.notes]


class Extruded(unittest.TestCase):
    def test_counts_of_euler(self) -> None:
        """A border of b edges pulled in r rows adds b r points and faces and 2 b r edges: V - E + F stays."""
        for rows in (1, 3):
            for pick, border in ((TOP, 16), ({"rule": "facing", "direction": [1, 0, 0]}, 12)):
                before, mesh = made(BOX), made(BOX, extrude(pick=pick, distance=2, rows=rows))
                check_sound(self, mesh)
                self.assertEqual(
                    (mesh.n_points - before.n_points, mesh.n_faces - before.n_faces), (border * rows, border * rows)
                )
                self.assertEqual(mesh.connectivity.n_edges - before.connectivity.n_edges, 2 * border * rows)
                self.assertTrue((mesh.sides == 4).all())

    def test_volumes(self) -> None:
        """Prisms A d; drafted ones d (A + A' + sqrt(A A')) / 3 on squares (Heron's frustum); pockets the same taken away."""
        for distance in (5.0, -4.0):
            self.assertAlmostEqual(
                signed_volume(made(BOX, extrude(distance=distance))), 3200 + 320 * distance, places=9
            )
        square = {"operator": "box", "size": [16, 16, 10]}
        for distance in (5.0, -4.0):
            for values, t in (({"inset": 2}, 2.0), ({"draft": 20}, abs(distance) * math.tan(math.radians(20)))):
                a, b = 256.0, (16 - 2 * t) ** 2
                frustum = distance * (a + b + math.sqrt(a * b)) / 3
                mesh = made(square, extrude(distance=distance, rows=3, **values))
                self.assertAlmostEqual(signed_volume(mesh), 2560 + frustum, places=9)
                check_sound(self, mesh)

    def test_distances_are_true_to_the_normals(self) -> None:
        """On round bodies every face moves by the distance along its own normal, so the patch becomes that of a larger radius."""
        for start, pick in (
            ({"operator": "cylinder", "radius": 10, "height": 12, "sides": 24, "rows": 3}, group("walls")),
            ({"operator": "sphere", "radius": 10, "sides": 24, "rows": 12}, {"rule": "facing", "direction": [0.3, 0, 1], "within": 50}),
        ):  # fmt: skip
            before = made(start)
            for distance in (3.0, -2.0) if start["operator"] == "sphere" else (3.0,):
                mesh = made(start, extrude(pick=pick, distance=distance))
                check_sound(self, mesh)
                tops = np.flatnonzero(mesh.group_faces("s2", "tops"))
                first = mesh.points[mesh.corners[mesh.offsets[tops]]]
                moved = (
                    (first - before.points[before.corners[before.offsets[tops]]]) * face_normals(before)[tops]
                ).sum(axis=1)
                np.testing.assert_allclose(moved, distance, atol=1e-9)

    def test_each_by_itself_and_chained(self) -> None:
        mesh = made(
            BOX,
            extrude(each="each", distance=5, inset=0.5),
            extrude(pick=group("tops", "s2"), each="each", distance=2, inset=0.5),
        )
        check_sound(self, mesh)
        self.assertEqual(mesh.n_faces, 64 + 2 * 16 * 4)
        tops = mesh.group_faces("s3", "tops")
        self.assertEqual(int(tops.sum()), 16)
        heights = mesh.points[mesh.corners[tops[mesh.corner_faces]]][:, 2]
        np.testing.assert_allclose(heights, 17)

    def test_turned_walls_keep_their_tops(self) -> None:
        """Turned by 360° in rows the top lies over the face again; by 90° a square lies on itself."""
        square = {"operator": "box", "size": [16, 16, 10]}
        for turn in (90.0, 360.0, -720.0):
            mesh = made(square, extrude(distance=8, turn=turn))
            top = mesh.points[mesh.points[:, 2] == 18]
            np.testing.assert_allclose(np.sort(np.abs(top[:, :2]).ravel()), 8, atol=1e-12)
            check_sound(self, mesh)

    def test_along_a_path_each_leaves_squarely(self) -> None:
        """Faces that look all ways each take the path from their own middle: six arms, each of the face's area times the length."""
        path = [{"id": "c1", "name": "Way", "kind": "path", "points": [{"at": [0, 0, 0]}, {"at": [0, 0, 12]}]}]
        mesh = made(
            {"operator": "box", "size": [10, 10, 10]}, {"operator": "extrude", "pick": ALL, "each": "each", "along": "path", "path": "c1"}, curves=path
        )  # fmt: skip
        check_sound(self, mesh)
        self.assertAlmostEqual(signed_volume(mesh), 1000 + 6 * 1200, places=9)

    def test_sheets_become_bodies(self) -> None:
        sheet = {"operator": "sheet", "size": [10, 8], "counts": [3, 2]}
        for distance in (2.0, -2.0):
            mesh = made(sheet, extrude(pick=ALL, distance=distance))
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), 160, places=9)

    def test_it_stops_before_faces_run_through_themselves(self) -> None:
        cases: tuple[tuple[dict[str, Any], str, float], ...] = (
            ({"distance": 2, "inset": 9}, "8 mm", 2.0),
            ({"distance": 40, "draft": 45}, "8 mm", 8.0),
        )
        for values, where, height in cases:
            evaluation = built(BOX, extrude(**values))
            self.assertTrue(any(where in n and "stopped there" in n for n in notes(evaluation)), notes(evaluation))
            check_sound(self, evaluation.mesh)
            self.assertLessEqual(float(evaluation.mesh.bounds[1, 2]), 10 + height + 1e-9)
        ball = built({"operator": "sphere", "radius": 10, "sides": 24, "rows": 12},
                     extrude(pick={"rule": "facing", "direction": [0, 0, 1], "within": 40}, distance=-15))  # fmt: skip
        self.assertTrue(any("run through themselves" in n for n in notes(ball)))

    def test_what_can_t_be_is_said(self) -> None:
        for values, text in (
            ({"distance": 0}, "stay where they are"),
            ({"pick": ALL, "distance": 2}, "no border"),
            ({"along": "path"}, "Path is not given"),
            ({"distance": 1, "draft": 3, "inset": 1}, "give one of them"),
        ):
            with self.subTest(text), self.assertRaises(CoreError) as found:
                built(BOX, extrude(**values))
            self.assertIn(text, str(found.exception))
        nothing = built(BOX, extrude(pick={"rule": "rim"}, distance=2))
        self.assertIn("No face is picked: nothing is extruded.", notes(nothing))
        flat = built(BOX, extrude(each="each", distance=2))
        self.assertTrue(any("wall to wall" in n for n in notes(flat)))


class ManyAtOnce(unittest.TestCase):
    def test_one_pass_gives_what_the_general_way_does(self) -> None:
        """Thousands of plain faces go another way through the code: body, groups, texture, notes and callouts are the same."""
        starts: tuple[dict[str, Any], ...] = (
            BOX, {"operator": "sphere", "radius": 10, "sides": 24, "rows": 12}, {"operator": "quad_sphere", "counts": 6}, {"operator": "cylinder", "sides": 24, "rows": 4},
        )  # fmt: skip
        some = {"rule": "every_nth", "of": "faces", "among": ALL, "n": 2}
        steps: tuple[dict[str, Any], ...] = (
            {"operator": "inset", "pick": ALL, "each": "each", "distance": 0.2, "height": 0.1}, {"operator": "inset", "pick": ALL, "each": "each", "distance": 50},
            extrude(pick=some, each="each", distance=0.5, inset=0.1), extrude(pick=ALL, each="each", distance=-0.5, draft=10),
        )  # fmt: skip
        for start in starts:
            for step in steps:
                general = built(start, step)
                with patch.object(pulling, "_SINGLES", 1):
                    quick = built(start, step)
                a, b = general.mesh, quick.mesh
                assert a is not None and b is not None and a.uv is not None and b.uv is not None
                np.testing.assert_array_equal(a.corners, b.corners)
                np.testing.assert_array_equal(a.offsets, b.offsets)
                np.testing.assert_allclose(
                    a.points, b.points, atol=2e-4 * a.size
                )  # where it stops, bent faces differ by a hair
                np.testing.assert_allclose(a.uv, b.uv, atol=1e-4)
                self.assertEqual(a.groups(), b.groups())
                np.testing.assert_array_equal(a.face_lineage, b.face_lineage)
                self.assertEqual(notes(general), notes(quick))
                one, two = (e.steps[-1].result for e in (general, quick))
                assert one is not None and two is not None
                self.assertEqual([c.target for c in one.callouts], [c.target for c in two.callouts])


class Inset(unittest.TestCase):
    def test_even_width_round_hollow_corners(self) -> None:
        """The border of an L is as wide everywhere: what is left of it has legs narrower by twice that, and as long."""
        prism = {"operator": "prism", "profile": "c1", "height": 10}
        for d in (0.5, 3.0, 4.5):
            mesh = made(
                prism, {"operator": "inset", "pick": group("end_cap"), "distance": d}, profile=L_SHAPE, closed=True
            )
            check_sound(self, mesh)
            border, inner = (faces_of(mesh, mesh.group_faces("s2", name)) for name in ("border", "inner"))
            self.assertEqual((border.n_faces, inner.n_faces), (6, 1))
            left = (50 - 2 * d) * (10 - 2 * d)
            self.assertAlmostEqual(area(border), 500 - left, places=9)
            self.assertAlmostEqual(area(inner), left, places=9)

    def test_what_lies_within_follows(self) -> None:
        """A grid keeps its proportions: points along straight sides and those within go along, a round patch shrinks about its middle."""
        mesh = made(
            {"operator": "box", "size": [16, 16, 10], "counts": [4, 4, 1]},
            {"operator": "inset", "pick": TOP, "distance": 6},
        )
        check_sound(self, mesh)
        inner = mesh.group_faces("s2", "inner")
        places = mesh.points[np.unique(mesh.corners[inner[mesh.corner_faces]])]
        np.testing.assert_allclose(np.unique(np.round(places[:, :2], 9)), [-2, -1, 0, 1, 2])
        disc = {"operator": "round_patch", "pick": TOP, "points": 24, "diameter": 10}
        flat = made({"operator": "box", "size": [16, 16, 10]}, disc)
        small = made(
            {"operator": "box", "size": [16, 16, 10]},
            disc,
            {"operator": "inset", "pick": group("patch", "s2"), "distance": 4},
        )
        check_sound(self, small)
        shrunk = 1 - 4 / (5 * math.cos(math.pi / 24))
        before = area(faces_of(flat, flat.group_faces("s2", "patch")))
        self.assertAlmostEqual(area(faces_of(small, small.group_faces("s3", "inner"))), before * shrunk**2, places=9)

    def test_texture_goes_on(self) -> None:
        """On a flat sheet a place has the texture coordinates that it had."""
        mesh = made(
            {"operator": "sheet", "size": [10, 8], "counts": [3, 2]},
            {"operator": "inset", "pick": ALL, "each": "each", "distance": 0.7},
        )
        assert mesh.uv is not None
        np.testing.assert_allclose((mesh.uv - 0.5) * [10, 8], mesh.points[mesh.corners][:, :2], atol=1e-12)
        self.assertEqual(mesh.n_faces, 6 * 5)

    def test_volume_of_sunk_panels_and_where_it_stops(self) -> None:
        """A square panel sunk by h inside a border t takes h (A + A' + sqrt(A A')) / 3."""
        box = {"operator": "box", "size": [16, 16, 10]}
        mesh = made(box, {"operator": "inset", "pick": TOP, "distance": 3, "height": -2})
        self.assertAlmostEqual(signed_volume(mesh), 2560 - 2 * (256 + 100 + 160) / 3, places=9)
        for profile, most in ((L_SHAPE, 5.0), ([[0, 0], [40, 0], [40, 6], [0, 6]], 3.0), ([[0, 0], [30, 0], [30, 20], [20, 20], [20, 8], [10, 8], [10, 20], [0, 20]], 4.0)):  # fmt: skip
            evaluation = built(
                {"operator": "prism", "profile": "c1", "height": 10}, {"operator": "inset", "pick": group("end_cap"), "distance": 9},
                profile=profile, closed=True,
            )  # fmt: skip
            self.assertTrue(any(f"at {most:g} mm" in n for n in notes(evaluation)), notes(evaluation))
            check_sound(self, evaluation.mesh)


if __name__ == "__main__":
    unittest.main()
