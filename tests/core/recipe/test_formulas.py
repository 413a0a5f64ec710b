"""Formulas: what they give, where they point when they can't be read, and that nothing else gets through."""

from __future__ import annotations

import math
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from jukai.core.errors import CycleError, FormulaError
from jukai.core.formulas import Quantity, check_name, evaluate_formula, rename_in_formula, resolve_names

NAMES = {"count": Quantity(5), "foot": Quantity(48, "length"), "tilt": Quantity(30, "angle")}


WORKSHOP = {
    "1/8 in": 3.175, "3/8\"": 9.525, "5 1/2 in": 139.7, "2 ft": 609.6, "2' 6\"": 762, "5′ 6 1/2″": 1689.1, "-1/8 in": -3.175, "8,5": 8.5,
    "0,125 in": 3.175, "1,0005": 1.0005, "0,500": 0.5, "8,5e1 mm": 85, "5 1/2": 5.5, "1 1/2 in + 1/4 in": 44.45, "3/8in": 9.525, "1/2 rad": math.degrees(0.5),
    "max(8,5)": 8, "max((8,5), 3)": 8.5, "max(1/8 in, 2)": 3.175, "foot * 1/2 mm": 24, "foot / 1 / 2 mm": 24, "1/8": 0.125, "1/8 * 3": 0.375,
    "5 - 1/2 in": -7.7, "5-1/2": 4.5, "(1/8 in) / 2": 1.5875, "2 ft - 1/2 in": 596.9, "1/2 in ** 1": 12.7,
}  # fmt: skip
"""An inch is 25.4 mm exactly, a foot 12 inches (international yard and pound, 1959)."""


class Values(unittest.TestCase):
    def test_table(self) -> None:
        cases = {
            "12": 12, "1e3": 1000, ".5": 0.5, "2 + 3 * 4": 14, "(2 + 3) * 4": 20, "2 ** 3 ** 2": 512, "-2 ** 2": -4, "2 ** -1": 0.5,
            "360 / count": 72, "foot / 2": 24, "0.5 in": 12.7, "1 cm + 2 mm": 12, "1 m": 1000, "sin(30)": 0.5, "cos(60 deg)": 0.5,
            "tan(45)": 1, "sin(180)": 0, "cos(90)": 0, "asin(1)": 90, "atan2(1, 1)": 45, "(pi / 2) rad": 90, "pi rad": 180,
            "sqrt(16)": 4, "hypot(3, 4)": 5, "min(3, 1, 2)": 1, "max(foot, 50)": 50, "floor(-0.5)": -1, "round(2.5)": 3, "mod(-1, 3)": 2,
            "ln(exp(2))": 2, "log10(1000)": 3, "abs(-foot)": 48, "foot mm": 48, "--3": 3, "sin(tilt)": 0.5, "foot / (2 mm)": 24,
            **WORKSHOP,
        }  # fmt: skip
        for text, expected in cases.items():
            with self.subTest(text):
                self.assertAlmostEqual(evaluate_formula(text, NAMES), expected, places=12)

    def test_errors_point_at_the_character(self) -> None:
        cases = {
            "": 0, "1 +": 3, "2 * (3": 6, "2 $ 3": 2, "foo + 1": 0, "2 x 3": 2, "3 4": 2, "1 < 2": 2, "sin 30": 4, "sin()": 4,
            "min()": 4, "atan2(1)": 0, "1 / 0": 2, "sqrt(-1)": 0, "mm": 0, "2 ** 65": 2, "10 ** 12 * 10": 9, "foot + tilt": 5, "pi / 2 rad": 3,
            "foot cm": 5, "cos(foot)": 0, "count.real": 5, "__import__('os')": 10, "(-8) ** 0.5": 5, "tan(90)": 0, "2 × 3": 2, "1e400": 0,
            "1,000": 0, "12,500 mm": 0, "5-1/2 in": 0, "foot + 5-3/8\"": 7, "2 * 1/2 in": 5, "2 ft 3": 5, "2 ft 3 mm": 5, "5 3/2": 2, "1/0 in": 1,
            "1, 5": 1, "1,": 1, ",5": 0, "8,5,2": 3, "2' 3'": 3, "\"": 0, "1,5.2": 1,
        }  # fmt: skip
        for text, position in cases.items():
            with self.subTest(text):
                with self.assertRaises(FormulaError) as caught:
                    evaluate_formula(text, NAMES)
                self.assertEqual(caught.exception.position, position, caught.exception.message)

    def test_what_it_is_for(self) -> None:
        self.assertEqual(evaluate_formula("30 deg", measures="angle"), 30)
        for text, measures in (("30 deg", "length"), ("3 mm", "angle"), ("3 mm", "")):
            with self.assertRaises(FormulaError):
                evaluate_formula(text, measures=measures)

    def test_size_and_depth_are_bounded(self) -> None:
        for text in ("(" * 60 + "1" + ")" * 60, "-" * 200 + "1", "1+" * 300 + "1", "sin(" * 50 + "1" + ")" * 50):
            with self.assertRaises(FormulaError):
                evaluate_formula(text)

    @settings(max_examples=300, deadline=None)
    @given(st.text(alphabet="0123456789.+-*/(), abcefimnopsxt_%'\"[]{}<>=", max_size=40))
    def test_any_text_gives_a_number_or_a_formula_error(self, text: str) -> None:
        try:
            self.assertTrue(math.isfinite(evaluate_formula(text, NAMES)))
        except FormulaError as e:
            self.assertLessEqual(e.position, len(text))


class NamedNumbers(unittest.TestCase):
    def test_any_order(self) -> None:
        values, errors = resolve_names({"a": "b * 2", "b": "c + 1 mm", "c": "3 mm"})
        self.assertEqual(({k: q.value for k, q in values.items()}, errors), ({"c": 3, "b": 4, "a": 8}, {}))

    def test_a_ring_names_its_members(self) -> None:
        values, errors = resolve_names({"a": "b", "b": "c", "c": "a", "d": "a + 1", "e": "2"})
        self.assertEqual(set(values), {"e"})
        for name in "abc":
            self.assertIsInstance(errors[name], CycleError)
            for member in "abc":
                self.assertIn(member, errors[name].message)
        self.assertNotIsInstance(errors["d"], CycleError)

    def test_a_long_chain(self) -> None:
        rows = {f"n{i}": f"n{i + 1} + 1" for i in range(900)} | {"n900": "0"}
        self.assertEqual(resolve_names(rows)[0]["n0"].value, 900)

    def test_names(self) -> None:
        check_name("ring_gap")
        for bad in ("mm", "sin", "pi", "copy", "copies", "2a", "a b", "", "ä", "a" * 41):
            with self.assertRaises(FormulaError):
                check_name(bad)

    def test_rename(self) -> None:
        self.assertEqual(rename_in_formula("a + aa * sin(a)", "a", "gap"), "gap + aa * sin(gap)")
        self.assertEqual(rename_in_formula("not § readable a", "a", "b"), "not § readable a")


if __name__ == "__main__":
    unittest.main()
