"""Paths against reference values of Bezier curves, fillets and least-twist frames (curves.json)."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from jukai.core.geometry.carrying import run_along
from jukai.core.geometry.curve_pieces import CurveShape
from jukai.core.geometry.curves import sample
from jukai.core.geometry.path_frames import frames, least_twist
from jukai.core.geometry.paths import Stations, path_through
from tests.common import reference

CURVES = reference("curves.json")


def helix(radius: float, rise: float, turns: float, steps: int) -> Stations:
    """Stations on a helix with its own directions."""
    a = 2 * math.pi * turns * np.arange(steps + 1) / steps
    h = rise / (2 * math.pi)
    points = np.column_stack([radius * np.cos(a), radius * np.sin(a), h * a])
    tangent = np.column_stack([-radius * np.sin(a), radius * np.cos(a), np.full(len(a), h)]) / math.hypot(radius, h)
    length = a * math.hypot(radius, h)
    return Stations(points, tangent, tangent, np.zeros(len(a), bool), length, float(length[-1]), closed=False)


def straight(points: object, fillet: float = 0.0, *, closed: bool = False) -> CurveShape:
    rows = np.asarray(points, dtype=float)
    return CurveShape.straight(rows, closed=closed, fillet=np.full(len(rows), fillet))


class Lengths(unittest.TestCase):
    def test_bezier_pieces(self) -> None:
        """Lengths of published curves; those in a plane stand upright in Y = 0."""
        for case in CURVES["bezier"]["cases"]:
            c = np.array(case["points"], dtype=float)
            if len(c) != 4:
                continue
            none = np.zeros_like(c[:2])
            out, into = none.copy(), none.copy()
            out[0], into[1] = c[1] - c[0], c[2] - c[3]
            path = path_through(CurveShape(c[[0, 3]], np.zeros(2), ("bezier", "straight"), out, into))
            self.assertAlmostEqual(path.long / case["length"], 1, places=7)
            if c.shape[1] == 2:
                self.assertFalse(path.stations([8]).points[:, 1].any())
            for row in case["samples"]:
                at = path.pieces[0].point(np.array([row["t"]]))[0]
                np.testing.assert_allclose(at if c.shape[1] == 3 else at[[0, 2]], row["at"], atol=1e-12)

    def test_a_rounded_corner_in_space(self) -> None:
        """Tangent lengths and arcs of the plane, on a corner that leans."""
        q, _ = np.linalg.qr(np.random.default_rng(4).normal(size=(3, 3)))
        for case in CURVES["fillet"]["cases"]:
            a = math.radians(case["angle_deg"])
            legs = np.array([[1.0, 0, 0], [0, 0, 0], [math.cos(a), math.sin(a), 0]]) * (3 * case["tangent_length"] + 1)
            path = path_through(straight(legs @ q.T, case["r"]))
            whole = 2 * (3 * case["tangent_length"] + 1) - 2 * case["tangent_length"] + case["arc_length"]
            self.assertAlmostEqual(path.long, whole, places=9)
            self.assertEqual([round(r.radius, 9) for r in path.roundings], [case["r"]])
            stations = path.stations(path.steps(1e-3))
            self.assertFalse(stations.corner.any())
            far = np.linalg.norm(stations.points, axis=1).min()
            self.assertAlmostEqual(far, case["corner_to_arc"], delta=2e-3)

    def test_radii_share_what_there_is(self) -> None:
        square = [[0, 0, 0], [10, 0, 0], [10, 10, 0], [0, 10, 0]]
        path = path_through(straight(square, 8, closed=True))
        self.assertEqual([round(r.radius, 9) for r in path.roundings], [5.0] * 4)
        self.assertAlmostEqual(path.long, 2 * math.pi * 5, places=9)
        bent = CurveShape(np.array(square, float), np.full(4, 2.0), ("smooth",) * 4, *(np.zeros((4, 3)),) * 2)
        self.assertEqual({r.radius for r in path_through(bent).roundings}, {0.0})

    def test_chamfers_in_space(self) -> None:
        corner = np.array([[0, 0, 0], [0, 0, 10], [8, 0, 10]], float)
        path = path_through(replace(straight(corner), chamfer=np.array([0, 2.0, 0])))
        self.assertAlmostEqual(path.long, 8 + 6 + 2 * math.sqrt(2), places=9)
        self.assertEqual([tuple(r) for r in path.roundings], [(1, 2.0, 2.0, True)])
        self.assertEqual(int(path.stations([1, 1, 1]).corner.sum()), 2)

    def test_corners_of_curved_pieces_where_the_path_lies_in_a_plane(self) -> None:
        """However that plane lies: as long as the profile's own samples say, touching both pieces, and none in space."""
        at = np.array([[0.0, 0], [2, 30], [24, 0], [10, -10]])
        out, into = np.zeros((4, 2)), np.zeros((4, 2))
        out[1], into[2] = [10, 5], [0, 10]
        flat = CurveShape(at, np.array([3.0, 3, 3, 0]), ("straight", "bezier", "straight", "straight"), out, into, closed=True,
                          tolerance=1e-5, chamfer=np.array([0.0, 0, 0, 2]))  # fmt: skip
        points = sample(flat).points
        chords = float(np.hypot(*(np.roll(points, -1, axis=0) - points).T).sum())
        axes = np.linalg.qr(np.random.default_rng(2).normal(size=(3, 3)))[0][:2]
        turned = replace(flat, at=at @ axes + 5, out=out @ axes, into=into @ axes)
        for shape in (flat, turned):
            path = path_through(shape)
            self.assertAlmostEqual(path.long / chords, 1, delta=1e-6)
            self.assertEqual([r.radius for r in path.roundings], [3, 3, 3, 2])
            stations = path.stations([12] * len(path.pieces))
            self.assertEqual(int(stations.corner.sum()), 2)  # those of the chamfer
        bent = replace(turned, at=turned.at + np.array([[0, 0, 0], [0, 0, 0], [0, 0, 0], [1.0, 2, 3]]))
        self.assertEqual([r.radius for r in path_through(bent).roundings][1:3], [0, 0])

    def test_stations_are_even_and_meet_every_corner(self) -> None:
        path = path_through(straight([[0, 0, 0], [0, 0, 8], [6, 0, 8], [6, 5, 8]]))
        s = path.stations([4, 3, 5])
        np.testing.assert_allclose(np.diff(s.length), [2] * 4 + [2] * 3 + [1] * 5)
        np.testing.assert_array_equal(np.flatnonzero(s.corner), [4, 7])
        at = path.stations_at(np.array([0, 0.5, 1]))
        self.assertEqual(len(at.points), 5)
        np.testing.assert_allclose(at.points[2], [1.5, 0, 8])


class LeastTwist(unittest.TestCase):
    def test_on_a_helix_as_published(self) -> None:
        """Turn against the principal normal, and the error of the double reflection by steps: of the fourth order."""
        for case in CURVES["least_twist_frame"]["cases"]:
            radius, rise, turns = (case[k] for k in ("radius", "rise_per_turn", "turns"))
            for steps, error in case["double_reflection_error_rad_by_steps_per_turn"]:
                s = helix(radius, rise, turns, int(steps * turns))
                lies = least_twist(s)
                first, last = (-np.array([math.cos(a), math.sin(a), 0]) for a in (0.0, 2 * math.pi * turns))
                turned = []
                for k, normal in ((0, first), (-1, last)):
                    binormal = np.cross(s.before[k], normal)
                    turned.append(math.atan2(float(lies.across[k] @ binormal), float(lies.across[k] @ normal)))
                off = (turned[1] - turned[0] - case["twist_against_frenet_rad"] + math.pi) % (2 * math.pi) - math.pi
                self.assertAlmostEqual(abs(off) / error, 1, delta=0.02, msg=f"{case} {steps}")
                if steps >= 128:
                    break  # below, rounding is as large

    def test_no_twist_in_a_plane(self) -> None:
        rng = np.random.default_rng(11)
        q, _ = np.linalg.qr(rng.normal(size=(3, 3)))
        q *= np.sign(np.linalg.det(q))
        for closed in (False, True):
            flat = np.column_stack([*rng.uniform(-10, 10, (2, 9)), np.zeros(9)])
            for join in ("straight", "smooth"):
                shape = CurveShape(flat @ q.T, np.zeros(9), (join,) * 9, *(np.zeros((9, 3)),) * 2, closed=closed)
                s = path_through(shape).stations(path_through(shape).steps(0.05))
                lies = least_twist(s)
                normal = lies.across @ q[:, 2]
                np.testing.assert_allclose(np.abs(normal - normal[0]).max(), 0, atol=1e-9)

    def test_frames_are_square_and_a_closed_path_has_no_seam(self) -> None:
        rng = np.random.default_rng(5)
        for fixed in (False, True):
            for _ in range(8):
                points = rng.normal(size=(7, 3)) * [10, 10, 3]
                shape = CurveShape(points, np.zeros(7), ("smooth",) * 7, *(np.zeros((7, 3)),) * 2, closed=True)
                path = path_through(shape)
                s = path.stations(path.steps(path.size / 4000))
                lies = frames(s, fixed_up=fixed)
                for a, b in ((lies.across, lies.up), (lies.across, s.before), (lies.up, s.before)):
                    np.testing.assert_allclose(np.einsum("ij,ij->i", a, b), 0, atol=1e-9)
                np.testing.assert_allclose(np.cross(lies.across, lies.up), s.before, atol=1e-9)
                steps = np.arccos(np.clip(np.einsum("ij,ij->i", lies.across, np.roll(lies.across, -1, axis=0)), -1, 1))
                bends = np.arccos(np.clip(np.einsum("ij,ij->i", s.before, np.roll(s.before, -1, axis=0)), -1, 1))
                if not fixed:
                    self.assertLess(float((steps - bends).max()), 2 * math.pi / len(steps) + 0.05)

    def test_upright_says_where_it_can_not_be(self) -> None:
        path = path_through(straight([[0, 0, 0], [5, 0, 0], [5, 0, 9]]))
        with self.assertRaises(ValueError) as caught:
            frames(path.stations([2, 2]), fixed_up=True)
        self.assertEqual(caught.exception.args[0], 3)

    def test_a_mitre_keeps_both_sides_the_same_section(self) -> None:
        """The stretched section, seen along either side of a corner, is the section."""
        path = path_through(straight([[0, 0, 0], [9, 0, 0], [14, 6, 5]]))
        s = path.stations([1, 1])
        run = run_along(s, least_twist(s), np.ones(3), np.zeros(3), 1.0)
        for d in (s.before[1], s.after[1]):
            a, b = (v[1] - (v[1] @ d) * d for v in (run.across, run.up))
            np.testing.assert_allclose([a @ a, b @ b, a @ b], [1, 1, 0], atol=1e-12)


if __name__ == "__main__":
    unittest.main()
