"""Round rims of holes, where they are known."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from jukai.core.geometry.placing import placed
from jukai.core.geometry.round_rims import round_rims
from tests.recipes import body


class RoundRims(unittest.TestCase):
    def test_of_a_washer(self) -> None:
        mesh = body({"operator": "washer", "size": "M8", "sides": 32})
        rims = round_rims(mesh)
        self.assertEqual(sorted(float(r.normal[2]) for r in rims), [-1.0, 1.0])
        for r in rims:
            self.assertAlmostEqual(r.radius, 4.2, 9)
            np.testing.assert_allclose(r.centre, [0, 0, 1.6 if r.normal[2] > 0 else 0], atol=1e-9)

    def test_holes_alone_count_and_only_round_ones(self) -> None:
        cases: list[tuple[dict[str, Any], int]] = [
            ({"operator": "cylinder", "radius": 5, "height": 8}, 0),
            ({"operator": "box", "size": [4, 5, 6]}, 0),
            ({"operator": "sphere", "radius": 5}, 0),
            ({"operator": "nut", "size": "M10", "detail": "full"}, 2),
            ({"operator": "screw", "size": "M10", "head": "socket"}, 0),
            ({"operator": "washer", "sides": 6}, 0),
        ]
        for step, count in cases:
            self.assertEqual(len(round_rims(body(step))), count, step)

    def test_wherever_the_body_stands(self) -> None:
        rng = np.random.default_rng(1)
        turn, _ = np.linalg.qr(rng.normal(size=(3, 3)))
        matrix = np.eye(4)
        matrix[:3, :3], matrix[:3, 3] = turn * np.sign(np.linalg.det(turn)), [3e3, -1e4, 5]
        mesh = placed(body({"operator": "washer", "size": "M20"}), matrix)
        rims = round_rims(mesh)
        self.assertEqual(len(rims), 2)
        for r in rims:
            self.assertAlmostEqual(r.radius, 10.5, 6)
            self.assertAlmostEqual(abs(float(r.normal @ matrix[:3, 2])), 1, 9)
        ends = np.array([r.centre for r in rims])
        np.testing.assert_allclose(np.linalg.norm(ends[0] - ends[1]), 3, atol=1e-6)


if __name__ == "__main__":
    unittest.main()
