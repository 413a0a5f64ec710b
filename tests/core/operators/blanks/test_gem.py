"""Cut stones against closed forms, handbook counts and published proportions (gems.json names the sources), and by chance."""

from __future__ import annotations

import math
import random
import unittest
from typing import Any

import numpy as np
from scipy.spatial import ConvexHull

from jukai.core.errors import CoreError
from jukai.core.geometry.measures import face_normals, signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.soundness import soundness
from jukai.core.operators.blanks.gem import SETS
from jukai.core.recipe.evaluate import Evaluation
from tests.common import check_sound, reference
from tests.recipes import built

GEMS = reference("gems.json")


def stone(**values: Any) -> Evaluation:
    return built({"operator": "gem", "diameter": 2, **values})


def bent(mesh: Mesh) -> float:
    """How far the corners of any facet lie off its plane, mm."""
    normals = face_normals(mesh)[mesh.corner_faces]
    first = mesh.points[mesh.corners[mesh.offsets[mesh.corner_faces]]]
    return float(np.abs(np.einsum("ij,ij->i", mesh.points[mesh.corners] - first, normals)).max())


def check_cut(case: unittest.TestCase, mesh: Mesh | None, radius: float) -> None:
    """Assert that a stone is sound, that each facet is flat and that it is its own convex hull."""
    assert mesh is not None
    check_sound(case, mesh)
    case.assertLess(bent(mesh), 1e-9 * radius)
    hull = ConvexHull(mesh.points)
    case.assertAlmostEqual(float(signed_volume(mesh)) / hull.volume, 1.0, places=9)
    case.assertEqual(soundness(mesh).euler, 2)


class Brilliants(unittest.TestCase):
    def test_closed_forms(self) -> None:
        for row in GEMS["cases"]:
            with self.subTest(symmetry=row["n"], table=row["table"]):
                made = stone(
                    symmetry=row["n"],
                    table=row["table"],
                    crown_angle=row["crown_angle"],
                    pavilion_angle=row["pavilion_angle"],
                    star_length=row["star"],
                    lower_half_length=row["lower"],
                    girdle=row["girdle"] / 2,
                )
                assert made.mesh is not None and made.steps[0].result is not None
                expect, facts = row["expect"], made.steps[0].result.facts
                self.assertAlmostEqual(float(signed_volume(made.mesh)), expect["volume"], places=12)
                for key, other in (
                    ("star_angle",) * 2,
                    ("upper_angle", "upper_half_angle"),
                    ("lower_angle", "lower_half_angle"),
                ):
                    self.assertAlmostEqual(float(facts[key]), expect[other], places=9)
                self.assertAlmostEqual(2 * float(facts["crown_height"]), expect["crown_height"], places=12)
                self.assertAlmostEqual(2 * float(facts["pavilion_depth"]), expect["pavilion_depth"], places=12)
                check_cut(self, made.mesh, 1.0)

    def test_facets_by_kind(self) -> None:
        """Counting: 7 n + 1 facets, one more with a culet; 57 and 58 for 8 (Tolkowsky 1919)."""
        for n in range(3, 25):
            for culet, girdle in ((0.0, 0.02), (0.03, 0.02), (0.0, 0.0), (0.03, 0.0)):
                made = stone(symmetry=n, table=0.3 if n == 3 else 0.53, star_length=0.7, culet=culet, girdle=girdle)
                groups = made.mesh.groups() if made.mesh else {}
                expect = {"table": 1, "stars": n, "kites": n, "upper_halves": 2 * n, "lower_halves": 2 * n, "mains": n}
                expect |= ({"culet": 1} if culet else {}) | ({"girdle": 2 * n} if girdle else {})
                self.assertEqual(groups, dict(sorted(expect.items())))
                total = sum(count for group, count in groups.items() if group != "girdle")
                self.assertEqual(total, 7 * n + 1 + (culet > 0))
                check_cut(self, made.mesh, 1.0)
        self.assertIn("57 facets", stone().steps[0].notes[0].text)

    def test_published_proportions(self) -> None:
        """The angles of each set to 0.1°, its heights to 0.15 % (gems.json, published_relations)."""
        self.assertEqual(len(SETS), len(GEMS["published"]))
        for name, row in zip(SETS, GEMS["published"], strict=True):
            made = stone(proportions=name)
            assert made.mesh is not None and made.steps[0].result is not None
            facts, faces = made.steps[0].result.facts, face_normals(made.mesh)
            for group, key in (("kites", "crown_angle"), ("mains", "pavilion_angle")):
                leans = np.degrees(np.arccos(np.abs(faces[made.mesh.group_faces("s1", group), 2])))
                self.assertLess(float(np.abs(leans - row[key]).max()), 0.1)
            self.assertLess(abs(100 * float(facts["crown_height"]) - row["crown_height"]), 0.15)
            self.assertLess(abs(100 * float(facts["pavilion_depth"]) - row["pavilion_depth"]), 0.15)
            self.assertEqual(len(made.steps[0].notes), 1)
            other = stone(proportions=name, table=0.62).steps[0].notes[1].text
            self.assertIn(f"table {62 - row['table']:+.1f} %".replace("-", "−"), other)

    def test_heights_and_angles_follow_each_other(self) -> None:
        for table, crown, height, pavilion, depth in GEMS["conversions"]["rows"]:
            by_angle = stone(table=table / 100, crown_angle=crown, pavilion_angle=pavilion)
            by_height = stone(table=table / 100, crown_height=f"{height} %", pavilion_depth=f"{depth} %")
            assert by_angle.mesh is not None and by_height.mesh is not None and by_angle.steps[0].result is not None
            np.testing.assert_allclose(by_angle.mesh.points, by_height.mesh.points, atol=1e-7)
            self.assertAlmostEqual(100 * float(by_angle.steps[0].result.facts["crown_height"]), height, places=5)
        for pavilion, depth in GEMS["conversions"]["with_culet_of_1_pct"]:
            made = stone(culet=0.01, pavilion_angle=pavilion).steps[0].result
            assert made is not None
            self.assertAlmostEqual(100 * float(made.facts["pavilion_depth"]), depth, places=5)

    def test_what_can_not_be_cut_names_the_value_and_what_would_work(self) -> None:
        refused: list[tuple[dict[str, Any], str, float]] = [
            ({"table": 0.95}, "table", 0.8),
            ({"symmetry": 3, "table": 0.53}, "table", 0.28),
            ({"star_length": 0.1}, "star_length", 0.166),
            ({"star_length": 1.0}, "star_length", 0.9),
            ({"lower_half_length": 0}, "lower_half_length", 0.1),
            ({"culet": 0.95}, "culet", 0.92),
            ({"crown_height": 0}, "crown_height", 0.01),
        ]
        for values, field, works in refused:
            with self.assertRaises(CoreError) as caught:
                stone(**values)
            self.assertEqual(caught.exception.field, field)
            self.assertRegex(str(caught.exception.hint), r"(Over|Under|under|over) [\d.]+ %")
            check_cut(self, stone(**values | {field: works}).mesh, 1.0)
        with self.assertRaisesRegex(CoreError, "say the same thing"):
            stone(crown_height=0.1, crown_angle=30)

    def test_by_chance(self) -> None:
        """Any numbers: a stone that is flat and convex, or an error that names one of them."""
        chance = random.Random(4)
        cut = 0
        for _ in range(300):
            values: dict[str, Any] = {
                "symmetry": chance.randint(3, 24), "table": chance.uniform(0.02, 0.98), "girdle": chance.choice([0, chance.uniform(0, 1)]),
                "star_length": chance.uniform(0, 1), "lower_half_length": chance.uniform(0, 1), "culet": chance.choice([0, chance.uniform(0, 0.9)]),
                "crown_angle": chance.uniform(1, 80), "pavilion_depth": chance.uniform(0.01, 2), "diameter": 10 ** chance.uniform(-3, 6),
            }  # fmt: skip
            try:
                made = stone(**values)
            except CoreError as e:
                self.assertIn(e.field, values)
                continue
            cut += 1
            check_cut(self, made.mesh, values["diameter"] / 2)
        self.assertGreater(cut, 100)

    def test_the_inner_skin_is_the_same_faces_reversed(self) -> None:
        plain, both = stone().mesh, stone(inner_skin=True).mesh
        assert plain is not None and both is not None
        inner = both.group_faces("s1", "inner_skin")
        self.assertEqual((int(inner.sum()), both.n_faces), (plain.n_faces, 2 * plain.n_faces))
        np.testing.assert_allclose(face_normals(both)[inner], -face_normals(plain), atol=1e-12)
        self.assertTrue(both.closed)


class OtherCuts(unittest.TestCase):
    def test_step_cuts(self) -> None:
        """1 + 2 s m facets of s steps on m = 8 sides; 49 for three (gems.json, other_cuts), 58 with girdle and culet."""
        for steps in (1, 2, 3, 5):
            for culet in (0.0, 0.1):
                made = stone(cut="step", steps=steps, culet=culet, length_share=1.4)
                check_cut(self, made.mesh, 1.0)
                groups = made.mesh.groups() if made.mesh else {}
                self.assertEqual((groups["crown"], groups["pavilion"], groups["girdle"]), (8 * steps,) * 2 + (8,))
                self.assertEqual(sum(groups.values()) - 8, 1 + 16 * steps + (culet > 0))
        square = stone(cut="step", length_share=1).mesh
        check_cut(self, square, 1.0)
        chance = random.Random(6)
        for _ in range(60):
            values = {"length_share": chance.uniform(1, 4), "clipped": chance.uniform(0.02, 0.95), "steps": chance.randint(1, 8), "girdle": chance.choice([0, 0.05]),
                      "table": chance.uniform(0.05, 0.95), "crown_height": chance.uniform(0.01, 1), "pavilion_angle": chance.uniform(5, 80), "culet": chance.choice([0, 0.3])}  # fmt: skip
            check_cut(self, stone(cut="step", **values).mesh, 1.0)

    def test_rose_cuts(self) -> None:
        """4 n facets on a flat base: 24 for 6, the full Dutch rose (gems.json, other_cuts)."""
        for n in (3, 4, 6, 8, 17, 24):
            for star in (0.2, 0.5, 0.8):
                made = stone(cut="rose", symmetry=n, star_length=star)
                check_cut(self, made.mesh, 1.0)
                self.assertEqual(made.mesh.n_faces if made.mesh else 0, 4 * n + 1)

    def test_a_cabochon_is_half_an_ellipsoid(self) -> None:
        """Volume 2/3 π r² h on a base of π r² g (solids.json has the ellipsoid's), by chords of the second order."""
        exact = 2 / 3 * math.pi * 0.8 + math.pi * 0.04
        errors = []
        for sides in (48, 96):
            mesh = stone(cut="cabochon", dome_height=0.4, girdle=0.02, sides=sides).mesh
            check_sound(self, mesh)
            assert mesh is not None
            errors.append(exact - float(signed_volume(mesh)))
        self.assertAlmostEqual(errors[0] / errors[1], 4.0, delta=0.05)


if __name__ == "__main__":
    unittest.main()
