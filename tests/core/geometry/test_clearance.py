"""Clearance and depth of crossing: closed forms, an independent library, all pairs of triangles, and moving together."""

from __future__ import annotations

import itertools
import math
import unittest
from typing import Any

import manifold3d
import numpy as np

from jukai.core.geometry.clearance import Clearance, clearance, place
from jukai.core.geometry.mesh import Mesh, join_meshes
from jukai.core.geometry.placing import placement_matrix
from jukai.core.geometry.triangulation import triangulate
from tests.common import reference_mesh
from tests.recipes import body


def shape(operator: str, **values: Any) -> Mesh:
    mesh: Mesh = body({"operator": operator, **values})
    return mesh


def at(*move: float, turn: tuple[float, float, float] = (0, 0, 0)) -> np.ndarray:
    return placement_matrix(np.array(move), np.array(turn), np.ones(3))


def between(a: Mesh, b: Mesh, where: np.ndarray | None = None, both: np.ndarray | None = None) -> Clearance:
    both = np.eye(4) if both is None else both
    return clearance(place(a, both), place(b, both @ (np.eye(4) if where is None else where)))


BOX = shape("box", size=[4, 4, 4])


class ClosedForms(unittest.TestCase):
    def test_boxes_apart_by_face_edge_and_corner(self) -> None:
        for move, distance in (((7, 0, 0), 3), ((7, 8, 0), 5), ((7, 8, 16), 13), ((0, 0, -5.5), 1.5), ((4, 0, 0), 0)):
            c = between(BOX, BOX, at(*move))
            self.assertAlmostEqual(c.distance, distance, delta=1e-12)
            self.assertEqual(c.state, "apart" if distance else "touching")
            p, q = np.array(c.places)
            self.assertAlmostEqual(float(np.linalg.norm(p - q)), distance, delta=1e-12)

    def test_boxes_that_cross(self) -> None:
        for move, depth in (((3.5, 0, 0), 0.5), ((0, -3, 0), 1), ((3, 3.5, 0), 0.5), ((3.9, 0.3, 0.2), 0.1)):
            for both in (np.eye(4), at(5, -3, 8, turn=(20, 30, 40)), at(1e5, 0, 0)):
                c = between(BOX, BOX, at(*move), both)
                self.assertEqual((c.state, c.distance), ("crossing", 0))
                self.assertAlmostEqual(c.depth or 0, depth, delta=2e-6 * depth + 1e-9)
                self.assertGreaterEqual(c.depth_most, c.depth or 0)

    def test_turned_boxes_that_lie_on_each_other_touch(self) -> None:
        for turn in ((0, 0, 0), (30, 0, 0), (17, -44, 81)):
            for move in ((0, 0, 4), (1, 2, 4), (-4, 0.5, 1)):
                c = between(BOX, BOX, at(*move), at(3, 2, 1, turn=turn))
                self.assertLess(c.distance, 1e-12)
                self.assertEqual(c.state, "touching", c)

    def test_spheres(self) -> None:
        """d - r - s apart; crossing, the surface point nearest to the other middle lies r - |d - s| or s - |d - r| deep.

        Facets lie inside the sphere by at most r (1 - cos² (π / n)).
        """
        n = 96
        a, b = shape("sphere", radius=3, sides=n, rows=n // 2), shape("sphere", radius=2, sides=n, rows=n // 2)
        slack = 5 * (1 - math.cos(math.pi / n) ** 2)
        rng = np.random.default_rng(3)
        for distance in (9, 5.3, 4.7, 3, 1.2):
            direction = rng.normal(size=3)
            direction *= distance / np.linalg.norm(direction)
            c = between(
                a, b, at(*(direction + np.array([0, 0, 1])))
            )  # both stand on Z = 0: their middles are 1 mm apart
            exact = distance - 5 if distance > 5 else -max(3 - abs(distance - 2), 2 - abs(distance - 3))
            self.assertAlmostEqual(c.signed, exact, delta=slack)
            self.assertEqual(c.state, "apart" if exact > 0 else "crossing")

    def test_a_ball_in_a_ball(self) -> None:
        outer = shape("sphere", radius=9, sides=48, rows=24)
        inner = shape("box", size=[1, 1, 1])
        c = between(inner, outer, at(0, 0, -8.5))
        self.assertEqual(c.state, "inside")
        # the middles of its faces lie deepest, half a millimetre from the middle
        self.assertAlmostEqual(c.depth or 0, 8.5, delta=0.03)
        self.assertEqual(between(outer, inner, at(0, 0, 8.5)).state, "inside")

    def test_skew_cylinders(self) -> None:
        """Two long round bars square to each other: the distance of the axes less both radii."""
        n = 96
        a = shape("cylinder", radius=2, height=40, sides=n)
        b = shape("cylinder", radius=1, height=40, sides=n)
        for apart in (5, 3.01, 2.9, 2):
            for skew in (90, 37):
                turned = placement_matrix(np.array([apart, 0, 20]), np.array([skew, 0, 0]), np.ones(3)) @ at(0, 0, -20)
                c = between(a, b, turned)
                self.assertAlmostEqual(c.signed, apart - 3, delta=3 * (1 - math.cos(math.pi / n)) + 1e-9)

    def test_a_ring_around_a_bar(self) -> None:
        ring = shape("torus", major_radius=10, minor_radius=1, sides=48, minor_sides=24)
        bar = shape("cylinder", radius=3, height=20, sides=48)
        c = between(ring, bar, at(0, 0, -9))
        self.assertAlmostEqual(c.distance, 9 * math.cos(math.pi / 48) - 3, delta=0.02)
        self.assertEqual(c.state, "apart")


class AgainstOthers(unittest.TestCase):
    def pairs(self, count: int, near: float = 9) -> Any:
        rng = np.random.default_rng(11)
        bodies = [
            BOX,
            shape("capsule", radius=1.5, length=7, sides=16),
            shape("torus", major_radius=4, minor_radius=1, sides=18, minor_sides=12),
            shape("superellipsoid", half_sizes=[3, 2, 1], exponent_up=2.6, sides=24, rows=12),
            shape("washer", size="M6"),
            reference_mesh("l_block.obj"),
            reference_mesh("star_prism.obj"),
        ]
        for _ in range(count):
            a, b = (bodies[i] for i in rng.integers(0, len(bodies), 2))
            yield a, b, at(*rng.uniform(-near, near, 3), turn=tuple(rng.uniform(-180, 180, 3)))

    def test_manifold3d_agrees(self) -> None:
        """min_gap of manifold3d (double precision) on 120 pairs at random, 0 where they cross."""

        def theirs(mesh: Mesh, matrix: np.ndarray) -> Any:
            points = mesh.points @ matrix[:3, :3].T + matrix[:3, 3]
            triangles = np.array(triangulate(mesh).points(mesh), dtype=np.uint64)
            return manifold3d.Manifold(manifold3d.Mesh64(np.array(points), triangles))

        apart = 0
        for a, b, where in self.pairs(120):
            c = between(a, b, where)
            gap = theirs(a, np.eye(4)).min_gap(theirs(b, where), 40)
            self.assertAlmostEqual(c.distance, gap, delta=1e-9)
            apart += c.state == "apart"
        self.assertGreater(apart, 40)

    def test_distance_is_that_of_the_best_of_all_pairs_of_triangles(self) -> None:
        """Every triangle against every other one, with SciPy's bounded minimiser over both: nothing nearer is found."""
        from scipy.optimize import minimize

        rng = np.random.default_rng(2)
        for _ in range(25):
            s, t = rng.normal(size=(3, 3)), rng.normal(size=(3, 3)) + np.array([2, 0, 0])
            c = between(Mesh.from_triangles(s, [[0, 1, 2]]), Mesh.from_triangles(t, [[0, 1, 2]]))

            def far(x: np.ndarray, s: np.ndarray = s, t: np.ndarray = t) -> float:
                p = s[0] + x[0] * (s[1] - s[0]) + x[1] * (s[2] - s[0])
                q = t[0] + x[2] * (t[1] - t[0]) + x[3] * (t[2] - t[0])
                return float(((p - q) ** 2).sum())

            rules = [{"type": "ineq", "fun": lambda x, i=i: 1 - x[i] - x[i + 1]} for i in (0, 2)]
            tried = [
                minimize(far, start, bounds=[(0, 1)] * 4, constraints=rules, method="SLSQP", options={"ftol": 1e-15})
                for start in itertools.product((0.1, 0.8), repeat=4)
            ]
            found = min(r.fun for r in tried if max(r.x[:2].sum(), r.x[2:].sum()) <= 1 + 1e-9)
            self.assertAlmostEqual(c.distance, math.sqrt(max(found, 0)), delta=2e-6)

    def test_moved_together_it_stays_the_same(self) -> None:
        for k, (a, b, where) in enumerate(self.pairs(30)):
            c, d = between(a, b, where), between(a, b, where, at(300, -20, 5, turn=(33, 44, 55)))
            self.assertAlmostEqual(c.distance, d.distance, delta=1e-9)
            self.assertAlmostEqual(c.depth or 0, d.depth or 0, delta=1e-5 + 2e-3 * (c.depth or 0), msg=str(k))
            e = clearance(place(b, where), place(a))
            self.assertAlmostEqual(c.distance, e.distance, delta=1e-12)

    def test_depth_is_never_less_than_what_points_tell(self) -> None:
        """Points strewn over both surfaces: none lies deeper inside the other body than the depth found."""
        rng = np.random.default_rng(9)
        seen = 0
        for a, b, where in self.pairs(60, near=3):
            c = between(a, b, where)
            if c.state != "crossing":
                continue
            seen += 1
            first, second = place(a), place(b, where)
            from jukai.core.geometry import _tree

            stack = np.empty(512, np.int64)
            for x, y in ((first, second), (second, first)):
                for triangle in x.triangles[rng.integers(0, len(x.triangles), 200)]:
                    share = rng.dirichlet([1, 1, 1])
                    p = tuple(float(v) for v in share @ triangle)
                    if _tree.turns_about(y.triangles, y.boxes, p, stack) > 0:
                        d, _, _ = _tree.near_point(y.triangles, y.boxes, p, np.inf, -1.0, stack)
                        self.assertLessEqual(math.sqrt(d), c.depth_most * (1 + 1e-6) + 1e-9)
        self.assertGreater(seen, 15)


class Ends(unittest.TestCase):
    def test_open_bodies_have_no_inside(self) -> None:
        sheet = shape("sheet", size=[10, 10])
        self.assertAlmostEqual(between(sheet, BOX, at(0, 0, 2)).distance, 2)
        through = between(sheet, BOX, at(0, 0, -2))
        self.assertEqual((through.state, through.distance), ("crossing", 0))
        self.assertAlmostEqual(through.depth or 0, 2, places=5)  # its middle lies half the box deep
        self.assertEqual(between(sheet, BOX).state, "touching")
        crossed = between(sheet, sheet, at(0, 0, 0, turn=(90, 0, 0)))
        self.assertEqual((crossed.state, crossed.depth), ("crossing", None))

    def test_mirrored_bodies_have_their_inside_too(self) -> None:
        small = shape("box", size=[1, 1, 1])
        for a, b in ((small, BOX), (BOX, small)):
            for mirror in (np.diag([-1.0, 1, 1, 1]), np.diag([1.0, 1, -1, 1])):
                m = mirror @ at(0, 0, 1 if mirror[2, 2] > 0 else 0)
                c = clearance(place(a, m if a is small else mirror), place(b, m if b is small else mirror))
                self.assertGreater(c.depth or 0, 0.9)
                self.assertIn(c.state, ("inside", "crossing"))

    def test_pieces_count_each(self) -> None:
        small = shape("box", size=[1, 1, 1])
        two = join_meshes(
            [
                small.with_points(small.points + np.array([20, 0, 0])),
                small.with_points(small.points + np.array([0, 0, 1])),
            ]
        )
        self.assertEqual(between(two, BOX).state, "inside")
        self.assertEqual(between(BOX, two).state, "inside")

    def test_a_hollow_is_outside(self) -> None:
        shell = join_meshes([shape("box", size=[9, 9, 9]), _inward(BOX)])
        c = between(shape("box", size=[1, 1, 1]), shell, at(0, 0, -3))
        self.assertEqual(c.state, "apart")
        self.assertAlmostEqual(c.distance, 0.5)

    def test_the_same_body_on_itself(self) -> None:
        c = between(BOX, BOX)
        self.assertEqual(c.distance, 0)
        self.assertIn(c.state, ("touching", "crossing"))


def _inward(box: Mesh) -> Mesh:
    from jukai.core.geometry.placing import placed

    flipped = placed(box, np.diag([-1.0, 1.0, 1.0, 1.0]))
    raised = flipped.points * [-1, 1, 1] + np.array([0, 0, 2.5])
    return flipped.with_points(raised)


if __name__ == "__main__":
    unittest.main()
