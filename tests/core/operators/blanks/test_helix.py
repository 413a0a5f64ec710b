"""Helices against Pappus and Guldinus, quadrature, closed forms of neighbouring turns (curves.json), and by chance."""

from __future__ import annotations

import math
import random
import unittest
from typing import Any

import numpy as np
from scipy.integrate import quad

from jukai.core.errors import CoreError
from jukai.core.geometry.coils import Coil, clearing, path_of
from jukai.core.geometry.crossings import self_crossings
from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.base import Result
from jukai.core.recipe.evaluate import StepOutcome
from tests.common import check_sound, reference
from tests.recipes import built

TURNS = reference("curves.json")["helix_turns"]


def point(at: float, value: float, **more: Any) -> dict[str, Any]:
    return {"id": f"g{at:g}", "at": at, "value": value, **more}


CONE = [point(0, 1), point(1, 0.2)]


def wound(**values: Any) -> tuple[Mesh, StepOutcome, Result]:
    made = built({"operator": "helix", "coil_diameter": 20, "wire_diameter": 2, **values})
    outcome = made.steps[0]
    assert made.mesh is not None and outcome.result is not None
    return made.mesh, outcome, outcome.result


def warnings(outcome: StepOutcome) -> list[str]:
    return [n.text for n in outcome.notes if n.level == "warning"]


def rings(mesh: Mesh, sides: int) -> np.ndarray:
    """The sections of a wire whose ends are no points, (rows + 1, sides, 3)."""
    return mesh.points.reshape(-1, sides, 3)


class Measures(unittest.TestCase):
    def test_volume_of_the_tube(self) -> None:
        """Pappus and Guldinus: the section's area times the length; chords come near it with their square."""
        for section, area in (("round", 12 / 2 * math.sin(2 * math.pi / 12)), ("square", 4.0)):
            for pitch, hand in ((3.0, "right"), (8.0, "left")):
                exact = area * 4 * math.hypot(20 * math.pi, pitch)
                errors = []
                for rows in (48, 96):
                    mesh, _, _ = wound(
                        turns=4,
                        pitch=pitch,
                        hand=hand,
                        section=section,
                        sides=12 if section == "round" else 4,
                        rows_per_turn=rows,
                    )
                    check_sound(self, mesh)
                    errors.append(1 - float(signed_volume(mesh)) / exact)
                if section == "square":  # its walls are bent: cut along their diagonals they are of the first order
                    self.assertLess(max(map(abs, errors)), 3e-3)
                    continue
                self.assertAlmostEqual(errors[0] / errors[1], 4.0, delta=0.1)
                self.assertLess(abs(4 * errors[1] - errors[0]) / 3, 1e-5)

    def test_sections_are_square_to_the_path_and_even_by_length(self) -> None:
        for values in (
            {},
            {"coil_diameter_graph": CONE, "height": 30},
            {"pitch_graph": [point(0, 0.5), point(1, 2, smooth=True)]},
        ):
            mesh, _, result = wound(turns=5, sides=16, rows_per_turn=120, **values)
            at = rings(mesh, 16)
            middle = at.mean(axis=1)
            step = np.linalg.norm(np.diff(middle, axis=0), axis=1)
            self.assertLess(float(step.max() / step.min()) - 1, 5e-3)
            ahead = middle[2:] - middle[:-2]
            ahead /= np.linalg.norm(ahead, axis=1)[:, None]
            off = np.einsum("rij,rj->ri", at[1:-1] - middle[1:-1, None], ahead)
            self.assertLess(float(np.abs(off).max()), 0.01)
            # all points are as far from the middle of the wire as it is thick
            np.testing.assert_allclose(np.linalg.norm(at - middle[:, None], axis=2), 1.0, atol=1e-12)
            self.assertAlmostEqual(float(result.facts["wire_length"]) / float(step.sum()), 1.0, delta=2e-3)

    def test_the_wire_lies_on_its_cylinder_or_cone(self) -> None:
        mesh, _, _ = wound(turns=3, pitch=5, sides=12, rows_per_turn=40)
        middle = rings(mesh, 12).mean(axis=1)
        np.testing.assert_allclose(np.hypot(middle[:, 0], middle[:, 1]), 10.0, atol=1e-12)
        turn = np.unwrap(np.arctan2(middle[:, 1], middle[:, 0]))
        np.testing.assert_allclose(middle[:, 2] - middle[0, 2], 5 * turn / (2 * math.pi), atol=1e-9)
        mesh, _, _ = wound(turns=3, height=24, sides=12, rows_per_turn=40, coil_diameter_graph=CONE)
        middle = rings(mesh, 12).mean(axis=1)
        high = (middle[:, 2] - middle[0, 2]) / 24
        np.testing.assert_allclose(np.hypot(middle[:, 0], middle[:, 1]), 10 * (1 - 0.8 * high), atol=1e-6)

    def test_length_by_quadrature(self) -> None:
        """∫ √(R'² + (2 π n R)² + H²) ds of a cone; SciPy's adaptive quadrature."""
        _, _, result = wound(turns=6, height=40, coil_diameter_graph=CONE)
        radius = lambda s: 10 * (1 - 0.8 * s)  # noqa: E731
        exact, _ = quad(lambda s: math.sqrt(8.0**2 + (12 * math.pi * radius(s)) ** 2 + 40.0**2), 0, 1)
        self.assertAlmostEqual(float(result.facts["wire_length"]) / exact, 1.0, places=6)

    def test_pitch_and_height_follow_each_other(self) -> None:
        for more in ({}, {"pitch_graph": [point(0, 0.5), point(0.4, 2, smooth=True), point(1, 1)]}, {"ends": "closed"}):
            _, _, one = wound(turns=6, pitch=4, **more)
            other, _, two = wound(turns=6, height=one.facts["height"], **more)
            self.assertAlmostEqual(float(two.facts["pitch"]), 4.0, places=9)
            check_sound(self, other)
        with self.assertRaisesRegex(CoreError, "say the same thing"):
            wound(pitch=2, height=5)


class Clearing(unittest.TestCase):
    def test_nearest_turns(self) -> None:
        """Distances of neighbouring turns, and the least rise at which a tube clears itself (curves.json)."""

        def coil(radius: float, rise: float) -> Coil:
            return Coil(
                3, False, lambda s: np.full_like(s, radius), lambda s: np.full_like(s, rise), np.zeros_like, True
            )

        for row in TURNS["nearest_distance"]:
            found = clearing(path_of(coil(row["radius"], row["rise_per_turn"])), np.zeros_like)
            assert found is not None
            self.assertAlmostEqual(found.gap, row["distance"], places=5)
        for row in TURNS["least_rise_that_clears_a_round_tube"]:
            rise = row["least_rise_per_turn"] / 2
            found = clearing(path_of(coil(row["radius"], rise)), lambda s, r=row["tube_radius"]: np.full_like(s, r))
            assert found is not None and found.more is not None
            self.assertAlmostEqual(rise * found.more, row["least_rise_per_turn"], places=5)

    def test_both_sides_of_the_pitch_that_clears(self) -> None:
        cases: list[dict[str, Any]] = [
            {"pitch": 1.2},
            {"pitch": 1, "section": "square"},
            {"pitch": 1.5, "hand": "left", "coil_diameter_graph": [point(0, 1), point(1, 0.75)]},
            {"height": 3},
            {"pitch": 1.5, "wire_diameter_graph": [point(0, 1), point(0.5, 1.5, smooth=True), point(1, 1)]},
        ]
        for values in cases:
            with self.subTest(**values):
                fine = {"turns": 3, "sides": 4 if values.get("section") == "square" else 48, "rows_per_turn": 72}
                _, outcome, _ = wound(**values, **fine)
                solve = next(n.solve for n in outcome.notes if n.solve)
                key, value = solve[0], float(solve[1])
                rest = {k: v for k, v in values.items() if k not in ("pitch", "height")}
                for share, crosses in ((1.0, False), (0.97, True)):
                    mesh, again, _ = wound(**rest, **fine, **{key: value * share})
                    self.assertEqual(len(self_crossings(mesh).pairs) > 0, crosses, (key, value, share))
                    self.assertEqual(bool(warnings(again)), crosses)

    def test_where_no_pitch_helps_it_is_said(self) -> None:
        _, outcome, _ = wound(pitch=0)
        self.assertIn("no pitch is there to part them", warnings(outcome)[0])
        _, outcome, _ = wound(pitch=0, coil_diameter_graph=[point(0, 0.3), point(1, 2.5)])
        self.assertEqual(warnings(outcome), [])
        _, outcome, _ = wound(wire_diameter=30, pitch=40)
        self.assertTrue(any("thicker than it bends" in w for w in warnings(outcome)))


class Ends(unittest.TestCase):
    def test_a_horn_ends_in_one_point(self) -> None:
        for graph, ends, tips in (
            ([point(0, 1), point(1, 0)], "open", 1),
            (None, "to_a_point", 2),
            ([point(0, 0), point(0.5, 1), point(1, 0)], "open", 2),
        ):
            mesh, outcome, _ = wound(
                turns=2.5, height=30, ends=ends, sides=12, **({"wire_diameter_graph": graph} if graph else {})
            )
            check_sound(self, mesh)
            fans = np.bincount(
                mesh.corners[
                    mesh.offsets[:-1][mesh.sides == 3].repeat(3) + np.tile(np.arange(3), int((mesh.sides == 3).sum()))
                ]
            )
            self.assertEqual(int((fans == 12).sum()), tips)
            self.assertEqual(mesh.groups().get("start_cap", 0) + mesh.groups().get("end_cap", 0), 2 - tips)
            self.assertEqual(warnings(outcome), [])

    def test_closed_ends_lie_against_the_next_turn(self) -> None:
        mesh, outcome, _ = wound(turns=8, pitch=6, ends="closed", sides=24)
        check_sound(self, mesh)
        self.assertEqual(warnings(outcome), [])
        middle = rings(mesh, 24).mean(axis=1)
        turn = np.unwrap(np.arctan2(middle[:, 1], middle[:, 0])) / (2 * math.pi)
        rise = np.interp([0, 1, 3.5, 4.5, 7, 8], turn, middle[:, 2])
        self.assertLess(abs(rise[1] - rise[0] - 2), 0.06)
        self.assertLess(abs(rise[5] - rise[4] - 2), 0.06)
        self.assertAlmostEqual(float(rise[3] - rise[2]), 6.0, delta=0.01)

    def test_a_drawn_section(self) -> None:
        """An L of area 3 (of its 2 × 2 square): the volume is that of its own, whichever way it was drawn."""
        corner = [[0, 0], [2, 0], [2, 1], [1, 1], [1, 2], [0, 2]]
        for points in (corner, corner[::-1]):
            made = built(
                {"operator": "helix", "section": "profile", "profile": "c1", "coil_diameter": 20, "wire_diameter": 2, "pitch": 5, "turns": 3, "rows_per_turn": 96},
                profile=points, closed=True,
            )  # fmt: skip
            check_sound(self, made.mesh)
            assert made.mesh is not None
            self.assertAlmostEqual(
                float(signed_volume(made.mesh)) / (3 * 3 * math.hypot(20 * math.pi, 5)), 1.0, delta=1e-3
            )
        with self.assertRaisesRegex(CoreError, "is open"):
            built({"operator": "helix", "section": "profile", "profile": "c1"}, profile=corner)
        with self.assertRaisesRegex(CoreError, "No profile is chosen"):
            built({"operator": "helix", "section": "profile"})


class ByChance(unittest.TestCase):
    def test_refused_by_name(self) -> None:
        refused: list[tuple[dict[str, Any], str]] = [
            ({"turns": 2, "ends": "closed"}, "nothing between two closed ends"),
            ({"wire_diameter_graph": [point(0, 1), point(0.5, 0), point(1, 1)]}, "runs to 0 at 50 %"),
            ({"coil_diameter_graph": [point(0, -1)]}, "falls below 0"),
            ({"height": 5, "pitch_graph": [point(0, 0)]}, "pitch is 0 all along"),
            ({"coil_diameter_graph": [point(0, 0)], "pitch": 0}, "no length"),
            ({"turns": 5000, "rows_per_turn": 1000}, "faces"),
        ]
        for values, words in refused:
            with self.assertRaises(CoreError) as caught:
                wound(**values)
            self.assertIn(words, caught.exception.message)

    def test_sound_or_said(self) -> None:
        """Any numbers and graphs: a closed body, outward and free of crossings, or a warning, or an error by name."""
        chance = random.Random(11)

        def graph(low: float, high: float) -> list[dict[str, Any]] | None:
            places = sorted(chance.sample(range(101), chance.randint(1, 4)))
            return [point(p / 100, round(chance.uniform(low, high), 3), smooth=chance.random() < 0.5) for p in places]

        sound = 0
        for _ in range(100):
            wire = 10 ** chance.uniform(-1.5, 1)
            values: dict[str, Any] = {
                "turns": 10 ** chance.uniform(-1, 1), "coil_diameter": 10 ** chance.uniform(-1, 2), "wire_diameter": wire,
                "section": chance.choice(["round", "square"]), "hand": chance.choice(["left", "right"]), "ends": chance.choice(["open", "open", "closed", "to_a_point"]),
                "rows_per_turn": chance.randint(8, 40), "sides": chance.randint(3, 16), chance.choice(["pitch", "height"]): chance.uniform(-3, 10) * wire,
            }  # fmt: skip
            for key, low, high in (
                ("coil_diameter_graph", 0, 2),
                ("wire_diameter_graph", 0, 2),
                ("pitch_graph", -0.2, 2),
                ("off_the_axis", -10, 10),
            ):
                if chance.random() < 0.5:
                    values[key] = graph(low, high)
            try:
                mesh, outcome, _ = wound(**values)
            except CoreError as e:
                self.assertTrue(e.message and e.field, values)
                continue
            self.assertTrue(mesh.closed and np.isfinite(mesh.points).all(), values)
            if not warnings(outcome):
                check_sound(self, mesh)
                sound += 1
        self.assertGreater(sound, 25)


if __name__ == "__main__":
    unittest.main()
