"""Finding the largest number that still leaves what is asked for, on borders of all shapes."""

from __future__ import annotations

import math
import unittest
from collections.abc import Callable

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.recipe.solving import Unknown, solve


def number(start: float, *, whole: bool = False) -> Unknown:
    return Unknown(start, -1e9, 1e9, whole, lambda v: None)  # type: ignore[arg-type, return-value]


class Borders(unittest.TestCase):
    def test_the_largest_is_the_largest(self) -> None:
        """Seven figures from the border, whatever the measure does on its way there."""
        cases: list[tuple[str, Callable[[float], float], float]] = [
            ("straight", lambda x: 7.123456789 - x, 7.123456789),
            ("square", lambda x: 50 - x * x, math.sqrt(50)),
            ("one end far", lambda x: 1e-7 * (8.7654321 - x) if x < 8.7654321 else 100 * (8.7654321 - x), 8.7654321),
            ("steep before", lambda x: 1e6 * (6.543210987 - x) if x < 6.543210987 else 1e-2 * (6.543210987 - x), 6.543210987),
            ("a step", lambda x: 3.0 if x < 5.4321 else -2.0, 5.4321),
            ("ever flatter", lambda x: 1e6 * (math.exp(-x) - math.exp(-9.87654321)), 9.87654321),
            ("high power", lambda x: 9.0**9 - x**9, 9.0),
        ]  # fmt: skip
        for name, measure, border in cases:
            for start in (1.0, 3.0, 20.0):
                with self.subTest(name, start=start):
                    found = solve(number(start), measure, 0.0, largest=True, step=0.5)
                    self.assertGreaterEqual(measure(found.value), -1e-9)
                    self.assertLessEqual(abs(found.value - border), 1.1e-6 * border)
                    self.assertLess(found.tries, 100)

    def test_by_chance(self) -> None:
        """300 falling broken lines, the largest and, mirrored, the smallest."""
        rng = np.random.default_rng(7)
        for i in range(300):
            x = np.sort(rng.uniform(0, 100, 6))
            y = np.sort(rng.normal(size=6) * 10.0 ** rng.integers(-6, 4))[::-1]
            if not y[0] > 1e-6 or not y[-1] < -1e-6:
                continue
            largest = bool(rng.random() < 0.5)
            sign = 1.0 if largest else -1.0
            border = float(np.interp(0.0, -y, x))
            start = sign * float(rng.uniform(x[0], border))
            with self.subTest(i):
                found = solve(
                    number(start),
                    lambda v, s=sign, x=x, y=y: float(np.interp(v * s, x, y)),
                    0.0,
                    largest=largest,
                    step=1.0,
                )
                self.assertGreaterEqual(float(np.interp(found.value * sign, x, y)), -1e-9)
                # what is within 1e-9 of nothing counts as nothing
                slack = float(np.interp(1.1e-9, -y, x)) - border
                self.assertLessEqual(border - found.value * sign, 2e-6 * max(border, 1e-3))
                self.assertLessEqual(found.value * sign - border, slack + 1e-6)

    def test_counts_are_whole_and_what_can_not_be_is_said(self) -> None:
        found = solve(number(12, whole=True), lambda n: 100.5 - n, 0.0, largest=True, step=1)
        self.assertEqual(found.value, 100)
        with self.assertRaises(ValueProblem) as caught:
            solve(number(1), lambda x: -1 - x * x, 0.0, largest=True, step=1)
        self.assertIn("The most is -1 mm, at", caught.exception.message)


if __name__ == "__main__":
    unittest.main()
