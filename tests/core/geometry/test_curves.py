"""Curves against published values (curves.json names the sources) and against what a fillet is."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from jukai.core.geometry.curve_pieces import CurveShape, bezier, smooth_handles, steps_for_arc
from jukai.core.geometry.curves import sample
from tests.common import reference

CURVES = reference("curves.json")


class Published(unittest.TestCase):
    def test_bezier(self) -> None:
        for case in CURVES["bezier"]["cases"]:
            for row in case["samples"]:
                np.testing.assert_allclose(bezier(np.array(case["points"], float), row["t"]), row["at"], atol=1e-12)

    def test_smooth_is_centripetal_catmull_rom(self) -> None:
        cases = [c for c in CURVES["catmull_rom"]["cases"] if c["kind"] == "centripetal" and len(c["points"][0]) == 2]
        self.assertTrue(cases)
        for case in cases:
            p = [np.array(q, float) for q in case["points"]]
            control = np.array([p[1], *smooth_handles(*p), p[2]])
            for row in case["samples"]:
                np.testing.assert_allclose(bezier(control, row["u"]), row["at"], atol=1e-12)

    def test_chords_of_an_arc(self) -> None:
        for case in CURVES["chord_error"]["cases"]:
            steps = steps_for_arc(case["radius"], math.radians(case["angle_deg"]), case["tolerance"])
            self.assertEqual(steps, case["steps"])

    def test_fillet_tangent_length(self) -> None:
        for case in CURVES["fillet"]["cases"]:
            a = math.radians(case["angle_deg"])
            far = 10 * case["tangent_length"] + 1
            ends = [[far, 0], [0, 0], [far * math.cos(a), far * math.sin(a)]]
            f = sample(CurveShape.straight(ends, fillet=[0, case["r"], 0])).fillets[0]
            self.assertAlmostEqual(math.hypot(*f.start), case["tangent_length"], delta=1e-9 * case["tangent_length"])
            self.assertAlmostEqual(math.hypot(*f.stop), case["tangent_length"], delta=1e-9 * case["tangent_length"])
            self.assertAlmostEqual(math.degrees(abs(f.sweep)), case["arc_angle_deg"], places=9)
            self.assertAlmostEqual(
                math.hypot(*f.centre), case["centre_from_corner"], delta=1e-9 * case["centre_from_corner"]
            )


class Fillets(unittest.TestCase):
    def test_one_that_does_not_fit_is_made_as_large_as_fits(self) -> None:
        f = sample(CurveShape.straight([[0, 0], [10, 0], [10, 4]], fillet=[0, 7, 0])).fillets[0]
        self.assertEqual(f.asked, 7)
        self.assertAlmostEqual(f.radius, 4, places=12)

    def test_two_share_the_piece_between_them(self) -> None:
        fillets = sample(CurveShape.straight([[0, 0], [10, 0], [10, 6], [0, 6]], fillet=[0, 4, 4, 0])).fillets
        np.testing.assert_allclose([f.radius for f in fillets], [3, 3], rtol=1e-14)

    def test_on_curved_pieces_the_arc_touches_both(self) -> None:
        zero = [0.0, 0.0]
        shape = CurveShape(
            np.array([[0, 0], [10, 0], [10, 12.0]]), np.array([0, 1.5, 0]), ("bezier", "bezier", "straight"),
            np.array([[3, 3], [-1, 4], zero]), np.array([zero, [-4, 2], [2, -3]]),
        )  # fmt: skip
        f = sample(shape).fillets[0]
        self.assertEqual(f.radius, 1.5)
        t = np.linspace(0, 1, 20_001)
        for i in (0, 1):
            p, q = shape.at[i], shape.at[i + 1]
            run = bezier(np.array([p, p + shape.out[i], q + shape.into[i + 1], q]), t)
            # touching: the nearest point of the piece is just a radius away
            self.assertAlmostEqual(float(np.hypot(*(run - f.centre).T).min()), 1.5, places=6)

    def test_straight_and_folded_corners_are_left(self) -> None:
        self.assertTrue(sample(CurveShape.straight([[0, 0], [5, 0], [10, 0]], fillet=[0, 1, 0])).fillets[0].flat)
        self.assertEqual(sample(CurveShape.straight([[0, 0], [5, 0], [0, 0]], fillet=[0, 1, 0])).fillets[0].radius, 0)

    def test_random_polygons_keep_the_asked_or_a_smaller_radius(self) -> None:
        rng = np.random.default_rng(5)
        for _ in range(200):
            n = int(rng.integers(3, 9))
            asked = rng.uniform(0.01, 3, n)
            out = sample(CurveShape.straight(rng.uniform(-5, 5, (n, 2)), closed=True, fillet=asked))
            self.assertTrue(np.isfinite(out.points).all())
            for f in out.fillets:
                self.assertLessEqual(f.radius, asked[f.point])
                if f.radius:
                    for end in (f.start, f.stop):
                        self.assertAlmostEqual(math.dist(end, f.centre), f.radius, delta=1e-9 * f.radius + 1e-12)


class Chamfers(unittest.TestCase):
    def test_corners_are_cut_off_a_leg_from_them(self) -> None:
        """Of a square: an octagon in closed form; two that want more than their side share it."""
        square = np.array([[0, 0], [10, 0], [10, 10], [0, 10]], float)
        for leg, kept in ((2.0, 2.0), (8.0, 5.0)):
            found = sample(replace(CurveShape.straight(square, closed=True), chamfer=np.full(4, leg)))
            self.assertEqual({round(f.radius, 9) for f in found.fillets}, {kept})
            x, y = found.points.T
            area = float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2)
            self.assertAlmostEqual(area, 100 - 4 * kept**2 / 2, places=9)
            self.assertTrue(found.corner.all())

    def test_on_curved_pieces_both_ends_are_a_leg_away(self) -> None:
        at = np.array([[0, 0], [10, 0], [10, 12]], float)
        none = np.zeros((3, 2))
        out, into = none.copy(), none.copy()
        out[0], into[1] = [0, 6], [0, 6]
        shape = CurveShape(
            at, np.zeros(3), ("bezier", "straight", "straight"), out, into, chamfer=np.array([0, 3.0, 0])
        )
        (cut,) = sample(shape).fillets
        for end in (cut.start, cut.stop):
            self.assertAlmostEqual(float(np.hypot(*(np.array(end) - at[1]))), 3, places=9)


class Sampling(unittest.TestCase):
    def test_chords_stay_within_the_tolerance(self) -> None:
        control = np.array([[0, 0], [0, 20], [30, 20], [30, 0.0]])
        for tolerance in (1.0, 0.1, 0.01):
            zero = np.zeros((2, 2))
            shape = CurveShape(control[[0, 3]], np.zeros(2), ("bezier", "straight"), np.array([control[1] - control[0], zero[0]]),
                               np.array([zero[0], control[2] - control[3]]), tolerance=tolerance)  # fmt: skip
            pts = sample(shape).points
            dense = bezier(control, np.linspace(0, 1, 4001))
            a, b = pts[:-1], pts[1:]
            t = np.clip(np.einsum("ijk,jk->ij", dense[:, None] - a, b - a) / np.einsum("jk,jk->j", b - a, b - a), 0, 1)
            off = np.linalg.norm(dense[:, None] - (a + t[..., None] * (b - a)), axis=2).min(axis=1)
            self.assertLessEqual(float(off.max()), tolerance)

    def test_by_count(self) -> None:
        shape = CurveShape.straight([[0, 0], [4, 0], [4, 4]])
        out = sample(CurveShape(shape.at, shape.fillet, shape.join, shape.out, shape.into, count=4))
        self.assertEqual(len(out.points), 9)

    def test_corners_are_kept(self) -> None:
        at = np.array([[0, 0], [4, 1], [5, 6], [1, 7.0]])
        zero = np.zeros((4, 2))
        for join in ("straight", "smooth", "bezier"):
            out = sample(CurveShape(at, np.zeros(4), (join,) * 4, zero, zero))
            for p in at:
                self.assertTrue((out.points == p).all(axis=1).any())


if __name__ == "__main__":
    unittest.main()
