"""What a bevel says and leaves alone, and that two steps in a row make what one step with two widths makes."""

from __future__ import annotations

import unittest
from types import SimpleNamespace
from typing import Any

import numpy as np
from scipy.spatial import ConvexHull

from jukai.core.geometry.crossings import self_crossings
from jukai.core.geometry.measures import face_normals, signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.soundness import soundness
from jukai.core.operators.base import Context, Result
from jukai.core.operators.registry import get_operator
from jukai.core.picks.picked import Picked
from tests.common import check_sound, reference_mesh
from tests.recipes import body, built
from tests.solids import PLATONIC, platonic

BOX = {"operator": "box", "size": [120, 60, 8]}
UPRIGHT = {"of": "edges", "rule": "direction", "axis": "z", "within": 1}


def bevel(
    mesh: Mesh,
    pick: np.ndarray,
    of: str = "edges",
    further: list[tuple[np.ndarray, float]] | None = None,
    **values: Any,
) -> Result:
    """Bevel what is picked by masks."""
    op = get_operator("bevel")
    rows = [SimpleNamespace(pick=Picked(of, mask), width=width) for mask, width in further or []]
    asked = {**op.values().model_dump(), "pick": Picked(of, pick), "further_picks": rows, **values}
    return op.apply(mesh, op.values.model_construct(**asked), Context("s2"))


def texts(result: Result, level: str) -> str:
    return " ".join(n.text for n in result.notes if n.level == level)


def edges_where(mesh: Mesh, test: Any) -> np.ndarray:
    return np.asarray(test(mesh.points[mesh.connectivity.edges]))


def upright(ends: np.ndarray) -> np.ndarray:
    return np.asarray(np.abs(ends[:, 0, :2] - ends[:, 1, :2]).max(axis=1) < 1e-9)


def corner_of(mesh: Mesh) -> np.ndarray:
    """(e,) the edges at the corner of a box that has the greatest coordinates, X, Y and Z in this order as 1, 2, 3; else 0."""
    ends = mesh.points[mesh.connectivity.edges]
    top = mesh.bounds[1]
    there = (np.abs(ends - top).max(axis=2) < 1e-9).any(axis=1)
    return np.where(there, 1 + np.argmax(np.abs(ends[:, 1] - ends[:, 0]), axis=1), 0)


class DifferentWidths(unittest.TestCase):
    def test_a_narrow_rim_follows_wide_uprights_as_in_two_steps(self) -> None:
        """Box 120 × 60 × 8, uprights 6, rims 1: the same volume and faces as uprights first, then what bounds top and bottom."""
        mesh = body(BOX)
        wide = edges_where(mesh, upright)
        for roundness in (1.0, 0.5, 0.0, -1.0):
            with self.subTest(roundness=roundness):
                one = bevel(mesh, ~wide, width=1.0, segments=4, roundness=roundness, further=[(wide, 6.0)])
                first = bevel(mesh, wide, width=6.0, segments=4, roundness=roundness).mesh
                rim = edges_where(
                    first, lambda e: (np.abs(np.abs(e[:, 0, 2] - 4) - 4) < 1e-9) & (e[:, 0, 2] == e[:, 1, 2])
                )
                two = bevel(first, rim, width=1.0, segments=4, roundness=roundness)
                self.assertEqual(texts(one, "warning"), "")
                check_sound(self, one.mesh)
                self.assertEqual(one.mesh.n_faces, two.mesh.n_faces)
                self.assertAlmostEqual(signed_volume(one.mesh), signed_volume(two.mesh), places=6)
                normals, middle = face_normals(one.mesh), one.mesh.points[one.mesh.corners[one.mesh.offsets[:-1]]]
                self.assertGreater(float(normals[middle[:, 2] > 4 + 1e-6, 2].min()), -1e-9)

    def test_no_corner_stands_out(self) -> None:
        """Three edges of a cube by all orders of three widths: what looks away from all three faces there is a lip."""
        cube = body({"operator": "box", "size": [20, 20, 20]})
        which = corner_of(cube)
        few = ((4, 1.0), (1, 0.0), (3, 0.0), (4, -1.0))
        many = [(n, roundness) for n in (1, 2, 3, 4, 6) for roundness in (1.0, 0.5, 0.0)]
        cases = [(w, few) for w in ((6, 1, 1), (6, 3, 1), (1, 6, 3), (6, 6, 1), (1, 6, 6), (6, 2, 3))]
        # the narrowest would have to widen steeply to follow the widest
        cases += [(w, many) for w in ((1, 5.5, 6), (6, 2, 5.9), (5, 4, 6), (0.5, 6, 5.8))]
        for widths, sections in cases:
            for segments, roundness in sections:
                with self.subTest(widths=widths, segments=segments, roundness=roundness):
                    further = [(which == k + 2, float(w)) for k, w in enumerate(widths[1:])]
                    out = bevel(
                        cube,
                        which == 1,
                        width=float(widths[0]),
                        segments=segments,
                        roundness=roundness,
                        further=further,
                    )
                    check_sound(self, out.mesh)
                    if roundness >= 0:  # hollow strips meet in cusps, where they leave each other less room
                        self.assertEqual(texts(out, "warning"), "")
                    new = out.mesh.group_faces("s2", "strips") | out.mesh.group_faces("s2", "corners")
                    self.assertGreater(float(face_normals(out.mesh)[new].min()), -1e-9)
                    if texts(out, "warning"):
                        continue
                    # borders are where they were asked for: what is left of each face of the cube reaches as far as that
                    high = cube.bounds[1]
                    for k, axis in ((0, 1), (0, 2), (1, 2)):
                        top = np.abs(out.mesh.points[:, 3 - k - axis] - high[3 - k - axis]) < 1e-9
                        self.assertAlmostEqual(float(out.mesh.points[top, k].max()), high[k] - widths[axis], places=9)
                        self.assertAlmostEqual(
                            float(out.mesh.points[top, axis].max()), high[axis] - widths[k], places=9
                        )

    def test_hollow_strips_of_three_widths(self) -> None:
        """The two widest nearly alike: nothing is stopped; the widest runs out to the other, and nothing leans more than that."""
        cube = body({"operator": "box", "size": [20, 20, 20]})
        which, high = corner_of(cube), cube.bounds[1]
        for widths in ((1, 5.5, 6), (5.8, 2, 6), (6, 0.2, 5.8), (4, 6, 5.5)):
            for segments, roundness in ((2, -1.0), (3, -1.0), (4, -1.0), (6, -1.0), (4, -0.5), (6, -0.5)):
                with self.subTest(widths=widths, segments=segments, roundness=roundness):
                    further = [(which == k + 2, float(w)) for k, w in enumerate(widths[1:])]
                    out = bevel(
                        cube,
                        which == 1,
                        width=float(widths[0]),
                        segments=segments,
                        roundness=roundness,
                        further=further,
                    )
                    check_sound(self, out.mesh)
                    self.assertEqual(texts(out, "warning"), "")
                    self.assertEqual(len(self_crossings(out.mesh).pairs), 0)
                    new = out.mesh.group_faces("s2", "strips") | out.mesh.group_faces("s2", "corners")
                    _, second, most = sorted(widths)
                    self.assertGreater(float(face_normals(out.mesh)[new].min()), -(most - second) / (20 - most))
                    for k, width in enumerate(widths):  # what is left of both faces beside each edge ends at its width
                        for axis in {0, 1, 2} - {k}:
                            flat = 3 - k - axis
                            top = np.abs(out.mesh.points[:, flat] - high[flat]) < 1e-9
                            have = high[axis] - float(out.mesh.points[top, axis].max())
                            self.assertLess(have, width + 1e-9)
                            self.assertGreater(have, min(width, second) - 1e-9)


class Inside(unittest.TestCase):
    def test_what_is_cut_from_a_convex_body_stays_inside_it(self) -> None:
        """Points and edges of Platonic solids, prisms and chance hulls, by all sections: behind the planes of all faces."""
        rng = np.random.default_rng(5)
        bodies = [platonic(name) for name in PLATONIC]
        bodies += [body({"operator": "cylinder", "radius": 5, "height": 6, "sides": n}) for n in (3, 5, 6)]
        for _ in range(6):
            points = rng.normal(size=(9, 3))
            rows = ConvexHull(points)
            out = np.einsum("ij,ij->i", np.cross(points[rows.simplices[:, 1]] - points[rows.simplices[:, 0]],
                            points[rows.simplices[:, 2]] - points[rows.simplices[:, 0]]), rows.equations[:, :3]) > 0  # fmt: skip
            triangles = np.where(out[:, None], rows.simplices, rows.simplices[:, ::-1])
            used, numbers = np.unique(triangles, return_inverse=True)
            bodies.append(Mesh.from_triangles(points[used], numbers.reshape(-1, 3)))
        for i, mesh in enumerate(bodies):
            normals = face_normals(mesh)
            level = np.einsum("ij,ij->i", mesh.points[mesh.corners[mesh.offsets[:-1]]], normals)
            short = float(np.linalg.norm(np.diff(mesh.points[mesh.connectivity.edges], axis=1)[:, 0], axis=1).min())
            for of, count in (("points", mesh.n_points), ("edges", mesh.connectivity.n_edges)):
                for segments, roundness, share in (
                    (1, 0.0, 0.3),
                    (2, 1.0, 0.5),
                    (4, 1.0, 0.3),
                    (3, 0.5, 0.9),
                    (4, -1.0, 0.3),
                    (4, 2.0, 0.2),
                ):
                    with self.subTest(body=i, of=of, segments=segments, roundness=roundness):
                        out = bevel(
                            mesh,
                            rng.random(count) < 0.8,
                            of,
                            width=share * short,
                            segments=segments,
                            roundness=roundness,
                        )
                        if "however narrow" in texts(out, "warning"):
                            continue
                        over = float((out.mesh.points @ normals.T - level).max())
                        self.assertLess(over, 1e-9 * mesh.size)
                        self.assertTrue(out.mesh.closed)

    def test_strips_that_run_on_and_stand_out_say_so(self) -> None:
        """A leaning pyramid with its corners moved by chance: where strips may not stop, the corner at its top stands out."""
        leaning = reference_mesh("pyramid_8_leaning.obj")
        move = np.random.default_rng(1576).normal(size=leaning.points.shape) * 0.02 * leaning.size
        mesh = leaning.with_points(leaning.points + move)
        every = np.ones(mesh.connectivity.n_edges, dtype=bool)
        normals = face_normals(mesh)
        level = np.einsum("ij,ij->i", mesh.points[mesh.corners[mesh.offsets[:-1]]], normals)
        for mode, words, outside in (("run_on", "stand out", True), ("stop", "are stopped", False)):
            out = bevel(mesh, every, width=0.1854125813916954, measured_as="radius", segments=1, at_neighbours=mode)
            self.assertIn(words, texts(out, "warning"))
            over = float((out.mesh.points @ normals.T - level).max())
            self.assertEqual(over > 1e-6 * mesh.size, outside)


class Points(unittest.TestCase):
    def test_points_have_the_limits_and_the_search_of_edges(self) -> None:
        cube = body({"operator": "box", "size": [1, 1, 1]})
        every = np.ones(8, dtype=bool)
        out = bevel(cube, every, "points", width=0.6, segments=2)
        self.assertIn("8 of 8 points are stopped, the narrowest at 0.5 mm", texts(out, "warning"))
        check_sound(self, out.mesh)
        for width in (0.6, 1.5):
            out = bevel(cube, every, "points", width=width, at_neighbours="run_on")
            self.assertIn("faces pass through each other", texts(out, "warning"))
            self.assertTrue(out.mesh.closed)
            solve = next(n.solve for n in out.notes if n.solve)
            self.assertEqual(solve[:2], ("width", 0.5))


class Said(unittest.TestCase):
    def test_flat_edges_have_no_radius(self) -> None:
        """All edges of a box of two cells by radius 0.1 in three segments: the flat ones are left out, and that is said."""
        mesh = body({"operator": "box", "size": [4, 3, 2], "counts": [2, 1, 1]})
        every = np.ones(mesh.connectivity.n_edges, dtype=bool)
        out = bevel(mesh, every, width=0.1, measured_as="radius", segments=3)
        check_sound(self, out.mesh)
        self.assertIn(
            "4 picked edges lie in flat faces, where an arc has no length: left as they are.", texts(out, "info")
        )
        self.assertEqual(texts(out, "warning"), "")
        flat = edges_where(mesh, lambda e: (np.abs(e[:, :, 0]) < 1e-9).all(axis=1))
        out = bevel(mesh, flat, width=0.1, measured_as="radius")
        self.assertEqual(out.mesh.digest(), mesh.digest())
        self.assertIn("left as they are", texts(out, "info"))

    def test_faces_round_holes_keep_them(self) -> None:
        """Polygons that a bridge joins with their hole: one body of the same Euler number whatever the width measures."""
        for name in ("bridged_hole.obj", "hole_plate_12.obj", "genus_2_plate.obj"):
            mesh = reference_mesh(name)
            before = soundness(mesh)
            for measured in ("leg", "face", "radius"):
                out = soundness(
                    bevel(mesh, np.ones(mesh.connectivity.n_edges, bool), width=0.02, measured_as=measured).mesh
                )
                self.assertTrue(out.sound, (name, measured))
                self.assertEqual((out.euler, out.bodies), (before.euler, before.bodies))

    def test_edges_of_many_faces_beside_a_bevel_stay_closed(self) -> None:
        for name in ("two_cubes_edge.obj", "fin.obj"):
            mesh = reference_mesh(name)
            con = mesh.connectivity
            out = bevel(mesh, con.edge_sides == 2, width=0.05).mesh.connectivity
            for sides in (1, 3, 4):
                self.assertEqual(int((out.edge_sides == sides).sum()), int((con.edge_sides == sides).sum()))

    def test_running_on_says_when_faces_cross(self) -> None:
        """Two opposite uprights of a box share no face: no side is used up, but at 0.97 of 1 mm their strips cross inside."""
        mesh = body({"operator": "box", "size": [1, 1, 4]})
        two = edges_where(mesh, lambda e: upright(e) & (e[:, 0, 0] * e[:, 0, 1] > 0))
        self.assertEqual(int(two.sum()), 2)
        for width, crosses in ((0.4, False), (0.97, True)):
            out = bevel(mesh, two, width=width, segments=8, roundness=-1, at_neighbours="run_on")
            self.assertEqual("faces pass through each other" in texts(out, "warning"), crosses)

    def test_a_body_too_large_to_be_searched_is_told_so(self) -> None:
        mesh = body({"operator": "box", "size": [40, 40, 40], "counts": [40, 40, 40]})
        every = np.ones(mesh.connectivity.n_edges, dtype=bool)
        out = bevel(mesh, every, width=0.1, segments=1)
        self.assertIn("those that cross were not looked for here", texts(out, "info"))

    def test_marks_run_on_with_their_edges(self) -> None:
        """An edge marked sharp that is shortened keeps its mark; one that is bevelled loses it; none stands between points without an edge."""
        mesh = built(BOX, {"operator": "bevel", "width": 2, "segments": 2, "shading": "strips_stand_apart"}).mesh
        assert mesh is not None
        assert mesh.edge_pairs is not None
        con = mesh.connectivity
        marked = np.zeros(con.n_edges, dtype=bool)
        marked[con.between(mesh.edge_pairs)] = True
        for pick in (marked & (np.arange(con.n_edges) % 3 == 0), ~marked):
            out = bevel(mesh, pick, width=0.2, segments=1).mesh
            assert out.edge_pairs is not None
            self.assertTrue((out.connectivity.between(out.edge_pairs) >= 0).all())
            self.assertGreaterEqual(len(out.edge_pairs), int((marked & ~pick).sum()) * 0.9)

    def test_one_edge_of_a_tent(self) -> None:
        """Roofs, open and closed: each edge between two faces by itself, in all sections, is bevelled as wide as asked for."""
        low = [[0, 0, 0], [10, 0, 0], [10, 6, 0], [0, 6, 0]]
        floor, slopes, gables = [0, 3, 2, 1], [[0, 1, 5, 4], [2, 3, 4, 5]], [[0, 4, 3], [1, 2, 5]]
        tents = {
            "prism": ([*low, [0, 3, 4], [10, 3, 4]], [floor, *slopes, *gables]),
            "hip": ([*low, [3, 3, 4], [7, 3, 4]], [floor, *slopes, *gables]),
            "open": ([*low, [0, 3, 4], [10, 3, 4]], slopes),
            "no floor": ([*low, [0, 3, 4], [10, 3, 4]], [*slopes, *gables]),
            "pyramid": ([*low, [5, 3, 4]], [floor, [0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]]),
        }
        for name, (points, faces) in tents.items():
            mesh = Mesh.from_faces(np.array(points, dtype=float), faces)
            for e in np.flatnonzero(mesh.connectivity.edge_sides == 2):
                one = np.arange(mesh.connectivity.n_edges) == e
                for measured, segments, roundness in (
                    ("leg", 1, 0.0),
                    ("face", 3, 1.0),
                    ("radius", 2, 1.0),
                    ("leg", 4, -1.0),
                ):
                    with self.subTest(name, edge=int(e), measured=measured, segments=segments):
                        out = bevel(mesh, one, width=0.5, measured_as=measured, segments=segments, roundness=roundness)
                        self.assertEqual(texts(out, "warning"), "")
                        self.assertEqual(int(out.mesh.group_faces("s2", "strips").sum()), segments)
                        self.assertEqual(soundness(out.mesh).sound, mesh.closed)
                        self.assertEqual(len(self_crossings(out.mesh).pairs), 0)

    def test_some_edges_of_a_straight_rim(self) -> None:
        """Chamfers of a box whose rim has four edges: what each takes is a prism as long as its edges, with ends square to it."""
        mesh = body({"operator": "box", "size": [4, 3, 2], "counts": [4, 3, 2]})
        ends = mesh.points[mesh.connectivity.edges]
        rim = np.flatnonzero((ends[:, :, 1:] == mesh.bounds[1, 1:]).all(axis=(1, 2)))
        rim = rim[np.argsort(ends[rim, :, 0].min(axis=1))]
        self.assertEqual(len(rim), 4)
        for some in ([0], [1], [3], [1, 2], [0, 2], [0, 1, 2, 3]):
            out = bevel(mesh, np.isin(np.arange(len(ends)), rim[some]), width=0.2, segments=1, roundness=0.0).mesh
            check_sound(self, out)
            self.assertAlmostEqual(signed_volume(mesh) - signed_volume(out), len(some) * 0.2**2 / 2, places=12)

    def test_texture_on_flat_faces_stays_where_it_is(self) -> None:
        """Texture that is linear in the place, so even on each plane: in all that still lies in the planes of the body it is the same."""
        rng = np.random.default_rng(1)
        slope = rng.normal(size=(3, 2))
        for plain in (body({"operator": "box", "size": [4, 3, 2], "counts": [3, 3, 2]}), reference_mesh("l_block.obj")):
            mesh = plain.with_changes(uv=(plain.points @ slope)[plain.corners])
            normals, level = face_normals(mesh), mesh.points[mesh.corners[mesh.offsets[:-1]]]
            for of, count in (("edges", mesh.connectivity.n_edges), ("points", mesh.n_points)):
                for segments, roundness, share in (
                    (3, 1.0, 1.0),
                    (3, 1.0, 0.5),
                    (2, 0.0, 0.5),
                    (3, 0.5, 0.5),
                    (1, -1.0, 0.3),
                ):
                    pick = rng.random(count) < share
                    corners = "mitre" if of == "edges" and share < 0.6 else "patch"
                    out = bevel(
                        mesh, pick, of, width=0.05, segments=segments, roundness=roundness, corners=corners
                    ).mesh
                    assert out.uv is not None
                    first = out.points[out.corners[out.offsets[:-1]]]
                    alike = face_normals(out) @ normals.T > 1 - 1e-9
                    near = np.abs(np.einsum("fkj,kj->fk", first[:, None] - level, normals)) < 1e-9
                    flat = (alike & near).any(axis=1)[out.corner_faces]
                    np.testing.assert_allclose(out.uv[flat], (out.points @ slope)[out.corners[flat]], atol=1e-9)


if __name__ == "__main__":
    unittest.main()
