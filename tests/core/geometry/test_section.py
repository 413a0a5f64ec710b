"""Bodies cut by planes: closed forms, an independent library, orientation, what stays closed, gaps."""

from __future__ import annotations

import itertools
import math
import unittest
from typing import Any

import manifold3d
import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry._slices import follow_chains, nearest_of_segments
from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.placing import placement_matrix
from jukai.core.geometry.section import Cut, Plane, clipped, cut, gap_between
from jukai.core.geometry.soundness import soundness
from jukai.core.geometry.triangulation import triangulate
from tests.common import reference, reference_mesh
from tests.recipes import body


def shape(operator: str, **values: Any) -> Mesh:
    mesh: Mesh = body({"operator": operator, **values})
    return mesh


def plane(point: Any, normal: Any) -> Plane:
    return Plane.through(np.array(point, dtype=float), np.array(normal, dtype=float))


def filled(c: Cut) -> float:
    a, b = c.triangles[:, 1] - c.triangles[:, 0], c.triangles[:, 2] - c.triangles[:, 0]
    return float(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() / 2)


class ClosedForms(unittest.TestCase):
    """Faceted bodies come to the areas of round ones with the square of their sides (closed forms, Bronshtein)."""

    CASES = (
        ("torus along its axis", "torus", {"major_radius": 20, "minor_radius": 5}, (0, 0, 5), (1, 0, 0), 2 * math.pi * 25, 4 * math.pi * 5, 2),
        ("torus at its middle", "torus", {"major_radius": 20, "minor_radius": 5}, (0, 0, 5), (0, 0, 1), 4 * math.pi * 100, 4 * math.pi * 20, 2),
        ("cylinder square", "cylinder", {"radius": 7, "height": 30}, (0, 0, 12.3), (0, 0, 1), 49 * math.pi, 14 * math.pi, 1),
        ("cylinder aslant", "cylinder", {"radius": 7, "height": 60}, (0, 0, 30), (0, 1, 1), 49 * math.pi * math.sqrt(2), None, 1),
        ("sphere", "sphere", {"radius": 9}, (0, 0, 13), (0, 0, 1), math.pi * (81 - 16), 2 * math.pi * math.sqrt(65), 1),
        ("sphere aslant", "sphere", {"radius": 9}, (0, 0, 9), (1, 2, 2), 81 * math.pi, 18 * math.pi, 1),
        ("frustum", "cone", {"bottom_radius": 10, "top_radius": 4, "height": 12}, (0, 0, 4), (0, 0, 1), 64 * math.pi, 16 * math.pi, 1),
    )  # fmt: skip

    def test_areas_and_outlines(self) -> None:
        for name, operator, values, point, normal, area, around, loops in self.CASES:
            with self.subTest(name):
                off = []
                for sides in (96, 192):
                    more = (
                        {"minor_sides": sides}
                        if operator == "torus"
                        else {"rows": sides}
                        if operator == "sphere"
                        else {}
                    )
                    c = cut(shape(operator, sides=sides, **values, **more), plane(point, normal))
                    self.assertEqual((len(c.loops), c.chains), (loops, ()))
                    assert c.area is not None
                    off.append(abs(c.area - area) / area)
                    self.assertAlmostEqual(filled(c), c.area, delta=1e-9 * area)
                    if around is not None:
                        self.assertAlmostEqual(c.perimeter, around, delta=around * 20 / sides**2)
                self.assertLess(off[1], 20 / 192**2)
                self.assertGreater(off[0] / off[1], 3.0)

    def test_boxes_are_exact(self) -> None:
        box = shape("box", size=[4, 6, 8], counts=[2, 3, 4])
        for point, normal, area, corners in (
            ((0, 0, 3), (0, 0, 1), 24.0, 4),
            ((1, 0, 0), (1, 0, 0), 48.0, 4),
            ((0, 0, 4), (1, 0, 1), 6 * math.hypot(4, 4), 4),
        ):
            c = cut(box, plane(point, normal))
            assert c.area is not None
            self.assertAlmostEqual(c.area, area, delta=1e-12 * area)
            self.assertEqual([len(r) for r in c.loops], [corners])

    def test_a_cube_across_its_diagonal_is_a_hexagon(self) -> None:
        # closed form: 3/4 sqrt(3) a² (regular hexagon of side a / sqrt 2)
        c = cut(shape("box", size=[2, 2, 2]), plane((0, 0, 1), (1, 1, 1)))
        self.assertEqual([len(r) for r in c.loops], [6])
        self.assertAlmostEqual(c.area or 0, 3 * math.sqrt(3), delta=1e-12)

    def test_volume_is_the_sum_of_sections(self) -> None:
        # Cavalieri: sections of equal spacing add up to the volume (midpoint rule, exact for a box turned about Z)
        mesh = (
            reference_mesh("star.obj")
            if any(r["file"] == "star.obj" for r in reference("meshes/table.json")["rows"])
            else shape("torus")
        )
        low, high = mesh.bounds
        n = 400
        heights = low[2] + (np.arange(n) + 0.5) * (high[2] - low[2]) / n
        total = sum(cut(mesh, plane((0, 0, z), (0, 0, 1))).area or 0.0 for z in heights) * (high[2] - low[2]) / n
        volume = soundness(mesh).volume
        assert volume is not None
        self.assertAlmostEqual(total, volume, delta=2e-3 * volume)


class Elsewhere(unittest.TestCase):
    def test_manifold3d_slices_alike(self) -> None:
        rng = np.random.default_rng(4)
        bodies = [shape("torus"), shape("quad_sphere"), shape("superellipsoid"), shape("washer"), shape("capsule")]
        for mesh in bodies:
            matrix = placement_matrix(
                rng.uniform(-5, 5, 3), rng.uniform(0, 360, 3), rng.uniform(0.5, 2, 3) * [1, 1, -1]
            )
            points = mesh.points @ matrix[:3, :3].T + matrix[:3, 3]
            tri = triangulate(mesh).points(mesh).astype(np.uint32)[:, ::-1]
            solid = manifold3d.Manifold(manifold3d.Mesh64(points, tri.astype(np.uint64)) if hasattr(manifold3d, "Mesh64") else
                                        manifold3d.Mesh(points.astype(np.float32), tri))  # fmt: skip
            for z in np.linspace(points[:, 2].min(), points[:, 2].max(), 7)[1:-1]:
                theirs = solid.slice(float(z)).area()
                ours = cut(mesh, plane((0, 0, z), (0, 0, 1)), matrix).area
                self.assertAlmostEqual(ours or 0, abs(theirs), delta=2e-5 * max(abs(theirs), 1))


class Rules(unittest.TestCase):
    def test_the_body_lies_to_the_left_also_when_mirrored(self) -> None:
        washer = shape("washer", size="M8")
        for scale in ([1, 1, 1], [-1, 1, 1], [1, -1, -1]):
            c = cut(washer, plane((0, 0, 0.2), (0, 0, 1)), placement_matrix(np.zeros(3), np.zeros(3), np.array(scale)) if scale[2] > 0 else
                    placement_matrix(np.array([0, 0, 1.0]), np.zeros(3), np.array(scale)))  # fmt: skip
            x, y = zip(*((r - r[0]).T for r in c.loops), strict=True)
            areas = sorted(
                float((a * np.roll(b, -1) - np.roll(a, -1) * b).sum() / 2) for a, b in zip(x, y, strict=True)
            )
            self.assertEqual(len(areas), 2)
            self.assertLess(areas[0], 0)
            self.assertGreater(areas[1], -areas[0])

    def test_planes_through_points_edges_and_faces_close(self) -> None:
        for row in reference("meshes/table.json")["rows"]:
            mesh = reference_mesh(row["file"])
            report = soundness(mesh)
            if not (report.closed and report.oriented and report.manifold):
                continue
            middle = mesh.bounds.mean(axis=0)
            spots = [mesh.points[0], mesh.points[len(mesh.points) // 2], middle]
            for at, normal in itertools.product(spots, ((1, 0, 0), (0, 0, 1), (1, 1, 0), (1, 2, 3))):
                with self.subTest(f"{row['file']} {normal}"):
                    self.assertEqual(cut(mesh, plane(at, normal)).chains, ())

    def test_a_clicked_face_gives_the_cut_just_behind_it(self) -> None:
        """The screen knows faces to 32 bits: of a turned body, 300 faces at random, at three sizes, each gives what lies just behind it."""
        rng = np.random.default_rng(15)
        for size in (1e-3, 1.0, 1e3):
            ring = np.array([[0.0, 0.0], [9.0, 0.0], [7.0, 4.0], [8.0, 12.0], [0.0, 12.0]]) * size
            mesh = turn([Section(ring)], Turning(sides=47), "s1")
            normals = face_normals(mesh)
            for f in rng.integers(mesh.n_faces, size=100):
                at = mesh.points[mesh.corners[mesh.offsets[f] : mesh.offsets[f + 1]]].mean(axis=0)
                seen = at.astype(np.float32).astype(np.float64), normals[f].astype(np.float32).astype(np.float64)
                with self.subTest(size=size, face=int(f)):
                    behind = cut(mesh, Plane.through(at - 3e-6 * mesh.size * normals[f], normals[f])).area
                    found = cut(mesh, Plane.through(*seen)).area
                    assert behind is not None and found is not None
                    self.assertAlmostEqual(found, behind, delta=1e-3 * behind + 1e-4 * mesh.size**2)
                    self.assertGreater(found, 0)

    def test_open_bodies_give_open_lines_and_no_area(self) -> None:
        c = cut(shape("cylinder", radius=5, height=10, ends="open"), plane((0, 0, 5), (1, 0, 0)))
        self.assertEqual((len(c.loops), len(c.chains), c.area), (0, 2, None))
        self.assertAlmostEqual(c.perimeter, 20, delta=1e-9)

    def test_missing_and_wrong(self) -> None:
        box = shape("box")
        self.assertTrue(cut(box, plane((0, 0, 99), (0, 0, 1))).empty)
        for normal in ((0, 0, 0), (math.nan, 0, 1), (math.inf, 0, 0)):
            with self.assertRaises(ValueProblem):
                plane((0, 0, 0), normal)

    def test_two_planes_share_a_cut(self) -> None:
        c = cut(shape("box", size=[10, 10, 10]), plane((0, 0, 0), (0, -1, 0)))
        quarter = c.kept(plane((2, 0, 0), (1, 0, 0)), ahead=True)
        rest = c.kept(plane((2, 0, 0), (1, 0, 0)), ahead=False)
        self.assertAlmostEqual(quarter.area or 0, 30, delta=1e-9)
        self.assertAlmostEqual(rest.area or 0, 70, delta=1e-9)
        self.assertAlmostEqual(quarter.perimeter + rest.perimeter, c.perimeter, delta=1e-9)

    def test_what_is_left_has_the_cut_for_its_rim(self) -> None:
        mesh = shape("torus", sides=24, minor_sides=12)
        p = plane((0, 3, 5), (1, 2, 0.5))
        left = clipped(mesh, p, np.eye(4))
        self.assertLess(p.heights(left.points[left.corners]).max(), 1e-9)
        con = left.connectivity
        rims = left.points[con.edges[con.edge_sides == 1]]
        length = float(np.linalg.norm(rims[:, 1] - rims[:, 0], axis=1).sum())
        self.assertAlmostEqual(length, cut(mesh, p).perimeter, delta=1e-9)
        self.assertTrue((con.edge_sides <= 2).all())

    def test_what_is_left_of_a_mirrored_body_looks_outward(self) -> None:
        matrix = placement_matrix(np.zeros(3), np.zeros(3), np.array([-1.0, 1, 1]))
        mesh = shape("box", size=[4, 6, 8])
        self.assertGreater(soundness(clipped(mesh, plane((0, 0, 99), (0, 0, 1)), matrix)).volume or 0, 0)
        left = clipped(mesh, plane((0, 0, 5), (0, 0, 1)), matrix)
        normals, middles = (
            face_normals(left),
            np.add.reduceat(left.points[left.corners], left.offsets[:-1], axis=0) / left.sides[:, None],
        )
        self.assertTrue((((middles - [0, 0, 4]) * normals).sum(axis=1) > 0).all())

    def test_compiled_and_plain_agree(self) -> None:
        rng = np.random.default_rng(2)
        one, two = rng.uniform(0, 1, (30, 2, 2)), rng.uniform(1.2, 3, (40, 2, 2))
        a, b = nearest_of_segments(one, two), nearest_of_segments.plain(one, two)
        self.assertEqual(a[0], b[0])
        order = rng.permutation(50)
        nodes, offsets, closed = follow_chains(order, np.roll(order, -1), 50)
        self.assertEqual((len(nodes), offsets.tolist(), closed.tolist()), (50, [0, 50], [True]))


class Gaps(unittest.TestCase):
    def test_between_cuts(self) -> None:
        ring, rod = shape("cylinder", radius=10, height=10), shape("cylinder", radius=2, height=10, sides=96)
        p = plane((0, 0, 5), (0, 0, 1))
        for move, distance in ((15, 3), (12, 0), (12.25, 0.25)):
            gap = gap_between(
                cut(ring, p), cut(rod, p, placement_matrix(np.array([move, 0, 0.0]), np.zeros(3), np.ones(3)))
            )
            assert gap is not None
            self.assertAlmostEqual(gap.distance, distance, delta=1e-9)
            self.assertFalse(gap.crossing)
        for move in (0, 5, 11):  # inside, inside, through
            gap = gap_between(
                cut(ring, p), cut(rod, p, placement_matrix(np.array([move, 0, 0.0]), np.zeros(3), np.ones(3)))
            )
            assert gap is not None
            self.assertTrue(gap.crossing)
        self.assertIsNone(gap_between(cut(ring, p), cut(rod, plane((0, 0, 50), (0, 0, 1)))))

    def test_in_a_bore_is_not_crossing(self) -> None:
        washer, pin = shape("washer", inner=20, outer=40, thickness=4), shape("cylinder", radius=9, height=4, sides=48)
        gap = gap_between(cut(washer, plane((0, 0, 2), (0, 0, 1))), cut(pin, plane((0, 0, 2), (0, 0, 1))))
        assert gap is not None
        self.assertFalse(gap.crossing)
        self.assertAlmostEqual(gap.distance, 1, delta=10 * (1 - math.cos(math.pi / 36)) + 1e-9)  # the bore has 36 sides
