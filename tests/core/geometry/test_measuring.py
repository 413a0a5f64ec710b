"""Distances, angles, radii, lengths: closed forms, and kept measures that follow their bodies."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.elements import centres, element_normals
from jukai.core.geometry.measuring import circle_through, readings, smooth_chain, thing
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.placing import placement_matrix
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.edits import apply_edit, parse_edit
from jukai.core.recipe.evaluate import evaluate
from jukai.core.recipe.measuring import Body, found_thing, measured
from tests.recipes import bench_of, body

I4 = np.eye(4)


def shape(operator: str, **values: Any) -> Mesh:
    mesh: Mesh = body({"operator": operator, **values})
    return mesh


def face(mesh: Mesh, direction: Any) -> int:
    return int(np.argmax(element_normals(mesh, "faces") @ np.array(direction, dtype=float)))


def nearest(mesh: Mesh, kind: str, at: Any) -> int:
    return int(np.argmin(np.linalg.norm(centres(mesh, kind) - np.array(at, dtype=float), axis=1)))


def read(
    mesh: Mesh, *ends: tuple[str, int], matrix: np.ndarray = I4, second: np.ndarray | None = None
) -> dict[str, float]:
    things = [
        thing(mesh, kind, which, matrix if i == 0 or second is None else second) for i, (kind, which) in enumerate(ends)
    ]
    return {r.what: r.value for r in readings(*things)}


class OfOne(unittest.TestCase):
    def test_edges_and_faces_of_a_box(self) -> None:
        box = shape("box", size=[3, 4, 12])
        self.assertAlmostEqual(read(box, ("edges", nearest(box, "edges", (1.5, 2, 6))))["length"], 12, delta=1e-12)
        self.assertAlmostEqual(read(box, ("faces", face(box, (0, 0, 1))))["area"], 12, delta=1e-12)
        self.assertEqual(read(box, ("points", 0)), {})

    def test_rims_of_turned_bodies(self) -> None:
        for sides in (6, 24, 48, 501):
            c = shape("cylinder", radius=7.25, height=9, sides=sides)
            top = nearest(c, "faces", (0, 0, 9))
            rim = int(np.flatnonzero((c.points[c.connectivity.edges][..., 2] > 8.9).all(axis=1))[0])
            found = read(c, ("edges", rim))
            self.assertAlmostEqual(found["radius"], 7.25, delta=1e-12)
            # perimeter of a regular polygon: 2 n r sin(pi / n)
            self.assertAlmostEqual(found["loop"], 2 * sides * 7.25 * math.sin(math.pi / sides), delta=1e-10)
            self.assertAlmostEqual(read(c, ("faces", top))["radius"], 7.25, delta=1e-12)
            self.assertAlmostEqual(
                read(c, ("faces", top))["area"], sides / 2 * 7.25**2 * math.sin(2 * math.pi / sides), delta=1e-10
            )

    def test_a_scaled_rim_is_no_circle(self) -> None:
        c = shape("cylinder", radius=5, height=5, sides=24)
        rim = int(np.flatnonzero((c.points[c.connectivity.edges][..., 2] > 4.9).all(axis=1))[0])
        self.assertNotIn(
            "radius", read(c, ("edges", rim), matrix=placement_matrix(np.zeros(3), np.zeros(3), np.array([1, 1.5, 1])))
        )

    def test_loops_stop_at_corners(self) -> None:
        box = shape("box", size=[4, 4, 4], counts=[4, 4, 4])
        edge = nearest(box, "edges", (0.5, 2, 4))
        chain, closed = smooth_chain(box, edge)
        self.assertEqual((len(chain), closed), (5, False))

    def test_circles(self) -> None:
        rng = np.random.default_rng(3)
        for _ in range(40):
            turn = placement_matrix(rng.uniform(-50, 50, 3), rng.uniform(0, 360, 3), np.ones(3))
            radius, a = rng.uniform(0.01, 1000), np.sort(rng.uniform(0, 2 * math.pi, rng.integers(5, 40)))
            flat = np.stack([radius * np.cos(a), radius * np.sin(a), np.zeros(len(a))], axis=1)
            if np.ptp(a) < 1:
                continue
            c = circle_through(flat @ turn[:3, :3].T + turn[:3, 3])
            assert c is not None
            self.assertAlmostEqual(c.radius, radius, delta=1e-8 * radius)
        self.assertIsNone(circle_through(np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0], [3, 0, 0.0]])))
        self.assertIsNone(circle_through(np.zeros((5, 3))))
        self.assertIsNone(circle_through(np.array([[1, 0, 0], [0, 1, 0], [-1, 0, 0], [0, -1, 0.2]])))


class BetweenTwo(unittest.TestCase):
    def test_faces_of_prisms(self) -> None:
        # inside angle of a regular n-gon: 180 (n - 2) / n
        for n in (3, 4, 5, 6, 12):
            p = shape("cylinder", radius=10, height=5, sides=n)
            normals = element_normals(p, "faces")
            walls = np.flatnonzero(np.abs(normals[:, 2]) < 0.1)
            turn = np.degrees(np.arccos(np.clip(normals[walls] @ normals[walls[0]], -1, 1)))
            beside = walls[np.argmin(np.where(turn > 1, turn, 999))]
            self.assertAlmostEqual(
                read(p, ("faces", int(walls[0])), ("faces", int(beside)))["angle"], 180 * (n - 2) / n, delta=1e-9
            )

    def test_the_arms_of_an_angle_stand_by_that_angle(self) -> None:
        """In faces and along edges wherever the corner lies near; in one line through both middles else."""
        rng = np.random.default_rng(9)
        bodies = [shape("box", size=[3, 4, 12]), shape("cylinder", radius=5, height=8, sides=9)]
        drawn = 0
        for _ in range(300):
            mesh = bodies[int(rng.integers(2))]
            kinds = [("faces", "edges")[int(k)] for k in rng.integers(0, 2, 2)]
            ends = [(k, int(rng.integers(mesh.n_faces if k == "faces" else mesh.connectivity.n_edges))) for k in kinds]
            row = next((r for r in readings(*(thing(mesh, *e, I4) for e in ends)) if r.what == "angle"), None)
            if row is None or row.value < 1e-6:
                continue
            corner, one, two = (np.array(p) for p in row.places)
            a, b = one - corner, two - corner
            between = np.degrees(np.arctan2(np.linalg.norm(np.cross(a, b)), a @ b))
            if between > 180 - 1e-6 and row.value < 179:
                np.testing.assert_allclose(corner, (one + two) / 2, atol=1e-9)
                continue
            self.assertAlmostEqual(between, row.value, delta=1e-3)
            drawn += 1
        self.assertGreater(drawn, 150)

    def test_across_a_box(self) -> None:
        box = shape("box", size=[3, 4, 12])
        found = read(box, ("faces", face(box, (1, 0, 0))), ("faces", face(box, (-1, 0, 0))))
        self.assertAlmostEqual(found["between"], 3, delta=1e-12)
        self.assertNotIn("angle", found)
        edges = (nearest(box, "edges", (1.5, 2, 6)), nearest(box, "edges", (-1.5, -2, 6)))
        self.assertAlmostEqual(read(box, ("edges", edges[0]), ("edges", edges[1]))["between"], 5, delta=1e-12)
        # opposite corners of a box: the space diagonal of 3, 4, 12 is 13
        corners = (nearest(box, "points", (1.5, 2, 12)), nearest(box, "points", (-1.5, -2, 0)))
        self.assertAlmostEqual(read(box, ("points", corners[0]), ("points", corners[1]))["distance"], 13, delta=1e-12)
        self.assertAlmostEqual(
            read(box, ("points", corners[0]), ("faces", face(box, (0, 0, -1))))["between"], 12, delta=1e-12
        )

    def test_skew_edges(self) -> None:
        # two lines at right angles, 5 apart
        box = shape("box", size=[10, 10, 10])
        one, two = nearest(box, "edges", (0, 5, 10)), nearest(box, "edges", (5, 0, 10))
        away = placement_matrix(np.array([0, 0, 5.0]), np.zeros(3), np.ones(3))
        found = read(box, ("edges", one), ("edges", two), second=away)
        self.assertAlmostEqual(found["distance"], 5, delta=1e-12)
        self.assertAlmostEqual(found["angle"], 90, delta=1e-9)

    def test_edge_and_face(self) -> None:
        box = shape("box", size=[10, 10, 10])
        turned = placement_matrix(np.array([0, 0, 20.0]), np.array([0, 30.0, 0]), np.ones(3))
        found = read(box, ("faces", face(box, (0, 0, 1))), ("edges", nearest(box, "edges", (0, 5, 10))), second=turned)
        self.assertAlmostEqual(found["angle"], 30, delta=1e-9)

    def test_centres_of_bores(self) -> None:
        c = shape("cylinder", radius=3, height=5, sides=36)
        top = nearest(c, "faces", (0, 0, 5))
        away = placement_matrix(np.array([6, 8, 0.0]), np.zeros(3), np.ones(3))
        self.assertAlmostEqual(read(c, ("faces", top), ("faces", top), second=away)["centres"], 10, delta=1e-12)

    def test_moved_together_the_same(self) -> None:
        rng = np.random.default_rng(5)
        mesh = shape("quad_sphere", radius=6, counts=6)
        for _ in range(20):
            ends = [
                (kind, int(rng.integers(0, n)))
                for kind, n in (("faces", mesh.n_faces), ("edges", mesh.connectivity.n_edges))
            ]
            m = placement_matrix(rng.uniform(-1e3, 1e3, 3), rng.uniform(0, 360, 3), np.ones(3))
            here, there = read(mesh, *ends), read(mesh, *ends, matrix=m)
            self.assertEqual(set(here), set(there))
            for what, value in here.items():
                self.assertAlmostEqual(value, there[what], delta=1e-7)


def kept(bench: Bench) -> list[Any]:
    def of(part: str) -> Body | None:
        e = evaluate(bench, part)
        return None if e.mesh is None else Body(e.mesh, e.matrix)

    return measured(bench, of)


class Kept(unittest.TestCase):
    def bench(self) -> Bench:
        return bench_of({"operator": "box", "size": [30, 20, "tall"]}, dimensions={"tall": 10})

    def with_height(self) -> Bench:
        bench = self.bench()
        e = evaluate(bench, "p1")
        assert e.mesh is not None
        ends = [found_thing(Body(e.mesh, e.matrix), "faces", {"at": at})[1] for at in ([0, 0, 0], [0, 0, 10])]
        measure = {
            "name": "height",
            "what": "between",
            "of": [{"part": "p1", "of": "faces", "element": x} for x in ends],
        }
        return apply_edit(bench, parse_edit({"kind": "add_measure", "measure": measure}))

    def test_follows_the_body(self) -> None:
        bench = self.with_height()
        for tall in (10, 4, 25.5):
            bench = apply_edit(bench, parse_edit({"kind": "set_dimension", "name": "tall", "value": tall}))
            (row,) = kept(bench)
            self.assertIsNone(row.error)
            self.assertAlmostEqual(row.reading.value, tall, delta=1e-12)

    def test_says_why_it_can_not_be_read(self) -> None:
        bench = self.with_height()
        gone = apply_edit(bench, parse_edit({"kind": "remove_part", "part": "p1"}))
        (row,) = kept(gone)
        self.assertIsNone(row.reading)
        self.assertIn("no body to measure", row.error.message)
        off = apply_edit(bench, parse_edit({"kind": "set_step", "part": "p1", "step": "s1", "on": False}))
        self.assertIn("no body", kept(off)[0].error.message)

    def test_names(self) -> None:
        bench = self.with_height()
        for name in ("height", "tall", "mm", "2x", "sin"):
            measure = {"name": name, "what": "between", "of": [e.model_dump() for e in bench.measures[0].of]}
            with self.subTest(name), self.assertRaises(Exception) as caught:
                apply_edit(bench, parse_edit({"kind": "add_measure", "measure": measure}))
            self.assertTrue(str(caught.exception))
        hidden = apply_edit(bench, parse_edit({"kind": "hide_measure", "name": "height"}))
        self.assertTrue(hidden.measures[0].hidden)
        shown = apply_edit(hidden, parse_edit({"kind": "hide_measure", "name": "height", "hidden": False}))
        self.assertEqual(shown.measures, bench.measures)
        with self.assertRaises(ValueProblem):
            apply_edit(bench, parse_edit({"kind": "hide_measure", "name": "breadth"}))
        renamed = apply_edit(bench, parse_edit({"kind": "rename_measure", "name": "height", "new_name": "rise"}))
        self.assertEqual([m.name for m in renamed.measures], ["rise"])
        self.assertEqual(apply_edit(renamed, parse_edit({"kind": "remove_measure", "name": "rise"})).measures, [])
        self.assertEqual(Bench.model_validate(renamed.to_json()).measures, renamed.measures)
