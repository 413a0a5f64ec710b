"""Clearances of parts on a bench, numbers solved for them, and estimates of faces, over the API on a real database."""

from __future__ import annotations

import math
import unittest
from typing import Any

from jukai.core.errors import ValueProblem
from jukai.core.recipe.edit_kinds import SetDimension
from jukai.core.recipe.solving import Unknown, solve
from tests.web.common import ApiTest


def box(part: str, x: float, size: Any, **more: Any) -> dict[str, Any]:
    recipe = [{"id": "s1", "operator": "box", "values": {"size": size}}]
    return {"id": part, "name": part.upper(), "placement": {"move": [x, 0, 0]}, "recipe": recipe} | more


def capsule(part: str, radius: Any, **more: Any) -> dict[str, Any]:
    values = {"radius": radius, "length": 20, "sides": 48}
    return {"id": part, "name": part.upper(), "recipe": [{"id": "s1", "operator": "capsule", "values": values}]} | more


class OnABench(ApiTest):
    def bench(self, *parts: dict[str, Any], **dimensions: Any) -> str:
        import json

        rows = [{"name": k, "value": v} for k, v in dimensions.items()]
        document = {
            "format": "jukai-bench",
            "version": 1,
            "name": "T",
            "unit": "mm",
            "dimensions": rows,
            "parts": list(parts),
        }
        answer = self.client.post("/api/benches/open", data=json.dumps(document))
        self.assertEqual(answer.status_code, 201, answer.get_data())
        return str(answer.get_json()["id"])

    def rows(self, bench: str, part: str, **body: Any) -> list[dict[str, Any]]:
        rows: list[dict[str, Any]] = self.post(f"/benches/{bench}/clearance", {"part": part, **body})["rows"]
        return rows

    def solved(self, bench: str, status: int = 200, **body: Any) -> dict[str, Any]:
        out: dict[str, Any] = self.post(f"/benches/{bench}/solve", body, status)
        return out

    def test_the_least_comes_first_and_names_its_part(self) -> None:
        bench = self.bench(box("a", 0, [4, 4, 4]), box("b", 9, [4, 4, 4]), box("c", -5, [4, 4, 4]), box("d", 3, [4, 4, 4]),
                           box("e", 7, [4, 4, 4], hidden=True))  # fmt: skip
        rows = self.rows(bench, "a")
        self.assertEqual([(r["part"], r["state"]) for r in rows], [("d", "crossing"), ("c", "apart"), ("b", "apart")])
        self.assertAlmostEqual(rows[0]["depth"], 1, places=5)
        self.assertEqual([r["distance"] for r in rows[1:]], [1, 5])
        self.assertEqual(sorted(p[0] for p in rows[2]["places"]), [2, 7])

    def test_what_an_edit_would_leave_is_told_without_keeping_it(self) -> None:
        bench = self.bench(box("a", 0, [4, 4, 4]), box("b", 9, [4, 4, 4]))
        edit = {"kind": "place_parts", "placements": {"a": {"move": [2, 0, 0]}}}
        self.assertEqual(self.rows(bench, "a", base=1, edit=edit)[0]["distance"], 3)
        self.assertEqual(self.rows(bench, "a")[0]["distance"], 5)

    def test_far_parts_are_told_by_their_boxes(self) -> None:
        bench = self.bench(*(box(f"p{i}", 10 * i, [4, 4, 4]) for i in range(8)))
        rows = self.rows(bench, "p0")
        self.assertEqual([r["about"] for r in rows], [False] * 3 + [True] * 4)
        self.assertEqual([r["distance"] for r in rows], [10 * i - 4 for i in range(1, 8)])

    def test_a_size_is_solved_exactly(self) -> None:
        bench = self.bench(box("a", 0, [4, 4, 4]), box("b", 20, [4, 4, 4]))
        for gap in (0.2, 1, 3):
            got = self.solved(bench, part="a", address="a/s1/values/size/0", requested=gap, to="b")
            self.assertEqual(got["value"], 2 * (18 - gap))
            self.assertAlmostEqual(got["measured"], gap, places=9)
            self.assertEqual((got["edit"]["key"], got["edit"]["value"]), ("size/0", 2 * (18 - gap)))

    def test_the_largest_radius_that_leaves_a_gap(self) -> None:
        """A capsule in a ring of 48 flats: the hole's flats stand at R cos (π / 48), the capsule's corners at r."""
        ring = {"id": "r", "name": "Ring", "placement": {"move": [0, 0, 9]},
                "recipe": [{"id": "s1", "operator": "washer", "values": {"inner": 20, "outer": 30, "thickness": 2, "sides": 48}}]}  # fmt: skip
        for start in (3, 9.99, 12):  # clear of it, almost touching, crossing
            bench = self.bench(capsule("c", start), ring)
            got = self.solved(bench, part="c", address="c/s1/values/radius", requested=0.2, to="r")
            # corners stand to corners: what lies between flat and corner is a chord's distance
            self.assertAlmostEqual(got["value"], 10 - 0.2 / math.cos(math.pi / 48), places=4)
            self.assertGreaterEqual(got["measured"], 0.2 - 1e-9)
            self.assertLess(got["measured"], 0.2 + 1e-4)
            self.assertLess(got["tries"], 40)
            kept = self.post(f"/benches/{bench}/edits", {"base": 1, "edit": got["edit"]})
            self.assertEqual(kept["document"]["parts"][0]["recipe"][0]["values"]["radius"], got["value"])

    def test_named_numbers_places_and_counts_can_be_solved(self) -> None:
        bench = self.bench(box("a", 0, ["w", 4, 4]), box("b", 20, [4, 4, 4]), w=6)
        self.assertEqual(self.solved(bench, part="a", address="dimensions/w", requested=1)["value"], 34)
        self.assertEqual(self.solved(bench, part="a", address="a/placement/move/0", requested=1)["value"], 14)
        smallest = self.solved(bench, part="a", address="a/placement/move/0", requested=1, which="smallest")
        self.assertTrue(smallest["limit"])  # nothing stands on the other side
        turned = self.solved(bench, part="a", address="a/placement/turn/0", requested=1)
        self.assertEqual((turned["value"], turned["limit"]), (360, True))
        cylinder = {"id": "c", "name": "C", "placement": {"move": [0, 40, 0]},
                    "recipe": [{"id": "s1", "operator": "cylinder", "values": {"radius": 10, "height": 4, "sides": 24}}]}  # fmt: skip
        bench = self.bench(cylinder, box("d", 0, [4, 59.9, 4]))
        got = self.solved(bench, part="c", address="c/s1/values/sides", requested=0.06, which="smallest")
        self.assertEqual(got["value"], int(got["value"]))

    def test_no_thin_body_in_the_way_is_leapt_over(self) -> None:
        bench = self.bench(box("a", 0, [4, 4, 4]), box("b", 57.3, [0.5, 40, 40]), box("c", 400, [4, 4, 4]))
        got = self.solved(bench, part="a", address="a/placement/move/0", requested=1)
        self.assertAlmostEqual(got["value"], 57.3 - 0.25 - 1 - 2, places=6)

    def test_what_cannot_be_solved_is_said(self) -> None:
        bench = self.bench(box("a", 0, [4, 4, 4]), box("b", 0, [4, 4, 4]))
        for body, words in (
            ({"part": "a", "address": "a/s1/values/size/2", "requested": 1}, "No value leaves 1 mm"),
            ({"part": "a", "address": "a/s1/values/colour", "requested": 1}, "no value 'colour'"),
            ({"part": "a", "address": "nowhere", "requested": 1}, "no number at 'nowhere'"),
            ({"part": "a", "address": "a/placement/move/9", "requested": 1}, "no number at"),
            ({"part": "z", "address": "a/s1/values/size/2", "requested": 1}, "not there any more"),
        ):
            self.assertIn(words, self.solved(bench, 422, **body)["title"])
        alone = self.bench(box("a", 0, [4, 4, 4]))
        self.assertIn(
            "no other body", self.solved(alone, 422, part="a", address="a/s1/values/size/2", requested=1)["title"]
        )

    def test_faces_are_estimated_and_too_many_are_not_previewed(self) -> None:
        bench = self.bench(capsule("a", 4), box("b", 30, [4, 4, 4]))

        def edit(key: str, value: Any, part: str = "a") -> dict[str, Any]:
            return {"base": 1, "edit": {"kind": "set_value", "part": part, "step": "s1", "key": key, "value": value}}

        made = self.post(f"/benches/{bench}/estimate", edit("sides", 64))["faces"]
        state = self.post(f"/benches/{bench}/preview", edit("sides", 64))
        self.assertEqual(made, state["parts"][0]["faces"])
        self.assertEqual(self.post(f"/benches/{bench}/estimate", edit("counts", [700, 700, 2], "b"))["faces"], 985_600)
        heavy = self.post(f"/benches/{bench}/preview", edit("counts", [700, 700, 2], "b"), 422)
        self.assertEqual(heavy["code"], "heavy")
        self.assertIn("985\u2009600 faces", heavy["title"])
        refused = self.post(f"/benches/{bench}/estimate", edit("counts", [7000, 7000, 2], "b"), 413)
        self.assertIn("are the most", refused["title"])


class Solving(unittest.TestCase):
    def number(self, start: float, *, whole: bool = False, least: float = -1e9, most: float = 1e9) -> Unknown:
        return Unknown(start, least, most, whole, lambda v: SetDimension(name="n", value=v))

    def test_borders_are_found_from_either_side(self) -> None:
        for slope, largest in ((-1, True), (1, False)):
            for start in (-50, 0.5, 3, 40):
                for measure in (
                    lambda x, s=slope: s * (x - 7),
                    lambda x, s=slope: s * (x - 7) ** 3,
                    lambda x, s=slope: math.tanh(s * (x - 7)),
                ):
                    got = solve(self.number(start), measure, 0.0, largest=largest, step=0.5)
                    self.assertAlmostEqual(got.value, 7, delta=2e-3)  # the cube is flat there
                    self.assertGreaterEqual(got.measured, -1e-9)

    def test_counts_stay_whole(self) -> None:
        got = solve(self.number(3, whole=True), lambda n: 10.4 - n, 0.0, largest=True, step=1)
        self.assertEqual(got.value, 10)
        got = solve(self.number(30, whole=True), lambda n: 10.4 - n, 0.0, largest=True, step=1)
        self.assertEqual(got.value, 10)

    def test_its_own_limit_is_said(self) -> None:
        got = solve(self.number(3, most=12), lambda x: 100 - x, 0.0, largest=True, step=1)
        self.assertEqual((got.value, got.limit), (12, True))

    def test_nothing_good_is_an_error_with_the_best(self) -> None:
        with self.assertRaises(ValueProblem) as caught:
            solve(self.number(3, least=0, most=10), lambda x: -1 - (x - 4) ** 2, 0.0, largest=True, step=1)
        self.assertIn("The most is", caught.exception.message)


if __name__ == "__main__":
    unittest.main()
