"""Sweep, loft and whorl against Pappus, Raup (solids.json), frusta, another library's topology, and by chance."""

from __future__ import annotations

import math
import unittest
from typing import Any

import manifold3d
import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.crossings import self_crossings
from jukai.core.geometry.lofting import Outline, alike, least_turn
from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate
from jukai.core.geometry.whorls import Whorl, clearing_rise
from jukai.core.recipe.evaluate import Evaluation
from tests.common import check_sound, reference
from tests.recipes import built

SHELL = reference("solids.json")["shell"]
Points = list[dict[str, Any]]


def at(*rows: Any, **more: Any) -> Points:
    return [{"at": [float(x) for x in row], **more} for row in rows]


def polygon(n: int, radius: float, *, turned: float = 0.0, middle: tuple[float, float] = (0, 0), **more: Any) -> Points:
    a = turned + 2 * math.pi * np.arange(n) / n
    return at(*np.column_stack([middle[0] + radius * np.cos(a), middle[1] + radius * np.sin(a)]), **more)


def made(
    operator: str, *profiles: Points, path: Points | None = None, round_: bool = False, **values: Any
) -> Evaluation:
    curves: list[dict[str, Any]] = [
        {"id": f"c{i}", "name": f"C{i}", "closed": True, "points": p} for i, p in enumerate(profiles, 1)
    ]
    if path is not None:
        curves.append({"id": "way", "name": "Way", "kind": "path", "closed": round_, "points": path})
        values = {"path": "way", **values}
    if operator == "loft":
        values = {"profiles": [f"c{i}" for i in range(1, len(profiles) + 1)], **values}
    elif profiles:
        values = {"profile": "c1", **values}
    return built({"operator": operator, **values}, curves=curves)


def body(evaluation: Evaluation) -> Mesh:
    assert evaluation.mesh is not None
    return evaluation.mesh


def warnings(evaluation: Evaluation) -> list[str]:
    return [n.text for n in evaluation.steps[0].notes if n.level == "warning"]


BAR = at((-2, -1), (2, -1), (2, 1), (-2, 1))
KNOT = at(*([(2 + math.cos(3 * t)) * math.cos(2 * t) * 10, (2 + math.cos(3 * t)) * math.sin(2 * t) * 10, math.sin(3 * t) * 10]
            for t in 2 * math.pi * np.arange(24) / 24), join="smooth")  # fmt: skip


class Sweeps(unittest.TestCase):
    def test_along_straight_pieces_volumes_are_exact(self) -> None:
        """Area times length, whatever the corners; every wall is flat."""
        rng = np.random.default_rng(3)
        for _ in range(12):
            steps = rng.normal(size=(5, 3))
            rows = np.concatenate(
                [np.zeros((1, 3)), np.cumsum(60 * steps / np.linalg.norm(steps, axis=1)[:, None], axis=0)]
            )
            turns = np.degrees(
                np.arccos(
                    np.clip(
                        (steps[1:] * steps[:-1]).sum(axis=1)
                        / np.linalg.norm(steps[1:], axis=1)
                        / np.linalg.norm(steps[:-1], axis=1),
                        -1,
                        1,
                    )
                )
            )
            if turns.max() > 150:
                continue
            found = made("sweep", BAR, path=at(*rows), turn=float(rng.uniform(0, 360)))
            if warnings(found):
                continue
            check_sound(self, body(found))
            self.assertAlmostEqual(signed_volume(body(found)) / (8 * 300), 1, places=9)
            self.assertEqual(body(found).n_faces, 5 * 4 + 2)
        ring = made("sweep", BAR, path=at((0, 0, 0), (30, 0, 0), (30, 20, 0), (0, 20, 0)), round_=True)
        self.assertEqual((body(ring).n_faces, round(signed_volume(body(ring)), 9)), (16, 800))

    def test_elbows_by_pappus(self) -> None:
        """A quarter turn between two legs: chords come near area times length with their square."""
        way = at((0, 0, 0), (0, 0, 20), fillet=0)
        way += at((30, 0, 20))
        way[1]["fillet"] = 12
        exact = 8 * (20 - 12 + 30 - 12 + 12 * math.pi / 2)
        errors = [abs(signed_volume(body(made("sweep", BAR, path=way, rows=n))) / exact - 1) for n in (24, 48)]
        self.assertLess(errors[1], 1e-3)
        self.assertAlmostEqual(errors[0] / errors[1], 4, delta=1.5)

    def test_round_a_knot_it_is_one_manifold_body(self) -> None:
        """A trefoil, closed: no seam, sound, and manifold3d takes it as it is."""
        for upright in ("least_twist", "fixed"):
            found = made("sweep", polygon(12, 3), path=KNOT, round_=True, upright=upright)
            mesh = body(found)
            check_sound(self, mesh)
            self.assertEqual(len(self_crossings(mesh).pairs), 0)
            self.assertEqual(mesh.n_faces % 12, 0)
            tri = np.ascontiguousarray(triangulate(mesh).points(mesh), dtype=np.uint64)
            other = manifold3d.Manifold(manifold3d.Mesh64(np.array(mesh.points), tri))
            self.assertEqual((other.status(), other.genus()), (manifold3d.Error.NoError, 1))
            self.assertAlmostEqual(other.volume() / signed_volume(mesh), 1, places=9)

    def test_sizes_and_turns_along(self) -> None:
        up = at((0, 0, 0), (0, 0, 30))
        cone = body(made("sweep", BAR, path=up, size_along=[{"at": 0, "value": 1}, {"at": 1, "value": 0}]))
        check_sound(self, cone)
        self.assertAlmostEqual(signed_volume(cone), 80, places=9)
        twisted = body(made("sweep", BAR, path=up, rows=90, turn_along=[{"at": 0, "value": 0}, {"at": 1, "value": 90}]))
        check_sound(self, twisted)
        top = twisted.points[twisted.points[:, 2] > 29.999]
        np.testing.assert_allclose(np.ptp(top, axis=0)[:2], [2, 4], atol=1e-9)
        coarse = made("sweep", BAR, path=up, rows=2, turn_along=[{"at": 0, "value": 0}, {"at": 1, "value": 180}])
        self.assertIn("turn by up to 90° against each other: 24 would be smooth", coarse.steps[0].notes[-1].text)
        with self.assertRaisesRegex(CoreError, r"falls to 0 at 50 %"):
            made(
                "sweep",
                BAR,
                path=up,
                size_along=[{"at": 0, "value": 1}, {"at": 0.5, "value": 0}, {"at": 1, "value": 1}],
            )

    def test_where_it_bends_too_tightly_is_told_with_its_place(self) -> None:
        """On both sides of the limit: an arc of a radius, and a profile that reaches just that far inward."""
        way = at((0, 0, 0), (0, 0, 40), (40, 0, 40))
        way[1]["fillet"] = 6
        for reach, tight in ((5.9, False), (6.2, True)):
            found = made("sweep", at((-reach, -1), (reach, -1), (reach, 1), (-reach, 1)), path=way, turn=0)
            told = [w for w in warnings(found) if "bends more tightly" in w]
            self.assertEqual(bool(told), tight, reach)
            self.assertEqual(len(self_crossings(body(found)).pairs) > 0, tight)

    def test_what_can_not_be_carried_says_why(self) -> None:
        for path, more, words in (
            (at((0, 0, 0), (0, 0, 20), (0, 0.1, 0)), {}, "turns back by 179.7°"),
            (at((0, 0, 0), (0, 0, 0)), {}, "has no length"),
            (at((0, 0, 0), (0, 0, 9)), {"upright": "fixed"}, "straight up or down"),
        ):
            with self.assertRaisesRegex(CoreError, words):
                made("sweep", BAR, path=path, **dict[str, Any](more))
        with self.assertRaisesRegex(CoreError, "is a path in space; a profile is wanted"):
            made("sweep", path=at((0, 0, 0), (0, 0, 9)), profile="way")

    def test_by_chance(self) -> None:
        """Any closed profile along any path: sound, or a named error, or a warning that says where it runs through itself."""
        rng = np.random.default_rng(17)
        for trial in range(60):
            n, k = int(rng.integers(3, 8)), int(rng.integers(2, 8))
            scale = 10.0 ** rng.integers(-2, 4)
            section = polygon(
                n, scale * rng.uniform(0.5, 4), turned=rng.uniform(0, 6), join=str(rng.choice(["straight", "smooth"]))
            )
            way = at(*(rng.normal(size=(k, 3)) * 20 * scale), join=str(rng.choice(["straight", "smooth"])))
            for p in way:
                p["fillet"] = float(scale * rng.choice([0, 0, 3]))
            more: dict[str, Any] = {"ends": "flat", "rides": str(rng.choice(["zero", "middle"]))}
            if rng.random() < 0.3:
                more["size_along"] = [
                    {"at": 0, "value": 1},
                    {"at": 0.4, "value": float(rng.uniform(0.3, 2))},
                    {"at": 1, "value": 1},
                ]
            if rng.random() < 0.3:
                more["turn_along"] = [{"at": 0, "value": 0}, {"at": 1, "value": float(rng.choice([90, 360]))}]
            with self.subTest(trial=trial):
                try:
                    found = made("sweep", section, path=way, round_=bool(rng.random() < 0.3), **more)
                except CoreError as e:
                    self.assertTrue(e.hint or e.message)
                    continue
                if not warnings(found):
                    check_manifold(self, body(found))


def check_manifold(case: unittest.TestCase, mesh: Mesh) -> None:
    """Closed, each edge between two faces that agree, and outward; it may still run into itself farther along."""
    case.assertTrue((mesh.connectivity.edge_sides == 2).all())
    case.assertGreater(signed_volume(mesh), 0)
    case.assertTrue(np.isfinite(mesh.points).all())


class Lofts(unittest.TestCase):
    def test_between_similar_profiles_a_frustum(self) -> None:
        rng = np.random.default_rng(7)
        for n in (3, 4, 7):
            a, b = (float(x) for x in rng.uniform(2, 9, 2))
            mesh = body(made("loft", polygon(n, a), polygon(n, b), height=12))
            area = n / 2 * math.sin(2 * math.pi / n)
            check_sound(self, mesh)
            self.assertEqual(mesh.n_faces, n + 2)
            self.assertAlmostEqual(signed_volume(mesh), 12 / 3 * area * (a * a + b * b + a * b), places=9)

    def test_ends_are_flat_at_both_one_or_none(self) -> None:
        for ends, rims in (("flat", 0), ("flat_start", 1), ("flat_end", 1), ("open", 2)):
            for evaluation in (
                made("loft", polygon(6, 4), polygon(6, 3), height=12, ends=ends),
                made("sweep", polygon(6, 4), path=at((0, 0, 0), (0, 0, 9)), ends=ends),
            ):
                mesh = body(evaluation)
                self.assertEqual(int((mesh.connectivity.edge_sides == 1).sum()), 6 * rims)
                groups = mesh.groups()
                self.assertEqual(
                    [g in groups for g in ("start_cap", "end_cap")],
                    [ends in ("flat", "flat_start"), ends in ("flat", "flat_end")],
                )

    def test_corners_stand_on_corners(self) -> None:
        square, hexagon = polygon(4, 8, turned=math.pi / 4), polygon(6, 6)
        mesh = body(made("loft", square, polygon(4, 4, turned=math.pi / 4 + 0.1), height=9))
        self.assertEqual(mesh.n_points, 8)
        for other, most in ((hexagon, 10), (polygon(8, 6), 12), (polygon(3, 6), 7)):
            mesh = body(made("loft", square, other, height=9))
            check_sound(self, mesh)
            levels = [mesh.points[np.isclose(mesh.points[:, 2], z)] for z in (0, 9)]
            for ring, corners in zip(levels, (square, other), strict=True):
                for c in corners:
                    self.assertLess(float(np.linalg.norm(ring[:, :2] - c["at"], axis=1).min()), 1e-9)
            self.assertLessEqual(len(levels[0]), most)

    def test_circles_of_different_counts(self) -> None:
        """Within the chord error of both: chords of sides, as many as the finer one has."""
        for n, m in ((12, 36), (40, 15), (24, 24)):
            mesh = body(made("loft", polygon(n, 6, join="smooth"), polygon(m, 9, join="smooth"), height=30))
            check_sound(self, mesh)
            exact = math.pi * 10 * (36 + 81 + 54)
            self.assertAlmostEqual(signed_volume(mesh) / exact, 1, delta=0.02)
            self.assertLess(signed_volume(mesh), exact)

    def test_turned_to_each_other_as_little_as_can_be(self) -> None:
        """An outline that begins elsewhere, moved and larger: it is found where it begins, and by hand further on."""
        rng = np.random.default_rng(2)
        for _ in range(20):
            n = int(rng.integers(5, 30))
            a = 2 * np.pi * np.arange(n) / n
            r = rng.uniform(3, 6, n)
            ring = np.column_stack([r * np.cos(a), r * np.sin(a)])
            shift = int(rng.integers(n))
            one, two = Outline(ring, np.ones(n, bool)), Outline(np.roll(ring * 2 + 5, -shift, axis=0), np.ones(n, bool))
            start = least_turn(one, two)
            np.testing.assert_allclose(two.at(np.array([start]))[0], ring[0] * 2 + 5, atol=1e-9)
            rows = alike([one, two.turned_to(start)])
            np.testing.assert_allclose(rows[1], rows[0] * 2 + 5, atol=1e-9)
        square = polygon(4, 8)
        plain, turned = (body(made("loft", square, square, height=20, turns=t)) for t in ([0, 0], [0, 90]))
        self.assertEqual(plain.n_points, 8)
        self.assertAlmostEqual(signed_volume(plain), 128 * 20, places=9)
        self.assertLess(signed_volume(turned), 0.95 * 128 * 20)

    def test_smooth_along_a_path_and_closed(self) -> None:
        ring = at(*([60 * math.cos(t), 60 * math.sin(t), 0] for t in 2 * math.pi * np.arange(8) / 8), join="smooth")
        profiles = (polygon(4, 8), polygon(9, 6, join="smooth"), polygon(3, 9))
        closed = made("loft", *profiles, path=ring, round_=True, along="path", join="smooth")
        check_sound(self, body(closed))
        self.assertEqual((warnings(closed), int(body(closed).pieces.max())), ([], 0))
        duct = made("loft", *profiles, path=at((0, 0, 0), (0, 0, 60), (80, 0, 60)), along="path", join="smooth")
        check_sound(self, body(duct))
        same = body(made("loft", *[polygon(5, 6)] * 4, height=30, join="smooth", rows=5))
        self.assertAlmostEqual(signed_volume(same), 5 / 2 * math.sin(2 * math.pi / 5) * 36 * 30, places=9)

    def test_by_chance(self) -> None:
        rng = np.random.default_rng(23)
        for trial in range(40):
            scale = 10.0 ** rng.integers(-2, 4)
            profiles = []
            for _ in range(int(rng.integers(2, 5))):
                n = int(rng.integers(3, 12))
                a = np.sort(rng.uniform(0, 2 * np.pi, n))
                r = scale * rng.uniform(4, 8, n)
                if np.ptp(a) < np.pi or np.diff(a).min(initial=9) < 0.1 or np.diff(a).max() > 3:
                    a = 2 * np.pi * np.arange(n) / n
                rows = np.column_stack([r * np.cos(a), r * np.sin(a)])[:: int(rng.choice([1, -1]))]
                profiles.append(at(*rows, join=str(rng.choice(["straight", "smooth"]))))
            with self.subTest(trial=trial):
                try:
                    found = made(
                        "loft", *profiles, height=float(40 * scale), join=str(rng.choice(["straight", "smooth"]))
                    )
                except CoreError as e:
                    self.assertIn("crosses itself", e.message)
                    continue
                check_manifold(self, body(found))


class Whorls(unittest.TestCase):
    def test_volume_and_similar_turns(self) -> None:
        """Raup 1966: the volume in closed form; each turn is the one before, enlarged."""
        for case in SHELL["cases"]:
            w, turns, x = (case[k] for k in ("growth_per_turn", "turns", "section_centroid_distance_at_start"))
            side = math.sqrt(case["section_area_at_start"])
            square = at(*(np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * side / 2 + [x, 0]))
            errors = []
            for sides in (36, 72):
                mesh = body(
                    made("whorl", square, turns=turns, growth_per_turn=w, sides_per_turn=sides, rise_per_turn=5.0)
                )
                errors.append(abs(signed_volume(mesh) / case["volume"] - 1))
                rings = mesh.points.reshape(-1, 4, 3)
                before, after = rings[:sides], rings[sides : 2 * sides]
                np.testing.assert_allclose(after[..., :2], w * before[..., :2], rtol=1e-9, atol=1e-9)
                np.testing.assert_allclose(after[..., 2], w * before[..., 2] + 5.0, rtol=1e-9, atol=1e-9)
            self.assertLess(errors[1], 6e-3)
            self.assertGreater(errors[0] / errors[1], 3)

    def test_the_rise_that_clears(self) -> None:
        """Touching turns of round sections in closed form; a hair above the limit they are clear, a hair below they cross."""
        for case in SHELL["touching"]["cases"]:
            w, t, a = (
                case[k] for k in ("growth_per_turn", "rise_over_radius", "largest_round_section_over_centre_distance")
            )
            n = 360
            turn = 2 * np.pi * np.arange(n) / n
            ring = np.column_stack([10 + 10 * a * np.cos(turn), 10 * a * np.sin(turn)])
            rise = 10 * t * (w - 1)
            found = clearing_rise(ring, Whorl(3, max(rise, 1e-9), w))
            self.assertAlmostEqual(found, rise, delta=0.02 * 10 * a)
        for n, growth, sides in (
            (12, 1.2, 24),
            (12, 1.2, 12),
            (30, 1.05, 36),
            (4, 1.5, 24),
            (5, 1.0, 24),
            (12, 0.8, 48),
        ):
            section = polygon(n, 3, middle=(6, 3))
            told = made("whorl", section, turns=3, growth_per_turn=growth, sides_per_turn=sides)
            note = next(n for n in told.steps[0].notes if n.level == "warning")
            assert note.solve is not None
            for share, crosses in ((0.97, True), (1.0, False)):
                mesh = body(
                    made(
                        "whorl",
                        section,
                        turns=3,
                        growth_per_turn=growth,
                        sides_per_turn=sides,
                        rise_per_turn=note.solve[1] * share,
                    )
                )
                self.assertEqual(len(self_crossings(mesh).pairs) > 0, crosses, (n, growth, sides, share))

    def test_hands_ends_and_shrinking(self) -> None:
        section = polygon(8, 2, middle=(6, 0))
        volumes = []
        for hand in ("right", "left"):
            for ends in ("flat", "to_a_point"):
                for growth in (2.2, 1 / 2.2):
                    found = made(
                        "whorl", section, turns=2.5, growth_per_turn=growth, hand=hand, ends=ends, sides_per_turn=24
                    )
                    check_sound(self, body(found))
                    volumes.append(signed_volume(body(found)))
        np.testing.assert_allclose(volumes[:4], volumes[4:])
        with self.assertRaisesRegex(CoreError, "reaches the axis"):
            made("whorl", polygon(8, 7, middle=(6, 0)))
        with self.assertRaisesRegex(CoreError, "more than 1,000,000 times"):
            made("whorl", section, turns=1000, growth_per_turn=100)


if __name__ == "__main__":
    unittest.main()
