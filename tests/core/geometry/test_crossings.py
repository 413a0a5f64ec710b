"""Crossings against bodies whose crossings are known, and both ways of finding boxes alike."""

from __future__ import annotations

import unittest

import numpy as np

from jukai.core.geometry._crossings import crossing_pairs, touching_pairs
from jukai.core.geometry._pairs import grid_pairs
from jukai.core.geometry.crossings import (
    _same_place,
    _touching,
    meeting_lines,
    polyline_crossing,
    self_crossings,
)
from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.geometry.mesh import Mesh, join_meshes
from jukai.core.geometry.pairs import _sweep, overlapping_boxes
from jukai.core.geometry.soundness import soundness
from jukai.core.geometry.triangulation import triangulate
from tests.common import cube, reference_mesh
from tests.recipes import body


def moved(mesh: Mesh, *by: float) -> Mesh:
    return mesh.with_points(mesh.points + np.array(by))


class Boxes(unittest.TestCase):
    def test_sweep_and_grid_find_what_comparing_all_finds(self) -> None:
        rng = np.random.default_rng(4)
        for n, size in ((2, 1.0), (300, 0.1), (300, 0.6)):
            low = rng.uniform(0, 1, (n, 3))
            high = low + rng.uniform(0, size, (n, 3))
            i, j = np.triu_indices(n, 1)
            all_ = ((low[i] <= high[j]) & (low[j] <= high[i])).all(axis=1)
            expected = {(int(a), int(b)) for a, b in zip(i[all_], j[all_], strict=True)}
            for found in (
                _sweep(low, high),
                grid_pairs(low, high, np.zeros((0, 3), np.int32), np.zeros(0, bool), np.zeros((0, 12)), 10**9)[0],
                overlapping_boxes(low, high),
            ):
                self.assertEqual({(int(a), int(b)) for a, b in found}, expected)
                self.assertEqual(len(found), len(expected))

    def test_of_chosen_boxes_those_pairs_are_found_that_have_one(self) -> None:
        rng = np.random.default_rng(9)
        for n in (400, 5_000):
            low = rng.uniform(0, 1, (n, 3))
            high = low + rng.uniform(0, 0.12, (n, 3))
            chosen = rng.random(n) < 0.2
            all_ = overlapping_boxes(low, high)
            found = overlapping_boxes(low, high, None, chosen)
            expected = all_[chosen[all_].any(axis=1)]
            self.assertEqual({tuple(p) for p in found.tolist()}, {tuple(p) for p in expected.tolist()})
            self.assertEqual(len(found), len(expected))

    def test_many_flat_boxes(self) -> None:
        low = np.zeros((13_000, 2))
        low[:, 0] = np.arange(13_000) * 2.0
        self.assertEqual(len(overlapping_boxes(low, low + 1)), 0)
        self.assertEqual(len(overlapping_boxes(low, low + 2)), 12_999)


class Bodies(unittest.TestCase):
    def test_touching_is_no_crossing(self) -> None:
        for by in ((1, 0, 0), (1, 1, 0), (1, 1, 1), (1, 0.5, 0.25), (0, 0, 1)):
            self.assertEqual(len(self_crossings(join_meshes([cube(), moved(cube(), *by)])).pairs), 0, by)

    def test_among_some_faces_those_crossings_are_found_that_have_one(self) -> None:
        mesh = join_meshes([cube(), moved(cube(), 0.5, 0.5, 0.5)])
        whole = self_crossings(mesh).pairs
        for face in range(mesh.n_faces):
            found = self_crossings(mesh, np.arange(mesh.n_faces) == face).pairs
            self.assertEqual(found.tolist(), whole[(whole == face).any(axis=1)].tolist(), face)

    def test_overlapping_cubes_cross(self) -> None:
        """Two unit cubes half a side apart on every axis cross in six edges: three pairs of faces from each."""
        found = self_crossings(join_meshes([cube(), moved(cube(), 0.5, 0.5, 0.5)]))
        self.assertEqual(len(found.pairs), 6)
        low, high = cube().bounds
        self.assertTrue(((found.places >= low) & (found.places <= high + 0.5)).all())

    def test_contacts_are_faces_that_lie_on_each_other_and_look_opposite_ways(self) -> None:
        def found(mesh: Mesh, *, contacts: bool = True) -> int:
            return len(self_crossings(mesh, contacts=contacts).pairs)

        for by, many in (
            ((1, 0.5, 0.25), 1),
            ((1, 0, 0), 0),  # with the same corners they share edges, which is told elsewhere
            ((1.0001, 0.5, 0.25), 0),
            ((1, 1, 0.5), 0),
            ((1, 1, 1), 0),
        ):
            two = join_meshes([cube(), moved(cube(), *by)])
            for mesh in (two, join_meshes([two, *(moved(cube(), 5 + 2 * k, 0, 0) for k in range(400))])):  # both ways
                self.assertEqual((found(mesh), found(mesh, contacts=False)), (many, 0), by)
        # a corner that stands on a face: a thin wedge over it, 1 degree
        plate = np.array([[0, 0, 0], [9, 0, 0], [9, 9, 0], [0, 9, 0.0]])
        wedge = np.array([[4, 4, 0], [4, 5, np.tan(np.radians(1))], [5, 4, 0]])
        faces = [[0, 1, 2, 3], [4, 5, 6]]
        for high, many in ((0.0, 1), (1e-3, 0)):
            mesh = Mesh.from_faces(np.concatenate([plate, wedge + np.array([0, 0, high])]), faces)
            self.assertEqual(found(mesh), many, high)
        self.assertEqual(found(Mesh.from_faces(np.concatenate([plate, wedge]), [[0, 1, 2, 3], [6, 5, 4]])), 0)  # alike

    def test_of_contacts_both_ways_find_the_same(self) -> None:
        chance = np.random.default_rng(3)
        for _ in range(30):
            t = chance.integers(0, 4, (24, 3, 3)).astype(float)
            t[:, :, 2] = np.where(chance.random(24) < 0.7, 0, t[:, :, 2].T).T  # most of them in one plane
            t = t[np.linalg.norm(np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]), axis=1) > 0]
            mesh = Mesh.from_triangles(t.reshape(-1, 3), np.arange(3 * len(t)).reshape(-1, 3))
            points = mesh.corners.reshape(-1, 3)
            ids = _same_place(mesh.points)[points]
            pairs = overlapping_boxes(t.min(axis=1), t.max(axis=1))
            same = ids[pairs[:, 0]][:, :, None] == ids[pairs[:, 1]][:, None, :]
            apart = same.any(axis=2).sum(axis=1) < 2
            rows, _ = touching_pairs(t, ids.astype(np.int32), np.arange(len(t), dtype=np.int32), pairs, 1e-10, -0.999)
            few, _ = _touching(t[pairs[apart, 0]], t[pairs[apart, 1]], same[apart])
            self.assertEqual(np.flatnonzero(apart)[few].tolist(), rows.tolist())

    def test_flat_faces_that_lie_on_each_other_cross(self) -> None:
        self.assertGreater(len(self_crossings(join_meshes([cube(), moved(cube(), 0.5, 0.5, 0)])).pairs), 0)

    def test_a_turned_body_far_out_and_small(self) -> None:
        a = np.linspace(0, 2 * np.pi, 16, endpoint=False)
        for middle, radius in ((5.0, 1.0), (5e5, 1.0), (5e-5, 1e-5)):
            ring = np.column_stack([middle + radius * np.cos(a), radius * np.sin(a)])
            self.assertEqual(len(self_crossings(turn([Section(ring, True)], Turning(sides=24), "s")).pairs), 0)

    def test_both_ways_find_the_same(self) -> None:
        bodies = [
            join_meshes([cube(), moved(cube(), *by)])
            for by in ((0.5, 0.5, 0.5), (0.5, 0.5, 0), (0.3, 0.1, 0.2), (1, 0.5, 0.2))
        ]
        bodies += [
            reference_mesh(n)
            for n in (
                "spindle_torus.obj",
                "pentagram_prism.obj",
                "klein_bottle.obj",
                "torus_8x6.obj",
                "two_cubes_edge.obj",
            )
        ]
        for mesh in bodies:
            tri = triangulate(mesh)
            corners = mesh.points[tri.points(mesh)]
            pairs = overlapping_boxes(corners.min(axis=1), corners.max(axis=1))
            rows, places = crossing_pairs(corners, tri.points(mesh), tri.faces, pairs, 1e-10)
            found = {tuple(sorted(p)) for p in tri.faces[pairs[rows]].tolist()}
            self.assertEqual(found, {tuple(p) for p in self_crossings(mesh).pairs.tolist()})
            self.assertTrue(np.isfinite(places).all())

    def test_too_many_faces_side_by_side_are_not_looked_through(self) -> None:
        """The boxes of a disc's thin faces overlap by the thousand: a report comes in some seconds, and says what it left out."""
        ring = np.array([[4.0, 0], [9, 0], [9, 1], [4, 1]])
        for sides, looked in ((2000, True), (60_000, False)):
            report = soundness(turn([Section(ring, closed=True)], Turning(sides=sides), "s"))
            self.assertTrue(report.sound)
            self.assertEqual("crossings_not_looked_for" in {f.kind for f in report.findings}, not looked)
            self.assertIn("no crossings" if looked else "crossings not looked for", report.summary())

    def test_a_face_that_crosses_itself_is_told(self) -> None:
        kinds = {f.kind for f in soundness(reference_mesh("pentagram_prism.obj")).findings}
        self.assertIn("folded_faces", kinds)


class Lines(unittest.TestCase):
    def test_polylines(self) -> None:
        cases = [
            ([[0, 0], [2, 2], [2, 0], [0, 2]], False, (1, 1)),
            ([[0, 0], [2, 0], [2, 2], [0, 2]], True, None),
            ([[0, 0], [2, 2], [2, 0], [0, 2]], True, (1, 1)),
            ([[0, 0], [4, 0], [4, 2], [2, 0]], False, (2, 0)),
            ([[0, 0], [4, 0], [2, 0], [2, 3]], False, (2, 0)),
            ([[0, 0], [1, 0], [2, 0], [3, 0]], False, None),
        ]
        for points, closed, place in cases:
            got = polyline_crossing(np.array(points, float), closed=closed)
            if place is None:
                self.assertIsNone(got, points)
            else:
                assert got is not None
                np.testing.assert_allclose(got[2], place, atol=1e-9)


class Meetings(unittest.TestCase):
    """Where two bodies run into each other: closed forms."""

    def meet(self, one: Mesh, two: Mesh) -> np.ndarray:
        return meeting_lines(*(m.points[triangulate(m).points(m)] for m in (one, two)))[0]

    def length(self, lines: np.ndarray) -> float:
        return float(np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1).sum())

    def test_balls_meet_in_a_circle(self) -> None:
        errors = []
        for sides in (32, 64, 128):
            ball = body({"operator": "sphere", "radius": 5, "sides": sides})
            lines = self.meet(ball, moved(ball, 6, 0, 0))
            np.testing.assert_allclose(lines[..., 0], 3, atol=1e-9)  # alike on both sides of the middle
            # a circle of 4 about the middle of two balls of 5, 6 apart
            errors.append(abs(self.length(lines) - 8 * np.pi))
        self.assertLess(errors[-1], 0.03)
        self.assertLess(errors[1], errors[0] / 3)
        self.assertLess(errors[2], errors[1] / 3)

    def test_a_rod_through_a_plate(self) -> None:
        plate = body({"operator": "box", "size": [20, 20, 2], "counts": [5, 5, 1]})
        rod = body({"operator": "cylinder", "radius": 3, "height": 30, "sides": 24})
        lines = self.meet(plate, moved(rod, 0.3, 0.2, -10))
        self.assertAlmostEqual(self.length(lines), 2 * 24 * 6 * np.sin(np.pi / 24), delta=1e-9)

    def test_edges_that_lie_in_faces_give_their_line_once(self) -> None:
        plate = body({"operator": "box", "size": [20, 20, 2], "counts": [4, 4, 1]})
        post = body({"operator": "box", "size": [4, 4, 8], "counts": [2, 2, 4]})
        for up, expected in ((-4, 32), (2, 0), (1, 16)):
            # rows of its points in both planes of the plate; standing on it; let in to its middle
            self.assertAlmostEqual(self.length(self.meet(plate, moved(post, 0, 0, up))), expected, delta=1e-9)

    def test_none_apart_and_none_of_nothing(self) -> None:
        ball = body({"operator": "sphere", "radius": 5, "sides": 16})
        self.assertEqual(len(self.meet(ball, moved(ball, 11, 0, 0))), 0)
        self.assertEqual(len(self.meet(ball, Mesh.empty())), 0)


if __name__ == "__main__":
    unittest.main()
