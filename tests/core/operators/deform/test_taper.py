"""Taper against Barr's map (deform.json), its determinant, ISO 3040, and bodies by chance."""

from __future__ import annotations

import math
import random
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.measures import signed_volume
from tests.common import check_sound, reference
from tests.recipes import body, built

TAPER = reference("deform.json")["taper"]
VOLUMES = reference("deform.json")["taper_volume"]


def box(size: list[float], counts: list[int] | None = None) -> dict[str, Any]:
    return {"operator": "box", "size": size, "counts": counts or [1, 1, 1]}


class Published(unittest.TestCase):
    def test_barrs_map(self) -> None:
        """Points of a body 2 R wide scaled by r straight from 1 to 1/4; the ratio of such a taper is L / (2 R (1 − r))."""
        for row in TAPER["cases"]:
            length, radius = row["z1"] - row["z0"], math.sqrt(10.0**2 * 2)
            end = row["scale_at_z1"] / row["scale_at_z0"]
            made = built(
                box([20, 20, length], [4, 4, 8]),
                {"operator": "taper", "axis": "z", "ratio": length / (2 * radius * (1 - end))},
            )
            plain = body(box([20, 20, length], [4, 4, 8])).points
            shrink = 1 - (1 - end) * plain[:, 2] / length
            np.testing.assert_allclose(
                made.mesh.points, plain * np.column_stack([shrink, shrink, np.ones(len(plain))]), atol=1e-12
            )
            for point, image in row["cases"]:
                at = (point[2] - row["z0"]) / length
                if 0 <= at <= 1:
                    self.assertAlmostEqual(point[0] * (1 - (1 - end) * at) * row["scale_at_z0"], image[0], places=12)

    def test_volume_of_a_frustum(self) -> None:
        """∫ r² along the axis (deform.json, taper_volume: straight from 1 to 1/2 keeps 7/12)."""
        for row in VOLUMES["cases"]:
            if row["taper"] == "straight 1 to 0.5":
                for size in (1e-3, 1.0, 1e6):
                    mesh = body(box([size] * 3), {"operator": "taper", "axis": "z"})
                    self.assertAlmostEqual(float(signed_volume(mesh)) / size**3, row["volume_factor"], places=12)

    def test_the_ratio_is_that_of_iso_3040(self) -> None:
        """ISO 3040: C = (D − d) / L = 1 / n; a cylinder of diameter 20 over 40 mm at 1 : 10 ends 16 wide."""
        mesh = body(
            {"operator": "cylinder", "radius": 10, "height": 40, "sides": 48},
            {"operator": "taper", "axis": "z", "ratio": 10},
        )
        top = mesh.points[np.isclose(mesh.points[:, 2], 40)]
        self.assertAlmostEqual(float(np.hypot(top[:, 0], top[:, 1]).max()) * 2, 16.0)

    def test_across_one_direction_the_determinant_is_r(self) -> None:
        for across, axis in (("width", 0), ("depth", 1)):
            made = built(box([10, 10, 10]), {"operator": "taper", "axis": "z", "across": across})
            assert made.mesh is not None
            self.assertAlmostEqual(float(signed_volume(made.mesh)), 750.0)
            low, high = made.mesh.bounds
            self.assertEqual(float((high - low)[1 - axis]), 10.0)


class Said(unittest.TestCase):
    def test_what_cannot_be_and_what_shows_nothing(self) -> None:
        refused: list[tuple[dict[str, Any], str]] = [
            ({"ratio": 0}, "flat disc"),
            ({"ratio": 0.3}, "runs to a point"),
            ({"from": 9, "to": 3}, "not after it begins"),
        ]
        for values, words in refused:
            with self.assertRaises(CoreError) as caught:
                built(box([10, 10, 10]), {"operator": "taper", "axis": "z"} | values)
            self.assertIn(words, caught.exception.message)
        told: list[tuple[dict[str, Any], str]] = [
            ({"strength": 0}, "0 %"),
            ({"from": "50 %"}, "no row at 5 mm"),
            ({"weights": {"pick": {"rule": "rim"}}}, "leaves out every point"),
        ]
        for values, words in told:
            notes = [
                n.text for n in built(box([10, 10, 10]), {"operator": "taper", "axis": "z"} | values).steps[1].notes
            ]
            self.assertTrue(any(words in n for n in notes), notes)

    def test_half_the_strength_is_half_the_taper(self) -> None:
        for half in (0.5, "50 %", "1 / 2"):
            made = built(box([10, 10, 10]), {"operator": "taper", "axis": "z", "strength": half})
            assert made.mesh is not None
            self.assertAlmostEqual(float(signed_volume(made.mesh)), 1000 * (1 + 0.75 + 0.75**2) / 3)
            self.assertEqual(made.steps[1].shown["strength"], 0.5)


class ByChance(unittest.TestCase):
    def test_closed_in_closed_out_and_back_again(self) -> None:
        chance = random.Random(5)
        for _ in range(25):
            size = [chance.uniform(1, 30) for _ in range(3)]
            axis = chance.choice(["x", "y", "z", {"point": [0, 0, 0], "direction": [chance.uniform(-1, 1), 0.3, 1]}])
            values = {
                "axis": axis,
                "ratio": chance.choice([-1, 1]) * chance.uniform(40, 90),
                "from": f"{chance.randint(0, 40)} %",
            }
            made = built(box(size, [2, 3, 4]), {"operator": "taper"} | values)
            check_sound(self, made.mesh)
            self.assertEqual(made.mesh.n_faces, 2 * (6 + 12 + 8))


if __name__ == "__main__":
    unittest.main()
