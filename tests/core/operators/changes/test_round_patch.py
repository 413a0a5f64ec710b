"""Round patches: on one circle, evenly, in four-sided faces, wherever they are cut; rings and discs for every count."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.measures import signed_volume, vector_areas
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.regions import circle_through
from jukai.core.geometry.rings import disc, ring_between
from tests.common import check_sound
from tests.recipes import built

GRID = {"operator": "box", "size": [16, 16, 6], "counts": [8, 8, 3]}
PLAIN = {"operator": "box", "size": [16, 16, 6]}
TOP = {"rule": "group", "step": "s1", "name": "top"}


def within(centre: list[float], size: list[float], of: str = "faces") -> dict[str, Any]:
    return {"rule": "inside", "of": of, "shape": "box", "centre": centre, "size": size}


def at(*places: list[float]) -> dict[str, Any]:
    balls = [{"rule": "inside", "of": "points", "shape": "ball", "centre": p, "radius": 0.1} for p in places]
    return {"join": [balls[0], *({"and_also": b} for b in balls[1:])], "of": "points"}


FOUR = within([0, 0, 6], [4.1, 4.1, 1])


def patched(start: Any, *then: Any, **values: Any) -> Any:
    return built(start, {"operator": "round_patch"} | values, *then)


def border_of(mesh: Mesh) -> np.ndarray:
    """Return the points of the border of the patch."""
    con = mesh.connectivity
    mine = mesh.group_faces("s2", "patch")[mesh.corner_faces]
    other = ~mine[np.maximum(con.twins, 0)] | (con.twins < 0)
    return np.asarray(mesh.points[np.unique(mesh.corners[mine & other])])


def circle(n: int, radius: float, turn: float = 0.0) -> np.ndarray:
    a = 2 * np.pi * np.arange(n) / n + turn
    return np.column_stack([radius * np.cos(a), radius * np.sin(a), np.zeros(n)])


class Patterns(unittest.TestCase):
    def test_rings_between_any_two_counts(self) -> None:
        """Closed between both loops, all four-sided but one where the counts make an odd number, of the area between."""
        for k in range(3, 26):
            for n in range(3, 26):
                for lone in {
                    0,
                    (k - n) // 2 if 0 < k - n <= 2 * (k // 2) and (k - n) // 2 <= k // 3 and (k - n) % 2 == 0 else 0,
                }:
                    outer, inner = circle(k, 3), circle(n, 1)
                    ring = ring_between(outer, inner, 1 + 3 * np.arange(lone))
                    mesh = Mesh.from_faces(
                        np.concatenate([outer, inner, ring.points]), [*ring.fours.tolist(), *ring.threes.tolist()]
                    )
                    con = mesh.connectivity
                    self.assertEqual(int((con.edge_sides == 1).sum()), k + n, (k, n, lone))
                    self.assertTrue(
                        (con.edge_sides <= 2).all() and not con.same_direction(mesh.corners).any(), (k, n, lone)
                    )
                    self.assertEqual(len(ring.threes), (k + n) % 2)
                    want = (9 * k * math.sin(2 * math.pi / k) - n * math.sin(2 * math.pi / n)) / 2
                    self.assertAlmostEqual(float(vector_areas(mesh)[:, 2].sum()), want, places=9)

    def test_discs_of_any_count(self) -> None:
        """Tutte 1963: no face of a disc is turned over."""
        for n in range(3, 70):
            loop = circle(n, 1)
            inner, fours, threes = disc(loop)
            mesh = Mesh.from_faces(np.concatenate([loop, inner]), [*fours.tolist(), *threes.tolist()])
            areas = vector_areas(mesh)[:, 2]
            self.assertGreater(float(areas.min()), 0)
            self.assertAlmostEqual(float(areas.sum()), n * math.sin(2 * math.pi / n) / 2, places=9)
            self.assertEqual((int((mesh.connectivity.edge_sides == 1).sum()), len(threes)), (n, n % 2))

    def test_the_circle_of_least_squares(self) -> None:
        """Exact points give their circle; of four points of two radii on two axes the mean radius (by symmetry)."""
        centre, radius = circle_through(circle(7, 2.5)[:, :2] + [3, 1e5])
        np.testing.assert_allclose(centre, [3, 1e5], atol=1e-9)
        self.assertAlmostEqual(radius, 2.5, places=9)
        centre, radius = circle_through(np.array([[2, 0], [0, 3], [-2, 0], [0, -3.0]]))
        np.testing.assert_allclose(centre, 0, atol=1e-12)
        self.assertAlmostEqual(radius, 2.5, places=12)


class Patches(unittest.TestCase):
    def on_a_circle(self, mesh: Mesh, n: int, diameter: float | None = None, *, even: bool = True) -> None:
        points = border_of(mesh)
        self.assertEqual(len(points), n)
        centre = points.mean(axis=0) if even else None
        flat = points[:, :2] - (centre[:2] if centre is not None else circle_through(points[:, :2])[0])
        radii = np.linalg.norm(flat, axis=1)
        np.testing.assert_allclose(radii, radii[0], atol=1e-9)
        if diameter is not None:
            np.testing.assert_allclose(2 * radii, diameter, atol=1e-9)
        if even:
            angles = np.sort(np.arctan2(flat[:, 1], flat[:, 0]))
            np.testing.assert_allclose(np.diff(angles), 2 * np.pi / n, atol=1e-9)

    def test_points_lie_on_one_circle_evenly(self) -> None:
        for start, pick in ((GRID, FOUR), (PLAIN, TOP)):
            for points in (None, 8, 12, 16, 21, 24):
                for diameter in (None, "fit + 1", 5, "fit * 0.5"):
                    values = {"pick": pick} | ({} if points is None else {"points": points}) | ({} if diameter is None else {"diameter": diameter})  # fmt: skip
                    with self.subTest(values=values):
                        evaluation = patched(start, **values)
                        check_sound(self, evaluation.mesh)
                        facts = evaluation.steps[1].result.facts
                        n = points or (12 if start is PLAIN else 8)
                        self.on_a_circle(evaluation.mesh, n, facts["diameter"])
                        want = {None: facts["fit"], "fit + 1": facts["fit"] + 1, 5: 5, "fit * 0.5": facts["fit"] / 2}[
                            diameter
                        ]
                        self.assertAlmostEqual(facts["diameter"], want, places=9)
                        self.assertEqual(int((evaluation.mesh.sides > 4).sum()), 0)
                        self.assertEqual(int((evaluation.mesh.sides == 3).sum()), 2 * (n % 2))
                        # what is flat stays flat
                        self.assertAlmostEqual(signed_volume(evaluation.mesh), 1536, places=9)

    def test_the_fit_of_a_square_patch(self) -> None:
        """Of 2 × 2 cells: the mean of the distances of its corners and of the middles of its sides, (1 + sqrt 2) / 2 times their half."""
        facts = patched(GRID, pick=FOUR).steps[1].result.facts
        self.assertAlmostEqual(facts["fit"], 2 * (1 + math.sqrt(2)), places=12)
        kept = patched(GRID, pick=within([1, 0, 6], [6.1, 4.1, 1]), spacing="as_they_were").mesh
        self.on_a_circle(kept, 10, even=False)

    def test_clocking_height_and_what_comes_after(self) -> None:
        mesh = patched(GRID, pick=FOUR, clocking=10).mesh
        points = border_of(mesh)
        angles = np.degrees(np.arctan2(points[:, 1], points[:, 0]))
        np.testing.assert_allclose(np.sort(np.round(angles % 45, 9)), 10, atol=1e-9)
        boss = patched(PLAIN, {"operator": "extrude", "pick": {"rule": "group", "step": "s2", "name": "patch"}, "distance": 4}, pick=TOP, diameter=8, points=24).mesh  # fmt: skip
        check_sound(self, boss)
        self.assertAlmostEqual(signed_volume(boss), 1536 + 4 * 12 * 16 * math.sin(math.pi / 12), places=9)
        high = patched(PLAIN, pick=TOP, diameter=8, points=24, height=2).mesh
        check_sound(self, high)
        np.testing.assert_allclose(border_of(high)[:, 2], 8, atol=1e-12)
        hole = patched(
            PLAIN,
            {"operator": "delete_faces", "pick": {"rule": "group", "step": "s2", "name": "patch"}},
            pick=TOP,
            points=24,
        ).mesh
        self.assertEqual(int((hole.connectivity.edge_sides == 1).sum()), 24)

    def test_several_at_once_and_next_to_each_other(self) -> None:
        """Sixteen about picked points share their borders, and all but these stays."""
        places = [[x, y, 6] for x in (-6, -2, 2, 6) for y in (-6, -2, 2, 6)]
        evaluation = patched(GRID, pick=at(*places))  # type: ignore[arg-type]
        check_sound(self, evaluation.mesh)
        self.assertEqual(evaluation.steps[1].result.facts["patches"], 16)
        self.assertAlmostEqual(signed_volume(evaluation.mesh), 1536, places=9)
        self.assertEqual(int((evaluation.mesh.sides != 4).sum()), 0)
        # with one strip of faces between them, whatever is asked for, they come out alike
        strip = {"operator": "box", "size": [22, 12, 6], "counts": [11, 6, 1]}
        pair = {"join": [within([-3, 0, 6], [4.1, 4.1, 1]), {"and_also": within([3, 0, 6], [4.1, 4.1, 1])}]}
        asked: tuple[dict[str, Any], ...] = (
            {},
            {"points": 16},
            {"points": 12, "diameter": 3},
            {"diameter": "fit + 0.5"},
        )
        for values in asked:
            mesh = patched(strip, pick=pair, **values).mesh
            check_sound(self, mesh)
            borders = border_of(mesh)
            left, right = borders[borders[:, 0] < 0], borders[borders[:, 0] > 0]
            a, b = ({tuple(row) for row in np.round(p - p.mean(axis=0), 6) + 0.0} for p in (left, right))
            self.assertEqual(a, b, values)
        apart = patched(
            GRID, pick={"join": [within([-4, -4, 6], [4.1, 4.1, 1]), {"and_also": within([4, 4, 6], [4.1, 4.1, 1])}]}
        )
        self.assertEqual(apart.steps[1].result.facts["patches"], 2)

    def test_bent_seats_and_corners(self) -> None:
        """Flat seats lie in a plane; those that follow lie on the surface, here to the sagitta of its sides."""
        sphere = {"operator": "sphere", "radius": 10, "sides": 32, "rows": 16}
        cap = {"rule": "facing", "direction": [1, 0, 0.3], "within": 30}
        for seat in ("flat", "follows_the_surface"):
            mesh = patched(sphere, pick=cap, seat=seat).mesh
            check_sound(self, mesh)
            points = border_of(mesh)
            off = np.linalg.svd(points - points.mean(axis=0))[1][2]
            far = np.linalg.norm(points - [0, 0, 10], axis=1)
            if seat == "flat":
                self.assertLess(off, 1e-9)
            else:
                self.assertTrue(((far <= 10 + 1e-9) & (far >= 10 * math.cos(math.pi / 16) ** 2 - 1e-9)).all())
        rounded = {
            "operator": "superellipsoid",
            "half_sizes": [10, 10, 10],
            "exponent_around": 0.3,
            "exponent_up": 0.3,
            "sides": 32,
            "rows": 16,
        }
        corner = within([10, 10, 20], [9, 9, 9])
        for start, pick in ((GRID, at([8, 8, 6])), (rounded, corner)):
            for seat in ("flat", "follows_the_surface"):
                evaluation = patched(start, pick=pick, seat=seat)
                check_sound(self, evaluation.mesh)
                self.assertEqual(int((evaluation.mesh.sides > 4).sum()), 0)

    def test_there_may_be_no_room(self) -> None:
        for start, pick in ((PLAIN, TOP), (GRID, FOUR)):
            evaluation = patched(start, pick=pick, diameter=100)
            check_sound(self, evaluation.mesh)
            self.assertTrue(any("stopped there" in n.text for s in evaluation.steps for n in s.notes))
            self.assertLess(evaluation.steps[1].result.facts["diameter"], 16)
        one = patched(PLAIN, pick=TOP, surroundings="one_face", within="one_face").mesh
        self.assertEqual(one.n_faces, 5 + 3)
        for values, text in (
            ({"pick": {"join": [TOP, {"but_not": FOUR}]}}, "no disc"),
            ({"pick": at([0, 0, 6], [2, 0, 6])}, "overlap"),
            ({"pick": FOUR, "diameter": "fit - 10"}, "leaves no patch"),
            ({"pick": FOUR, "diameter": "fitt"}, "no named number"),
        ):
            with self.subTest(text), self.assertRaises(CoreError) as found:
                patched(GRID, **values)
            self.assertIn(text, str(found.exception))


if __name__ == "__main__":
    unittest.main()
